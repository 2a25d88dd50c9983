#include "figure/draw.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/interrupt.h"
#include "figure/contour.h"

namespace quill {

namespace {

class Drawer {
 public:
  Drawer(const Layer& layer, const Look& look, const Panel& panel, const Mapping& map, const Theme& theme,
         TextMeasurer& measurer, DisplayList& out)
      : layer_(layer),
        color_(look.color),
        dash_(look.dash),
        panel_(panel),
        map_(map),
        theme_(theme),
        measurer_(measurer),
        out_(out),
        width_(layer.width * theme.line_factor) {}

  void draw() {
    poll_interrupt();
    using enum Layer::Kind;
    switch (layer_.kind) {
      case line: stroke(line_pieces(layer_.x, layer_.y, map_), width_, dash_); break;
      case stems: draw_stems(); break;
      case boxes: draw_boxes(); break;
      case region: draw_region(); break;
      case error_bars: draw_error_bars(); break;
      case heatmap: draw_cells(); break;
      case contours: draw_contours(); break;
      case filled_contours: draw_filled(); break;
      case arrows: draw_arrows(); break;
      default: break;
    }
    const bool always = layer_.kind == scatter || layer_.kind == stems;
    const auto shape = always && layer_.marker == Marker::none ? Marker::disc : layer_.marker;
    if (shape == Marker::none || layer_.y.empty() || layer_.is_grid() || layer_.kind == arrows) return;
    draw_markers(shape);
  }

 private:
  template <class Item>
  void clipped(Item item) {
    out_.items.emplace_back(ClipTo{map_.area});
    out_.items.emplace_back(std::move(item));
    out_.items.emplace_back(Unclip{});
  }
  void stroke(std::vector<std::vector<Point>> pieces, double width, Dash dash) {
    if (!pieces.empty()) clipped(StrokePath{std::move(pieces), color_, width, dash});
  }

  // A value's place down the page, held near the area where the axis has none for it.
  double down(double y) const {
    const double at = map_(map_.x.at(0.5), y).y;
    return std::isfinite(at) ? std::clamp(at, map_.area.y - 50, map_.area.bottom() + 50) : map_.area.bottom();
  }

  void draw_markers(Marker shape) {
    Markers markers{{}, shape, layer_.size * theme_.line_factor, color_, theme_.paper, {}};
    const bool by_value = !layer_.values.empty();
    const auto inside = places_inside(layer_.x, layer_.y, map_);
    if (by_value) {
      const auto scale = color_scale(layer_, panel_);
      for (const auto k : inside) {
        if (!std::isfinite(layer_.values[k])) continue;
        markers.points.push_back(map_(layer_.x[k], layer_.y[k]));
        markers.colors.push_back(scale.at(layer_.values[k]));
        markers.colors.back().alpha *= layer_.opacity;
      }
    } else {
      markers.points.reserve(inside.size());
      for (const auto k : inside) markers.points.push_back(map_(layer_.x[k], layer_.y[k]));
    }
    if (!markers.points.empty()) out_.items.emplace_back(std::move(markers));
  }

  void draw_stems() {
    const double base = down(layer_.base);
    std::vector<std::vector<Point>> pieces;
    for (std::size_t k = 0; k < layer_.x.size(); ++k) {
      const auto p = map_(layer_.x[k], layer_.y[k]);
      if (std::isfinite(p.x) && std::isfinite(p.y)) pieces.push_back({{p.x, base}, {p.x, down(layer_.y[k])}});
    }
    stroke(std::move(pieces), width_, dash_);
  }

  void draw_boxes() {
    FillPath fill{{}, color_};
    StrokePath edges{{}, theme_.paper, 0.7};
    for (std::size_t k = 0; k < layer_.left.size(); ++k) {
      if (!std::isfinite(layer_.low[k]) || !std::isfinite(layer_.high[k])) continue;
      const double a = map_(layer_.left[k], 1).x, b = map_(layer_.right[k], 1).x;
      if (!std::isfinite(a) || !std::isfinite(b)) continue;
      const double c = down(layer_.low[k]), d = down(layer_.high[k]);
      fill.pieces.push_back({{a, c}, {b, c}, {b, d}, {a, d}});
      if (std::fabs(b - a) > 3) edges.pieces.push_back({{a, c}, {a, d}, {b, d}, {b, c}});
    }
    if (fill.pieces.empty()) return;
    clipped(std::move(fill));
    if (!edges.pieces.empty()) clipped(std::move(edges));
  }

  void draw_region() {
    FillPath fill{{}, color_};
    std::vector<Point> forth, back;
    // Of very many points each narrow column keeps how far the region reaches.
    constexpr std::size_t many = 20000;
    constexpr double column = 0.25;
    const bool thins = layer_.x.size() > many;
    const auto close = [&] {
      if (forth.size() > 1) {
        forth.insert(forth.end(), back.rbegin(), back.rend());
        fill.pieces.push_back(std::move(forth));
      }
      forth.clear();
      back.clear();
    };
    for (std::size_t k = 0; k < layer_.x.size(); ++k) {
      const double x = map_(layer_.x[k], 1).x;
      if (!std::isfinite(x) || !std::isfinite(layer_.low[k]) || !std::isfinite(layer_.high[k])) {
        close();
        continue;
      }
      const double above = down(layer_.high[k]), below = down(layer_.low[k]);
      if (thins && !forth.empty() && std::floor(x / column) == std::floor(forth.back().x / column)) {
        forth.back().y = std::min(forth.back().y, above);
        back.back().y = std::max(back.back().y, below);
        continue;
      }
      forth.push_back({x, above});
      back.push_back({x, below});
    }
    close();
    if (!fill.pieces.empty()) clipped(std::move(fill));
  }

  void draw_error_bars() {
    std::vector<std::vector<Point>> pieces;
    const double cap = layer_.size * 0.6 * theme_.line_factor;
    for (std::size_t k = 0; k < layer_.x.size(); ++k) {
      const double x = map_(layer_.x[k], 1).x, low = down(layer_.low[k]), high = down(layer_.high[k]);
      if (!std::isfinite(x) || !std::isfinite(layer_.low[k]) || !std::isfinite(layer_.high[k])) continue;
      pieces.push_back({{x, low}, {x, high}});
      for (const double end : {low, high}) pieces.push_back({{x - cap / 2, end}, {x + cap / 2, end}});
      if (k >= layer_.left.size()) continue;
      const double a = map_(layer_.left[k], 1).x, b = map_(layer_.right[k], 1).x, y = down(layer_.y[k]);
      if (!std::isfinite(a) || !std::isfinite(b)) continue;
      pieces.push_back({{a, y}, {b, y}});
      for (const double end : {a, b}) pieces.push_back({{end, y - cap / 2}, {end, y + cap / 2}});
    }
    stroke(std::move(pieces), std::max(0.8, width_ * 0.7), Dash::solid);
  }

  void draw_cells() {
    const auto scale = color_scale(layer_, panel_);
    const auto columns = layer_.x.size() - 1, rows = layer_.y.size() - 1;
    const auto color_at = [&](std::size_t r, std::size_t c) {
      const double v = layer_.z[r * columns + c];
      auto color = std::isfinite(v) ? scale.at(v) : Color{0, 0, 0, 0};
      if (std::isfinite(v)) color.alpha *= layer_.opacity;
      return color;
    };
    std::vector<double> xs, ys;
    for (const double x : layer_.x) xs.push_back(map_(x, map_.y.at(0.5)).x);
    for (const double y : layer_.y) ys.push_back(map_(map_.x.at(0.5), y).y);
    const auto even = [](const std::vector<double>& v) {
      const double step = (v.back() - v.front()) / static_cast<double>(v.size() - 1);
      for (std::size_t k = 1; k < v.size(); ++k)
        if (!(std::fabs(v[k] - v[k - 1] - step) < 1e-3 * std::fabs(step))) return false;
      return true;
    };
    if (even(xs) && even(ys)) {
      Picture picture{{std::min(xs.front(), xs.back()), std::min(ys.front(), ys.back()),
                       std::fabs(xs.back() - xs.front()), std::fabs(ys.back() - ys.front())},
                      columns,
                      rows,
                      {}};
      picture.cells.reserve(rows * columns);
      for (std::size_t r = 0; r < rows; ++r) {
        poll_interrupt();
        for (std::size_t c = 0; c < columns; ++c)
          picture.cells.push_back(color_at(ys.back() > ys.front() ? r : rows - 1 - r,
                                           xs.back() > xs.front() ? c : columns - 1 - c));
      }
      clipped(std::move(picture));
      return;
    }
    Quads quads;
    for (std::size_t r = 0; r < rows; ++r) {
      poll_interrupt();
      for (std::size_t c = 0; c < columns; ++c) {
        if (!std::isfinite(layer_.z[r * columns + c]) ||
            !std::isfinite(xs[c] + xs[c + 1] + ys[r] + ys[r + 1]))
          continue;
        quads.corners.push_back({Point{xs[c], ys[r]}, Point{xs[c + 1], ys[r]}, Point{xs[c + 1], ys[r + 1]},
                                 Point{xs[c], ys[r + 1]}});
        quads.colors.push_back(color_at(r, c));
      }
    }
    if (!quads.corners.empty()) clipped(std::move(quads));
  }

  std::vector<std::vector<Point>> on_page(std::vector<std::vector<Point>> pieces) const {
    for (auto& piece : pieces)
      for (auto& p : piece) p = map_(p.x, p.y);
    return pieces;
  }

  void draw_contours() {
    const GridValues grid{layer_.x, layer_.y, layer_.z};
    const auto levels = contour_levels(layer_);
    const auto labels = tick_labels(levels);
    const auto scale = color_scale(layer_, panel_);
    std::vector<DrawnText> texts;
    for (std::size_t k = 0; k < levels.size(); ++k) {
      const auto color = layer_.is_coloured_by_value() ? scale.at(levels[k]) : color_;
      auto pieces = on_page(contour_lines(grid, levels[k]));
      // On a field the numbers can be read where the lines can be seen.
      if (layer_.labelled_contours)
        label_lines(pieces, labels[k], layer_.is_coloured_by_value() ? theme_.soft : color, texts);
      if (!pieces.empty()) clipped(StrokePath{std::move(pieces), color, width_, dash_});
    }
    for (auto& text : texts) out_.items.emplace_back(std::move(text));
  }

  // Opens long lines where they run straightest, and writes their value there.
  void label_lines(std::vector<std::vector<Point>>& pieces, const std::string& label, const Color& color,
                   std::vector<DrawnText>& texts) {
    const auto line = lay_text(label, {theme_.tick_size * 0.9}, measurer_);
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
        const bool inside = middle.x > map_.area.x + room && middle.x < map_.area.right() - room &&
                            middle.y > map_.area.y + room && middle.y < map_.area.bottom() - room;
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

  void draw_filled() {
    const GridValues grid{layer_.x, layer_.y, layer_.z};
    auto levels = contour_levels(layer_);
    const auto scale = color_scale(layer_, panel_);
    if (levels.empty()) return;
    // From the lowest up, each region over the last; below the first level lies all that has values.
    levels.insert(levels.begin(), -std::numeric_limits<double>::max());
    for (std::size_t k = 0; k < levels.size(); ++k) {
      auto pieces = on_page(region_above(grid, levels[k]));
      if (pieces.empty()) continue;
      const double low = k == 0 ? scale.range.low : levels[k],
                   high = k + 1 < levels.size() ? levels[k + 1] : scale.range.high;
      auto color = scale.at((std::max(low, scale.range.low) + std::min(high, scale.range.high)) / 2);
      color.alpha *= layer_.opacity;
      clipped(FillPath{std::move(pieces), color});
    }
  }

  void draw_arrows() {
    // The longest arrow is as long as the arrows stand apart.
    double longest = 0;
    std::vector<std::pair<Point, Point>> found;
    for (std::size_t k = 0; k < layer_.x.size(); ++k) {
      const auto p = map_(layer_.x[k], layer_.y[k]);
      if (!std::isfinite(p.x) || !std::isfinite(p.y) || !std::isfinite(layer_.right[k] + layer_.high[k]))
        continue;
      // Directions as on the page, where both axes have their own unit.
      const double u = layer_.right[k] * map_.area.width / (map_.x.limits.high - map_.x.limits.low),
                   v = -layer_.high[k] * map_.area.height / (map_.y.limits.high - map_.y.limits.low);
      found.push_back({p, {map_.x.reverse ? -u : u, map_.y.reverse ? -v : v}});
      longest = std::max(longest, std::hypot(u, v));
    }
    if (found.empty() || longest == 0) return;
    const double apart = std::sqrt(map_.area.width * map_.area.height / static_cast<double>(found.size()));
    const double unit = 0.9 * std::clamp(apart, 6.0, 60.0) / longest;
    std::vector<std::vector<Point>> shafts;
    FillPath heads{{}, color_};
    for (const auto& [p, d] : found) {
      const double length = std::hypot(d.x, d.y) * unit;
      if (length < 0.3) continue;
      const double ux = d.x * unit / length, uy = d.y * unit / length;
      const double head = std::min(5.0 * theme_.line_factor, 0.45 * length);
      const Point tip{p.x + ux * length, p.y + uy * length}, neck{tip.x - ux * head, tip.y - uy * head};
      shafts.push_back({p, {tip.x - ux * head * 0.7, tip.y - uy * head * 0.7}});
      heads.pieces.push_back({tip,
                              {neck.x - uy * head * 0.42, neck.y + ux * head * 0.42},
                              {neck.x + uy * head * 0.42, neck.y - ux * head * 0.42}});
    }
    stroke(std::move(shafts), std::min(width_, 1.1), Dash::solid);
    clipped(std::move(heads));
  }

  const Layer& layer_;
  Color color_;
  Dash dash_;
  const Panel& panel_;
  const Mapping& map_;
  const Theme& theme_;
  TextMeasurer& measurer_;
  DisplayList& out_;
  double width_;
};

}  // namespace

void draw_layer(const Layer& layer, const Look& look, const Panel& panel, const Mapping& map,
                const Theme& theme, TextMeasurer& measurer, DisplayList& out) {
  Drawer(layer, look, panel, map, theme, measurer, out).draw();
}

namespace {

// Three markers from one end of the palette to the other.
void draw_value_sample(const ColorScale& scale, const Layer& layer, const Theme& theme, double x,
                       double middle, double width, DisplayList& out) {
  Markers markers{{},
                  layer.marker == Marker::none ? Marker::disc : layer.marker,
                  std::min(layer.size * theme.line_factor, 6.0),
                  {},
                  theme.paper,
                  {}};
  for (const double share : {0.12, 0.5, 0.88}) {
    markers.points.push_back({x + share * width, middle});
    markers.colors.push_back(scale.palette->at(share));
  }
  out.items.emplace_back(std::move(markers));
}

}  // namespace

void draw_sample(const Layer& layer, const Look& look, const Panel& panel, const Theme& theme, double x,
                 double middle, double width, DisplayList& out) {
  using enum Layer::Kind;
  const auto& color = look.color;
  const Rect box{x, middle - 4, width, 8};
  switch (layer.kind) {
    case boxes:
    case region: out.items.emplace_back(FillRect{box, color}); break;
    case heatmap:
    case filled_contours:
    case surface: {
      const auto scale = color_scale(layer, panel);
      Picture picture{box, 12, 1, {}};
      for (int k = 0; k < 12; ++k) picture.cells.push_back(scale.palette->at((k + 0.5) / 12));
      out.items.emplace_back(std::move(picture));
      break;
    }
    case scatter:
      if (layer.values.empty()) break;
      draw_value_sample(color_scale(layer, panel), layer, theme, x, middle, width, out);
      return;
    case error_bars:
      out.items.emplace_back(StrokePath{{{{x + width / 2, middle - 5}, {x + width / 2, middle + 5}}},
                                        color,
                                        std::max(0.8, layer.width * 0.7 * theme.line_factor),
                                        Dash::solid});
      break;
    default:
      out.items.emplace_back(StrokePath{
          {{{x, middle}, {x + width, middle}}}, color, layer.width * theme.line_factor, look.dash});
  }
  const bool always = layer.kind == scatter || layer.kind == stems;
  const auto shape = always && layer.marker == Marker::none ? Marker::disc : layer.marker;
  if (shape != Marker::none)
    out.items.emplace_back(Markers{{{x + width / 2, middle}},
                                   shape,
                                   std::min(layer.size * theme.line_factor, 9.0),
                                   color,
                                   theme.paper,
                                   {}});
}

}  // namespace quill
