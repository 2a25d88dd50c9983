// Animated figures.
#pragma once

#include "figure/model.h"
#include "figure/text.h"

namespace quill {

// The figure with one of its frames as its contents, without the others.
Figure frame_of(const Figure& figure, std::size_t k);

// Whether two frames have panels in the same cells, and of the same kind.
bool have_same_panels(const FigureFrame& a, const FigureFrame& b);

// A static version of a figure: its first frame, if it is animated.
Figure still_of(const Figure& figure);

// Gives all frames common settings: automatic limits, colour ranges and contour levels cover the data of all
// frames; legends with automatic position are placed beside the panel. Panels and layers correspond by order.
Figure with_common_limits(Figure figure, TextMeasurer& measurer);

}  // namespace quill
