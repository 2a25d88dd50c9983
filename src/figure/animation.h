// Animated figures: frames that can be compared.
#pragma once

#include "figure/model.h"
#include "figure/text.h"

namespace quill {

// The figure with one of its frames as what is drawn, and without the others.
Figure frame_of(const Figure& figure, std::size_t k);

// Whether two frames have panels in the same cells, and panels in space in the same ones.
bool have_same_panels(const FigureFrame& a, const FigureFrame& b);

// What is seen of a figure that does not move: its first frame, when it has several.
Figure still_of(const Figure& figure);

// The figure with common settings for all frames: automatic limits cover the data of all of
// them, and so do the ranges of colours and levels; a legend in the best place stands beside its panel.
// Panels and layers belong together by their order.
Figure with_common_limits(Figure figure, TextMeasurer& measurer);

}  // namespace quill
