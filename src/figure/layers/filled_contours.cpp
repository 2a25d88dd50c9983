// The regions between lines of equal value.
#include "figure/layers/layer_kind.h"

#include <algorithm>
#include <limits>

#include "figure/contour.h"

namespace quill {

namespace filled_contours_layer {
namespace {

void draw(Plane& plane) {
  const GridValues grid{plane.layer.x, plane.layer.y, plane.layer.z};
  auto levels = contour_levels(plane.layer);
  const auto scale = color_scale(plane.layer, plane.panel, plane.theme);
  if (levels.empty()) return;
  const auto colors = filled_contour_colors(plane.layer, levels, scale);
  // Draws regions from the lowest up, each over the previous one; the first region contains all values.
  levels.insert(levels.begin(), -std::numeric_limits<double>::max());
  for (std::size_t k = 0; k < levels.size(); ++k) {
    auto pieces = plane.on_page(region_above(grid, levels[k]));
    if (pieces.empty()) continue;
    plane.clipped(FillPath{std::move(pieces), colors[k]});
  }
}

}  // namespace
}  // namespace filled_contours_layer

std::vector<Color> filled_contour_colors(const Layer& layer, const std::vector<double>& levels,
                                         const ColorScale& scale) {
  std::vector<Color> out;
  for (std::size_t k = 0; k <= levels.size(); ++k) {
    const double low = k == 0 ? scale.range.low : levels[k - 1],
                 high = k < levels.size() ? levels[k] : scale.range.high;
    out.push_back(scale.at((std::max(low, scale.range.low) + std::min(high, scale.range.high)) / 2));
    out.back().alpha *= layer.opacity;
  }
  return out;
}

const LayerKind kFilledContoursLayer = {.name = "layer of filled contours",
                                        .is_grid = true,
                                        .cover = cover_grid,
                                        .draw = filled_contours_layer::draw,
                                        .sample = [](const Sample& s) { s.gradient(); }};

}  // namespace quill
