// From low to high, and from left to right when there are such, with markers at (x, y).
#include "figure/layers/layer_kind.h"

namespace quill {

namespace error_bars_layer {
namespace {

void cover(const Layer& layer, Cover& cover) {
  for (std::size_t k = 0; k < layer.low.size(); ++k) {
    cover.point(layer.x[k], layer.low[k]);
    cover.point(layer.x[k], layer.high[k]);
    if (k < layer.left.size()) {
      cover.x(layer.left[k]);
      cover.x(layer.right[k]);
    }
  }
  cover.points(layer);
}

void draw(Plane& plane) {
  std::vector<std::vector<Point>> pieces;
  const double cap = plane.layer.size * 0.6 * plane.theme.line_factor;
  for (std::size_t k = 0; k < plane.layer.x.size(); ++k) {
    const double x = plane.map(plane.layer.x[k], 1).x, low = plane.down(plane.layer.low[k]),
                 high = plane.down(plane.layer.high[k]);
    if (!std::isfinite(x) || !std::isfinite(plane.layer.low[k]) || !std::isfinite(plane.layer.high[k]))
      continue;
    pieces.push_back({{x, low}, {x, high}});
    // An end that cannot be placed on a logarithmic axis has no cap: the bar leaves the area.
    for (const double end : {plane.layer.low[k], plane.layer.high[k]})
      if (std::isfinite(plane.map.y.share(end)))
        pieces.push_back({{x - cap / 2, plane.down(end)}, {x + cap / 2, plane.down(end)}});
    if (k >= plane.layer.left.size()) continue;
    const double a = plane.across(plane.layer.left[k]), b = plane.across(plane.layer.right[k]),
                 y = plane.map(1, plane.layer.y[k]).y;
    if (!std::isfinite(plane.layer.left[k] + plane.layer.right[k]) || !std::isfinite(y)) continue;
    pieces.push_back({{a, y}, {b, y}});
    for (const double end : {plane.layer.left[k], plane.layer.right[k]})
      if (std::isfinite(plane.map.x.share(end)))
        pieces.push_back({{plane.across(end), y - cap / 2}, {plane.across(end), y + cap / 2}});
  }
  plane.stroke(std::move(pieces), std::max(0.8, plane.width * 0.7), Dash::solid);
  plane.markers();
}

void sample(const Sample& s) {
  const double at = s.x + s.width / 2;
  s.out.items.emplace_back(StrokePath{{{{at, s.middle - 5}, {at, s.middle + 5}}},
                                      s.look.color,
                                      std::max(0.8, s.layer.width * 0.7 * s.theme.line_factor),
                                      Dash::solid});
}

}  // namespace
}  // namespace error_bars_layer

const LayerKind kErrorBarsLayer = {.name = "layer of error bars",
                                   .cover = error_bars_layer::cover,
                                   .draw = error_bars_layer::draw,
                                   .sample = error_bars_layer::sample};

}  // namespace quill
