// What layers cover and how they look, before anything is drawn. Tested by layers_test.cpp.
#include <algorithm>
#include <cmath>
#include <set>

#include "base/interrupt.h"
#include "figure/draw.h"

namespace quill {

Color ColorScale::at(double value) const {
  const double share =
      range.high > range.low ? (value / 2 - range.low / 2) / (range.high / 2 - range.low / 2) : 0.5;
  return palette->at(share);
}

namespace {

Limits finite_range(const std::vector<double>& values) {
  Limits l{INFINITY, -INFINITY};
  for (const double v : values)
    if (std::isfinite(v)) l = {std::min(l.low, v), std::max(l.high, v)};
  return l;
}

}  // namespace

ColorScale color_scale(const Layer& layer, const Panel& panel) {
  ColorScale out;
  out.palette = find_palette(layer.palette.empty() ? panel.palette : layer.palette);
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

std::optional<ColorScale> color_scale(const Panel& panel) {
  for (const auto& layer : panel.layers)
    if (layer.is_coloured_by_value()) return color_scale(layer, panel);
  return std::nullopt;
}

std::vector<double> contour_levels(const Layer& layer) {
  if (!layer.levels.empty()) return layer.levels;
  const auto l = finite_range(layer.z);
  if (!(l.low < l.high)) return {};
  constexpr double wanted = 8;
  return linear_ticks(l.low, l.high, wanted).positions;
}

bool has_ink(const Layer& layer) {
  if (layer.kind == Layer::Kind::contours) return !contour_levels(layer).empty();
  if (layer.is_histogram)
    return std::any_of(layer.high.begin(), layer.high.end(), [](double v) { return v > 0; });
  if (layer.kind != Layer::Kind::arrows) return true;
  for (std::size_t k = 0; k < layer.right.size(); ++k)
    if (std::isfinite(layer.right[k]) && std::isfinite(layer.high[k]) &&
        (layer.right[k] != 0 || layer.high[k] != 0))
      return true;
  return false;
}

Extent extent_of(const Layer& layer, ScaleKind x_scale, ScaleKind y_scale) {
  poll_interrupt();
  Extent e;
  const auto widen = [](Limits& l, double v, ScaleKind scale) {
    if (!std::isfinite(v) || (scale == ScaleKind::log && v <= 0)) return;
    l = {std::min(l.low, v), std::max(l.high, v)};
  };
  const auto both = [&](double x, double y) {
    if (!std::isfinite(x) || !std::isfinite(y)) return;
    if ((x_scale == ScaleKind::log && x <= 0) || (y_scale == ScaleKind::log && y <= 0)) return;
    widen(e.x, x, x_scale);
    widen(e.y, y, y_scale);
  };
  using enum Layer::Kind;
  if (layer.is_grid()) {
    if (!std::any_of(layer.z.begin(), layer.z.end(), [](double v) { return std::isfinite(v); })) return e;
    for (const double v : layer.x) widen(e.x, v, x_scale);
    for (const double v : layer.y) widen(e.y, v, y_scale);
    e.tight_x = e.tight_low = e.tight_high = true;
    return e;
  }
  if (layer.kind == boxes) {
    for (std::size_t k = 0; k < layer.left.size(); ++k) {
      if (!std::isfinite(layer.low[k]) || !std::isfinite(layer.high[k])) continue;
      widen(e.x, layer.left[k], x_scale);
      widen(e.x, layer.right[k], x_scale);
      widen(e.y, layer.low[k], y_scale);
      widen(e.y, layer.high[k], y_scale);
    }
    e.tight_low = e.y.low == layer.base;
    e.tight_high = e.y.high == layer.base;
    return e;
  }
  if (layer.kind == region || layer.kind == error_bars)
    for (std::size_t k = 0; k < layer.low.size(); ++k) {
      both(layer.x[k], layer.low[k]);
      both(layer.x[k], layer.high[k]);
      if (k < layer.left.size()) {
        widen(e.x, layer.left[k], x_scale);
        widen(e.x, layer.right[k], x_scale);
      }
    }
  for (std::size_t k = 0; k < layer.y.size(); ++k)
    both(layer.x[k], layer.focus ? std::clamp(layer.y[k], layer.focus->low, layer.focus->high) : layer.y[k]);
  if (layer.kind == arrows && e.any()) {
    // Room for the arrows of the outermost points: half of what they stand apart.
    const auto pad = [&](Limits& l, const std::vector<double>& at, ScaleKind scale) {
      const auto places = std::set<double>(at.begin(), at.end()).size();
      const double count = static_cast<double>(at.size());
      const double parts = 2 * places < at.size() ? static_cast<double>(places) - 1 : std::sqrt(count);
      const double room = 0.5 * (l.high - l.low) / std::max(2.0, parts);
      if (std::isfinite(room) && scale != ScaleKind::log) l = {l.low - room, l.high + room};
    };
    pad(e.x, layer.x, x_scale);
    pad(e.y, layer.y, y_scale);
  }
  if (layer.kind == stems) widen(e.y, layer.base, y_scale);
  if (layer.kind == region && !layer.low.empty() &&
      std::all_of(layer.low.begin(), layer.low.end(), [&](double v) { return v == layer.base; }))
    e.tight_low = e.y.low == layer.base;
  return e;
}

std::vector<Look> looks_of(const Panel& panel, const Theme& theme) {
  std::vector<Look> out;
  std::size_t next = 0;
  constexpr Dash dashes[] = {Dash::solid, Dash::dashed, Dash::dotted, Dash::dash_dot};
  for (const auto& layer : panel.layers) {
    Look look{theme.ink, layer.dash.value_or(Dash::solid)};
    // What takes its colours from a palette leaves those of the cycle to the others.
    if (!layer.is_coloured_by_value()) {
      const auto number = layer.color ? 0 : layer.cycle ? static_cast<std::size_t>(*layer.cycle - 1) : next++;
      look.color = layer.color ? *layer.color : theme.cycle[number % theme.cycle.size()];
      look.color.alpha *= layer.opacity;
      if (theme.varies_dashes && !layer.dash && layer.kind == Layer::Kind::line)
        look.dash = dashes[number % 4];
    }
    out.push_back(look);
  }
  return out;
}

}  // namespace quill
