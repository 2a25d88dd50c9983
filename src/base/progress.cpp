#include "base/progress.h"

#include <algorithm>
#include <thread>
#include <vector>

#include "base/interrupt.h"

namespace quill {

namespace {

std::vector<const Progress*>& all() {
  static std::vector<const Progress*> works;
  return works;
}

std::function<void()> teller;
std::thread::id telling;

}  // namespace

Progress::Progress(Ask ask) : ask_(std::move(ask)) { all().push_back(this); }

Progress::Progress(std::string what, std::function<double()> share)
    : Progress([this, what = std::move(what), share = std::move(share)]() -> std::optional<State> {
        return State{what, share(), this};
      }) {}

Progress::~Progress() { std::erase(all(), this); }

std::optional<Progress::State> Progress::now() {
  for (const auto* work : all())
    if (auto state = work->ask_()) return state;
  return std::nullopt;
}

void set_progress_teller(std::function<void()> tell) {
  teller = std::move(tell);
  telling = std::this_thread::get_id();
}

void tell_progress() {
  // Only the registered thread reports.
  if (std::this_thread::get_id() != telling) return;
  clear_progress_request();
  if (teller) teller();
}

}  // namespace quill
