// Axes of a panel in the plane: ticks that have room, their labels, the frame and the grid.
#pragma once

#include "figure/curve.h"
#include "figure/text_layer.h"
#include "figure/ticks.h"

namespace quill {

// What stands along one axis of a panel, with its measured texts.
struct AxisPlan {
  Scale scale;
  Ticks ticks;
  std::vector<TextLine> labels;
  std::vector<TextLine> title;
  TextLine common;                            // what the labels leave out, at the end of the axis
  std::vector<std::vector<TextLine>> broken;  // labels of several lines, in the place of the others
  bool slanted = false;                       // the labels rise from left to right
  bool leaves_out = false;                    // labels that were asked for and have no room
  bool labels_shown = true;
  bool is_count = false;  // ticks at integers alone
  std::string context;    // of an axis of time: the day or year that its ticks do not say

  double widest() const;
  double tallest() const;  // as they stand, broken or slanted
  double title_height() const;
  // How far a label of an x axis reaches to the left and to the right of its tick.
  std::pair<double, double> reach_of(std::size_t k) const;
};

// About `wanted` ticks of a scale; `context` is what the labels of times leave out.
Ticks ticks_of(const Scale& scale, double wanted, std::string& context, bool is_count = false);

// The ticks that were asked for, sorted, or about `wanted` others, with what they say and what that leaves
// out.
void set_ticks(AxisPlan& plan, const Axis& axis, double wanted);
// A title with the power of ten that the labels leave out, where it has no place of its own.
std::string with_common(const std::string& title, const AxisPlan& axis);
// A title with all of that in one line, cut with … to a width.
std::string title_within(const std::string& title, const AxisPlan& axis, const Font& font, double width,
                         TextLayer& text);
// A title with the day or year that the ticks of an axis of time do not say.
std::string with_context(const std::string& title, const AxisPlan& axis);

// Ticks for an axis of a length in points, with labels that do not touch each other.
void make_ticks(AxisPlan& plan, const Axis& axis, double length, bool is_x, const Theme& theme,
                TextLayer& text);

// Text as an item of the page.
void put_text(DisplayList& out, const TextLine& line, Point baseline, const Color& color,
              const std::string& role, double angle = 0);

constexpr double kTickGap = 3;
constexpr double kSlant = 0.7;  // radians

void draw_grid(const Panel& panel, const AxisPlan& x, const AxisPlan& y, const Mapping& map,
               const Theme& theme, DisplayList& out);
// The axis at the right edge, with its ticks and labels.
void draw_right_axis(const AxisPlan& plan, const Axis& axis, const Mapping& map, const Theme& theme,
                     DisplayList& out);
// Edges, ticks and their labels.
void draw_axes(const Panel& panel, const AxisPlan& x, const AxisPlan& y, const Mapping& map,
               const Theme& theme, DisplayList& out);

}  // namespace quill
