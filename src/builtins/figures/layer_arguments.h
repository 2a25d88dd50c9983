// Arguments shared by the layers of figures.
#pragma once

#include <functional>

#include "builtins/choices.h"
#include "figure/color.h"
#include "figure/model.h"
#include "figure/palette.h"
#include "value/registry.h"

namespace quill {

// Index of a parameter by name, if it is given; layers share style parameters but not their order.
std::optional<std::size_t> location_of(const Call& call, std::string_view name);
// "depth (m)", or "" without a label.
std::string titled(const LabelPtr& label);
// Sets axis titles that are not set yet; timestamps give time axes.
void name_axes(Layer& layer, const LabelPtr& x, const LabelPtr& y, const LabelPtr& z = nullptr);
// Sets colour, width, dash and other style arguments that are given.
void set_looks(const Call& call, Layer& layer);
// Draws into the open panel, or into a new figure if none is open.
Value drawn(Call& call, const std::function<void(Panel&)>& draw);
// Ends of the range over which a function is drawn.
std::pair<double, double> ends_of(const Call& call, std::size_t i);
// One label for each curve; "" for none.
std::vector<std::string> labels_for(const Call& call, Index curves);
// 1, 2, … n
std::vector<double> counted(Index n);

// Positions along an axis, given as numbers or names. Names are placed in order of first appearance in the
// panel and those linked to it.
struct Positions {
  std::vector<double> values;
  bool is_named = false;
};
bool holds_names(const Value& value);
Positions positions_of(Call& call, std::size_t i, Panel& panel, Axis Panel::*axis);

// x and y of curves: y alone is drawn over 1, 2, …; a matrix has a curve in each column. `along` is the axis
// of x.
struct Curves {
  bool is_counted = false;  // x is 1, 2, …
  bool is_named = false;    // x are names
  std::vector<double> x;
  std::vector<std::vector<double>> y;
  LabelPtr x_label, y_label;
};
Curves curves_of(Call& call, Panel& panel, Axis Panel::*along = &Panel::x);
// Whether all are integers, so that bars and stems have no positions in between.
bool are_whole(const std::vector<double>& x);

namespace layer_parameters {

inline const Parameter kLabel = {"label", "text for the legend; a vector of texts for several lines", "none"};
inline const Parameter kColor =
    named({"color", "CSS colour name, \"#rrggbb\", or a number of the colour cycle", "next of the cycle"},
          [](std::string_view t) { return parse_color(t).has_value(); });
inline const Parameter kWidth = {"width", "line width, in points", "1.5"};
inline const Parameter kDash =
    named({"dash", "\"solid\", \"dashed\", \"dotted\" or \"dash_dot\"", "\"solid\""},
          [](std::string_view t) { return parse_dash(t).has_value(); });
inline const Parameter kMarker = named(
    {"marker", "\"disc\", \"ring\", \"square\", \"diamond\", \"triangle\", \"cross\", \"plus\" or \"none\"",
     "\"none\""},
    [](std::string_view t) { return parse_marker(t).has_value(); });
inline const Parameter kPattern = named(
    advanced(
        {"pattern",
         "fill pattern: \"none\", \"rising\", \"falling\", \"crossed\", \"level\", \"upright\" or \"dotted\"",
         "\"none\"; the next one in the theme \"print\""}),
    [](std::string_view t) { return parse_pattern(t).has_value(); });
inline const Parameter kSide = one_of(
    advanced({"axis", "\"left\" or \"right\": vertical axis of the values; see right_axis", "\"left\""}),
    choices::kAxisSides);
inline const Parameter kSize = {"size", "marker size, in points", "4.5"};
inline const Parameter kOpacity = advanced({"opacity", "from 0 to 1", "1"});
inline const Parameter kOrder =
    advanced({"layer", "drawing order; layers with smaller numbers are drawn first", "order of the calls"});
inline const Parameter kPalette = named({"palette", "name of a palette; see palette", "palette of the panel"},
                                        [](std::string_view t) { return find_palette(t) != nullptr; });
inline const Parameter kColorLimits = {"limits", "values (low, high) at the ends of the palette",
                                       "range of the values"};
inline const Parameter kBase = {"base", "value of the base line", "0"};

inline constexpr std::string_view kFamily = "figures";
inline constexpr std::string_view kNothing =
    "nothing; the layer is added to the open panel, or to a new figure if none is open";

}  // namespace layer_parameters

}  // namespace quill
