// Progress display in the last line of a terminal.
#pragma once

#include <memory>
#include <string>

#include "base/host.h"

namespace quill {

// "line 12, for k in 1..1000: 34 %, 12 s left", cut to a width, after `elapsed` seconds.
std::string progress_text(const std::string& what, double share, double elapsed, int width);

// Requests progress periodically and displays it for work longer than two seconds. At most one instance.
class ProgressLine {
 public:
  explicit ProgressLine(Host& host);
  ~ProgressLine();
  ProgressLine(const ProgressLine&) = delete;
  ProgressLine& operator=(const ProgressLine&) = delete;

  // Erases the line before other output.
  static void clear();

 private:
  struct Parts;
  std::unique_ptr<Parts> parts_;
};

}  // namespace quill
