// Panels in space: a box of three axes seen by a camera, with surfaces, curves and points.
#pragma once

#include "figure/panel_plan.h"

namespace quill {

// Draws the panel into its area with the limits of its plan, from back to front.
void draw_space(const PanelPlan& plan, const std::vector<Look>& looks, const Theme& theme, TextLayer& text,
                DisplayList& out);

}  // namespace quill
