#include "base/host.h"

#include <filesystem>

namespace quill {

Outcome<std::string> MemoryHost::read_file(const std::string& path) {
  const auto found = files.find(path);
  if (found == files.end()) return {{}, "no such file"};
  return {found->second, {}};
}

Outcome<Done> MemoryHost::write_file(const std::string& path, std::string_view bytes) {
  if (!write_failure.empty()) return {{}, write_failure};
  files[path] = bytes;
  return {};
}

Outcome<std::string> MemoryHost::ask(const std::string& question) {
  if (answers.empty()) return {{}, "nobody is there"};
  message(question);
  auto answer = answers.front();
  answers.erase(answers.begin());
  return {std::move(answer), {}};
}

std::string path_below(const std::string& folder, const std::string& path) {
  const std::filesystem::path p(path);
  if (p.is_absolute() || folder.empty()) return path;
  return (std::filesystem::path(folder) / p).lexically_normal().string();
}

}  // namespace quill
