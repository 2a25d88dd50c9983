#include "base/temporary_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/resource.h>
#include <sys/statvfs.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <vector>

#include "base/error.h"

namespace quill {

namespace {

struct Folder {
  std::string path;
  double free = 0;  // bytes
};

Folder folder_at(const char* path) {
  struct statvfs info {};
  if (::statvfs(path, &info) != 0) return {path, 0};
  return {path, static_cast<double>(info.f_bavail) * static_cast<double>(info.f_frsize)};
}

}  // namespace

std::string reserve_room(int file, std::int64_t bytes) {
  const auto wanted = static_cast<off_t>(bytes + bytes / 50 + (1 << 20));
  struct rlimit most {};
  if (::getrlimit(RLIMIT_FSIZE, &most) == 0 && most.rlim_cur != RLIM_INFINITY &&
      static_cast<rlim_t>(wanted) > most.rlim_cur)
    return std::strerror(EFBIG);
  if (::fallocate(file, FALLOC_FL_KEEP_SIZE, 0, wanted) == 0 || errno == EOPNOTSUPP || errno == ENOSYS)
    return {};
  return system_reason();
}

std::string reserve_room(const std::string& path, std::int64_t bytes) {
  const Descriptor file(::open(path.c_str(), O_RDWR | O_CLOEXEC));
  return file.is_open() ? reserve_room(file.get(), bytes) : system_reason();
}

TemporaryFile temporary_file(std::int64_t bytes, bool on_disk) {
  std::vector<Folder> folders;
  if (!on_disk) folders.push_back(folder_at("/dev/shm"));
  for (const char* path : {on_disk ? "/var/tmp" : "/tmp", on_disk ? "/tmp" : "/var/tmp"})
    folders.push_back(folder_at(path));
  // Those with room first; then the one with the most.
  const auto wanted = static_cast<double>(bytes) * 1.05 + (1 << 20);
  const auto begin_full = std::stable_partition(folders.begin(), folders.end(),
                                                [&](const Folder& f) { return f.free >= wanted; });
  std::stable_sort(begin_full, folders.end(),
                   [](const Folder& a, const Folder& b) { return a.free > b.free; });
  for (const auto& folder : folders) {
    TemporaryFile out{Descriptor(), folder.path + "/eager-quill-XXXXXX"};
    out.file = Descriptor(::mkostemp(out.path.data(), O_CLOEXEC));
    if (!out.file.is_open()) continue;
    if (reserve_room(out.file.get(), bytes).empty()) return out;
    ::unlink(out.path.c_str());
  }
  fail_hindered(fmt::format("there is no room for a temporary file: {}", system_reason()));
}

}  // namespace quill
