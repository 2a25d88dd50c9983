#include "files/text_sink.h"

#include <fcntl.h>
#include <fmt/format.h>

#include "base/error.h"
#include "base/interrupt.h"

namespace quill {

namespace {
[[noreturn]] void cannot_be_written() {
  fail(fmt::format("the file cannot be written: {}", system_reason()));
}
}  // namespace

TextSink::TextSink(const std::string& path) : file_(::open(path.c_str(), O_WRONLY | O_APPEND | O_CLOEXEC)) {
  if (!file_.is_open()) cannot_be_written();
}

void TextSink::put(std::string_view text) {
  constexpr std::size_t piece = std::size_t{1} << 22;
  while (!text.empty()) {
    poll_interrupt();
    const auto written = ::write(file_.get(), text.data(), std::min(text.size(), piece));
    if (written < 0 && errno != EINTR) cannot_be_written();
    if (written > 0) text.remove_prefix(static_cast<std::size_t>(written));
  }
}

void TextSink::close() {
  if (!file_.close()) cannot_be_written();
}

}  // namespace quill
