// left … right, low … high: bars and histograms.
#include <algorithm>
#include "figure/layers/layer_kind.h"

namespace quill {

namespace boxes_layer {
namespace {

bool shows(const Layer& layer) {
  return !layer.is_histogram ||
         std::any_of(layer.high.begin(), layer.high.end(), [](double v) { return v > 0; });
}

void cover(const Layer& layer, Cover& cover) {
  // A bar without a value keeps its slot.
  const auto span = [](double from, double to, auto cover_one) {
    if (!std::isfinite(from + to)) return;
    cover_one(from);
    cover_one(to);
  };
  for (std::size_t k = 0; k < layer.left.size(); ++k) {
    span(layer.left[k], layer.right[k], [&](double x) { cover.x(x); });
    span(layer.low[k], layer.high[k], [&](double y) { cover.y(y); });
  }
  auto& extent = cover.extent;
  if (layer.is_lying) {
    extent.tight_left = extent.x.low == layer.base;
    extent.tight_right = extent.x.high == layer.base;
  } else {
    extent.tight_low = extent.y.low == layer.base;
    extent.tight_high = extent.y.high == layer.base;
  }
}

void draw(Plane& plane) {
  std::vector<std::vector<Point>> fill;
  StrokePath edges{{}, plane.theme.paper, 0.7};
  for (std::size_t k = 0; k < plane.layer.left.size(); ++k) {
    const auto& layer = plane.layer;
    if (!std::isfinite(layer.low[k] + layer.high[k] + layer.left[k] + layer.right[k])) continue;
    if (layer.is_lying) {
      const double c = plane.map(1, layer.low[k]).y, d = plane.map(1, layer.high[k]).y;
      if (!std::isfinite(c) || !std::isfinite(d)) continue;
      const double a = plane.across(layer.left[k]), b = plane.across(layer.right[k]);
      fill.push_back({{a, c}, {b, c}, {b, d}, {a, d}});
      if (std::fabs(d - c) > 3) edges.pieces.push_back({{a, c}, {b, c}, {b, d}, {a, d}});
      continue;
    }
    const double a = plane.map(layer.left[k], 1).x, b = plane.map(layer.right[k], 1).x;
    if (!std::isfinite(a) || !std::isfinite(b)) continue;
    const double c = plane.down(layer.low[k]), d = plane.down(layer.high[k]);
    fill.push_back({{a, c}, {b, c}, {b, d}, {a, d}});
    if (std::fabs(b - a) > 3) edges.pieces.push_back({{a, c}, {a, d}, {b, d}, {b, c}});
  }
  if (fill.empty()) return;
  plane.fill(std::move(fill));
  if (!edges.pieces.empty() && plane.look.pattern == Pattern::none) plane.clipped(std::move(edges));
}

}  // namespace
}  // namespace boxes_layer

const LayerKind kBoxesLayer = {.name = "layer of bars",
                               .has_ink = boxes_layer::shows,
                               .cover = boxes_layer::cover,
                               .draw = boxes_layer::draw,
                               .sample = [](const Sample& s) { s.area(); }};

}  // namespace quill
