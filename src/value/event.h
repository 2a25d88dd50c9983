// What a run reports, as values. Text, colour and width are made where it is shown or kept.
#pragma once

#include <string>
#include <variant>
#include <vector>

#include "base/error.h"
#include "value/timing.h"
#include "value/value.h"

namespace quill {

// Values are shown with the significant digits that were set when it happened. `text` is what they look like
// in kTextWidth columns, when somebody has made it already.
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
  bool is_repeated = false;  // it was reported of this place before
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
  int warnings = 0;  // all that were given, also those not reported again
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

// Tells nobody.
class SilentOutput : public Output {
 public:
  void tell(const Event&) override {}
};

}  // namespace quill
