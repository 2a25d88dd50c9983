// Layout: from the model of a figure to drawing instructions.
#pragma once

#include "figure/display.h"
#include "figure/model.h"

namespace quill {

// Lays out a figure: limits and ticks, room for measured texts, the grid of panels, legends. Texts lie inside
// the page and do not overlap if there is room. Throws Error if panels get no area.
DisplayList lay_out(const Figure& figure, TextMeasurer& measurer);

}  // namespace quill
