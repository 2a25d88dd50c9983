// Data of all layers of a page, limited to its budget.
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "figure/model.h"

namespace quill {

// A layer with its numbers as stored in the page.
struct PackedLayer {
  const Panel* panel = nullptr;
  const Layer* layer = nullptr;
  Layer reduced{};  // if `share` is less than 1
  double share = 1;
  std::string told{};  // what one of its numbers represents then
  nlohmann::ordered_json columns{};
  std::size_t size = 0;  // approximate bytes
  const Layer& source() const { return share < 1 ? reduced : *layer; }
};

// In the order of panels and layers. The largest layers are reduced until all fit into the budget. Refers to
// the figure.
std::vector<PackedLayer> packed_layers(const Figure& figure);

}  // namespace quill
