// The data of all layers of a page, within its budget.
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "figure/model.h"

namespace quill {

// A layer of the figure with its numbers as the page carries them.
struct PackedLayer {
  const Panel* panel = nullptr;
  const Layer* layer = nullptr;
  Layer reduced{};  // when `share` is less than 1
  double share = 1;
  std::string told{};  // what one of its numbers stands for then
  nlohmann::ordered_json columns{};
  std::size_t size = 0;  // bytes, about
  const Layer& source() const { return share < 1 ? reduced : *layer; }
};

// In the order of the panels and their layers. When the numbers take more than the budget of the figure, the
// largest layers are reduced until all have room. The figure has to live as long.
std::vector<PackedLayer> packed_layers(const Figure& figure);

}  // namespace quill
