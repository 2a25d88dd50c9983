// What a session reports and writes: warnings once for each location, timings by section, figures as files.
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
  // `interactive`: a section does not end, so timings are compared at once.
  Outputs(Output& output, bool interactive);
  ~Outputs();

  void warn(const Error& warning);
  // Repeated warnings are reported again afterwards.
  void forget_warnings() { warned_.clear(); }
  void count_check() { ++checks_; }
  void time(const Timing& timing);
  // Reports the ratios of the timings of a section, if there are several.
  void close_timings();
  void tell_summary();

  // Renders a figure in each requested format and returns the bytes of the files, with provenance from
  // `recorder`. Warns of items that could not be drawn.
  std::vector<std::pair<std::string, std::string>> drawn(const Figure& figure, const Recorder& recorder);

 private:
  // The same for an animated figure.
  std::vector<std::pair<std::string, std::string>> drawn_frames(const Figure& figure,
                                                                const Recorder& recorder);

  Output& output_;
  bool interactive_;
  std::unique_ptr<TextMeasurer> measurer_;  // created with the first figure
  std::set<std::string> warned_;
  std::vector<Timing> timings_;  // timings of the current section
  int warnings_ = 0, checks_ = 0;
};

}  // namespace quill
