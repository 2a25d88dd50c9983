// The table of layer kinds, and functions common to them.
#include <algorithm>
#include <array>

#include "figure/layers/layer_kind.h"

namespace quill {

const LayerKind& row_of(Layer::Kind kind) {
  // In the order of Layer::Kind.
  static const std::array rows = {&kLineLayer,           &kScatterLayer,   &kStemsLayer,   &kBoxesLayer,
                                  &kRegionLayer,         &kErrorBarsLayer, &kHeatmapLayer, &kContoursLayer,
                                  &kFilledContoursLayer, &kArrowsLayer,    &kSurfaceLayer, &kWireframeLayer};
  static_assert(rows.size() == static_cast<std::size_t>(Layer::Kind::wireframe) + 1);
  return *rows[static_cast<std::size_t>(kind)];
}

std::string_view name_of(Layer::Kind kind) { return row_of(kind).name; }
bool Layer::is_grid() const { return row_of(kind).is_grid; }
bool Layer::is_spatial() const {
  const auto& row = row_of(kind);
  return row.draw_in_space && (!row.draw || !z.empty());
}
bool Layer::is_coloured_by_value() const {
  return !values.empty() || (is_grid() && kind != Kind::wireframe && !color && !cycle);
}

Marker marker_of(const Layer& layer) {
  return layer.marker == Marker::none ? row_of(layer.kind).marker : layer.marker;
}

bool has_ink(const Layer& layer) { return row_of(layer.kind).has_ink(layer); }

Extent extent_of(const Layer& layer, ScaleKind x_scale, ScaleKind y_scale) {
  poll_interrupt();
  Cover cover(x_scale, y_scale);
  row_of(layer.kind).cover(layer, cover);
  return cover.extent;
}

void Cover::points(const Layer& layer) {
  for (std::size_t k = 0; k < layer.y.size(); ++k)
    point(layer.x[k], layer.focus ? std::clamp(layer.y[k], layer.focus->low, layer.focus->high) : layer.y[k]);
}

void cover_grid(const Layer& layer, Cover& cover) {
  if (!std::any_of(layer.z.begin(), layer.z.end(), [](double v) { return std::isfinite(v); })) return;
  for (const double v : layer.x) cover.x(v);
  for (const double v : layer.y) cover.y(v);
  cover.extent.tight_left = cover.extent.tight_right = cover.extent.tight_low = cover.extent.tight_high =
      true;
}

// -- in the plane

double Plane::down(double y) const {
  const double at = map(map.x.at(0.5), y).y;
  return std::isfinite(at) ? std::clamp(at, map.area.y - 50, map.area.bottom() + 50) : map.area.bottom();
}

double Plane::across(double x) const {
  const double at = map(x, map.y.at(0.5)).x;
  return std::isfinite(at) ? std::clamp(at, map.area.x - 50, map.area.right() + 50) : map.area.x;
}

std::vector<std::vector<Point>> Plane::on_page(std::vector<std::vector<Point>> pieces) const {
  for (auto& piece : pieces)
    for (auto& p : piece) p = map(p.x, p.y);
  return pieces;
}

void Plane::markers() {
  const auto shape = look.marker;
  if (shape == Marker::none || layer.y.empty()) return;
  Markers markers{{}, shape, layer.size * theme.line_factor, look.color, theme.paper, {}};
  const bool by_value = !layer.values.empty();
  const auto inside = places_inside(layer.x, layer.y, map);
  if (by_value) {
    const auto scale = color_scale(layer, panel, theme);
    for (const auto k : inside) {
      if (!std::isfinite(layer.values[k])) continue;
      markers.points.push_back(map(layer.x[k], layer.y[k]));
      markers.colors.push_back(scale.at(layer.values[k]));
      markers.colors.back().alpha *= layer.opacity;
    }
  } else {
    markers.points.reserve(inside.size());
    for (const auto k : inside) markers.points.push_back(map(layer.x[k], layer.y[k]));
  }
  if (!markers.points.empty()) out.items.emplace_back(std::move(markers));
}

void draw_layer(const LayerDrawing& drawing, const Mapping& map) {
  poll_interrupt();
  Plane plane(drawing, map);
  if (const auto draw = row_of(drawing.layer.kind).draw) draw(plane);
}

// -- in a legend

void Sample::line() const {
  out.items.emplace_back(StrokePath{
      {{{x, middle}, {x + width, middle}}}, look.color, layer.width * theme.line_factor, look.dash});
}

void Sample::area() const {
  const auto b = box();
  fill_area({{{b.x, b.y}, {b.right(), b.y}, {b.right(), b.bottom()}, {b.x, b.bottom()}}}, look.color,
            look.pattern, b, theme.line_factor, out);
}

void Sample::gradient() const {
  constexpr int cells = 12;
  const auto scale = color_scale(layer, panel, theme);
  Picture picture{box(), cells, 1, {}};
  for (int k = 0; k < cells; ++k) picture.cells.push_back(scale.at_share((k + 0.5) / cells));
  out.items.emplace_back(std::move(picture));
}

void draw_sample(const LayerDrawing& d, double x, double middle, double width) {
  row_of(d.layer.kind).sample({d.layer, d.look, d.panel, d.theme, x, middle, width, d.out});
  const auto shape = d.look.marker;
  if (shape == Marker::none || !d.layer.values.empty()) return;
  d.out.items.emplace_back(Markers{{{x + width / 2, middle}},
                                   shape,
                                   std::min(d.layer.size * d.theme.line_factor, 9.0),
                                   d.look.color,
                                   d.theme.paper,
                                   {}});
}

}  // namespace quill
