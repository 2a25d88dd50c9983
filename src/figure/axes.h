// Axes of panels in the plane: ticks, labels, frame and grid.
#pragma once

#include "figure/curve.h"
#include "figure/text_layer.h"
#include "figure/ticks.h"

namespace quill {

// Plan of one axis, with measured texts.
struct AxisPlan {
  Scale scale;
  Ticks ticks;
  std::vector<TextLine> labels;
  std::vector<TextLine> title;
  TextLine common;                            // factor or offset common to all labels, at the end of the axis
  std::vector<std::vector<TextLine>> broken;  // labels broken into lines, instead of the others
  bool slanted = false;                       // labels are slanted
  bool leaves_out = false;                    // some requested labels have no room
  bool labels_shown = true;
  bool is_count = false;  // ticks only at integers
  std::string context;    // time axes: the day or year omitted from labels

  double widest() const;
  double tallest() const;  // with labels broken or slanted
  double title_height() const;
  // How far a label of an x axis extends to the left and right of its tick.
  std::pair<double, double> reach_of(std::size_t k) const;
};

// About `wanted` ticks of a scale; `context` receives what labels of times omit.
Ticks ticks_of(const Scale& scale, double wanted, std::string& context, bool is_count = false);

// Sets the requested ticks, sorted, or about `wanted` automatic ones, with their labels and common part.
void set_ticks(AxisPlan& plan, const Axis& axis, double wanted);
// Title with the power of ten omitted from labels, if that is not displayed elsewhere.
std::string with_common(const std::string& title, const AxisPlan& axis);
// The same in one line, shortened to a width with ….
std::string title_within(const std::string& title, const AxisPlan& axis, const Font& font, double width,
                         TextLayer& text);
// Title with the day or year omitted from time labels.
std::string with_context(const std::string& title, const AxisPlan& axis);

// Computes ticks for an axis of this length in points, such that labels do not touch.
void make_ticks(AxisPlan& plan, const Axis& axis, double length, bool is_x, const Theme& theme,
                TextLayer& text);

// Adds text to the page.
void put_text(DisplayList& out, const TextLine& line, Point baseline, const Color& color,
              const std::string& role, double angle = 0);

constexpr double kTickGap = 3;
constexpr double kSlant = 0.7;  // radians

void draw_grid(const Panel& panel, const AxisPlan& x, const AxisPlan& y, const Mapping& map,
               const Theme& theme, DisplayList& out);
// Draws the right axis with ticks and labels.
void draw_right_axis(const AxisPlan& plan, const Axis& axis, const Mapping& map, const Theme& theme,
                     DisplayList& out);
// Draws edges, ticks and labels.
void draw_axes(const Panel& panel, const AxisPlan& x, const AxisPlan& y, const Mapping& map,
               const Theme& theme, DisplayList& out);

}  // namespace quill
