// Data of layers as an interactive page carries them: packed, and reduced when they are too many.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "figure/model.h"

namespace quill {

// Numbers as JSON: a short list as it is; {"n", "from", "step"} when they are that to the last bit; otherwise
// {"n", "z"}, base64 of a zlib stream of the bytes of the float64, all first ones, all second ones, …
nlohmann::ordered_json packed_numbers(const std::vector<double>& numbers);

// The layer with about `share` of its numbers: lines, bands and bars by the least and the greatest of
// neighbours, fields by means, surfaces and points by every so many. `reported` becomes what one of them
// stands for.
Layer reduced_layer(const Layer& layer, double share, std::string& told);

// How many numbers its data are.
std::size_t count_of_numbers(const Layer& layer);

}  // namespace quill
