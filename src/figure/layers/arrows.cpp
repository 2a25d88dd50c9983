// From (x, y) along (right, high).
#include "figure/layers/layer_kind.h"

#include <algorithm>
#include <set>

namespace quill {

namespace arrows_layer {
namespace {

bool shows(const Layer& layer) {
  for (std::size_t k = 0; k < layer.right.size(); ++k)
    if (std::isfinite(layer.right[k]) && std::isfinite(layer.high[k]) &&
        (layer.right[k] != 0 || layer.high[k] != 0))
      return true;
  return false;
}

// Includes room for the arrows of the outermost points: half the spacing.
void cover(const Layer& layer, Cover& cover) {
  cover.points(layer);
  auto& e = cover.extent;
  if (!e.any()) return;
  const auto pad = [&](Limits& l, const std::vector<double>& at, bool is_log) {
    const auto places = std::set<double>(at.begin(), at.end()).size();
    const double count = static_cast<double>(at.size());
    const double parts = 2 * places < at.size() ? static_cast<double>(places) - 1 : std::sqrt(count);
    const double room = 0.5 * (l.high - l.low) / std::max(2.0, parts);
    if (std::isfinite(room) && !is_log) l = {l.low - room, l.high + room};
  };
  pad(e.x, layer.x, cover.is_log_x());
  pad(e.y, layer.y, cover.is_log_y());
}

void draw(Plane& plane) {
  // The longest arrow is as long as the spacing.
  double longest = 0;
  std::vector<std::pair<Point, Point>> found;
  for (std::size_t k = 0; k < plane.layer.x.size(); ++k) {
    const auto p = plane.map(plane.layer.x[k], plane.layer.y[k]);
    if (!std::isfinite(p.x) || !std::isfinite(p.y) ||
        !std::isfinite(plane.layer.right[k] + plane.layer.high[k]))
      continue;
    // Directions as on the page, where both axes have their own unit.
    const double u = plane.layer.right[k] * plane.map.area.width /
                     (plane.map.x.limits.high - plane.map.x.limits.low),
                 v = -plane.layer.high[k] * plane.map.area.height /
                     (plane.map.y.limits.high - plane.map.y.limits.low);
    found.push_back({p, {plane.map.x.reverse ? -u : u, plane.map.y.reverse ? -v : v}});
    longest = std::max(longest, std::hypot(u, v));
  }
  if (found.empty() || longest == 0) return;
  const double apart =
      std::sqrt(plane.map.area.width * plane.map.area.height / static_cast<double>(found.size()));
  const double unit = 0.9 * std::clamp(apart, 6.0, 60.0) / longest;
  std::vector<std::vector<Point>> shafts;
  FillPath heads{{}, plane.look.color};
  for (const auto& [p, d] : found) {
    const double length = std::hypot(d.x, d.y) * unit;
    if (length < 0.3) continue;
    const double ux = d.x * unit / length, uy = d.y * unit / length;
    const double head = std::min(5.0 * plane.theme.line_factor, 0.45 * length);
    const Point tip{p.x + ux * length, p.y + uy * length}, neck{tip.x - ux * head, tip.y - uy * head};
    shafts.push_back({p, {tip.x - ux * head * 0.7, tip.y - uy * head * 0.7}});
    heads.pieces.push_back({tip,
                            {neck.x - uy * head * 0.42, neck.y + ux * head * 0.42},
                            {neck.x + uy * head * 0.42, neck.y - ux * head * 0.42}});
  }
  plane.stroke(std::move(shafts), std::min(plane.width, 1.1), Dash::solid);
  plane.clipped(std::move(heads));
}

}  // namespace
}  // namespace arrows_layer

const LayerKind kArrowsLayer = {.name = "layer of arrows",
                                .has_ink = arrows_layer::shows,
                                .cover = arrows_layer::cover,
                                .draw = arrows_layer::draw};

}  // namespace quill
