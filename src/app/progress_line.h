// The line at the bottom of a terminal that reports how far a run is.
#pragma once

#include <memory>
#include <string>

#include "base/host.h"

namespace quill {

// "line 12, for k in 1..1000: 34 %, 12 s left", cut to a width; `elapsed` seconds have passed.
std::string progress_text(const std::string& what, double share, double elapsed, int width);

// Asks for the progress from time to time, and shows what takes longer than two seconds. Only one at a time.
class ProgressLine {
 public:
  explicit ProgressLine(Host& host);
  ~ProgressLine();
  ProgressLine(const ProgressLine&) = delete;
  ProgressLine& operator=(const ProgressLine&) = delete;

  // Takes the line away, before something else is written there.
  static void clear();

 private:
  struct Parts;
  std::unique_ptr<Parts> parts_;
};

}  // namespace quill
