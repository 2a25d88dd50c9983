// What a panel shows between which limits, before anything has its place.
#pragma once

#include "figure/annotations.h"
#include "figure/end_labels.h"
#include "figure/legend.h"

namespace quill {

struct PanelPlan {
  const Panel* panel = nullptr;
  AxisPlan x, y, z;     // z of panels in space
  AxisPlan right_axis;  // when the panel shows one
  bool has_right = false;
  std::string x_title, y_title, z_title, right_title;
  bool shares_x_title = false, shares_y_title = false;  // with the linked panels of its row or column
  std::vector<TextLine> title;
  LegendPlan legend;
  bool legend_beside = false;  // the best place is beside the panel, since no place in it is free
  ColorBarPlan bar;
  double title_gap = 7;  // between the title and the area
  EndLabels ends;
  bool is_spatial = false;
  double right_axis_room = 0;  // with its labels and its title, beside the area
  Rect area;
  double left = 0, right = 0, top = 0, bottom = 0;  // room needed around the area
  double room_left = 0, room_below = 0;             // room there is, shared with other panels
  bool is_inset = false;                            // stands within another panel
  // The area with all that is needed around it.
  Rect outer() const {
    return {area.x - left, area.y - top, area.width + left + right, area.height + top + bottom};
  }
};

// The panels with titles and limits: those of the data, linked as the figure says, or those asked for. Warns
// of what cannot be drawn; `hints` gets what would make panels easier to compare.
std::vector<PanelPlan> plan_panels(const Figure& figure, TextLayer& text, std::vector<std::string>& hints);

// Whether two panels have their limits in common.
bool are_linked(Link how, const Panel& a, const Panel& b);

}  // namespace quill
