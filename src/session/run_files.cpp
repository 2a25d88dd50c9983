// Tested by run_files_test.cpp.
#include "session/run_files.h"

#include <fmt/format.h>

#include <filesystem>

#include "base/error.h"
#include "files/whole_files.h"

namespace quill {

namespace fs = std::filesystem;

namespace {

std::string normal(const std::string& path) {
  std::error_code error;
  return fs::absolute(path, error).lexically_normal().string();
}

}  // namespace

RunFiles::RunFiles(Host& host, const RunFolders& folders) : host_(host), folders_(folders) {
  read_ = {folders.script, "", folders.out};
  if (!folders.stands_for.empty()) read_.push_back(folders.stands_for);
  write_ = {folders.out};
  for (const auto* more : {&folders.also_read, &folders.also_write})
    read_.insert(read_.end(), more->begin(), more->end());
  write_.insert(write_.end(), folders.also_write.begin(), folders.also_write.end());
}

RunFiles::Read RunFiles::read(const std::string& from_folder, const std::string& name) const {
  const auto path = path_below(from_folder, name);
  for (const auto& candidate : {path, path_below(folders_.out, name)})
    if (const auto own = own_.find(normal(candidate)); own != own_.end())
      return {own->second, read_whole(host_, read_, own->second), true};
  return {path, read_whole(host_, read_, path), false};
}

std::string RunFiles::path_to_write(const std::string& name) const {
  if (name.empty()) fail("a file that is written has a name, and this one is empty");
  const fs::path normal_name = fs::path(name).lexically_normal();
  const bool leaves = normal_name.is_absolute() || *normal_name.begin() == "..";
  if (leaves && folders_.also_write.empty())
    fail(fmt::format("files are written below the output folder, and \"{}\" leaves it", name),
         "give a relative name, or allow another folder with --also-write");
  if (!normal_name.has_filename() || normal_name.filename() == ".")
    fail(fmt::format("\"{}\" is the name of a folder, and a file is to be written", name));
  return path_when_redone(folders_.out, folders_.stands_for, normal_name.string());
}

std::string path_when_redone(const std::string& out, const std::string& stands_for, const std::string& name) {
  const fs::path path(name);
  if (stands_for.empty() || (path.is_relative() && *path.begin() != "..")) return path_below(out, name);
  return path_below(out, "outside" + normal(path_below(stands_for, name)));
}

void RunFiles::write(const std::string& path, std::string_view bytes) {
  write_whole(host_, write_, path, bytes);
  own_[normal(path)] = path;
  if (!folders_.stands_for.empty() && is_below(folders_.out, path))
    own_[normal(path_below(folders_.stands_for, fs::path(path).lexically_relative(folders_.out).string()))] =
        path;
}

}  // namespace quill
