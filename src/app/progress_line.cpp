#include "app/progress_line.h"

#include <fmt/format.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <condition_variable>
#include <mutex>
#include <thread>

#include "app/timings.h"
#include "base/interrupt.h"
#include "base/progress.h"
#include "base/text.h"

namespace quill {

namespace {

constexpr double kPatience = 2;  // seconds before the first line
constexpr auto kPause = std::chrono::milliseconds(250);

bool is_shown = false;

void write_out(const std::string& text) {
  // Failure to write is ignored.
  [[maybe_unused]] const auto written = ::write(STDERR_FILENO, text.data(), text.size());
}

}  // namespace

std::string progress_text(const std::string& what, double share, double elapsed, int width) {
  share = std::clamp(share, 0.0, 1.0);
  auto end = fmt::format(": {:.0f} %", 100 * share);
  if (share >= 0.01) {
    const double left = std::ceil(elapsed * (1 - share) / share);
    end +=
        left >= 60 ? fmt::format(", {} left", duration_in_prose(left)) : fmt::format(", {:.0f} s left", left);
  }
  const auto room =
      static_cast<std::size_t>(std::max(10, width - 1)) - std::min<std::size_t>(display_width(end), 60);
  return shortened(what, room) + end;
}

struct ProgressLine::Parts {
  explicit Parts(Host& h) : host(h) {}

  void tell() {
    const auto state = Progress::now();
    const double now = host.seconds();
    if (!state || state->of != of) {
      of = state ? state->of : nullptr;
      began = now;
      first_share = state ? state->share : 0;
    }
    if (!state || now - began < kPatience) return clear();
    struct winsize size {};
    const int width = ioctl(STDERR_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col >= 20 ? size.ws_col : 80;
    // The time spent before the first observation is unknown.
    const double done = state->share - first_share, rest = 1 - first_share;
    write_out("\r\033[K" +
              progress_text(state->what, state->share,
                            rest > 0 && done > 0 ? (now - began) * rest * state->share / done : 0, width));
    is_shown = true;
  }

  Host& host;
  const void* of = nullptr;
  double began = 0, first_share = 0;
  std::mutex mutex;
  std::condition_variable_any wake;
  std::jthread asking;  // last member, so that it ends before the others are destroyed
};

ProgressLine::ProgressLine(Host& host) : parts_(std::make_unique<Parts>(host)) {
  set_progress_teller([parts = parts_.get()] { parts->tell(); });
  parts_->asking = std::jthread([parts = parts_.get()](const std::stop_token& stop) {
    std::unique_lock lock(parts->mutex);
    while (!parts->wake.wait_for(lock, stop, kPause, [] { return false; }) && !stop.stop_requested())
      request_progress();
  });
}

ProgressLine::~ProgressLine() {
  set_progress_teller(nullptr);
  clear();
}

void ProgressLine::clear() {
  if (!is_shown) return;
  write_out("\r\033[K");
  is_shown = false;
}

}  // namespace quill
