// Panels in space: a box of three axes seen from a camera, with surfaces, curves and points in it.
#pragma once

#include "figure/panel_plan.h"

namespace quill {

// Draws the whole panel into its area, between the limits of its plan. What lies behind is drawn first.
void draw_space(const PanelPlan& plan, const std::vector<Look>& looks, const Theme& theme, TextLayer& text,
                DisplayList& out);

}  // namespace quill
