// A colour for each cell of the grid of values z; x and y are the edges.
#include "figure/layers/layer_kind.h"

namespace quill {

namespace heatmap_layer {
namespace {

void draw(Plane& plane) {
  const auto scale = color_scale(plane.layer, plane.panel, plane.theme);
  const auto columns = plane.layer.x.size() - 1, rows = plane.layer.y.size() - 1;
  const auto color_at = [&](std::size_t r, std::size_t c) {
    if (!plane.layer.pixels.empty()) {
      auto color = plane.layer.pixels[r * columns + c];
      color.alpha *= plane.layer.opacity;
      return color;
    }
    const double v = plane.layer.z[r * columns + c];
    auto color = std::isfinite(v) ? scale.at(v) : Color{0, 0, 0, 0};
    if (std::isfinite(v)) color.alpha *= plane.layer.opacity;
    return color;
  };
  std::vector<double> xs, ys;
  for (const double x : plane.layer.x) xs.push_back(plane.map(x, plane.map.y.at(0.5)).x);
  for (const double y : plane.layer.y) ys.push_back(plane.map(plane.map.x.at(0.5), y).y);
  const auto even = [](const std::vector<double>& v) {
    const double step = (v.back() - v.front()) / static_cast<double>(v.size() - 1);
    for (std::size_t k = 1; k < v.size(); ++k)
      if (!(std::fabs(v[k] - v[k - 1] - step) < 1e-3 * std::fabs(step))) return false;
    return true;
  };
  if (even(xs) && even(ys)) {
    Picture picture{{std::min(xs.front(), xs.back()), std::min(ys.front(), ys.back()),
                     std::fabs(xs.back() - xs.front()), std::fabs(ys.back() - ys.front())},
                    columns,
                    rows,
                    {}};
    picture.cells.reserve(rows * columns);
    for (std::size_t r = 0; r < rows; ++r) {
      poll_interrupt();
      for (std::size_t c = 0; c < columns; ++c)
        picture.cells.push_back(color_at(ys.back() > ys.front() ? r : rows - 1 - r,
                                         xs.back() > xs.front() ? c : columns - 1 - c));
    }
    plane.clipped(std::move(picture));
    return;
  }
  Quads quads;
  for (std::size_t r = 0; r < rows; ++r) {
    poll_interrupt();
    for (std::size_t c = 0; c < columns; ++c) {
      if (!std::isfinite(plane.layer.z[r * columns + c]) ||
          !std::isfinite(xs[c] + xs[c + 1] + ys[r] + ys[r + 1]))
        continue;
      quads.corners.push_back({Point{xs[c], ys[r]}, Point{xs[c + 1], ys[r]}, Point{xs[c + 1], ys[r + 1]},
                               Point{xs[c], ys[r + 1]}});
      quads.colors.push_back(color_at(r, c));
    }
  }
  if (!quads.corners.empty()) plane.clipped(std::move(quads));
}

}  // namespace
}  // namespace heatmap_layer

const LayerKind kHeatmapLayer = {.name = "heatmap",
                                 .is_grid = true,
                                 .cover = cover_grid,
                                 .draw = heatmap_layer::draw,
                                 .sample = [](const Sample& s) { s.gradient(); }};

}  // namespace quill
