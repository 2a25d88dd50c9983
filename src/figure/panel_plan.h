// Contents and limits of panels, before their positions are known.
#pragma once

#include "figure/annotations.h"
#include "figure/end_labels.h"
#include "figure/legend.h"

namespace quill {

struct PanelPlan {
  const Panel* panel = nullptr;
  AxisPlan x, y, z;     // z only for panels in space
  AxisPlan right_axis;  // if the panel has one
  bool has_right = false;
  std::string x_title, y_title, z_title, right_title;
  bool shares_x_title = false, shares_y_title = false;  // one title for linked panels of a row or column
  std::vector<TextLine> title;
  LegendPlan legend;
  bool legend_beside = false;  // beside the panel, since there is no free position inside
  ColorBarPlan bar;
  double title_gap = 7;  // between the title and the area
  EndLabels ends;
  bool is_spatial = false;
  double right_axis_room = 0;  // with labels and title, beside the area
  Rect area;
  double left = 0, right = 0, top = 0, bottom = 0;  // room needed around the area
  double room_left = 0, room_below = 0;             // room available, shared with other panels
  bool is_inset = false;                            // placed inside another panel
  // The area with everything around it.
  Rect outer() const {
    return {area.x - left, area.y - top, area.width + left + right, area.height + top + bottom};
  }
};

// Plans all panels: limits from data, linked as requested, or as given. Warns of data that cannot be drawn;
// `hints` receives advice for better comparison of panels.
std::vector<PanelPlan> plan_panels(const Figure& figure, TextLayer& text, std::vector<std::string>& hints);

// Whether two panels share limits.
bool are_linked(Link how, const Panel& a, const Panel& b);

}  // namespace quill
