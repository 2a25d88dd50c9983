// Between low and high over x: bands and areas.
#include <algorithm>
#include "figure/layers/layer_kind.h"

namespace quill {

namespace region_layer {
namespace {

void cover(const Layer& layer, Cover& cover) {
  for (std::size_t k = 0; k < layer.low.size(); ++k) {
    cover.point(layer.x[k], layer.low[k]);
    cover.point(layer.x[k], layer.high[k]);
  }
  if (!layer.low.empty() && std::all_of(layer.low.begin(), layer.low.end(),
                                        [&](double v) { return std::isnan(v) || v == layer.base; }))
    cover.extent.tight_low = cover.extent.y.low == layer.base;
}

void draw(Plane& plane) {
  std::vector<std::vector<Point>> fill;
  std::vector<Point> forth, back;
  // Of very many points each narrow column keeps how far the region reaches.
  constexpr std::size_t many = 20000;
  constexpr double column = 0.25;
  const bool thins = plane.layer.x.size() > many;
  const auto close = [&] {
    // Where it has no neighbours it is as wide as a line.
    if (forth.size() == 1 && back.size() == 1) {
      const double half = plane.width / 2;
      const auto top = forth[0], end = back[0];
      forth = {{top.x - half, top.y}, {top.x + half, top.y}};
      back = {{end.x - half, end.y}, {end.x + half, end.y}};
    }
    if (forth.size() > 1) {
      forth.insert(forth.end(), back.rbegin(), back.rend());
      fill.push_back(std::move(forth));
    }
    forth.clear();
    back.clear();
  };
  for (std::size_t k = 0; k < plane.layer.x.size(); ++k) {
    const double x = plane.map(plane.layer.x[k], 1).x;
    if (!std::isfinite(x) || !std::isfinite(plane.layer.low[k]) || !std::isfinite(plane.layer.high[k])) {
      close();
      continue;
    }
    const double above = plane.down(plane.layer.high[k]), below = plane.down(plane.layer.low[k]);
    if (thins && !forth.empty() && std::floor(x / column) == std::floor(forth.back().x / column)) {
      forth.back().y = std::min(forth.back().y, above);
      back.back().y = std::max(back.back().y, below);
      continue;
    }
    forth.push_back({x, above});
    back.push_back({x, below});
  }
  close();
  if (!fill.empty()) plane.fill(std::move(fill));
}

}  // namespace
}  // namespace region_layer

const LayerKind kRegionLayer = {
    .name = "band", .cover = region_layer::cover, .draw = region_layer::draw, .sample = [](const Sample& s) {
      s.area();
    }};

}  // namespace quill
