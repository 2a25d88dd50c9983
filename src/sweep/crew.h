// Runs the cases of a study in processes on this machine or in MPI ranks.
#pragma once

#include <vector>

#include "sweep/case.h"

namespace quill {

class Crew {
 public:
  Crew() = default;
  virtual ~Crew() = default;
  Crew(const Crew&) = delete;
  Crew& operator=(const Crew&) = delete;
  virtual int workers() const = 0;
  // Number of cases that it accepts now, given how many are left: blocks that shrink towards the end.
  virtual Index room(Index left) const = 0;
  virtual void give(const Case& one) = 0;
  // Results that arrive within this time, in seconds. A case whose process ended or exceeded its time has a
  // result too. Throws Error Kind::hindered if no process can be started.
  virtual std::vector<CaseResult> wait(double seconds) = 0;
};

}  // namespace quill
