// Counts data of layers that cannot be drawn.
#pragma once

#include <string>
#include <vector>

#include "figure/model.h"
#include "figure/scale.h"

namespace quill {

// Scales of the axes of a layer.
struct LayerScales {
  ScaleKind x = ScaleKind::linear, y = ScaleKind::linear, z = ScaleKind::linear;
};

// One sentence for each reason: "2 points of a line ("level") are not drawn: they are 0 or negative on a
// logarithmic axis". nan is a gap and not reported.
std::vector<std::string> left_out_of(const Layer& layer, const LayerScales& scales);

}  // namespace quill
