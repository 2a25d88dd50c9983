// How far long work is, for somebody who waits at a terminal. It costs nothing while nobody asks.
#pragma once

#include <functional>
#include <optional>
#include <string>

namespace quill {

// Work whose length is known, for as long as this lives. Made and asked by the thread that polls
// (base/interrupt.h); of several within each other the outermost one that knows its share counts.
class Progress {
 public:
  struct State {
    std::string what;  // "line 12, for k in 1..1000"
    double share = 0;  // from 0 to 1
    const void* of{};  // reports one piece of work from the next
  };
  // What it is and how far it is now; nothing when that is not known at the moment.
  using Ask = std::function<std::optional<State>()>;
  explicit Progress(Ask ask);
  // The same for a count of pieces, some of them done.
  Progress(std::string what, std::function<double()> share);
  ~Progress();
  Progress(const Progress&) = delete;
  Progress& operator=(const Progress&) = delete;

  // Of the outermost work; nothing when there is none.
  static std::optional<State> now();

 private:
  Ask ask_;
};

// Called by polls in this thread after request_progress(); null for nobody.
void set_progress_teller(std::function<void()> tell);
void tell_progress();

}  // namespace quill
