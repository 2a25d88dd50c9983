// The straight list of entries of a session, and the way back and forth in it.
#pragma once

#include <deque>
#include <optional>
#include <string>
#include <vector>

#include "session/session.h"
#include "session/snapshot.h"

namespace quill {

class Entries {
 public:
  struct Entry {
    int number = 0;
    std::string text;
    bool failed = false;
  };
  explicit Entries(Session& session) : session_(session) {}

  int next_number() const { return next_; }
  // Runs a text as the next entry; false when it failed, which has been told. What was undone is forgotten.
  bool run(const std::string& text);
  // Takes the last entry back, or does it again, in a time that does not depend on the sizes of values; the
  // entry, or nothing when there is none. Files that were written stay.
  std::optional<Entry> undo();
  std::optional<Entry> redo();
  const std::deque<Entry>& done() const { return done_; }
  const std::vector<Entry>& undone() const { return undone_; }  // the last one undone is the last
  // The entries that did not fail, as a script that gives the same results: files in use first, and `that` as a
  // name where an entry asks for it.
  std::string as_script() const;
  // How many of the oldest entries can no longer be taken back, since their values needed too much memory.
  std::size_t out_of_reach() const { return done_.size() - before_.size(); }

 private:
  // Lets go of the oldest states while memory is short.
  void make_room();

  Session& session_;
  std::deque<Entry> done_;
  std::deque<Snapshot> before_;  // the states before the last entries of done_
  std::vector<Entry> undone_;
  std::vector<Snapshot> after_;  // the states behind those undone
  int next_ = 1;
};

}  // namespace quill
