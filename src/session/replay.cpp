#include "session/replay.h"

#include <algorithm>

#include "base/memory.h"

namespace quill {

namespace {

class Replay {
 public:
  Replay(Session& session, const std::vector<Step>& old) : session_(session), old_(old) {}

  bool keeps(const Unit& unit) const {
    if (unit.must_run || !unit.old) return false;
    const auto& step = old_[*unit.old];
    const auto& files = session_.files();
    if (step.text != unit.text || would_differ(step, session_.state, files)) return false;
    return std::all_of(step.note.written.begin(), step.note.written.end(),
                       [&](const FileSeen& file) { return files.has(file); });
  }

  Replayed::Done keep(const Unit& unit) {
    auto step = old_[*unit.old];
    auto before = state();
    session_.take_over(step);
    changed();
    step.before = std::move(before);
    step.after = state();
    return {std::move(step), false};
  }

  Replayed::Done run(const Unit& unit) {
    Step step;
    step.text = unit.text;
    step.before = state();
    const double began = session_.host.seconds();
    step.failed = !unit.run();
    step.seconds = session_.host.seconds() - began;
    step.note = session_.note();
    changed();
    step.after = state();
    return {std::move(step), true};
  }

 private:
  // The state after a step is the state before the next one.
  std::shared_ptr<const Snapshot> state() {
    if (!state_) state_ = std::make_shared<const Snapshot>(session_.state);
    return state_;
  }
  void changed() { state_.reset(); }

  Session& session_;
  const std::vector<Step>& old_;
  std::shared_ptr<const Snapshot> state_;
};

}  // namespace

namespace {

void make_room(Replayed& replayed) {
  // The last step is needed to continue.
  while (replayed.let_go + 1 < replayed.done.size() && memory_share_in_use() > kMemoryForStates) {
    auto& step = replayed.done[replayed.let_go++].step;
    step.before.reset();
    step.after.reset();
  }
}

}  // namespace

Replayed replay(Session& session, const std::vector<Step>& old, std::span<const Unit> units,
                const ReplayRules& rules) {
  Replay replay(session, old);
  Replayed out;
  for (const auto& unit : units) {
    const bool is_kept = replay.keeps(unit);
    out.done.push_back(is_kept ? replay.keep(unit) : replay.run(unit));
    if (is_kept) out.saved += out.done.back().step.seconds;
    if (rules.lets_go) make_room(out);
    const auto& step = out.done.back().step;
    if (step.note.interrupted || (step.failed && (rules.stops_at_failure || unit.must_succeed))) break;
  }
  return out;
}

std::vector<std::optional<std::size_t>> matched(const std::vector<std::string>& old,
                                                const std::vector<std::string>& now) {
  std::vector<std::optional<std::size_t>> out(now.size());
  // Most edits change one place: common beginnings and ends are matched directly.
  std::size_t head = 0, tail = 0;
  const auto shorter = std::min(old.size(), now.size());
  while (head < shorter && old[head] == now[head]) {
    out[head] = head;
    ++head;
  }
  while (tail < shorter - head && old[old.size() - 1 - tail] == now[now.size() - 1 - tail]) {
    out[now.size() - 1 - tail] = old.size() - 1 - tail;
    ++tail;
  }
  const auto rows = old.size() - head - tail, columns = now.size() - head - tail;
  // For larger differences everything in between counts as new.
  constexpr std::size_t most = 4'000'000;
  if (rows == 0 || columns == 0 || rows > most / columns) return out;
  const auto width = columns + 1;
  std::vector<std::uint32_t> longest((rows + 1) * width);
  for (std::size_t i = rows; i-- > 0;)
    for (std::size_t j = columns; j-- > 0;)
      longest[i * width + j] = old[head + i] == now[head + j]
                                   ? longest[(i + 1) * width + j + 1] + 1
                                   : std::max(longest[(i + 1) * width + j], longest[i * width + j + 1]);
  for (std::size_t i = 0, j = 0; i < rows && j < columns;) {
    if (old[head + i] == now[head + j]) {
      out[head + j] = head + i;
      ++i;
      ++j;
    } else if (longest[(i + 1) * width + j] >= longest[i * width + j + 1]) {
      ++i;
    } else {
      ++j;
    }
  }
  return out;
}

}  // namespace quill
