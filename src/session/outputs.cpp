#include "session/outputs.h"

#include <fmt/format.h>

#include "base/progress.h"
#include "figure/animation.h"
#include "figure/describe.h"
#include "figure/layout.h"
#include "files/provenance.h"
#include "render/animated_png.h"
#include "render/movie.h"
#include "render/page.h"
#include "render/render.h"

namespace quill {

Outputs::Outputs(Output& output, bool interactive) : output_(output), interactive_(interactive) {}
Outputs::~Outputs() = default;

void Outputs::warn(const Error& warning) {
  ++warnings_;
  // Once for each location; repetitions may contain other numbers.
  auto what = warning.message;
  std::erase_if(what, [](char c) { return (c >= '0' && c <= '9') || c == '.'; });
  if (const auto& place = warning.location; place.source)
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
  if (figure.is_animated) return drawn_frames(figure, recorder);
  if (figure.panels.empty())
    fail(fmt::format("the figure \"{}\" is empty", figure.name), "line(x, y) inside its block draws a line");
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

std::vector<std::pair<std::string, std::string>> Outputs::drawn_frames(const Figure& asked,
                                                                       const Recorder& recorder) {
  if (std::find(asked.formats.begin(), asked.formats.end(), "mp4") != asked.formats.end()) check_movies();
  const auto figure = with_common_limits(asked, *measurer_);
  const auto count = figure.frames.size();
  for (std::size_t k = 0; k < count; ++k)
    if (figure.frames[k].panels.empty())
      fail(fmt::format("frame {} of the figure \"{}\" is empty", k + 1, figure.name),
           "line(x, y) inside its block draws a line");
  for (std::size_t k = 1; k < count; ++k)
    if (!have_same_panels(figure.frames[0], figure.frames[k]))
      fail(fmt::format("frames 1 and {} of the figure \"{}\" have different panels", k + 1, figure.name),
           "draw the same panels in every frame");
  std::size_t done = 0;
  const Progress progress(fmt::format("drawing the frames of \"{}\"", figure.name), [&] {
    return static_cast<double>(done) / static_cast<double>(count * figure.formats.size());
  });
  std::set<std::string> told;
  const auto frame = [&](std::size_t k) {
    ++done;
    auto list = lay_out(frame_of(figure, k), *measurer_);
    for (const auto& text : list.warnings)
      if (told.insert(text).second)
        warn(Error(fmt::format("figure \"{}\", frame {}: {}", figure.name, figure.frames[k].label, text)));
    list.description = description_of(figure);
    return list;
  };
  std::vector<std::pair<std::string, std::string>> files;
  for (const auto& format : figure.formats) {
    const auto provenance = recorder.provenance(figure.name + "." + format);
    auto bytes = format == "html"  ? render_animated_page(figure, frame)
                 : format == "mp4" ? movie(frame, count, figure.dpi, figure.frame_rate)
                                   : animated_png(frame, count, figure.dpi, figure.frame_rate);
    files.emplace_back(format,
                       provenance.empty() ? bytes : with_provenance(std::move(bytes), format, provenance));
  }
  return files;
}

}  // namespace quill
