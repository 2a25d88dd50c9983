// Through (x, y), or (x, y, z) in space.
#include "figure/layers/layer_kind.h"

namespace quill {

namespace line_layer {
namespace {

void draw(Plane& plane) {
  plane.stroke(line_pieces(plane.layer.x, plane.layer.y, plane.map), plane.width, plane.look.dash);
  plane.markers();
}

}  // namespace
}  // namespace line_layer

const LayerKind kLineLayer = {.name = "line",
                              .is_joined = true,
                              .outline = outline_of_points,
                              .draw = line_layer::draw,
                              .draw_in_space = draw_curve_in_space};

}  // namespace quill
