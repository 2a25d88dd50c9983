// The lines of a grid of heights, in space.
#include "figure/layers/layer_kind.h"

namespace quill {

const LayerKind kWireframeLayer = {
    .name = "wireframe", .is_grid = true, .cover = cover_grid, .draw_in_space = [](InSpace& space) {
      draw_grid_in_space(space, true);
    }};

}  // namespace quill
