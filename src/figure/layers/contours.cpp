// Lines of equal value z over the grid of x and y.
#include "figure/layers/layer_kind.h"

#include <algorithm>

#include "figure/contour.h"

namespace quill {

namespace contours_layer {
namespace {

// Opens long lines where they run straightest, and writes their value there.
void label_lines(Plane& plane, std::vector<std::vector<Point>>& pieces, const std::string& label,
                 const Color& color, std::vector<DrawnText>& texts) {
  const auto line = lay_text(label, {plane.theme.tick_size * 0.9}, plane.measurer);
  const double gap = line.width + 6;
  std::vector<std::vector<Point>> out;
  for (auto& piece : pieces) {
    std::vector<double> along{0};
    for (std::size_t k = 1; k < piece.size(); ++k)
      along.push_back(along.back() + std::hypot(piece[k].x - piece[k - 1].x, piece[k].y - piece[k - 1].y));
    std::size_t from = 0, to = 0;
    double straightest = 0;
    for (std::size_t a = 0, b = 0; a < piece.size(); ++a) {
      while (b < piece.size() && along[b] - along[a] < gap) ++b;
      if (b == piece.size()) break;
      const double chord = std::hypot(piece[b].x - piece[a].x, piece[b].y - piece[a].y);
      const Point middle{(piece[a].x + piece[b].x) / 2, (piece[a].y + piece[b].y) / 2};
      const double room = line.width / 2 + 4;
      const bool inside = middle.x > plane.map.area.x + room && middle.x < plane.map.area.right() - room &&
                          middle.y > plane.map.area.y + room && middle.y < plane.map.area.bottom() - room;
      const bool is_free = std::none_of(texts.begin(), texts.end(), [&](const DrawnText& t) {
        const auto box = t.box();
        return std::hypot(box.x + box.width / 2 - middle.x, box.y + box.height / 2 - middle.y) < 2.2 * gap;
      });
      const double score = chord / (along[b] - along[a]);
      if (inside && is_free && score > straightest + 1e-6) {
        straightest = score;
        from = a;
        to = b;
      }
    }
    if (along.back() < 4 * gap || straightest < 0.9) {
      out.push_back(std::move(piece));
      continue;
    }
    Point a = piece[from], b = piece[to];
    if (a.x > b.x) std::swap(a, b);
    DrawnText text;
    text.angle = std::atan2(a.y - b.y, b.x - a.x);
    const double drop = line.ascent * 0.36, half = line.width / 2;
    const Point middle{(a.x + b.x) / 2, (a.y + b.y) / 2};
    text.at = {middle.x - half * std::cos(text.angle) + drop * std::sin(text.angle),
               middle.y + half * std::sin(text.angle) + drop * std::cos(text.angle)};
    text.line = line;
    text.color = color;
    text.role = "contour";
    text.source = label;
    texts.push_back(std::move(text));
    out.emplace_back(piece.begin(), piece.begin() + static_cast<std::ptrdiff_t>(from) + 1);
    out.emplace_back(piece.begin() + static_cast<std::ptrdiff_t>(to), piece.end());
  }
  pieces = std::move(out);
}

void draw(Plane& plane) {
  const GridValues grid{plane.layer.x, plane.layer.y, plane.layer.z};
  const auto levels = contour_levels(plane.layer);
  const auto labels = tick_labels(levels);
  const auto scale = color_scale(plane.layer, plane.panel, plane.theme);
  std::vector<DrawnText> texts;
  for (std::size_t k = 0; k < levels.size(); ++k) {
    const auto color = plane.layer.is_coloured_by_value() ? scale.at(levels[k]) : plane.look.color;
    auto pieces = plane.on_page(contour_lines(grid, levels[k]));
    // On a field the numbers can be read where the lines can be seen.
    if (plane.layer.labelled_contours)
      label_lines(plane, pieces, labels[k], plane.layer.is_coloured_by_value() ? plane.theme.soft : color,
                  texts);
    if (!pieces.empty()) plane.clipped(StrokePath{std::move(pieces), color, plane.width, plane.look.dash});
  }
  for (auto& text : texts) plane.out.items.emplace_back(std::move(text));
}

}  // namespace
}  // namespace contours_layer

const LayerKind kContoursLayer = {
    .name = "layer of contours",
    .is_grid = true,
    .has_ink = [](const Layer& layer) { return !contour_levels(layer).empty(); },
    .cover = cover_grid,
    .draw = contours_layer::draw};

}  // namespace quill
