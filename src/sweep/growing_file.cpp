#include "sweep/growing_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <cstdio>

#include "base/error.h"
#include "base/interrupt.h"
#include "base/text.h"

namespace quill {

GrowingFile::GrowingFile(std::string path) : path_(std::move(path)), temporary_(path_ + ".new") {
  file_ = Descriptor(::open(temporary_.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC | O_NOFOLLOW, 0666));
  if (!file_.is_open()) give_up();
}

GrowingFile::~GrowingFile() {
  if (!is_done_) ::unlink(temporary_.c_str());
}

void GrowingFile::add(std::string_view text) {
  constexpr std::size_t piece = std::size_t{1} << 18;
  sum_.add(text);
  size_ += text.size();
  waiting_ += text;
  if (waiting_.size() > piece) write();
}

void GrowingFile::finish() {
  write();
  if ((::fsync(file_.get()) != 0 && errno != EINVAL) || !file_.close() ||
      ::rename(temporary_.c_str(), path_.c_str()) != 0)
    give_up();
  is_done_ = true;
}

void GrowingFile::give_up() {
  const auto why = system_reason();
  fail_hindered(fmt::format("cannot write {}: {}", printable(path_), why));
}

void GrowingFile::write() {
  poll_interrupt();
  for (std::size_t done = 0; done < waiting_.size();) {
    const auto n = ::write(file_.get(), waiting_.data() + done, waiting_.size() - done);
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) give_up();
    done += static_cast<std::size_t>(n);
  }
  waiting_.clear();
}

}  // namespace quill
