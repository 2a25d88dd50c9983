// Where the panels of a figure stand.
#pragma once

#include "figure/panel_plan.h"

namespace quill {

// Sets the areas of the panels from the room that they need around them: those of the grid, with their areas
// in line and of one size, and those placed by fractions of the page. One that lies within another panel is
// moved inside of its area. Error when there is no room, or when panels would lie over each other's labels.
void place_panels(const Figure& figure, const Rect& page, std::vector<PanelPlan>& plans);

}  // namespace quill
