// The state of a session between two entries, for undo and re-runs.
#pragma once

#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "builtins/context.h"

namespace quill {

// State of all random number streams: the session's own, and those held by values.
class RandomStates {
 public:
  explicit RandomStates(const Surroundings& state);
  void restore(Surroundings& state) const;
  bool operator==(const RandomStates& other) const;

 private:
  RandomStream own_;
  std::vector<std::pair<std::shared_ptr<RandomStream>, RandomStream>>
      streams_;  // streams with their saved states
};

// Immutable copy of a session's state. Shares storage with the live state, so taking one costs time
// proportional to the number of variables, and memory only once shared arrays are modified. Slots are never
// reused, so compiled code remains valid; a variable that no longer exists has no value.
class Snapshot {
 public:
  explicit Snapshot(const SessionState& state);
  void restore(SessionState& state) const;

  // Value of the variable at the time of the snapshot; null if it had none. For a variable with aliases, the
  // cell belongs to the snapshot.
  const Value* find(const Module& module, const std::string& name) const;
  const Surroundings& state() const { return surroundings_; }
  const RandomStates& random() const { return random_; }

 private:
  std::vector<Value> slots_;
  Surroundings surroundings_;
  RandomStates random_;
};

}  // namespace quill
