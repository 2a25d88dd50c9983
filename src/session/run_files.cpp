#include "session/run_files.h"

#include <fmt/format.h>

#include <filesystem>

#include "base/error.h"
#include "files/whole_files.h"

namespace quill {

namespace fs = std::filesystem;

std::string normal_path(const std::string& path) {
  std::error_code error;
  return fs::absolute(path, error).lexically_normal().string();
}

RunFiles::RunFiles(Host& host, Surroundings& state, const RunFolders& folders)
    : host_(host), state_(state), folders_(folders) {
  read_ = {folders.script, "", folders.out};
  if (!folders.stands_for.empty()) read_.push_back(folders.stands_for);
  write_ = {folders.out};
  read_.insert(read_.end(), folders.also_read.begin(), folders.also_read.end());
  if (!folders.stands_for.empty()) return;  // everything it writes lies below `out`
  read_.insert(read_.end(), folders.also_write.begin(), folders.also_write.end());
  write_.insert(write_.end(), folders.also_write.begin(), folders.also_write.end());
}

void RunFiles::keep_versions(const std::string& folder) {
  store_ = std::make_unique<FileStore>(host_, folder);
}

const FileVersion* RunFiles::version(const std::string& path) const {
  const auto found = state_.files->find(normal_path(path));
  return found == state_.files->end() ? nullptr : &found->second;
}

const FileVersion* RunFiles::original(const std::string& path) const {
  const auto found = originals_.find(normal_path(path));
  return found == originals_.end() ? nullptr : &found->second;
}

RunFiles::Read RunFiles::read_version(const FileVersion& version) const {
  const auto& [path, fingerprint] = version;
  if (!store_) return {path, read_whole(host_, read_, path), true, false, {}};
  Read out{path, {}, true, false, {path, "", fingerprint, ""}};
  auto there = host_.read_below(read_, path);
  if (there.ok() && fingerprint_of(there.value) == fingerprint) {
    out.bytes = std::move(there.value);
    return out;
  }
  const auto known = on_disk_.find(normal_path(path));
  out.is_foreign = !is_away_ && known != on_disk_.end() && known->second == fingerprint;
  auto kept = store_->find(fingerprint);
  if (!kept)
    fail(fmt::format("cannot read {}: its version at this entry was too large to be cached, and the file has "
                     "changed since",
                     path),
         "save it under another name");
  out.bytes = std::move(*kept);
  return out;
}

// Reads a file that the session has written, now or in an earlier state; nothing for other files.
std::optional<RunFiles::Read> RunFiles::read_kept(const std::string& path, const std::string& other) const {
  for (const auto* candidate : {&path, &other})
    if (const auto* own = candidate->empty() ? nullptr : version(*candidate)) return read_version(*own);
  const auto* before = original(path);
  if (!before) return std::nullopt;
  if (before->fingerprint.empty())
    fail(fmt::format("cannot read {}: the file did not exist, and no earlier entry writes it", path));
  auto out = read_version(*before);
  out.is_own = out.is_foreign = false;
  out.seen.other = other;
  return out;
}

RunFiles::Read RunFiles::read(const std::string& from_folder, const std::string& name) const {
  const auto& out_folder = folders_.stands_for.empty() ? folders_.out : folders_.stands_for;
  const auto path = path_below(from_folder, name), other = path_below(out_folder, name);
  if (auto kept = read_kept(path, other)) return std::move(*kept);
  Read out{path, read_whole(host_, read_, path), false, false, {}};
  if (store_) out.seen = {path, host_.stamp(path), fingerprint_of(out.bytes), other};
  return out;
}

RunFiles::Opened RunFiles::open(const std::string& from_folder, const std::string& name) const {
  const auto& out_folder = folders_.stands_for.empty() ? folders_.out : folders_.stands_for;
  const auto path = path_below(from_folder, name), other = path_below(out_folder, name);
  if (!store_)
    for (const auto* candidate : {&path, &other})
      if (const auto* own = version(*candidate))
        return {own->path, open_whole(host_, read_, own->path), true, {}};
  if (const auto kept = read_kept(path, other))
    return {kept->path, std::make_shared<OpenFile>(kept->bytes), kept->is_own, kept->seen};
  auto file = open_whole(host_, read_, path);
  const auto fingerprint = "open " + file->stamp();
  return {path, std::move(file), false, {path, host_.stamp(path), fingerprint, other}};
}

RunFiles::Read RunFiles::read_anywhere(const std::string& path) const {
  if (auto kept = read_kept(path, "")) return std::move(*kept);
  auto there = host_.read_file(path);
  if (!there.ok()) fail(fmt::format("cannot read {}: {}", path, there.reason));
  const auto fingerprint = fingerprint_of(there.value);
  return {path, std::move(there.value), false, false, {path, host_.stamp(path), fingerprint, ""}};
}

FileSeen RunFiles::unread(const std::string& from_folder, const std::string& name) const {
  FileSeen out{path_below(from_folder, name), "", "", path_below(folders_.out, name)};
  if (const auto there = host_.read_file(out.path); there.ok() && !version(out.path) && !original(out.path))
    out.fingerprint = fingerprint_of(there.value);
  return out;
}

bool RunFiles::has_changed(FileSeen& file) const {
  for (const auto* candidate : {&file.path, &file.other})
    if (const auto* own = candidate->empty() ? nullptr : version(*candidate))
      return own->fingerprint != file.fingerprint;
  if (const auto* before = original(file.path)) return before->fingerprint != file.fingerprint;
  return has_changed_outside(file);
}

bool RunFiles::has_changed_outside(FileSeen& file) const {
  if (original(file.path)) return false;
  auto stamp = host_.stamp(file.path);
  if (!stamp.empty() && stamp == file.stamp) return false;
  const auto now = host_.read_file(file.path);
  if ((now.ok() ? fingerprint_of(now.value) : std::string()) != file.fingerprint) return true;
  file.stamp = std::move(stamp);
  return false;
}

std::string RunFiles::path_to_write(const std::string& name) const {
  if (name.empty()) fail("the name of an output file must not be empty");
  const fs::path normal_name = fs::path(name).lexically_normal();
  const bool leaves = normal_name.is_absolute() || *normal_name.begin() == "..";
  if (leaves && folders_.also_write.empty())
    fail(fmt::format("output files must be inside the output folder, and \"{}\" is outside", name),
         "use a relative name, or allow another folder with --also-write");
  if (!normal_name.has_filename() || normal_name.filename() == ".")
    fail(fmt::format("\"{}\" is a folder, not a file", name));
  return path_when_redone(folders_.out, folders_.stands_for, normal_name.string());
}

namespace {
constexpr const char* kOutside = "outside";
}

std::string path_when_redone(const std::string& out, const std::string& stands_for, const std::string& name) {
  const auto path = fs::path(name).lexically_normal();
  if (stands_for.empty() || (path.is_relative() && *path.begin() != ".."))
    return path_below(out, path.string());
  return path_below(out, kOutside + normal_path(path_below(stands_for, path.string())));
}

void RunFiles::set_version(const std::string& path, const std::string& lies, const std::string& fingerprint) {
  if (state_.files.use_count() > 1) state_.files = std::make_shared<FileVersions>(*state_.files);
  (*state_.files)[normal_path(path)] = {lies, fingerprint};
}

// The file as it is on the disk, without a store.
void RunFiles::set_on_disk(const std::string& path) {
  set_version(path, path, "");
  if (folders_.stands_for.empty() || !is_below(folders_.out, path)) return;
  // Found under the name of the file that it replaces.
  const auto below =
      fs::path(path).lexically_normal().lexically_relative(fs::path(folders_.out).lexically_normal());
  if (*below.begin() == kOutside)
    set_version("/" + below.lexically_relative(kOutside).string(), path, "");
  else
    set_version(path_below(folders_.stands_for, below.string()), path, "");
}

RunFiles::Written RunFiles::make(const std::string& path, const FileMaker& maker) {
  Written out;
  if (store_) {
    with_made_file(maker, [&](std::string_view bytes) { out = write(path, bytes); });
  } else {
    make_whole(host_, write_, path, maker);
    set_on_disk(path);
  }
  return out;
}

RunFiles::Written RunFiles::write(const std::string& path, std::string_view bytes) {
  if (!store_) {
    write_whole(host_, write_, path, bytes);
    set_on_disk(path);
    return {};
  }
  find_original(path);
  const auto fingerprint = fingerprint_of(bytes);
  const auto normal = normal_path(path);
  const bool is_kept = store_->keep(fingerprint, bytes);
  known_[normal].insert(fingerprint);
  if (!is_away_ || !is_kept) {
    if (!is_away_ || is_ours(path, fingerprint)) write_whole(host_, write_, path, bytes);
    on_disk_[normal] = fingerprint;
  }
  set_version(path, path, fingerprint);
  return {fingerprint, is_kept};
}

// Whether the file at a path is missing or one of the session's versions.
bool RunFiles::is_ours(const std::string& path, const std::string& fingerprint) const {
  const auto there = host_.read_below(read_, path);
  if (!there.ok()) return there.is_missing;
  const auto now = fingerprint_of(there.value);
  const auto* before = original(path);
  const auto known = known_.find(normal_path(path));
  return now == fingerprint || (before && now == before->fingerprint) ||
         (known != known_.end() && known->second.contains(now));
}

void RunFiles::find_original(const std::string& path) {
  if (original(path)) return;
  const auto there = host_.read_below(write_, path);
  if (!there.ok() && !there.is_missing) return;  // it cannot be written either
  const auto fingerprint = there.ok() ? fingerprint_of(there.value) : std::string();
  if (there.ok()) store_->keep(fingerprint, there.value);
  set_original(path, fingerprint);
  on_disk_[normal_path(path)] = fingerprint;
  if (on_original) on_original(path, fingerprint);
}

void RunFiles::set_original(const std::string& path, const std::string& fingerprint) {
  originals_.try_emplace(normal_path(path), FileVersion{path, fingerprint});
}

void RunFiles::use_files_of(const RunFiles& other) {
  originals_ = other.originals_;
  is_away_ = true;
  if (!store_) keep_versions("");
  if (!other.store_) return;
  for (const auto& [path, before] : originals_)
    if (auto bytes = before.fingerprint.empty() ? std::nullopt : other.store_->find(before.fingerprint))
      store_->keep(before.fingerprint, *bytes);
}

RunFiles::Settled RunFiles::settle(const Settling& how) {
  Settled out;
  for (const auto& [normal, before] : originals_) {
    const auto* own = version(before.path);
    if (!own && how.only_written) continue;
    const auto& wanted = own ? own->fingerprint : before.fingerprint;
    const auto known = on_disk_.find(normal);
    if (!how.writes_over && known != on_disk_.end() && known->second == wanted) continue;
    settle(before.path, wanted, how, out);
  }
  return out;
}

void RunFiles::settle(const std::string& path, const std::string& wanted, const Settling& how, Settled& out) {
  const auto there = host_.read_below(write_, path);
  if (!there.ok() && !there.is_missing) return out.failed.emplace_back(path, there.reason), void();
  const auto now = there.ok() ? fingerprint_of(there.value) : std::string();
  auto& on_disk = on_disk_[normal_path(path)];
  if (now == wanted) {
    on_disk = wanted;
    return;
  }
  if (!how.writes_over && !is_ours(path, wanted)) {
    on_disk = wanted;  // as far as this session knows
    if (told_.emplace(path, now).second) out.foreign.push_back(path);
    return;
  }
  if (wanted.empty()) {
    const auto removed = host_.remove_below(write_, path);
    if (!removed.ok()) return out.failed.emplace_back(path, removed.reason), void();
    out.removed.push_back(path);
  } else {
    const auto bytes = store_->find(wanted);
    if (!bytes) return out.lost.push_back(path);
    const auto written = host_.write_below(write_, path, *bytes);
    if (!written.ok()) return out.failed.emplace_back(path, written.reason), void();
    out.written.push_back(path);
  }
  on_disk = wanted;
}

}  // namespace quill
