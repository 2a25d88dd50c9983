// Progress of long work, for display at a terminal. Costs nothing until it is requested.
#pragma once

#include <functional>
#include <optional>
#include <string>

namespace quill {

// Registers work of known length for the lifetime of the object. Created and queried by the thread that polls
// (base/interrupt.h). Of nested ones, the outermost that knows its fraction is reported.
class Progress {
 public:
  struct State {
    std::string what;  // "line 12, for k in 1..1000"
    double share = 0;  // from 0 to 1
    const void* of{};  // distinguishes pieces of work
  };
  // Returns description and progress; nothing if unknown at the moment.
  using Ask = std::function<std::optional<State>()>;
  explicit Progress(Ask ask);
  // The same, given a description and the fraction done.
  Progress(std::string what, std::function<double()> share);
  ~Progress();
  Progress(const Progress&) = delete;
  Progress& operator=(const Progress&) = delete;

  // Progress of the outermost work; nothing if there is none.
  static std::optional<State> now();

 private:
  Ask ask_;
};

// Sets the function that polls call in this thread after request_progress(); may be empty.
void set_progress_teller(std::function<void()> tell);
void tell_progress();

}  // namespace quill
