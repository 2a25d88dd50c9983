// Writes entries to a journal and restores them from it.
#include <algorithm>
#include <new>
#include <utility>

#include "base/interrupt.h"
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
  out.shows = entry.note.shows;
  out.makes_that = entry.note.makes_that;
  // Without memory for the digests, the values are not compared when the entry is repeated.
  try {
    for (const auto& name : entry.note.names.writes)
      if (const auto* value = session_.find(name))
        out.given.push_back({name, digest_of(*value), card_contents(*value)});
  } catch (const std::bad_alloc&) { out.given.clear(); }
  for (const auto& file : entry.note.read) out.read.emplace_back(file.path, file.fingerprint);
  for (const auto& file : entry.note.written) out.written.emplace_back(file.path, file.fingerprint);
  return out;
}

void Entries::log_outcome(const Entry& entry) {
  if (!log_) return;
  auto outcome = outcome_of(JournalEvent::Kind::outcome, entry);
  outcome.is_kept = keep(entry);
  log_->tell(outcome);
}

void Entries::log_edited(std::size_t place, const Edited& edited) {
  auto outcome = edited.fine ? outcome_of(JournalEvent::Kind::edited, done_[place])
                             : JournalEvent{.kind = JournalEvent::Kind::edited, .failed = true};
  // All answers, in the order of the questions.
  outcome.answers.clear();
  for (const auto& rerun : edited.ran)
    outcome.answers.insert(outcome.answers.end(), rerun.entry.note.answers.begin(),
                           rerun.entry.note.answers.end());
  log(outcome);
}

namespace {

// Results of entries that took longer than this many seconds are saved, up to a number of bytes.
constexpr double kLong = 1;
constexpr std::size_t kMostKept = std::size_t{1} << 28;

std::vector<std::string> given_by(const StepNote& note) {
  std::vector<std::string> out(note.names.writes.begin(), note.names.writes.end());
  if (note.makes_that) out.emplace_back(kThat);
  return out;
}

}  // namespace

bool Entries::keep(const Entry& entry) {
  const auto& note = entry.note;
  if (entry.seconds < kLong || entry.failed || !note.names.tied.empty() || !note.figures.empty() ||
      !note.written.empty() || before_.empty())
    return false;
  // Whether its only effect is to assign names.
  const auto& was = before_.back()->state();
  const Surroundings& is = session_.state;
  if (was.random_uses != is.random_uses || before_.back()->random() != RandomStates(is) ||
      was.settings.digits_set != is.settings.digits_set ||
      was.settings.figure_defaults != is.settings.figure_defaults || was.modules.size() != is.modules.size())
    return false;
  try {
    const auto kept = keep_values(session_, given_by(note));
    return kept.left_out.empty() && kept.bytes.size() <= kMostKept && log_->keep(entry.number, kept.bytes);
  } catch (const std::bad_alloc&) { return false; }
}

bool Entries::take_kept(const JournalEvent& event, const JournalEvent& outcome) {
  if (!outcome.is_kept || !log_) return false;
  for (const auto& [path, fingerprint] : outcome.read)
    if (FileSeen file{path, "", fingerprint}; session_.files().has_changed(file)) return false;
  const auto bytes = log_->kept(event.number);
  if (!bytes) return false;
  auto before = state();
  try {
    restore_values(session_, *bytes, "saved results");
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
  entry.note.shows = outcome.shows;
  entry.note.makes_that = outcome.makes_that;
  entry.note.asks_time = outcome.time != 0;
  entry.note.time = outcome.time;
  entry.note.answers = outcome.answers;
  entry.seconds = outcome.seconds;
  done_.push_back(std::move(entry));
  before_.push_back(std::move(before));
  next_ = event.number + 1;
  return true;
}

// Restores what is known of the session's files.
void Entries::begin_files(const Journal& journal) {
  auto& files = session_.files();
  for (const auto& event : journal.events)
    for (const auto& [path, fingerprint] : event.written) {
      if (event.kind == JournalEvent::Kind::file) files.set_original(path, fingerprint);
      if (!fingerprint.empty()) files.add_version(path, fingerprint);
    }
}

Entries::Resumed Entries::resume(const Journal& journal) {
  using Kind = JournalEvent::Kind;
  const StopsDeferred whole;
  Resumed out;
  begin_files(journal);
  auto events = journal.events;
  std::erase_if(events, [](const JournalEvent& event) { return event.kind == Kind::file; });
  const auto away = session_.files().away_from_disk();
  do_all_again(events, journal.head.version == QUILL_VERSION, out);
  if (out.unfinished) do_unfinished(*out.unfinished);
  return out;
}

void Entries::do_unfinished(const JournalEvent& event) {
  // Logged beforehand: if the program ends in it again, it is not tried a third time.
  log({.kind = JournalEvent::Kind::again});
  if (event.kind == JournalEvent::Kind::entry) {
    perform(event.number, event.text);
    log_outcome(done_.back());
  } else if (const auto place = index_of(event.number)) {
    log_edited(*place, change(*place, event.text));
  }
}

void Entries::do_all_again(const std::vector<JournalEvent>& events, bool is_same_program, Resumed& out) {
  using Kind = JournalEvent::Kind;
  for (std::size_t k = 0; k < events.size(); ++k) {
    const auto& event = events[k];
    auto next = k + 1;
    while (next < events.size() && events[next].kind == Kind::again) ++next;
    const bool is_last = next == events.size();
    const bool has_outcome =
        !is_last && (events[next].kind == Kind::outcome || events[next].kind == Kind::edited);
    if (event.kind == Kind::undo) step_back();
    if (event.kind == Kind::redo) step_forth();
    if (event.kind != Kind::entry && event.kind != Kind::edit) continue;
    if (has_outcome)
      do_again(event, events[next], is_same_program, out);
    else if (is_last && next == k + 1)
      out.unfinished = event;
    else if (event.kind ==
             Kind::entry)  // the program ended while it ran, repeatedly or followed by other entries
      leave_out(event, out);
  }
}

void Entries::do_again(const JournalEvent& event, const JournalEvent& outcome, bool is_same_program,
                       Resumed& out) {
  session_.answer_beforehand(outcome.answers, outcome.time);
  auto place = done_.size();
  if (event.kind == JournalEvent::Kind::edit) {
    const auto edited = index_of(event.number);
    if (!edited || outcome.failed) return;
    place = *edited;
    change(place, event.text);
  } else if (outcome.interrupted) {
    return leave_out(event, out);
  } else if (is_same_program && out.different.empty() && out.left_out.empty() && take_kept(event, outcome)) {
    ++out.taken;  // all earlier results agree, so this one would too
  } else {
    perform(event.number, event.text);
  }
  session_.answer_beforehand({}, 0);
  compare(outcome, done_[place], out);
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
