// The colours and looks of layers.
#include <algorithm>
#include <cmath>

#include "figure/layers/layer_kind.h"

namespace quill {

Color ColorScale::at(double value) const {
  const double share =
      range.high > range.low ? (value / 2 - range.low / 2) / (range.high / 2 - range.low / 2) : 0.5;
  return at_share(share);
}

namespace {

Limits finite_range(const std::vector<double>& values) {
  Limits l{INFINITY, -INFINITY};
  for (const double v : values)
    if (std::isfinite(v)) l = {std::min(l.low, v), std::max(l.high, v)};
  return l;
}

}  // namespace

ColorScale color_scale(const Layer& layer, const Panel& panel, const Theme& theme) {
  ColorScale out;
  out.palette = find_palette(layer.palette.empty() ? panel.palette : layer.palette);
  constexpr double half = 0.5;
  out.is_reversed =
      out.palette->family == PaletteFamily::sequential && to_oklab(theme.paper).lightness < half;
  if (layer.range) {
    out.range = *layer.range;
    return out;
  }
  auto l = finite_range(layer.kind == Layer::Kind::scatter ? layer.values : layer.z);
  if (!(l.low <= l.high)) l = {0, 1};
  // Around zero the middle of a diverging palette is zero.
  if (out.palette->family == PaletteFamily::diverging && l.low < 0 && l.high > 0) {
    const double far = std::max(-l.low, l.high);
    l = {-far, far};
  }
  out.range = l;
  return out;
}

std::optional<ColorScale> color_scale(const Panel& panel, const Theme& theme) {
  for (const auto& layer : panel.layers)
    if (layer.is_coloured_by_value() && layer.pixels.empty()) return color_scale(layer, panel, theme);
  return std::nullopt;
}

std::vector<double> contour_levels(const Layer& layer) {
  if (!layer.levels.empty()) return layer.levels;
  const auto l = finite_range(layer.z);
  if (!(l.low < l.high)) return {};
  constexpr double wanted = 8;
  return linear_ticks(l.low, l.high, wanted).positions;
}

std::vector<Look> looks_of(const Panel& panel, const Theme& theme) {
  std::vector<Look> out;
  std::size_t next = 0;
  constexpr Dash dashes[] = {Dash::solid, Dash::dashed, Dash::dotted, Dash::dash_dot};
  constexpr Marker shapes[] = {Marker::disc, Marker::square, Marker::triangle, Marker::diamond, Marker::ring};
  constexpr Pattern patterns[] = {Pattern::none,    Pattern::rising, Pattern::dotted, Pattern::crossed,
                                  Pattern::falling, Pattern::level,  Pattern::upright};
  for (const auto& layer : panel.layers) {
    Look look{theme.ink, layer.dash.value_or(Dash::solid), marker_of(layer)};
    // Layers coloured by value take no colour of the cycle.
    if (!layer.is_coloured_by_value()) {
      const auto number = layer.color ? 0 : layer.cycle ? static_cast<std::size_t>(*layer.cycle - 1) : next++;
      const auto round = number / theme.cycle.size();
      look.color = layer.color ? *layer.color : theme.cycle[number % theme.cycle.size()];
      const bool is_line = layer.kind == Layer::Kind::line && !layer.dash;
      if (is_line && round > 0) look.dash = dashes[round % std::size(dashes)];
      if (layer.marker == Marker::none && look.marker != Marker::none)
        look.marker = shapes[round % std::size(shapes)];
      look.color.alpha *= layer.opacity;
      if (theme.varies_dashes && is_line) look.dash = dashes[(number + round) % std::size(dashes)];
      const bool is_area = layer.kind == Layer::Kind::boxes || layer.kind == Layer::Kind::region;
      if (theme.varies_dashes && is_area) look.pattern = patterns[number % std::size(patterns)];
    }
    if (layer.pattern) look.pattern = *layer.pattern;
    out.push_back(look);
  }
  return out;
}

}  // namespace quill
