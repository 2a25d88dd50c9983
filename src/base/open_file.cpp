#include "base/open_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstdlib>
#include <utility>

#include "base/error.h"
#include "base/temporary_file.h"

namespace quill {

namespace {

// A new file with these bytes, in memory where the system has room for such.
Descriptor temporary(const std::string& bytes, std::string& name) {
  auto [out, path] = temporary_file(static_cast<std::int64_t>(bytes.size()));
  name = path;
  for (std::size_t done = 0; done < bytes.size();) {
    const auto n = ::write(out.get(), bytes.data() + done, bytes.size() - done);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) {
      ::unlink(name.c_str());
      fail_hindered(fmt::format("there is no room for a temporary file: {}", system_reason()));
    }
    done += static_cast<std::size_t>(n);
  }
  return std::move(out);
}

}  // namespace

OpenFile::OpenFile(Descriptor descriptor) : descriptor_(std::move(descriptor)) { look(); }

void OpenFile::look() {
  stamp_ = stamp_now();
  struct stat info {};
  if (::fstat(descriptor_.get(), &info) == 0) size_ = static_cast<std::uint64_t>(info.st_size);
}
OpenFile::OpenFile(const std::string& bytes) : OpenFile(Descriptor()) {
  descriptor_ = temporary(bytes, temporary_name_);
  look();
}
OpenFile::~OpenFile() { forget_name(); }

void OpenFile::forget_name() const {
  if (!temporary_name_.empty()) ::unlink(std::exchange(temporary_name_, {}).c_str());
}

std::string OpenFile::path() const { return fmt::format("/proc/self/fd/{}", descriptor_.get()); }

std::string OpenFile::stamp_now() const {
  struct stat info {};
  if (::fstat(descriptor_.get(), &info) != 0) return "gone";
  return fmt::format("{} {}.{:09}", info.st_size, info.st_mtim.tv_sec, info.st_mtim.tv_nsec);
}

void OpenFile::require_unchanged(const std::string& name) const {
  if (has_changed()) fail(fmt::format("{} has changed while it was open", name));
}

std::string OpenFile::read(std::uint64_t offset, std::size_t count) const {
  std::string out(count, '\0');
  std::size_t done = 0;
  while (done < count) {
    const auto n =
        ::pread(descriptor_.get(), out.data() + done, count - done, static_cast<off_t>(offset + done));
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) break;
    done += static_cast<std::size_t>(n);
  }
  out.resize(done);
  return out;
}

}  // namespace quill
