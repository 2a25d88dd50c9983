// The state of a session between two entries, kept so that it can come back.
#pragma once

#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "builtins/context.h"

namespace quill {

// All random numbers of a session: its own, and the streams that values hold.
class RandomStates {
 public:
  explicit RandomStates(const Surroundings& state);
  void restore(Surroundings& state) const;
  bool operator==(const RandomStates& other) const;

 private:
  RandomStream own_;
  std::vector<std::pair<std::shared_ptr<RandomStream>, RandomStream>> streams_;  // with what they had
};

// Shares storage with the state that it was taken from: it takes as long as there are names, and no memory of
// its own until something is changed in place. Names keep their slots for ever, so that what was compiled
// stays right; one that is not there any more has no value.
class Snapshot {
 public:
  explicit Snapshot(const SessionState& state);
  void restore(SessionState& state) const;

  // The value that a name had; null when it had none. Of a variable with aliases the cell is the snapshot's.
  const Value* find(const Module& module, const std::string& name) const;
  const Surroundings& state() const { return surroundings_; }
  const RandomStates& random() const { return random_; }

 private:
  std::vector<Value> slots_;
  Surroundings surroundings_;
  RandomStates random_;
};

}  // namespace quill
