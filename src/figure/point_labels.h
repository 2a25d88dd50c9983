// Labels of points, moved apart to avoid overlaps.
#pragma once

#include "figure/axes.h"
#include "figure/draw.h"
#include "figure/ink.h"

namespace quill {

// Draws the labels of a panel: near their points, inside of the area, apart from each other and from all
// labelled points, over as little of `ink` as can be, with a leader where they stand away. Labels whose
// points lie outside the limits, and labels without room, are left out, which is reported. `first_index` is
// the owner index of the first one.
void draw_point_labels(const Panel& panel, const Mapping& map, const InkMap& ink, const Theme& theme,
                       TextLayer& text, int first_index, DisplayList& out);

}  // namespace quill
