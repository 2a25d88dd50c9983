// Arrangement of bars.
#pragma once

#include "figure/model.h"

namespace quill {

// Sets the boxes of all bars of a panel from their positions and values. Calls with a common position are
// grouped there, each column of a matrix in a slot of its own; the columns of a stacked call share one:
// positive values upwards from the base, negative ones downwards. Calls that are overlaid have the whole
// width. A bar without a value keeps its slot.
void arrange_bars(Panel& panel);

}  // namespace quill
