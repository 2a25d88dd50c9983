// Data of layers in interactive pages: packed, and reduced if there is too much.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "figure/model.h"

namespace quill {

// Numbers as JSON: short lists unchanged; {"n", "from", "step"} for exact arithmetic sequences; otherwise
// {"n", "z"}: base64 of a zlib stream of the float64 bytes, grouped by byte position.
nlohmann::ordered_json packed_numbers(const std::vector<double>& numbers);

// The layer reduced to a fraction `share` of its numbers: lines, bands and bars to minima and maxima of
// neighbours, fields to means, surfaces and points to every n-th. `told` describes the reduction.
Layer reduced_layer(const Layer& layer, double share, std::string& told);

// Number of numbers in its data.
std::size_t count_of_numbers(const Layer& layer);

}  // namespace quill
