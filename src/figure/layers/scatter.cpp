// Markers at (x, y), or (x, y, z) in space.
#include "figure/layers/layer_kind.h"
#include "figure/palette.h"

namespace quill {

namespace scatter_layer {
namespace {

// Three markers from one end of the palette to the other.
void sample(const Sample& s) {
  if (s.layer.values.empty()) return;
  const auto scale = color_scale(s.layer, s.panel, s.theme);
  Markers markers{{}, s.look.marker, std::min(s.layer.size * s.theme.line_factor, 6.0),
                  {}, s.theme.paper, {}};
  for (const double share : {0.12, 0.5, 0.88}) {
    markers.points.push_back({s.x + share * s.width, s.middle});
    markers.colors.push_back(scale.at_share(share));
  }
  s.out.items.emplace_back(std::move(markers));
}

}  // namespace
}  // namespace scatter_layer

const LayerKind kScatterLayer = {.name = "scatter",
                                 .marker = Marker::disc,
                                 .draw = [](Plane& plane) { plane.markers(); },
                                 .draw_in_space = draw_curve_in_space,
                                 .sample = scatter_layer::sample};

}  // namespace quill
