#include "base/host.h"

#include <unistd.h>

#include <filesystem>

#include "base/mapped_file.h"
#include "base/temporary_file.h"

namespace quill {

void with_made_file(const FileMaker& maker, const std::function<void(std::string_view bytes)>& use) {
  constexpr std::int64_t much = std::int64_t{1} << 28;
  const auto made = temporary_file(maker.bytes, maker.bytes > much);
  try {
    maker.make(made.path);
  } catch (...) {
    ::unlink(made.path.c_str());
    throw;
  }
  ::unlink(made.path.c_str());
  const MappedFile file(made.file);
  if (maker.made) maker.made(file.bytes());
  use(file.bytes());
}

Outcome<Done> Host::make_below(const Folders& folders, const std::string& path, const FileMaker& maker) {
  Outcome<Done> out;
  with_made_file(maker, [&](std::string_view bytes) { out = write_below(folders, path, bytes); });
  return out;
}

Outcome<std::string> MemoryHost::read_file(const std::string& path) {
  const auto found = files.find(path);
  if (found == files.end()) return {{}, "no such file", false, true};
  return {found->second, {}};
}

Outcome<Done> MemoryHost::write_file(const std::string& path, std::string_view bytes) {
  if (!write_failure.empty()) return {{}, write_failure};
  files[path] = bytes;
  return {};
}

Outcome<std::string> MemoryHost::read_below(const Folders& folders, const std::string& path) {
  for (const auto& folder : folders)
    if (is_below(folder, path)) return read_file(path);
  return {{}, "it is outside the allowed folders", true};
}

Outcome<OpenFilePtr> MemoryHost::open_below(const Folders& folders, const std::string& path) {
  const auto read = read_below(folders, path);
  if (!read.ok()) return {nullptr, read.reason, read.is_outside, read.is_missing};
  return {std::make_shared<OpenFile>(read.value), {}};
}

Outcome<Done> MemoryHost::write_below(const Folders& folders, const std::string& path,
                                      std::string_view bytes) {
  for (const auto& folder : folders)
    if (is_below(folder, path)) return write_file(path, bytes);
  return {{}, "it is outside the allowed folders", true};
}

Outcome<Done> MemoryHost::remove_below(const Folders& folders, const std::string& path) {
  for (const auto& folder : folders)
    if (is_below(folder, path)) {
      files.erase(path);
      return {};
    }
  return {{}, "it is outside the allowed folders", true};
}

Outcome<std::string> MemoryHost::ask(const std::string& question) {
  if (answers.empty()) return {{}, "there is no terminal"};
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

bool is_below(const std::string& folder, const std::string& path) {
  namespace fs = std::filesystem;
  fs::path file(path), root(folder.empty() ? "." : folder);
  std::error_code error;
  if (file.is_absolute() != root.is_absolute()) {
    file = fs::absolute(file, error);
    root = fs::absolute(root, error);
  }
  const auto inside = file.lexically_normal().lexically_relative(root.lexically_normal());
  return !inside.empty() && *inside.begin() != "..";
}

}  // namespace quill
