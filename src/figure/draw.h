// Layers of a panel: extents, looks and drawing.
#pragma once

#include <cmath>

#include "figure/curve.h"
#include "figure/palette.h"
#include "figure/ticks.h"

namespace quill {

// Mapping from values to colours.
struct ColorScale {
  const Palette* palette = nullptr;
  Limits range;
  bool is_reversed = false;  // reverses sequential palettes, on dark paper
  Color at(double value) const;
  Color at_share(double share) const { return palette->at(is_reversed ? 1 - share : share); }
};
// Colour scale of the first layer coloured by value; nothing if there is none.
std::optional<ColorScale> color_scale(const Panel& panel, const Theme& theme);
ColorScale color_scale(const Layer& layer, const Panel& panel, const Theme& theme);

// Contour levels: as given, or about eight round numbers.
std::vector<double> contour_levels(const Layer& layer);

// Colours of the regions below, between and above the levels.
std::vector<Color> filled_contour_colors(const Layer& layer, const std::vector<double>& levels,
                                         const ColorScale& scale);

// Extent of the finite points of a layer. Ends that the axis should not exceed are `tight`: a grid fills its
// panel, bars start at the axis.
struct Extent {
  Limits x{INFINITY, -INFINITY}, y{INFINITY, -INFINITY};
  bool tight_left = false, tight_right = false, tight_low = false, tight_high = false;
  bool any() const { return x.low <= x.high && y.low <= y.high; }
};
// Whether the layer is visible: nonempty bins, levels within the values, arrows with a length.
bool has_ink(const Layer& layer);
Extent extent_of(const Layer& layer, ScaleKind x_scale, ScaleKind y_scale);

// Colour, dash and marker of a layer in its theme.
struct Look {
  Color color;
  Dash dash = Dash::solid;
  Marker marker = Marker::none;
  Pattern pattern = Pattern::none;
};
// Looks of all layers of a panel, in order. Layers without a colour take the next of the cycle; when it
// repeats, dashes and markers change.
std::vector<Look> looks_of(const Panel& panel, const Theme& theme);

// Parameters for drawing a layer.
struct LayerDrawing {
  const Layer& layer;
  const Look& look;
  const Panel& panel;
  const Theme& theme;
  TextMeasurer& measurer;
  DisplayList& out;
};
void draw_layer(const LayerDrawing& drawing, const Mapping& map);
// Draws its legend sample around (x, middle) with a width.
void draw_sample(const LayerDrawing& drawing, double x, double middle, double width);

}  // namespace quill
