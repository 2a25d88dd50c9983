#include "app/real_host.h"

#include "app/lines.h"
#include "base/interrupt.h"

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
#include <cstring>
#include <filesystem>
#include <utility>

namespace quill {

namespace fs = std::filesystem;

bool RealHost::wants_color() { return isatty(STDERR_FILENO) && std::getenv("NO_COLOR") == nullptr; }

namespace {

std::string reason() { return std::strerror(errno); }

// A file descriptor that is closed at the end.
class Descriptor {
 public:
  explicit Descriptor(int fd) : fd_(fd) {}
  ~Descriptor() {
    if (fd_ >= 0) ::close(fd_);
  }
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  int get() const { return fd_; }
  bool close() { return ::close(std::exchange(fd_, -1)) == 0; }

 private:
  int fd_;
};

}  // namespace

Outcome<std::string> RealHost::read_file(const std::string& path) {
  const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
  if (file.get() < 0) return {{}, reason()};
  struct stat info {};
  if (fstat(file.get(), &info) == 0 && S_ISDIR(info.st_mode)) return {{}, "it is a folder"};
  std::string text;
  char part[1 << 16];
  while (true) {
    poll_interrupt();
    const auto n = ::read(file.get(), part, sizeof part);
    if (n < 0) return {{}, reason()};
    if (n == 0) return {std::move(text), {}};
    text.append(part, static_cast<std::size_t>(n));
  }
}

Outcome<Done> RealHost::write_file(const std::string& path, std::string_view bytes) {
  const fs::path target(path);
  std::error_code error;
  if (target.has_parent_path()) fs::create_directories(target.parent_path(), error);
  if (error) return {{}, error.message()};
  auto temporary =
      (target.parent_path() / fmt::format(".{}.{}", target.filename().string(), getpid())).string();
  Descriptor file(::open(temporary.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644));
  if (file.get() < 0) return {{}, reason()};
  const auto give_up = [&] {
    const auto why = reason();
    ::unlink(temporary.c_str());
    return Outcome<Done>{{}, why};
  };
  constexpr std::size_t part = std::size_t{1} << 22;
  for (std::size_t done = 0; done < bytes.size();) {
    try {
      poll_interrupt();
    } catch (...) {
      ::unlink(temporary.c_str());
      throw;
    }
    const auto n = ::write(file.get(), bytes.data() + done, std::min(part, bytes.size() - done));
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return give_up();
    done += static_cast<std::size_t>(n);
  }
  // On the disk before it takes the place of the old one, so that a loss of power leaves one of them whole.
  if (::fsync(file.get()) != 0 && errno != EINVAL && errno != EROFS) return give_up();
  if (!file.close()) return give_up();
  if (::rename(temporary.c_str(), path.c_str()) != 0) return give_up();
  return {};
}

bool RealHost::exists(const std::string& path) { return ::access(path.c_str(), F_OK) == 0; }

void RealHost::print(std::string_view text) {
  std::fwrite(text.data(), 1, text.size(), stdout);
  if (isatty(STDOUT_FILENO)) std::fflush(stdout);
}

void RealHost::message(std::string_view text) {
  std::fflush(stdout);
  std::fwrite(text.data(), 1, text.size(), stderr);
}

int RealHost::columns() {
  struct winsize size {};
  if (isatty(STDOUT_FILENO) && ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col >= 40)
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
  if (::access(at.c_str(), W_OK | X_OK) != 0) return reason();
  return {};
}

}  // namespace quill
