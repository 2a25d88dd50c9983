// Tested by entries_test.cpp.
#include "session/entries.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/memory.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "language/effects.h"
#include "language/parser.h"
#include "session/alike.h"
#include "session/kept_values.h"
#include "session/value_digest.h"
#include "value/print.h"

namespace quill {

namespace {
constexpr std::string_view kForget = ":forget ", kLoad = ":load ";
}

bool Entries::run_text(int number, const std::string& text) {
  if (text.starts_with(kForget)) return session_.forget(text.substr(kForget.size()));
  if (text.starts_with(kLoad)) return session_.load_values(text.substr(kLoad.size()));
  return session_.run("entry " + std::to_string(number), text);
}

bool Entries::run(const std::string& text) {
  undone_.clear();
  after_.clear();
  make_room();
  auto before = state();
  const int number = next_++;
  log({.kind = JournalEvent::Kind::entry, .number = number, .text = text});
  const double began = session_.host.seconds();
  const bool fine = run_text(number, text);
  done_.push_back({number, text, !fine, session_.note(), session_.host.seconds() - began});
  before_.push_back(std::move(before));
  log_outcome(JournalEvent::Kind::outcome, done_.back());
  return fine;
}

void Entries::log(const JournalEvent& event) {
  if (log_) log_->tell(event);
}

JournalEvent Entries::outcome_of(JournalEvent::Kind kind, const Entry& entry) const {
  JournalEvent out;
  out.kind = kind;
  out.failed = entry.failed;
  out.interrupted = entry.note.interrupted;
  out.seconds = entry.seconds;
  out.answers = entry.note.answers;
  out.time = entry.note.time;
  for (const auto& name : entry.note.names.writes)
    if (const auto* value = session_.find(name))
      out.given.push_back({name, digest_of(*value), card_contents(*value)});
  for (const auto& file : entry.note.read) out.read.emplace_back(file.path, file.fingerprint);
  return out;
}

void Entries::log_outcome(JournalEvent::Kind kind, const Entry& entry) {
  if (!log_) return;
  auto outcome = outcome_of(kind, entry);
  outcome.is_kept = kind == JournalEvent::Kind::outcome && keep(entry);
  log_->tell(outcome);
}

namespace {

// Seconds beyond which what an entry gave is kept, and bytes up to which.
constexpr double kLong = 1;
constexpr std::size_t kMostKept = std::size_t{1} << 28;

std::vector<std::string> given_by(const StepNote& note) {
  std::vector<std::string> out(note.names.writes.begin(), note.names.writes.end());
  if (note.makes_that) out.emplace_back("that");
  return out;
}

}  // namespace

bool Entries::keep(const Entry& entry) {
  const auto& note = entry.note;
  if (entry.seconds < kLong || entry.failed || !note.names.tied.empty() || !note.figures.empty() ||
      !note.written.empty() || before_.empty())
    return false;
  // It gives values of names and nothing else.
  const auto& was = before_.back()->state();
  const Surroundings& is = session_.state;
  if (was.random_uses != is.random_uses || before_.back()->random() != RandomStates(is) ||
      was.settings.digits_set != is.settings.digits_set ||
      was.settings.figure_defaults != is.settings.figure_defaults || was.modules.size() != is.modules.size())
    return false;
  const auto kept = keep_values(session_, given_by(note));
  return kept.left_out.empty() && kept.bytes.size() <= kMostKept && log_->keep(entry.number, kept.bytes);
}

bool Entries::take_kept(EntryLog& log, const JournalEvent& event, const JournalEvent& outcome) {
  if (!outcome.is_kept) return false;
  for (const auto& [path, fingerprint] : outcome.read)
    if (has_changed(session_.host, {path, "", fingerprint})) return false;
  const auto bytes = log.kept(event.number);
  if (!bytes) return false;
  auto before = state();
  try {
    give_back(session_, *bytes, "what was kept");
  } catch (const Error&) { return false; }
  for (const auto& given : outcome.given) {
    const auto* value = session_.find(given.name);
    if (value && digest_of(*value) == given.digest) continue;
    before->restore(session_.state);
    return false;
  }
  Entry entry{event.number, event.text, false};
  const auto tree = parse(std::make_shared<Source>("entry", event.text));
  entry.note.names = names_used(tree.root->kids);
  for (const auto& [path, fingerprint] : outcome.read) entry.note.read.push_back({path, "", fingerprint});
  entry.note.shows = entry.note.makes_that = true;
  entry.seconds = outcome.seconds;
  done_.push_back(std::move(entry));
  before_.push_back(std::move(before));
  next_ = event.number + 1;
  return true;
}

std::optional<Entries::Entry> Entries::undo() {
  if (before_.empty()) return std::nullopt;
  after_.push_back(state());
  before_.back()->restore(session_.state);
  before_.pop_back();
  log({.kind = JournalEvent::Kind::undo});
  undone_.push_back(std::move(done_.back()));
  done_.pop_back();
  return undone_.back();
}

std::optional<Entries::Entry> Entries::redo() {
  if (undone_.empty()) return std::nullopt;
  before_.push_back(state());
  after_.back()->restore(session_.state);
  after_.pop_back();
  log({.kind = JournalEvent::Kind::redo});
  done_.push_back(std::move(undone_.back()));
  undone_.pop_back();
  return done_.back();
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
  const Session::WithoutCards quiet(session_);
  const auto replayed = replay(session_, old, units, {});
  Edited out;
  out.fine = replayed.done.size() == units.size() && !replayed.done.back().step.note.interrupted;
  // The edited one being the last, it need not have stopped the replay.
  out.fine = out.fine && !replayed.done[place - first].step.failed;
  if (!out.fine) {
    end->restore(session_.state);
    log({.kind = JournalEvent::Kind::edited, .failed = true});
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
  log_outcome(JournalEvent::Kind::edited, done_[place]);
  return out;
}

namespace {

constexpr const char* kThat = "that";

bool reads_that(const Node& statement) {
  const auto effects = effects_of(statement);
  return std::any_of(effects.begin(), effects.end(), [](const NameUse& use) {
    return use.name == kThat && use.how != NameUse::How::assigned;
  });
}

// Whether it is shown and becomes `that`: what is known to give nothing is not.
bool is_shown(const Node& statement) {
  if (statement.kind != NodeKind::expression) return false;
  const auto& value = statement.shown_value();
  if (value.kind != NodeKind::call || value.callee().kind != NodeKind::name) return true;
  const int row = builtins().find(value.callee().text);
  return row < 0 || !builtins().row(row).returns.starts_with("nothing");
}

// Gives a name to values that later entries ask for as `that`; `is_wanted` says whether one does, and whether
// this text does.
std::string with_that(const std::string& text, const Tree& tree, bool& is_wanted) {
  auto out = text;
  const auto& statements = tree.root->kids;
  for (auto s = statements.rbegin(); s != statements.rend(); ++s) {
    const auto& statement = **s;
    if (is_wanted && is_shown(statement)) {
      const std::string expression(tree.source->text(statement.span));
      out.replace(statement.span.begin, expression.size(), "that = " + expression + "\n" + kThat);
      is_wanted = false;
    }
    is_wanted = is_wanted || reads_that(statement);
  }
  return out;
}

}  // namespace

std::vector<std::string> Entries::changed_by(std::size_t place) const {
  std::vector<std::string> out;
  if (place < out_of_reach()) return out;
  const auto at = place - out_of_reach();
  const auto after = at + 1 < before_.size() ? before_[at + 1] : state();
  const auto& module = session_.state.module;
  for (const auto& name : done_[place].note.names.writes) {
    const auto *was = before_[at]->find(module, name), *is = after->find(module, name);
    if ((was == nullptr) != (is == nullptr) || (was && !alike(*was, *is))) out.push_back(name);
  }
  return out;
}

std::string Entries::as_script() const {
  std::vector<std::string> uses, others;
  bool is_that_wanted = false;
  for (auto entry = done_.rbegin(); entry != done_.rend(); ++entry) {
    if (entry->text.starts_with(kForget)) continue;
    if (entry->text.starts_with(kLoad)) {
      if (!entry->failed) others.push_back("# Left out: " + entry->text);
      continue;
    }
    if (entry->failed) {
      const auto k = static_cast<std::size_t>(done_.rend() - entry) - 1;
      if (const auto changed = changed_by(k); !changed.empty())
        others.push_back(
            fmt::format("# Left out: an entry that failed, when it had changed {}.", list_in_prose(changed)));
      continue;
    }
    const auto tree = parse(std::make_shared<Source>("entry", entry->text));
    const auto& statements = tree.root->kids;
    const bool only_uses = std::all_of(statements.begin(), statements.end(),
                                       [](const NodePtr& s) { return s->kind == NodeKind::use; });
    if (only_uses && !statements.empty())
      uses.push_back(entry->text);
    else
      others.push_back(with_that(entry->text, tree, is_that_wanted));
  }
  std::string out;
  for (const auto* part : {&uses, &others})
    for (auto text = part->rbegin(); text != part->rend(); ++text) out += *text + "\n";
  return out;
}

Entries::Resumed Entries::resume(const Journal& journal) {
  using Kind = JournalEvent::Kind;
  auto* const log = std::exchange(log_, nullptr);
  Resumed out;
  const bool is_same_program = journal.head.version == QUILL_VERSION;
  const auto& events = journal.events;
  for (std::size_t k = 0; k < events.size(); ++k) {
    const auto& event = events[k];
    auto next = k + 1;
    while (next < events.size() && events[next].kind == Kind::again) ++next;
    const bool was_tried = next > k + 1;
    const auto* outcome =
        next < events.size() && (events[next].kind == Kind::outcome || events[next].kind == Kind::edited)
            ? &events[next]
            : nullptr;
    if (event.kind == Kind::undo) undo();
    if (event.kind == Kind::redo) redo();
    if (event.kind != Kind::entry && event.kind != Kind::edit) continue;
    if (!outcome && (was_tried || next < events.size())) {
      // The program ended while it ran, more than once or with others behind it.
      if (event.kind == Kind::entry) leave_out(event, out);
      continue;
    }
    if (!outcome) {
      // Said beforehand: should the program end in it again, it is not tried a third time.
      if (log) log->tell({.kind = Kind::again});
      out.ran_again = true;
    }
    // Where everything came out as it had, so would this.
    if (log && outcome && event.kind == Kind::entry && is_same_program && out.different.empty() &&
        out.left_out.empty() && take_kept(*log, event, *outcome)) {
      ++out.taken;
      continue;
    }
    if (outcome) session_.answer_beforehand(outcome->answers, outcome->time);
    if (event.kind == Kind::edit) {
      const auto place = place_of(event.number);
      if (place && !(outcome && outcome->failed)) edit(*place, event.text);
    } else if (outcome && outcome->interrupted) {
      leave_out(event, out);
      continue;
    } else {
      next_ = event.number;
      run(event.text);
    }
    session_.answer_beforehand({}, 0);
    const auto* entry = event.kind == Kind::entry ? &done_.back() : nullptr;
    if (!outcome) {
      log_ = log;
      if (entry) log_outcome(Kind::outcome, *entry);
      log_ = nullptr;
    } else if (entry) {
      compare(*outcome, *entry, out);
    }
  }
  log_ = log;
  return out;
}

void Entries::leave_out(const JournalEvent& event, Resumed& out) {
  out.left_out.push_back(event.text);
  next_ = event.number + 1;
  before_.push_back(state());
  done_.push_back({event.number, event.text, true});
  done_.back().note.interrupted = true;
}

void Entries::compare(const JournalEvent& was, const Entry& entry, Resumed& out) const {
  const auto is = outcome_of(JournalEvent::Kind::outcome, entry);
  Rerun different{entry, {}};
  for (const auto& given : was.given) {
    const auto now = std::find_if(is.given.begin(), is.given.end(),
                                  [&](const auto& other) { return other.name == given.name; });
    if (now == is.given.end())
      different.changes.push_back({given.name, given.contents, ""});
    else if (now->digest != given.digest)
      different.changes.push_back({given.name, given.contents, now->contents});
  }
  if (!different.changes.empty() || was.failed != entry.failed) out.different.push_back(std::move(different));
}

void Entries::make_room() {
  constexpr double share = 0.6;  // of the memory allowed, that old states may be part of
  while (!before_.empty() && memory_share_in_use() > share) before_.pop_front();
}

}  // namespace quill
