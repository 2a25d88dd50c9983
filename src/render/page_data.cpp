#include "render/page_data.h"

#include <glib.h>

#include <algorithm>
#include <cmath>

#include "render/page_numbers.h"

namespace quill {

namespace {

using Json = nlohmann::ordered_json;

std::size_t size_of(const Json& packed) {
  return packed.is_array()      ? 8 * packed.size()
         : packed.contains("z") ? packed["z"].get_ref<const std::string&>().size()
                                : 0;
}

void pack(PackedLayer& p) {
  const auto& layer = p.source();
  Json columns = Json::object();
  const auto add = [&](const char* name, const std::vector<double>& numbers) {
    if (!numbers.empty()) columns[name] = packed_numbers(numbers);
  };
  add("x", layer.x);
  add("y", layer.y);
  add("z", layer.z);
  add("left", layer.left);
  add("right", layer.right);
  add("low", layer.low);
  add("high", layer.high);
  add("values", layer.values);
  if (!layer.pixels.empty()) {
    std::string bytes;
    for (const auto& pixel : layer.pixels)
      for (const double part : {pixel.red, pixel.green, pixel.blue, pixel.alpha})
        bytes += static_cast<char>(std::lround(std::clamp(part, 0.0, 1.0) * 255));
    auto* text = g_base64_encode(reinterpret_cast<const guchar*>(bytes.data()), bytes.size());
    columns["pixels"] = text;
    g_free(text);
  }
  p.size = 0;
  for (const auto& column : columns) p.size += size_of(column);
  p.columns = std::move(columns);
}

void reduce(PackedLayer& p, double share) {
  p.share = std::min(p.share * share, 1.0);
  p.reduced = reduced_layer(*p.layer, p.share, p.told);
  pack(p);
}

}  // namespace

std::vector<PackedLayer> packed_layers(const Figure& figure) {
  std::vector<PackedLayer> packed;
  const double most = figure.page_budget * 1e6;
  std::size_t count = 0;
  for (const auto& panel : figure.panels)
    for (const auto& layer : panel.layers) count += count_of_numbers(layer);
  for (const auto& panel : figure.panels)
    for (const auto& layer : panel.layers) {
      auto& p = packed.emplace_back(PackedLayer{.panel = &panel, .layer = &layer});
      // Data certain to exceed the budget is not packed first.
      constexpr double bytes = 8, surely = 4;
      const double share = surely * most / (bytes * static_cast<double>(count));
      if (share < 1 && count_of_numbers(layer) > 1000)
        reduce(p, share);
      else
        pack(p);
    }
  for (int round = 0; round < 40; ++round) {
    double all = 0;
    PackedLayer* largest = nullptr;
    for (auto& p : packed) {
      all += static_cast<double>(p.size);
      if (!largest || p.size > largest->size) largest = &p;
    }
    if (!largest || all <= most || count_of_numbers(largest->source()) < 100) break;
    const double others = all - static_cast<double>(largest->size);
    const double room = std::max(most - others, 0.5 * static_cast<double>(largest->size) * most / all);
    reduce(*largest, std::min(0.9, 0.95 * room / static_cast<double>(largest->size)));
  }
  return packed;
}

}  // namespace quill
