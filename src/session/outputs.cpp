#include "session/outputs.h"

#include <fmt/format.h>

#include "figure/layout.h"
#include "files/provenance.h"
#include "render/render.h"

namespace quill {

Outputs::Outputs(Output& output, bool interactive) : output_(output), interactive_(interactive) {}
Outputs::~Outputs() = default;

void Outputs::warn(const Error& warning) {
  ++warnings_;
  // Once for each place: there the same warning may come with other numbers again.
  auto what = warning.message;
  std::erase_if(what, [](char c) { return (c >= '0' && c <= '9') || c == '.'; });
  if (const auto& place = warning.place; place.source)
    what = fmt::format("{}:{}-{}:{}", place.source->name(), place.span.begin, place.span.end, what);
  output_.tell(WarningGiven{warning, !warned_.insert(what).second});
}

void Outputs::time(const Timing& timing) {
  timings_.push_back(timing);
  output_.tell(BlockTimed{timing});
  if (interactive_ && timings_.size() > 1) output_.tell(TimingsCompared{timings_});
}

void Outputs::close_timings() {
  if (timings_.size() > 1 && !interactive_) output_.tell(TimingsCompared{timings_});
  timings_.clear();
}

void Outputs::tell_summary() {
  close_timings();
  output_.tell(RunEnded{warnings_, checks_});
}

std::vector<std::pair<std::string, std::string>> Outputs::drawn(const Figure& figure,
                                                                const Recorder& recorder) {
  if (!measurer_) measurer_ = make_text_measurer();
  if (figure.panels.empty())
    fail(fmt::format("the figure \"{}\" holds nothing", figure.name),
         "line(x, y) inside of its block draws a line");
  auto list = lay_out(figure, *measurer_);
  for (const auto& text : list.warnings) warn(Error(fmt::format("figure \"{}\": {}", figure.name, text)));
  for (const auto& text : list.hints)
    output_.tell(HintGiven{fmt::format("figure \"{}\": {}", figure.name, text)});
  std::vector<std::pair<std::string, std::string>> files;
  for (const auto& format : figure.formats) {
    const auto provenance = recorder.provenance(figure.name + "." + format);
    list.keywords = provenance;
    auto bytes = render(figure, list, format);
    files.emplace_back(format,
                       provenance.empty() ? bytes : with_provenance(std::move(bytes), format, provenance));
  }
  return files;
}

}  // namespace quill
