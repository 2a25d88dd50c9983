// The regions between lines of equal value.
#include "figure/layers/layer_kind.h"

#include <algorithm>
#include <limits>

#include "figure/contour.h"

namespace quill {

namespace {

void draw(Plane& plane) {
  const GridValues grid{plane.layer.x, plane.layer.y, plane.layer.z};
  auto levels = contour_levels(plane.layer);
  const auto scale = color_scale(plane.layer, plane.panel, plane.theme);
  if (levels.empty()) return;
  // From the lowest up, each region over the last; below the first level lies all that has values.
  levels.insert(levels.begin(), -std::numeric_limits<double>::max());
  for (std::size_t k = 0; k < levels.size(); ++k) {
    auto pieces = plane.on_page(region_above(grid, levels[k]));
    if (pieces.empty()) continue;
    const double low = k == 0 ? scale.range.low : levels[k],
                 high = k + 1 < levels.size() ? levels[k + 1] : scale.range.high;
    auto color = scale.at((std::max(low, scale.range.low) + std::min(high, scale.range.high)) / 2);
    color.alpha *= plane.layer.opacity;
    plane.clipped(FillPath{std::move(pieces), color});
  }
}

}  // namespace

const LayerKind kFilledContoursLayer = {.name = "layer of filled contours",
                                        .is_grid = true,
                                        .cover = cover_grid,
                                        .draw = draw,
                                        .sample = [](const Sample& s) { s.gradient(); }};

}  // namespace quill
