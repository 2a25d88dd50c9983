// Through (x, y), or (x, y, z) in space.
#include "figure/layers/layer_kind.h"

#include <utility>

namespace quill {

namespace line_layer {
namespace {

// The corners of a stairway: each value holds from half way to its neighbours, from the one before, or to the
// next.
std::pair<std::vector<double>, std::vector<double>> stairs(const Layer& layer) {
  std::vector<double> x, y;
  const auto n = layer.x.size();
  for (std::size_t k = 0; k < n; ++k) {
    const double here = layer.x[k], before = k > 0 ? layer.x[k - 1] : here,
                 after = k + 1 < n ? layer.x[k + 1] : here;
    const double from = layer.hold == Hold::after    ? here
                        : layer.hold == Hold::before ? before
                                                     : (before + here) / 2;
    const double to = layer.hold == Hold::after    ? after
                      : layer.hold == Hold::before ? here
                                                   : (here + after) / 2;
    x.insert(x.end(), {from, to});
    y.insert(y.end(), {layer.y[k], layer.y[k]});
  }
  return {std::move(x), std::move(y)};
}

void draw(Plane& plane) {
  std::vector<Point> isolated;
  const bool has_steps = plane.layer.hold != Hold::none;
  const auto corners =
      has_steps ? stairs(plane.layer) : std::pair<std::vector<double>, std::vector<double>>{};
  plane.stroke(line_pieces(has_steps ? corners.first : plane.layer.x,
                           has_steps ? corners.second : plane.layer.y, plane.map, &isolated),
               plane.width, plane.look.dash);
  if (plane.look.marker == Marker::none && !isolated.empty())
    plane.out.items.emplace_back(
        Markers{std::move(isolated), Marker::disc, plane.width, plane.look.color, plane.theme.paper, {}});
  plane.markers();
}

}  // namespace
}  // namespace line_layer

const LayerKind kLineLayer = {
    .name = "line", .is_joined = true, .draw = line_layer::draw, .draw_in_space = draw_curve_in_space};

}  // namespace quill
