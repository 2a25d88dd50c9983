// What a session reports and writes: warnings once for each place, timings by section, figures as files.
#pragma once

#include <memory>
#include <set>
#include <string>
#include <vector>

#include "figure/model.h"
#include "figure/text.h"
#include "session/recorder.h"
#include "value/event.h"

namespace quill {

class Outputs {
 public:
  // With `interactive` a section has no end to wait for.
  Outputs(Output& output, bool interactive);
  ~Outputs();

  void warn(const Error& warning);
  // They are reported again when they come again.
  void forget_warnings() { warned_.clear(); }
  void count_check() { ++checks_; }
  void time(const Timing& timing);
  // Tells the ratios of the timings of a section, when there are several.
  void close_timings();
  void tell_summary();

  // A figure as the bytes of its files, by format; warns of what could not be drawn.
  // With what `recorder` knows of where it comes from in each of them.
  std::vector<std::pair<std::string, std::string>> drawn(const Figure& figure, const Recorder& recorder);

 private:
  // Of an animated figure.
  std::vector<std::pair<std::string, std::string>> drawn_frames(const Figure& figure,
                                                                const Recorder& recorder);

  Output& output_;
  bool interactive_;
  std::unique_ptr<TextMeasurer> measurer_;  // made for the first figure
  std::set<std::string> warned_;
  std::vector<Timing> timings_;  // of the section that runs
  int warnings_ = 0, checks_ = 0;
};

}  // namespace quill
