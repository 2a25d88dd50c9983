// Runs the cases of a study, by processes on this machine or ranks of MPI.
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
  // How many more cases it takes now, when `left` are to be given out: blocks that shrink towards the end.
  virtual Index room(Index left) const = 0;
  virtual void give(const Case& one) = 0;
  // The results that have come, after at most so many seconds. A case whose process ended or exceeded its
  // time has a result too. Error Kind::hindered when no process can be started.
  virtual std::vector<CaseResult> wait(double seconds) = 0;
};

}  // namespace quill
