#include "files/whole_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <filesystem>

namespace quill {

std::string read_whole(Host& host, const std::string& path) {
  auto read = host.read_file(path);
  if (!read.ok()) fail(fmt::format("cannot read {}: {}", path, read.reason));
  return std::move(read.value);
}

void write_whole(Host& host, const std::string& path, std::string_view bytes) {
  const auto written = host.write_file(path, bytes);
  if (!written.ok()) fail(fmt::format("cannot write {}: {}", path, written.reason));
}

std::string extension_of(const std::string& path) {
  auto e = std::filesystem::path(path).extension().string();
  if (!e.empty()) e.erase(0, 1);
  std::transform(e.begin(), e.end(), e.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return e;
}

}  // namespace quill
