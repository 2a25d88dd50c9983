// Arrangement of panels on the page.
#pragma once

#include "figure/panel_plan.h"

namespace quill {

// Sets the areas of panels from the room required around them: grid panels aligned and of equal size, others
// by fractions of the page. A panel that lies within another one is moved inside of its area. Throws Error if
// there is no room, or if panels would cover each other's labels.
void place_panels(const Figure& figure, const Rect& page, std::vector<PanelPlan>& plans);

}  // namespace quill
