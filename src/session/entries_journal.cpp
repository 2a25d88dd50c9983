// Entries into a journal and out of it. Tested by tests/cli/journal_test.cpp.
#include <algorithm>
#include <utility>

#include "language/parser.h"
#include "session/entries.h"
#include "session/kept_values.h"
#include "session/value_digest.h"
#include "value/print.h"

namespace quill {

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

}  // namespace quill
