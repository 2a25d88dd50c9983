#include "app/real_host.h"

#include "app/lines.h"
#include "app/progress_line.h"
#include "base/interrupt.h"
#include "base/large_pieces.h"
#include "base/mapped_file.h"
#include "base/temporary_file.h"
#include "base/text.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <ctime>
#include <filesystem>
#include <functional>
#include <memory>
#include <random>

namespace quill {

namespace fs = std::filesystem;

bool RealHost::wants_color() { return isatty(STDERR_FILENO) && std::getenv("NO_COLOR") == nullptr; }

namespace {

constexpr std::size_t kPiece = std::size_t{1} << 18;

Outcome<std::string> read_all(const Descriptor& file) {
  struct stat info {};
  if (!file.is_open() || ::fstat(file.get(), &info) != 0)
    return {{}, system_reason(), false, errno == ENOENT || errno == ENOTDIR};
  if (S_ISDIR(info.st_mode)) return {{}, "it is a folder"};
  std::string bytes;
  if (S_ISREG(info.st_mode)) {
    bytes.reserve(static_cast<std::size_t>(info.st_size) + 1);
    prefer_huge_pages(bytes.data(), bytes.capacity());
  }
  // Reads through a small buffer: memory of the text itself would have to be cleared first.
  const auto piece = std::make_unique_for_overwrite<char[]>(kPiece);
  while (true) {
    poll_interrupt();
    const auto n = ::read(file.get(), piece.get(), kPiece);
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return {{}, system_reason()};
    if (n == 0) return {std::move(bytes), {}};
    bytes.append(piece.get(), static_cast<std::size_t>(n));
  }
}

constexpr const char* kNoRegularFile = "it is not a regular file";
constexpr const char* kNulInName = "its name contains a NUL byte";

bool has_nul(const std::string& path) { return path.find('\0') != path.npos; }

// Random name for a temporary file.
std::string unused_name(const std::string& name) {
  static std::random_device random;
  return fmt::format(".{}.{:08x}{:08x}", name.substr(0, 200), random(), random());
}

// Whether files that are open have paths.
bool has_descriptor_paths() {
  static const bool has = ::access("/proc/self/fd", X_OK) == 0;
  return has;
}
std::string path_of(const Descriptor& file) { return fmt::format("/proc/self/fd/{}", file.get()); }

// Removes the temporary files of `name` that killed programs have left in the folder: those last written more
// than a day ago.
void remove_left_over(int folder, const std::string& name) {
  const auto prefix = "." + name.substr(0, 200) + ".";
  constexpr double day = 86400;
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(fmt::format("/proc/self/fd/{}", folder), error)) {
    const auto there = entry.path().filename().string();
    struct stat info {};
    if (there.starts_with(prefix) && there.size() == prefix.size() + 16 &&
        there.find_first_not_of("0123456789abcdef", prefix.size()) == there.npos &&
        ::fstatat(folder, there.c_str(), &info, AT_SYMLINK_NOFOLLOW) == 0 && S_ISREG(info.st_mode) &&
        std::difftime(std::time(nullptr), info.st_mtim.tv_sec) > day)
      ::unlinkat(folder, there.c_str(), 0);
  }
}

// An unnamed file if the system supports it and no library asks for a name; else one named `temporary`.
Descriptor new_file(int folder, std::string& temporary, const std::string& name, bool needs_name) {
  constexpr mode_t mode = 0666;                 // minus the user's umask
  if (has_descriptor_paths() && !needs_name) {  // so that it can be named later
    Descriptor nameless(::openat(folder, ".", O_TMPFILE | O_RDWR | O_CLOEXEC, mode));
    if (nameless.is_open()) return nameless;
  }
  temporary = unused_name(name);
  return Descriptor(
      ::openat(folder, temporary.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW, mode));
}

// False if the system refuses.
bool write_all(const Descriptor& file, std::string_view bytes) {
  constexpr std::size_t part = std::size_t{1} << 22;
  for (std::size_t done = 0; done < bytes.size();) {
    poll_interrupt();
    const auto n = ::write(file.get(), bytes.data() + done, std::min(part, bytes.size() - done));
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return false;
    done += static_cast<std::size_t>(n);
  }
  return true;
}

// Fills a temporary file, flushes it and renames it: after a full disk, a kill or a power failure, either
// the old or the new file is intact. Keeps the permissions of the old file.
Outcome<Done> write_whole_file(
    int folder, const std::string& name, bool needs_name,
    const std::function<bool(const Descriptor& file, const std::string& temporary)>& fill) {
  if (has_nul(name)) return {{}, kNulInName};
  struct stat old {};
  const bool is_there = ::fstatat(folder, name.c_str(), &old, 0) == 0;
  if (is_there && !S_ISREG(old.st_mode))
    return {{}, S_ISDIR(old.st_mode) ? "it is a folder" : kNoRegularFile};
  std::string temporary;
  auto file = new_file(folder, temporary, name, needs_name);
  if (!file.is_open()) return {{}, system_reason()};
  const auto give_up = [&] {
    const auto why = system_reason();
    if (!temporary.empty()) ::unlinkat(folder, temporary.c_str(), 0);
    return Outcome<Done>{{}, why};
  };
  constexpr mode_t permissions = 07777;
  if (is_there && ::fchmod(file.get(), old.st_mode & permissions) != 0) return give_up();
  try {
    if (!fill(file, temporary)) return give_up();
  } catch (...) {
    if (!temporary.empty()) ::unlinkat(folder, temporary.c_str(), 0);
    throw;
  }
  if (::fsync(file.get()) != 0 && errno != EINVAL && errno != EROFS) return give_up();
  if (temporary.empty()) {
    // rename() needs a named file.
    temporary = unused_name(name);
    if (::linkat(AT_FDCWD, path_of(file).c_str(), folder, temporary.c_str(), AT_SYMLINK_FOLLOW) != 0) {
      const auto why = system_reason();
      return {{}, why};
    }
  }
  if (!file.close()) return give_up();
  if (::renameat(folder, temporary.c_str(), folder, name.c_str()) != 0) return give_up();
  return {};
}

Outcome<Done> write_whole_file(int folder, const std::string& name, std::string_view bytes) {
  return write_whole_file(folder, name, false,
                          [&](const Descriptor& file, const std::string&) { return write_all(file, bytes); });
}

}  // namespace

Outcome<std::string> RealHost::read_standard_input() {
  return read_all(Descriptor(::fcntl(STDIN_FILENO, F_DUPFD_CLOEXEC, 0)));
}

Outcome<std::string> RealHost::read_file(const std::string& path) {
  if (has_nul(path)) return {{}, kNulInName};
  // Must not block on a pipe.
  const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
  struct stat info {};
  if (file.is_open() && ::fstat(file.get(), &info) == 0 && !S_ISREG(info.st_mode) && !S_ISDIR(info.st_mode))
    return {{}, kNoRegularFile};
  return read_all(file);
}

Outcome<Done> RealHost::write_file(const std::string& path, std::string_view bytes) {
  const fs::path target(path);
  std::error_code error;
  if (target.has_parent_path()) fs::create_directories(target.parent_path(), error);
  if (error) return {{}, error.message()};
  const auto parent = target.has_parent_path() ? target.parent_path().string() : std::string(".");
  const Descriptor folder(::open(parent.c_str(), O_PATH | O_DIRECTORY | O_CLOEXEC));
  if (!folder.is_open()) return {{}, system_reason()};
  return write_whole_file(folder.get(), target.filename().string(), bytes);
}

Outcome<Descriptor> RealHost::find_below(const Folders& folders, const std::string& path) {
  if (has_nul(path)) return {Descriptor(), kNulInName};
  const auto found = fence_.find(folders, path, false);
  if (!found.reason.empty()) return {Descriptor(), found.reason, found.is_outside, found.is_missing};
  // Must not block on a pipe.
  Descriptor file(
      ::openat(found.folder.get(), found.name.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK));
  struct stat info {};
  if (!file.is_open() || ::fstat(file.get(), &info) != 0)
    return {Descriptor(), system_reason(), false, errno == ENOENT || errno == ENOTDIR};
  if (!S_ISREG(info.st_mode))
    return {Descriptor(), S_ISDIR(info.st_mode) ? "it is a folder" : kNoRegularFile};
  return {std::move(file), {}};
}

Outcome<std::string> RealHost::read_below(const Folders& folders, const std::string& path) {
  const auto file = find_below(folders, path);
  if (!file.ok()) return {{}, file.reason, file.is_outside, file.is_missing};
  return read_all(file.value);
}

Outcome<OpenFilePtr> RealHost::open_below(const Folders& folders, const std::string& path) {
  auto file = find_below(folders, path);
  if (!file.ok()) return {nullptr, file.reason, file.is_outside, file.is_missing};
  return {std::make_shared<OpenFile>(std::move(file.value)), {}};
}

Outcome<Done> RealHost::write_below(const Folders& folders, const std::string& path, std::string_view bytes) {
  if (has_nul(path)) return {{}, kNulInName};
  const auto found = fence_.find(folders, path, true);
  if (!found.reason.empty()) return {{}, found.reason, found.is_outside};
  return write_whole_file(found.folder.get(), found.name, bytes);
}

Outcome<Done> RealHost::make_below(const Folders& folders, const std::string& path, const FileMaker& maker) {
  if (!has_descriptor_paths()) return Host::make_below(folders, path, maker);
  if (has_nul(path)) return {{}, kNulInName};
  const auto found = fence_.find(folders, path, true);
  if (!found.reason.empty()) return {{}, found.reason, found.is_outside};
  remove_left_over(found.folder.get(), found.name);
  // Checked before the library opens the file, so that nothing is left open; reserved again once it is open.
  std::string no_room;
  const auto fill = [&](const Descriptor& file, const std::string& temporary) {
    no_room = reserve_room(file.get(), maker.bytes);
    if (!no_room.empty()) return false;
    maker.make(path_of(found.folder) + "/" + temporary);
    const MappedFile made(file);
    if (maker.made) maker.made(made.bytes());
    return true;
  };
  auto written = write_whole_file(found.folder.get(), found.name, true, fill);
  if (no_room.empty()) return written;
  // Compressed, it may fit: it is written to a temporary file first, where there is enough space.
  if (maker.may_be_smaller) return Host::make_below(folders, path, maker);
  return {{}, no_room};
}

Outcome<Done> RealHost::remove_below(const Folders& folders, const std::string& path) {
  if (has_nul(path)) return {{}, kNulInName};
  const auto found = fence_.find(folders, path, false);
  if (found.is_missing) return {};
  if (!found.reason.empty()) return {{}, found.reason, found.is_outside};
  if (::unlinkat(found.folder.get(), found.name.c_str(), 0) != 0 && errno != ENOENT)
    return {{}, system_reason()};
  return {};
}

std::string RealHost::stamp(const std::string& path) {
  struct stat info {};
  if (::stat(path.c_str(), &info) != 0) return {};
  // A file modified very recently may change again without a new timestamp.
  constexpr double tick = 0.05;
  const auto changed =
      static_cast<double>(info.st_mtim.tv_sec) + 1e-9 * static_cast<double>(info.st_mtim.tv_nsec);
  if (std::abs(time_of_day() - changed) < tick) return {};
  return fmt::format("{} {} {} {}.{:09} {}.{:09}", info.st_dev, info.st_ino, info.st_size,
                     info.st_mtim.tv_sec, info.st_mtim.tv_nsec, info.st_ctim.tv_sec, info.st_ctim.tv_nsec);
}

namespace {
bool prints_to_terminal() {
  static const bool is_terminal = isatty(STDOUT_FILENO);
  return is_terminal;
}
}  // namespace

void RealHost::print(std::string_view text) {
  if (prints_to_terminal())
    draw(printable_lines(text));
  else
    draw(text);
}

void RealHost::draw(std::string_view text) {
  if (prints_to_terminal()) ProgressLine::clear();
  // After a failure further output is discarded.
  if (!print_failure_.empty()) return;
  if (std::fwrite(text.data(), 1, text.size(), stdout) != text.size()) print_failure_ = system_reason();
  if (prints_to_terminal()) flush();
}

std::string RealHost::flush() {
  if (std::fflush(stdout) != 0 && print_failure_.empty()) print_failure_ = system_reason();
  return print_failure_;
}

void RealHost::message(std::string_view text) {
  ProgressLine::clear();
  flush();
  std::fwrite(text.data(), 1, text.size(), stderr);
}

int RealHost::columns() {
  struct winsize size {};
  if (prints_to_terminal() && ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col >= 40)
    return size.ws_col;
  return 80;
}

double RealHost::time_of_day() {
  return std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch()).count();
}

double RealHost::seconds() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

Outcome<std::string> RealHost::ask(const std::string& question) {
  if (!on_terminal()) return {{}, "there is no terminal"};
  ProgressLine::clear();
  bool interrupted = false;
  auto line = read_terminal_line(question, interrupted);
  if (interrupted) stop_interrupted();
  if (!line) return {{}, "the input has ended"};
  return {std::move(*line), {}};
}

std::string RealHost::why_not_writable(const std::string& folder) {
  fs::path at = folder.empty() ? fs::path(".") : fs::path(folder);
  std::error_code error;
  at = fs::absolute(at, error);
  while (!fs::exists(at, error) && at.has_parent_path() && at != at.parent_path()) {
    if (error && error != std::errc::no_such_file_or_directory && error != std::errc::not_a_directory)
      return error.message();
    at = at.parent_path();
  }
  if (!fs::is_directory(at, error)) return fmt::format("{} is not a folder", at.string());
  if (::access(at.c_str(), W_OK | X_OK) != 0) return system_reason();
  return {};
}

}  // namespace quill
