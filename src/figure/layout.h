// From the figure as data to what is drawn where.
#pragma once

#include "figure/display.h"
#include "figure/model.h"

namespace quill {

// Lays out the figure: limits and ticks, room for measured texts, panels in their grid, legends where they
// are wanted. Texts lie inside the page and do not overlap each other as long as the page has the room.
// Error when the panels get no room at all.
DisplayList lay_out(const Figure& figure, TextMeasurer& measurer);

}  // namespace quill
