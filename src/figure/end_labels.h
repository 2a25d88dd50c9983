// Labels at the right ends of lines, instead of a legend.
#pragma once

#include "figure/axes.h"
#include "figure/draw.h"

namespace quill {

struct EndLabels {
  std::vector<std::size_t> layers;  // layers labelled at their ends
  std::vector<TextLine> labels;
  double width = 0;  // including the gap before them
};
// Chooses as many lines, in order, as have room for their labels over `height`; the others are left to a
// legend. Shortens labels wider than `widest`.
EndLabels plan_end_labels(const Panel& panel, double height, double widest, const Theme& theme,
                          TextLayer& text);
// `right`: for layers of the right axis; `beside`: width of what is between area and labels.
void draw_end_labels(const EndLabels& plan, const Panel& panel, const std::vector<Look>& looks,
                     const Mapping& map, const Mapping& right, double beside, DisplayList& out);

}  // namespace quill
