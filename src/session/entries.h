// The linear list of entries of a session, with undo, redo and editing.
#pragma once

#include <deque>
#include <functional>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "session/journal.h"
#include "session/replay.h"
#include "session/session.h"
#include "session/snapshot.h"

namespace quill {

class Entries {
 public:
  // Prefixes of entries that are not program text; names of variables or a file name follow.
  static constexpr std::string_view kForget = ":forget ", kLoad = ":load ";

  struct Entry {
    int number = 0;
    std::string text;
    bool failed = false;
    StepNote note{};
    double seconds = 0;
  };
  // `log` is informed of every action before it is performed, and of its outcome afterwards. May be null.
  explicit Entries(Session& session, EntryLog* log = nullptr);

  int next_number() const { return next_; }
  // Runs a text as the next entry. Returns false if it failed, after reporting the error. Clears the redo
  // list.
  bool run(const std::string& text);
  // Undoes the last entry, or redoes the last undone one, together with the files that it wrote. Takes
  // constant time whatever the sizes of values. Returns the entry, or nothing if there is none.
  std::optional<Entry> undo();
  std::optional<Entry> redo();
  // Replaces the text of an entry. The new text runs, then the later entries that depend on something it
  // changed; results of the other entries are reused. If the new text fails or is interrupted, nothing
  // changes.
  struct Change {
    std::string name, before, after;  // as displayed; "" for no value
  };
  struct Rerun {
    Entry entry;
    std::vector<Change> changes;
  };
  struct Edited {
    bool fine = false;
    std::vector<Rerun> ran;
    std::size_t kept = 0;
  };
  // Index among the executed entries of the entry with this number, if it can be edited.
  std::optional<std::size_t> index_of(int number) const;
  // Called before each entry runs again (has_run false) and afterwards with its changes.
  using TellRerun = std::function<void(const Rerun& rerun, bool has_run)>;
  Edited edit(std::size_t place, const std::string& text, const TellRerun& tell = {});
  // Restores a session from a journal; the session must be empty. Only entries without a recorded outcome are
  // logged again. Files are written to the disk only by the final settle_files().
  struct Resumed {
    std::vector<Rerun> different;            // entries whose results differ from the recorded ones
    std::vector<std::string> left_out;       // entries that ended the program repeatedly, or were interrupted
    std::optional<JournalEvent> unfinished;  // the last entry, if it had no outcome; it was run again
    std::size_t taken = 0;                   // entries that were not run since their saved results were used
  };
  Resumed resume(const Journal& journal);
  const std::deque<Entry>& done() const { return done_; }
  const std::vector<Entry>& undone() const { return undone_; }  // the last element was undone last
  // The successful entries as a script that gives the same results.
  struct Written {
    std::string text;
    std::vector<std::string> differences;  // where the script behaves differently from the session
    std::vector<Error> errors;             // errors that prevent the script from running
  };
  Written as_script() const;
  // Number of oldest entries that cannot be undone, since their states were dropped to save memory.
  std::size_t out_of_reach() const { return done_.size() - before_.size(); }

 private:
  // Drops the oldest states while memory is short.
  void make_room();

  Session& session_;
  EntryLog* log_;
  std::deque<Entry> done_;
  using State = std::shared_ptr<const Snapshot>;
  State state() const { return std::make_shared<const Snapshot>(session_.state); }
  void log(const JournalEvent& event);
  void log_outcome(const Entry& entry);
  void log_edited(std::size_t place, const Edited& edited);
  // Saves the results of an entry, if it took long and has no effect but assigned values.
  bool keep(const Entry& entry);
  // Uses the saved results of an entry instead of running it. Returns false if it has to run.
  bool take_kept(const JournalEvent& event, const JournalEvent& outcome);
  JournalEvent outcome_of(JournalEvent::Kind kind, const Entry& entry) const;
  void do_unfinished(const JournalEvent& event);
  void do_all_again(const std::vector<JournalEvent>& events, bool is_same_program, Resumed& out);
  // Repeats an event of a journal, given its recorded outcome.
  void do_again(const JournalEvent& event, const JournalEvent& outcome, bool is_same_program, Resumed& out);
  void compare(const JournalEvent& was, const Entry& entry, Resumed& out) const;
  // Adds an entry to the list without running it.
  void leave_out(const JournalEvent& event, Resumed& out);
  std::vector<std::string> differences(const std::map<const Entry*, Tree>& trees) const;
  bool reads_otherwise(const Entry& entry, std::set<std::string>& looked_at, std::string& path) const;
  // Runs an entry without logging it.
  void perform(int number, const std::string& text);
  bool step_back();
  bool step_forth();
  Edited change(std::size_t place, const std::string& text, const TellRerun& tell = {});
  bool run_again(const Step& old, const Entry& entry, const std::string& text, const TellRerun& tell);
  bool run_text(int number, const std::string& text);
  void take_back(const Snapshot& before);
  void begin_files(const Journal& journal);
  // `now` null: compares with the current state of the session.
  std::vector<Change> changes(const Step& old, const std::set<std::string>& names, const Snapshot* now) const;

  std::deque<State> before_;  // state before each of the last entries of done_
  std::vector<Entry> undone_;
  std::vector<State> after_;  // state after each undone entry
  int next_ = 1;
};

}  // namespace quill
