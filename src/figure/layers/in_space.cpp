// Curves, points and grids of heights in space.
#include <algorithm>
#include <cmath>

#include "figure/layers/layer_kind.h"

namespace quill {

void draw_grid_in_space(InSpace& space, bool is_wire) {
  const auto& camera = space.view.camera;
  const auto columns = space.layer.x.size(), rows = space.layer.y.size();
  const auto scale = color_scale(space.layer, space.panel, space.theme);
  auto mesh = space.theme.ink;
  mesh.alpha = 0.45;
  std::vector<Spot> spots(rows * columns);
  for (std::size_t r = 0; r < rows; ++r)
    for (std::size_t c = 0; c < columns; ++c) {
      const double z = space.layer.z[r * columns + c];
      const bool inside = z >= space.view.z.limits.low && z <= space.view.z.limits.high;
      spots[r * columns + c] = space.view.spot(space.layer.x[c], space.layer.y[r], inside ? z : NAN);
    }
  if (rows < 2 || columns < 2) return;
  // Light from the upper left before the page.
  const Spot light = {-0.45 * camera.cos_turn - 0.35 * camera.sin_turn,
                      0.45 * camera.sin_turn - 0.35 * camera.cos_turn, 0.82};
  for (std::size_t r = 0; r + 1 < rows; ++r) {
    poll_interrupt();
    for (std::size_t c = 0; c + 1 < columns; ++c) {
      const std::size_t at[] = {r * columns + c, r * columns + c + 1, (r + 1) * columns + c + 1,
                                (r + 1) * columns + c};
      const Spot &p = spots[at[0]], &q = spots[at[1]], &s = spots[at[2]], &t = spots[at[3]];
      const double sum = p.z + q.z + s.z + t.z;
      // Outside of the limits, or not placeable on a logarithmic axis.
      if (!std::isfinite(sum) || !std::isfinite(p.x + p.y + s.x + s.y)) continue;
      const Spot middle{(p.x + s.x) / 2, (p.y + s.y) / 2, sum / 4};
      Color shade = space.theme.paper;
      if (!is_wire) {
        const double value =
            (space.layer.z[at[0]] + space.layer.z[at[1]] + space.layer.z[at[2]] + space.layer.z[at[3]]) / 4;
        shade = space.layer.is_coloured_by_value() ? scale.at(value) : space.look.color;
        const Spot u{s.x - p.x, s.y - p.y, s.z - p.z}, v{t.x - q.x, t.y - q.y, t.z - q.z};
        const Spot n{u.y * v.z - u.z * v.y, u.z * v.x - u.x * v.z, u.x * v.y - u.y * v.x};
        const double size = std::sqrt(n.x * n.x + n.y * n.y + n.z * n.z);
        const double lit = size > 0 ? std::fabs(n.x * light.x + n.y * light.y + n.z * light.z) / size : 1;
        const double factor = 0.68 + 0.36 * lit;
        shade.red = std::min(1.0, shade.red * factor);
        shade.green = std::min(1.0, shade.green * factor);
        shade.blue = std::min(1.0, shade.blue * factor);
        shade.alpha *= space.layer.opacity;
      }
      space.scene.add(camera.depth(middle), Scene::Quad{{camera(p), camera(q), camera(s), camera(t)},
                                                        shade,
                                                        is_wire            ? space.layer.width * 0.6
                                                        : space.layer.mesh ? 0.35
                                                                           : 0,
                                                        is_wire ? space.look.color : mesh});
    }
  }
}

void draw_curve_in_space(InSpace& space) {
  const auto& camera = space.view.camera;
  std::vector<Spot> spots;
  for (std::size_t k = 0; k < space.layer.z.size(); ++k)
    spots.push_back(space.view.spot(space.layer.x[k], space.layer.y[k], space.layer.z[k]));
  const auto finite = [](const Spot& p) { return std::isfinite(p.x + p.y + p.z); };
  if (row_of(space.layer.kind).is_joined)
    for (std::size_t k = 1; k < spots.size(); ++k) {
      if (!finite(spots[k]) || !finite(spots[k - 1])) continue;
      // Slightly nearer than a surface that contains it.
      constexpr double lift = 0.02;
      space.scene.add((camera.depth(spots[k]) + camera.depth(spots[k - 1])) / 2 - lift,
                      Scene::Segment{camera(spots[k - 1]), camera(spots[k]), space.look.color,
                                     space.layer.width * space.theme.line_factor, space.look.dash});
    }
  // A point that no stroke leads to is a dot of the line's width.
  const bool has_dots = row_of(space.layer.kind).is_joined && space.look.marker == Marker::none;
  for (std::size_t k = 0; has_dots && k < spots.size(); ++k) {
    const auto is_gap = [&](std::size_t at) { return at >= spots.size() || !finite(spots[at]); };
    if (is_gap(k) || !is_gap(k - 1) || !is_gap(k + 1)) continue;
    space.scene.add(space.view.camera.depth(spots[k]), Markers{{camera(spots[k])},
                                                               Marker::disc,
                                                               space.layer.width * space.theme.line_factor,
                                                               space.look.color,
                                                               space.theme.paper,
                                                               {}});
  }
  const auto shape = space.look.marker;
  const auto scale = color_scale(space.layer, space.panel, space.theme);
  for (std::size_t k = 0; shape != Marker::none && k < spots.size(); ++k) {
    poll_interrupt_at(k);
    if (!finite(spots[k])) continue;
    const double depth = camera.depth(spots[k]);
    // Distant points are smaller and paler.
    const double near = std::clamp(0.5 - depth / 2.6, 0.0, 1.0);
    auto faded = space.look.color;
    if (!space.layer.values.empty()) {
      if (!std::isfinite(space.layer.values[k])) continue;
      faded = scale.at(space.layer.values[k]);
      faded.alpha *= space.layer.opacity;
    }
    faded.alpha *= 0.55 + 0.45 * near;
    space.scene.add(depth - 0.03, Markers{{camera(spots[k])},
                                          shape,
                                          space.layer.size * space.theme.line_factor * (0.75 + 0.4 * near),
                                          faded,
                                          space.theme.paper,
                                          {}});
  }
}

}  // namespace quill
