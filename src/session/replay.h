// Steps run again where something that they ask for is another, and nowhere else.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "session/session.h"

namespace quill {

// The share of the memory allowed beyond which old states are let go of.
inline constexpr double kMemoryForStates = 0.6;

// What is to be done now.
struct Unit {
  std::string text;
  std::optional<std::size_t> old;  // the step before that had the same text
  std::function<bool()> run;       // false when it failed, which has been reported
  bool must_run = false;
  bool must_succeed = false;  // nothing comes after it otherwise
};

struct Replayed {
  struct Done {
    Step step;
    bool ran = false;
  };
  std::vector<Done> done;  // up to one that was interrupted, or that failed when the replay stops there
  std::size_t let_go = 0;  // steps whose states are gone
  double saved = 0;        // seconds that the steps took which were kept
};

struct ReplayRules {
  bool stops_at_failure = false;  // as a script does
  // Lets go of the states around the oldest steps while memory is short; they run again the next time.
  bool lets_go = false;
};

// From the state that the session has now.
Replayed replay(Session& session, const std::vector<Step>& old, std::span<const Unit> units,
                const ReplayRules& rules);

// For each of the new texts the old one that it is, in the same order: a longest common subsequence, by a
// table of lengths.
std::vector<std::optional<std::size_t>> matched(const std::vector<std::string>& old,
                                                const std::vector<std::string>& now);

}  // namespace quill
