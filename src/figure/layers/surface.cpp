// z over the grid of x and y, in space.
#include "figure/layers/layer_kind.h"

namespace quill {

const LayerKind kSurfaceLayer = {.name = "surface",
                                 .is_grid = true,
                                 .cover = cover_grid,
                                 .draw_in_space = [](InSpace& space) { draw_grid_in_space(space, false); },
                                 .sample = [](const Sample& s) { s.gradient(); }};

}  // namespace quill
