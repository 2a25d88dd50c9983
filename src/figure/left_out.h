// Counts of the data of a layer that cannot be drawn.
#pragma once

#include <string>
#include <vector>

#include "figure/model.h"
#include "figure/scale.h"

namespace quill {

// The scales of the axes that a layer is drawn along.
struct LayerScales {
  ScaleKind x = ScaleKind::linear, y = ScaleKind::linear, z = ScaleKind::linear;
};

// One sentence for each reason: "2 points of a line ("level") are not drawn: they are 0 or negative on a
// logarithmic axis". NaN is a gap, and not reported.
std::vector<std::string> left_out_of(const Layer& layer, const LayerScales& scales);

}  // namespace quill
