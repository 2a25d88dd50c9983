// Tested by entries_test.cpp and replay_test.cpp.
#include "session/entries.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/memory.h"
#include "session/alike.h"
#include "value/print.h"

namespace quill {

bool Entries::run_text(int number, const std::string& text) {
  if (text.starts_with(kForget)) return session_.forget(text.substr(kForget.size()));
  if (text.starts_with(kLoad)) return session_.load_values(text.substr(kLoad.size()));
  return session_.run("entry " + std::to_string(number), text);
}

bool Entries::run(const std::string& text) {
  log({.kind = JournalEvent::Kind::entry, .number = next_, .text = text});
  perform(next_, text);
  log_outcome(done_.back());
  return !done_.back().failed;
}

void Entries::perform(int number, const std::string& text) {
  undone_.clear();
  after_.clear();
  make_room();
  auto before = state();
  const double began = session_.host.seconds();
  const bool fine = run_text(number, text);
  done_.push_back({number, text, !fine, session_.note(), session_.host.seconds() - began});
  before_.push_back(std::move(before));
  next_ = number + 1;
}

std::optional<Entries::Entry> Entries::undo() {
  if (!step_back()) return std::nullopt;
  log({.kind = JournalEvent::Kind::undo});
  return undone_.back();
}

std::optional<Entries::Entry> Entries::redo() {
  if (!step_forth()) return std::nullopt;
  log({.kind = JournalEvent::Kind::redo});
  return done_.back();
}

bool Entries::step_back() {
  if (before_.empty()) return false;
  after_.push_back(state());
  before_.back()->restore(session_.state);
  before_.pop_back();
  undone_.push_back(std::move(done_.back()));
  done_.pop_back();
  return true;
}

bool Entries::step_forth() {
  if (undone_.empty()) return false;
  before_.push_back(state());
  after_.back()->restore(session_.state);
  after_.pop_back();
  done_.push_back(std::move(undone_.back()));
  undone_.pop_back();
  return true;
}

std::optional<std::size_t> Entries::place_of(int number) const {
  for (auto k = out_of_reach(); k < done_.size(); ++k)
    if (done_[k].number == number) return k;
  return std::nullopt;
}

std::vector<Entries::Change> Entries::changes(const Step& old, const Step& now, const Module& module) {
  std::vector<Change> out;
  auto names = old.note.names.writes;
  names.insert(now.note.names.writes.begin(), now.note.names.writes.end());
  for (const auto& name : names) {
    const auto *was = old.after->find(module, name), *is = now.after->find(module, name);
    if (was && is && alike(*was, *is)) continue;
    if (was || is) out.push_back({name, was ? card_contents(*was) : "", is ? card_contents(*is) : ""});
  }
  return out;
}

std::size_t Entries::first_concerned(std::size_t place) const {
  // A file that the entry wrote over is to be again what it was before.
  const auto& written = done_[place].note.written;
  for (auto k = out_of_reach(); k < place; ++k)
    for (const auto& file : done_[k].note.written)
      if (std::any_of(written.begin(), written.end(), [&](const FileSeen& f) { return f.path == file.path; }))
        return k;
  return place;
}

Entries::Edited Entries::edit(std::size_t place, const std::string& text) {
  log({.kind = JournalEvent::Kind::edit, .number = done_[place].number, .text = text});
  auto edited = change(place, text);
  log_edited(place, edited);
  return edited;
}

Entries::Edited Entries::change(std::size_t place, const std::string& text) {
  const auto end = state();
  const auto first = first_concerned(place);
  std::vector<Step> old;
  std::vector<Unit> units;
  for (auto k = first; k < done_.size(); ++k) {
    const auto& entry = done_[k];
    const auto at = k - out_of_reach();
    old.push_back({entry.text, entry.note, before_[at], at + 1 < before_.size() ? before_[at + 1] : end,
                   entry.failed, entry.seconds});
    const auto& now = k == place ? text : entry.text;
    units.push_back({now, k - first, [this, &entry, now] { return run_text(entry.number, now); }, k == place,
                     k == place});
  }
  before_[first - out_of_reach()]->restore(session_.state);
  const auto quiet = session_.without_cards();
  const auto replayed = replay(session_, old, units, {});
  Edited out;
  out.fine = replayed.done.size() == units.size() && !replayed.done.back().step.note.interrupted;
  // The edited one being the last, it need not have stopped the replay.
  out.fine = out.fine && !replayed.done[place - first].step.failed;
  if (!out.fine) {
    end->restore(session_.state);
    return out;
  }
  undone_.clear();
  after_.clear();
  for (std::size_t k = 0; k < units.size(); ++k) {
    const auto& [step, ran] = replayed.done[k];
    auto& entry = done_[first + k];
    entry = {entry.number, step.text, step.failed, step.note, step.seconds};
    before_[first + k - out_of_reach()] = step.before;
    if (ran)
      out.ran.push_back({entry, changes(old[k], step, session_.state.module)});
    else
      ++out.kept;
  }
  return out;
}

void Entries::make_room() {
  const auto reached = before_.size();
  while (!before_.empty() && memory_share_in_use() > kMemoryForStates) before_.pop_front();
  if (before_.size() < reached)
    session_.output.tell(
        HintGiven{fmt::format("memory is short: entries up to {} can no longer be taken back or edited",
                              done_[out_of_reach() - 1].number)});
}

}  // namespace quill
