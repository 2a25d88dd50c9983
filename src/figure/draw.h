// Layers of a panel: what they cover, how they look, and their drawing.
#pragma once

#include <cmath>

#include "figure/curve.h"
#include "figure/palette.h"
#include "figure/ticks.h"

namespace quill {

// How values become colours.
struct ColorScale {
  const Palette* palette = nullptr;
  Limits range;
  bool is_turned = false;  // on dark paper sequential palettes begin at their dark end
  Color at(double value) const;
  Color at_share(double share) const { return palette->at(is_turned ? 1 - share : share); }
};
// Of the first layer of a panel that is coloured by value; nothing when there is none.
std::optional<ColorScale> color_scale(const Panel& panel, const Theme& theme);
ColorScale color_scale(const Layer& layer, const Panel& panel, const Theme& theme);

// The levels of contours: those asked for, or about eight round numbers.
std::vector<double> contour_levels(const Layer& layer);

// The colours of the regions below, between and above the levels.
std::vector<Color> filled_contour_colors(const Layer& layer, const std::vector<double>& levels,
                                         const ColorScale& scale);

// What a layer covers, of finite points alone. The ends that the axis should not go beyond are `tight`: a
// grid fills its panel, bars stand on theirs.
struct Extent {
  Limits x{INFINITY, -INFINITY}, y{INFINITY, -INFINITY};
  bool tight_left = false, tight_right = false, tight_low = false, tight_high = false;
  bool any() const { return x.low <= x.high && y.low <= y.high; }
};
// Whether anything of it can be seen: bins that hold something, levels among the values, arrows with a
// length.
bool has_ink(const Layer& layer);
Extent extent_of(const Layer& layer, ScaleKind x_scale, ScaleKind y_scale);

// A layer's colour, dash and marker in its theme.
struct Look {
  Color color;
  Dash dash = Dash::solid;
  Marker marker = Marker::none;
  Pattern pattern = Pattern::none;
};
// Of all layers of a panel, in order: the cycle goes on with each one that names no colour. Its next round
// has other dashes and markers, since the colours are the same again.
std::vector<Look> looks_of(const Panel& panel, const Theme& theme);

// What drawing a layer takes.
struct LayerDrawing {
  const Layer& layer;
  const Look& look;
  const Panel& panel;
  const Theme& theme;
  TextMeasurer& measurer;
  DisplayList& out;
};
void draw_layer(const LayerDrawing& drawing, const Mapping& map);
// Its sample in a legend, around (x, middle) over a width.
void draw_sample(const LayerDrawing& drawing, double x, double middle, double width);

}  // namespace quill
