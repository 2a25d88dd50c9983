// Labels of lines at their right ends, in the place of a legend.
#pragma once

#include "figure/axes.h"
#include "figure/draw.h"

namespace quill {

struct EndLabels {
  std::vector<std::size_t> layers;  // that have their label at their end
  std::vector<TextLine> labels;
  double width = 0;  // with the gap before them
};
// As many lines as have room for their labels beside each other over `height`, in order; what has no end, or
// no room, is left to a legend. Longer labels than `widest` are cut.
EndLabels plan_end_labels(const Panel& panel, double height, double widest, const Theme& theme,
                          TextLayer& text);
// `right`: for the layers of the right axis; `beside`: what stands between the area and the labels.
void draw_end_labels(const EndLabels& plan, const Panel& panel, const std::vector<Look>& looks,
                     const Mapping& map, const Mapping& right, double beside, DisplayList& out);

}  // namespace quill
