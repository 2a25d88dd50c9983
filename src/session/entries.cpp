#include "session/entries.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/interrupt.h"
#include "base/memory.h"
#include "session/alike.h"
#include "value/print.h"

namespace quill {

Entries::Entries(Session& session, EntryLog* log) : session_(session), log_(log) {
  if (!log_) return;
  if (const auto folder = log_->folder_of_files(); !folder.empty()) session_.files().keep_versions(folder);
  session_.files().on_original = [this](const std::string& path, const std::string& fingerprint) {
    JournalEvent event;
    event.kind = JournalEvent::Kind::file;
    event.written = {{path, fingerprint}};
    this->log(event);
  };
}

bool Entries::run_text(int number, const std::string& text) {
  if (text.starts_with(kForget)) return session_.forget(text.substr(kForget.size()));
  if (text.starts_with(kLoad)) return session_.load_values(text.substr(kLoad.size()));
  return session_.run("entry " + std::to_string(number), text);
}

bool Entries::run(const std::string& text) {
  const StopsDeferred whole;
  log({.kind = JournalEvent::Kind::entry, .number = next_, .text = text});
  perform(next_, text);
  log_outcome(done_.back());
  return !done_.back().failed;
}

void Entries::perform(int number, const std::string& text) {
  undone_.clear();
  after_.clear();
  make_room();
  const auto before = state();
  before_.push_back(before);
  try {
    done_.push_back({number, text, true});
  } catch (...) {
    before_.pop_back();
    throw;
  }
  next_ = number + 1;
  try {
    const double began = session_.host.seconds();
    const bool fine = run_text(number, text);
    auto& entry = done_.back();
    entry.note = session_.note();
    entry.seconds = session_.host.seconds() - began;
    entry.failed = !fine;
    if (!fine) take_back(*before);
  } catch (...) {  // memory has ended; the entry has failed
    before->restore(session_.state);
    throw;
  }
}

// An entry that fails changes nothing.
void Entries::take_back(const Snapshot& before) {
  const auto& names = session_.note().names.writes;
  const bool has_changed = std::any_of(names.begin(), names.end(), [&](const std::string& name) {
    const auto *was = before.find(session_.state.module, name), *is = session_.find(name);
    return (was == nullptr) != (is == nullptr) || (was && !alike(*was, *is));
  });
  before.restore(session_.state);
  if (has_changed) session_.output.tell(HintGiven{"all variables have the values from before this entry"});
  if (!session_.files().is_away_from_disk()) session_.settle_files();
}

std::optional<Entries::Entry> Entries::undo() {
  const StopsDeferred whole;
  if (!step_back()) return std::nullopt;
  log({.kind = JournalEvent::Kind::undo});
  session_.settle_files();
  return undone_.back();
}

std::optional<Entries::Entry> Entries::redo() {
  const StopsDeferred whole;
  if (!step_forth()) return std::nullopt;
  log({.kind = JournalEvent::Kind::redo});
  session_.settle_files();
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

std::optional<std::size_t> Entries::index_of(int number) const {
  for (auto k = out_of_reach(); k < done_.size(); ++k)
    if (done_[k].number == number) return k;
  return std::nullopt;
}

std::vector<Entries::Change> Entries::changes(const Step& old, const std::set<std::string>& names,
                                              const Snapshot* now) const {
  std::vector<Change> out;
  auto all = old.note.names.writes;
  all.insert(names.begin(), names.end());
  const auto& module = session_.state.module;
  for (const auto& name : all) {
    const auto *was = old.after->find(module, name),
               *is = now ? now->find(module, name) : session_.find(name);
    if (was && is && alike(*was, *is)) continue;
    if (was || is) out.push_back({name, was ? card_contents(*was) : "", is ? card_contents(*is) : ""});
  }
  return out;
}

bool Entries::run_again(const Step& old, const Entry& entry, const std::string& text, const TellRerun& tell) {
  Rerun rerun{entry, {}};
  rerun.entry.text = text;
  if (tell) tell(rerun, false);
  const auto before = state();
  const bool fine = run_text(entry.number, text);
  if (!fine) take_back(*before);
  rerun.entry.failed = !fine;
  rerun.changes = changes(old, session_.note().names.writes, nullptr);
  if (tell) tell(rerun, true);
  return fine;
}

Entries::Edited Entries::edit(std::size_t place, const std::string& text, const TellRerun& tell) {
  const StopsDeferred whole;
  log({.kind = JournalEvent::Kind::edit, .number = done_[place].number, .text = text});
  auto edited = change(place, text, tell);
  log_edited(place, edited);
  session_.settle_files();
  return edited;
}

Entries::Edited Entries::change(std::size_t place, const std::string& text, const TellRerun& tell) {
  const auto end = state();
  std::vector<Step> old;
  old.reserve(done_.size() - place);  // pointers to elements must stay valid
  std::vector<Unit> units;
  for (auto k = place; k < done_.size(); ++k) {
    const auto& entry = done_[k];
    const auto at = k - out_of_reach();
    old.push_back({entry.text, entry.note, before_[at], at + 1 < before_.size() ? before_[at + 1] : end,
                   entry.failed, entry.seconds});
    const auto& now = k == place ? text : entry.text;
    const auto run = [this, &entry, &was = old.back(), now, &tell] {
      return run_again(was, entry, now, tell);
    };
    units.push_back({now, k - place, run, k == place, k == place});
  }
  before_[place - out_of_reach()]->restore(session_.state);
  const auto quiet = session_.without_cards();
  const auto away = session_.files().away_from_disk();
  const auto replayed = replay(session_, old, units, {});
  Edited out;
  out.fine = replayed.done.size() == units.size() && !replayed.done.back().step.note.interrupted;
  // If the edited entry is the last one, its failure has not stopped the replay.
  out.fine = out.fine && !replayed.done[0].step.failed;
  if (!out.fine) {
    end->restore(session_.state);
    return out;
  }
  undone_.clear();
  after_.clear();
  for (std::size_t k = 0; k < units.size(); ++k) {
    const auto& [step, ran] = replayed.done[k];
    auto& entry = done_[place + k];
    entry = {entry.number, step.text, step.failed, step.note, step.seconds};
    before_[place + k - out_of_reach()] = step.before;
    if (ran)
      out.ran.push_back({entry, changes(old[k], step.note.names.writes, step.after.get())});
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
        HintGiven{fmt::format("not enough memory: entries up to {} can no longer be undone or edited",
                              done_[out_of_reach() - 1].number)});
}

}  // namespace quill
