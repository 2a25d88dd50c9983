// Markers with a stroke down to the base.
#include "figure/layers/layer_kind.h"

namespace quill {

namespace stems_layer {
namespace {

void draw(Plane& plane) {
  const double base = plane.down(plane.layer.base);
  std::vector<std::vector<Point>> pieces;
  for (std::size_t k = 0; k < plane.layer.x.size(); ++k) {
    const auto p = plane.map(plane.layer.x[k], plane.layer.y[k]);
    if (std::isfinite(p.x) && std::isfinite(p.y))
      pieces.push_back({{p.x, base}, {p.x, plane.down(plane.layer.y[k])}});
  }
  plane.stroke(std::move(pieces), plane.width, plane.look.dash);
  plane.markers();
}

}  // namespace
}  // namespace stems_layer

const LayerKind kStemsLayer = {.name = "layer of stems",
                               .marker = Marker::disc,
                               .cover =
                                   [](const Layer& layer, Cover& cover) {
                                     cover.points(layer);
                                     cover.y(layer.base);
                                   },
                               .draw = stems_layer::draw};

}  // namespace quill
