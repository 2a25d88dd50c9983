// The straight list of entries of a session, and the way back and forth in it.
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
  // Entries that are no text of the language: names of variables, and files, follow them.
  static constexpr std::string_view kForget = ":forget ", kLoad = ":load ";

  struct Entry {
    int number = 0;
    std::string text;
    bool failed = false;
    StepNote note{};
    double seconds = 0;
  };
  // `log`: is reported of everything before it is done, and how it came out.
  explicit Entries(Session& session, EntryLog* log = nullptr);

  int next_number() const { return next_; }
  // Runs a text as the next entry; false when it failed, which has been reported. What was undone is
  // forgotten.
  bool run(const std::string& text);
  // Takes the last entry back, or repeats it, in a time that does not depend on the sizes of values, and
  // with it the files that it wrote; the entry, or nothing when there is none.
  std::optional<Entry> undo();
  std::optional<Entry> redo();
  // Another text in place of an entry. It runs, and those after it which ask for something that is another
  // now; the others keep what they gave. When the new text fails, or somebody interrupts, all stays as it
  // was.
  struct Change {
    std::string name, before, after;  // what is shown of its value, "" for none
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
  // The place of an entry among those done, when it can be edited.
  std::optional<std::size_t> place_of(int number) const;
  // Is reported of each entry before it runs again, and behind that with what it changed.
  using TellRerun = std::function<void(const Rerun& rerun, bool has_run)>;
  Edited edit(std::size_t place, const std::string& text, const TellRerun& tell = {});
  // Does again what a journal says, for a session that has no entries yet; nothing of it is logged but what
  // had no outcome. The disk is left alone until the files of the session are settled.
  struct Resumed {
    std::vector<Rerun> different;       // entries that gave something else than they had
    std::vector<std::string> left_out;  // in which the program ended more than once, or that were interrupted
    std::optional<JournalEvent> unfinished;  // the last one, which was run again
    std::size_t taken = 0;                   // that did not run, since what they gave was kept
  };
  Resumed resume(const Journal& journal);
  const std::deque<Entry>& done() const { return done_; }
  const std::vector<Entry>& undone() const { return undone_; }  // the last one undone is the last
  // The entries that did not fail, as a script that gives the same results.
  struct Written {
    std::string text;
    std::vector<std::string> differences;  // what the script does not do as the session did
    std::vector<Error> errors;             // for which it would be refused
  };
  Written as_script() const;
  // How many of the oldest entries can no longer be taken back, since their values needed too much memory.
  std::size_t out_of_reach() const { return done_.size() - before_.size(); }

 private:
  // Lets go of the oldest states while memory is short.
  void make_room();

  Session& session_;
  EntryLog* log_;
  std::deque<Entry> done_;
  using State = std::shared_ptr<const Snapshot>;
  State state() const { return std::make_shared<const Snapshot>(session_.state); }
  void log(const JournalEvent& event);
  void log_outcome(const Entry& entry);
  void log_edited(std::size_t place, const Edited& edited);
  // Keeps what an entry gave, when it took long and gave nothing but values.
  bool keep(const Entry& entry);
  // Takes what was kept of an entry for having run it; false when it has to run.
  bool take_kept(const JournalEvent& event, const JournalEvent& outcome);
  JournalEvent outcome_of(JournalEvent::Kind kind, const Entry& entry) const;
  void do_unfinished(const JournalEvent& event);
  void do_all_again(const std::vector<JournalEvent>& events, bool is_same_program, Resumed& out);
  // What an event of a journal did, as it came out then.
  void do_again(const JournalEvent& event, const JournalEvent& outcome, bool is_same_program, Resumed& out);
  void compare(const JournalEvent& was, const Entry& entry, Resumed& out) const;
  // Puts an entry into the list without running it.
  void leave_out(const JournalEvent& event, Resumed& out);
  std::vector<std::string> differences(const std::map<const Entry*, Tree>& trees) const;
  bool reads_otherwise(const Entry& entry, std::set<std::string>& looked_at, std::string& path) const;
  // What is not logged by itself.
  void perform(int number, const std::string& text);
  bool step_back();
  bool step_forth();
  Edited change(std::size_t place, const std::string& text, const TellRerun& tell = {});
  bool run_again(const Step& old, const Entry& entry, const std::string& text, const TellRerun& tell);
  bool run_text(int number, const std::string& text);
  void take_back(const Snapshot& before);
  void begin_files(const Journal& journal);
  // `now`: null for what the session has now.
  std::vector<Change> changes(const Step& old, const std::set<std::string>& names, const Snapshot* now) const;

  std::deque<State> before_;  // the states before the last entries of done_
  std::vector<Entry> undone_;
  std::vector<State> after_;  // the states behind those undone
  int next_ = 1;
};

}  // namespace quill
