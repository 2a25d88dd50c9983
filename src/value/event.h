// Events that a run reports, as values. Text, colour and width are decided where they are shown or stored.
#pragma once

#include <string>
#include <variant>
#include <vector>

#include "base/error.h"
#include "value/timing.h"
#include "value/value.h"

namespace quill {

// Values are shown with the number of significant digits at the time of the event. `text` is the rendering in
// kTextWidth columns, if it exists already.
inline constexpr int kTextWidth = 80;
struct ValueShown {  // a bare expression with its source text
  std::string label;
  Value value;
  int digits = 5;
  std::string text{};
};
struct ValuesPrinted {
  std::vector<Value> values;
  int digits = 5;
  std::string text{};
};
struct ValueDescribed {  // with its name, type and contents
  std::string name;
  Value value;
  int digits = 5;
  Index rows = 6;  // of a table
  bool has_rows_asked = false;
  std::string text{};
};
struct NameAssigned {  // at the prompt
  std::string name;
  Value value;
};
struct SectionBegun {
  std::string title;
};
struct WarningGiven {
  Error warning;
  bool is_repeated = false;  // this location has reported it before
};
struct HintGiven {
  std::string text;
};
struct ErrorMet {
  Error error;
};
struct FileWritten {
  std::string path;
};
struct BlockTimed {
  Timing timing;
};
struct TimingsCompared {  // of one section
  std::vector<Timing> timings;
};
struct RunEnded {
  int warnings = 0;  // all warnings, including repeated ones that were not shown
  int checks = 0;    // that passed
};

using Event =
    std::variant<ValueShown, ValuesPrinted, ValueDescribed, NameAssigned, SectionBegun, WarningGiven,
                 HintGiven, ErrorMet, FileWritten, BlockTimed, TimingsCompared, RunEnded>;

class Output {
 public:
  virtual ~Output() = default;
  virtual void tell(const Event& event) = 0;
};

// Discards all events.
class SilentOutput : public Output {
 public:
  void tell(const Event&) override {}
};

}  // namespace quill
