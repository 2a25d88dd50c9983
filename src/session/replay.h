// Runs steps again only where something they depend on has changed.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "session/session.h"

namespace quill {

// Fraction of the memory limit above which old states are dropped.
inline constexpr double kMemoryForStates = 0.6;

// A step to execute.
struct Unit {
  std::string text;
  std::optional<std::size_t> old;  // earlier step with the same text
  std::function<bool()> run;       // returns false if it failed, after reporting the error
  bool must_run = false;
  bool must_succeed = false;  // no later step runs if this one fails
};

struct Replayed {
  struct Done {
    Step step;
    bool ran = false;
  };
  std::vector<Done> done;  // up to one that was interrupted, or that failed if the replay stops at failures
  std::size_t let_go = 0;  // steps whose states were dropped
  double saved = 0;        // seconds that the reused steps took when they ran
};

struct ReplayRules {
  bool stops_at_failure = false;  // as for a script
  // Drops the states of the oldest steps while memory is short; those steps run again the next time.
  bool lets_go = false;
};

// Starts from the current state of the session.
Replayed replay(Session& session, const std::vector<Step>& old, std::span<const Unit> units,
                const ReplayRules& rules);

// For each new text the index of the same old text, in increasing order: a longest common subsequence by
// dynamic programming.
std::vector<std::optional<std::size_t>> matched(const std::vector<std::string>& old,
                                                const std::vector<std::string>& now);

}  // namespace quill
