// The state of a session between two entries, kept so that it can come back.
#pragma once

#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "builtins/context.h"

namespace quill {

// Shares storage with the state that it was taken from: it takes as long as there are names, and no memory of
// its own until something is changed in place. Names keep their slots for ever, so that what was compiled
// stays right; one that is not there any more has no value.
class Snapshot {
 public:
  explicit Snapshot(const SessionState& state);
  void restore(SessionState& state) const;

 private:
  std::vector<Value> slots_;
  RandomStream random_;
  Settings settings_;
  std::set<std::string> figure_names_;
  std::map<std::string, std::shared_ptr<const Figure>> figures_;
  std::map<std::string, SessionState::Used> modules_;
};

}  // namespace quill
