#include "figure/left_out.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <initializer_list>

#include "base/interrupt.h"

namespace quill {

namespace {

// Counts data that cannot be placed, one at a time.
class Count {
 public:
  struct Coordinate {
    double value;
    ScaleKind scale = ScaleKind::linear;
  };
  void add(std::initializer_list<Coordinate> datum) {
    bool is_infinite = false, is_below = false;
    for (const auto& [value, scale] : datum) {
      if (std::isnan(value)) return;
      is_infinite = is_infinite || std::isinf(value);
      is_below = is_below || (scale == ScaleKind::log && value <= 0);
    }
    if (is_infinite)
      ++infinite;
    else if (is_below)
      ++below;
  }
  std::size_t infinite = 0, below = 0;
};

const char* noun_of(const Layer& layer) {
  if (layer.kind == Layer::Kind::boxes) return layer.is_histogram ? "bin" : "bar";
  return layer.is_grid() ? "value" : "point";
}

// Bars end at a value along y, or x if they are horizontal.
void count_bars(const Layer& layer, const LayerScales& scales, Count& count) {
  for (std::size_t k = 0; k < layer.high.size(); ++k) {
    if (layer.is_histogram)
      count.add({{layer.left[k], scales.x}, {layer.high[k]}});
    else if (layer.is_lying)
      count.add({{layer.low[k], scales.y}, {layer.right[k], scales.x}});
    else
      count.add({{layer.left[k], scales.x}, {layer.high[k], scales.y}});
  }
}

// The base of an area need not be placeable.
void count_region(const Layer& layer, const LayerScales& scales, Count& count) {
  for (std::size_t k = 0; k < layer.x.size(); ++k) {
    const bool on_base = layer.low[k] == layer.base;
    count.add({{layer.x[k], scales.x},
               {layer.high[k], scales.y},
               {layer.low[k], on_base ? ScaleKind::linear : scales.y}});
  }
}

void count_grid(const Layer& layer, const LayerScales& scales, Count& count) {
  if (!layer.pixels.empty()) return;
  const bool in_space = layer.is_spatial();
  for (std::size_t k = 0; k < layer.z.size(); ++k) {
    poll_interrupt_at(k);
    count.add({{layer.z[k], in_space ? scales.z : ScaleKind::linear}});
  }
  Count lines;
  for (const double x : layer.x) lines.add({{x, scales.x}});
  for (const double y : layer.y) lines.add({{y, scales.y}});
  count.below += lines.below;
}

// Error bars may reach beyond a logarithmic axis; their point may not.
void count_points(const Layer& layer, const LayerScales& scales, Count& count) {
  for (std::size_t k = 0; k < layer.x.size(); ++k) {
    poll_interrupt_at(k);
    const auto at = [&](const std::vector<double>& all) { return k < all.size() ? all[k] : 0.0; };
    const auto scale_z = layer.z.empty() ? ScaleKind::linear : scales.z;
    count.add({{layer.x[k], scales.x},
               {layer.y[k], scales.y},
               {at(layer.z), scale_z},
               {at(layer.left)},
               {at(layer.right)},
               {at(layer.low)},
               {at(layer.high)},
               {at(layer.values)}});
  }
}

Count counted_in(const Layer& layer, const LayerScales& scales) {
  Count count;
  if (layer.kind == Layer::Kind::boxes)
    count_bars(layer, scales, count);
  else if (layer.kind == Layer::Kind::region)
    count_region(layer, scales, count);
  else if (layer.is_grid())
    count_grid(layer, scales, count);
  else
    count_points(layer, scales, count);
  return count;
}

}  // namespace

std::vector<std::string> left_out_of(const Layer& layer, const LayerScales& scales) {
  const auto count = counted_in(layer, scales);
  std::vector<std::string> out;
  const auto tell = [&](std::size_t n, const char* one, const char* many) {
    if (n == 0) return;
    const auto label = layer.label.empty() ? "" : fmt::format(" (\"{}\")", layer.label);
    // "2 bars", "2 points of a line"
    const auto what = layer.kind == Layer::Kind::boxes ? "" : fmt::format(" of a {}", name_of(layer.kind));
    out.push_back(
        n == 1 ? fmt::format("1 {}{}{} is not drawn: it is {}", noun_of(layer), what, label, one)
               : fmt::format("{} {}s{}{} are not drawn: they are {}", n, noun_of(layer), what, label, many));
  };
  tell(count.infinite, "infinite", "infinite");
  constexpr const char* below = "0 or negative, and the axis is logarithmic";
  tell(count.below, below, below);
  return out;
}

}  // namespace quill
