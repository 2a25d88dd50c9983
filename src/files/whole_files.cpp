#include "files/whole_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <filesystem>

namespace quill {

namespace {

std::string parent_of(const std::string& path) {
  const auto parent = std::filesystem::path(path).lexically_normal().parent_path().string();
  return parent.empty() ? "." : parent;
}

template <class T>
T found(Outcome<T> there, const std::string& path) {
  if (there.is_outside)
    fail_hindered(fmt::format("cannot read {}: it is outside the folders of the script and its output", path),
                  fmt::format("--also-read {} allows it", parent_of(path)));
  if (there.is_missing) fail(fmt::format("cannot read {}: {}", path, there.reason));
  if (!there.ok()) fail_hindered(fmt::format("cannot read {}: {}", path, there.reason));
  return std::move(there.value);
}

}  // namespace

std::string read_whole(Host& host, const Folders& folders, const std::string& path) {
  return found(host.read_below(folders, path), path);
}

OpenFilePtr open_whole(Host& host, const Folders& folders, const std::string& path) {
  return found(host.open_below(folders, path), path);
}

static void check_written(const Outcome<Done>& written, const std::string& path) {
  if (written.is_outside)
    fail_hindered(fmt::format("cannot write {}: it is outside the output folder", path),
                  fmt::format("--also-write {} allows it", parent_of(path)));
  if (!written.ok()) fail_hindered(fmt::format("cannot write {}: {}", path, written.reason));
}

void write_whole(Host& host, const Folders& folders, const std::string& path, std::string_view bytes) {
  check_written(host.write_below(folders, path, bytes), path);
}

void make_whole(Host& host, const Folders& folders, const std::string& path, const FileMaker& maker) {
  check_written(host.make_below(folders, path, maker), path);
}

std::string extension_of(const std::string& path) {
  auto e = std::filesystem::path(path).extension().string();
  if (!e.empty()) e.erase(0, 1);
  std::transform(e.begin(), e.end(), e.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return e;
}

}  // namespace quill
