#include "figure/draw.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "figure/contour.h"

namespace quill {

Color ColorScale::at(double value) const {
  const double share =
      range.high > range.low ? (value / 2 - range.low / 2) / (range.high / 2 - range.low / 2) : 0.5;
  return palette->at(share);
}

ColorScale color_scale(const Layer& layer, const Panel& panel) {
  ColorScale out;
  out.palette = find_palette(layer.palette.empty() ? panel.palette : layer.palette);
  if (layer.range) {
    out.range = *layer.range;
    return out;
  }
  Limits l{INFINITY, -INFINITY};
  for (const double v : layer.z)
    if (std::isfinite(v)) l = {std::min(l.low, v), std::max(l.high, v)};
  if (!(l.low <= l.high)) l = {0, 1};
  // Around zero the middle of a diverging palette is zero.
  if (out.palette->family == PaletteFamily::diverging && l.low < 0 && l.high > 0) {
    const double far = std::max(-l.low, l.high);
    l = {-far, far};
  }
  out.range = l;
  return out;
}

std::optional<ColorScale> color_scale(const Panel& panel) {
  for (const auto& layer : panel.layers)
    if (layer.is_coloured_by_value()) return color_scale(layer, panel);
  return std::nullopt;
}

std::vector<double> contour_levels(const Layer& layer) {
  if (!layer.levels.empty()) return layer.levels;
  Limits l{INFINITY, -INFINITY};
  for (const double v : layer.z)
    if (std::isfinite(v)) l = {std::min(l.low, v), std::max(l.high, v)};
  if (!(l.low < l.high)) return {};
  constexpr double wanted = 8;
  return linear_ticks(l.low, l.high, wanted).positions;
}

bool has_ink(const Layer& layer) {
  if (layer.kind == Layer::Kind::contours) return !contour_levels(layer).empty();
  if (layer.is_histogram)
    return std::any_of(layer.high.begin(), layer.high.end(), [](double v) { return v > 0; });
  if (layer.kind != Layer::Kind::arrows) return true;
  for (std::size_t k = 0; k < layer.right.size(); ++k)
    if (std::isfinite(layer.right[k]) && std::isfinite(layer.high[k]) &&
        (layer.right[k] != 0 || layer.high[k] != 0))
      return true;
  return false;
}

Extent extent_of(const Layer& layer, ScaleKind x_scale, ScaleKind y_scale) {
  Extent e;
  const auto widen = [](Limits& l, double v, ScaleKind scale) {
    if (!std::isfinite(v) || (scale == ScaleKind::log && v <= 0)) return;
    l = {std::min(l.low, v), std::max(l.high, v)};
  };
  const auto both = [&](double x, double y) {
    if (!std::isfinite(x) || !std::isfinite(y)) return;
    if ((x_scale == ScaleKind::log && x <= 0) || (y_scale == ScaleKind::log && y <= 0)) return;
    widen(e.x, x, x_scale);
    widen(e.y, y, y_scale);
  };
  using enum Layer::Kind;
  if (layer.is_grid()) {
    if (!std::any_of(layer.z.begin(), layer.z.end(), [](double v) { return std::isfinite(v); })) return e;
    for (const double v : layer.x) widen(e.x, v, x_scale);
    for (const double v : layer.y) widen(e.y, v, y_scale);
    e.tight_x = e.tight_low = e.tight_high = true;
    return e;
  }
  if (layer.kind == boxes) {
    for (std::size_t k = 0; k < layer.left.size(); ++k) {
      if (!std::isfinite(layer.low[k]) || !std::isfinite(layer.high[k])) continue;
      widen(e.x, layer.left[k], x_scale);
      widen(e.x, layer.right[k], x_scale);
      widen(e.y, layer.low[k], y_scale);
      widen(e.y, layer.high[k], y_scale);
    }
    e.tight_low = e.y.low == layer.base;
    e.tight_high = e.y.high == layer.base;
    return e;
  }
  if (layer.kind == region || layer.kind == error_bars)
    for (std::size_t k = 0; k < layer.low.size(); ++k) {
      both(layer.x[k], layer.low[k]);
      both(layer.x[k], layer.high[k]);
      if (k < layer.left.size()) {
        widen(e.x, layer.left[k], x_scale);
        widen(e.x, layer.right[k], x_scale);
      }
    }
  for (std::size_t k = 0; k < layer.y.size(); ++k)
    both(layer.x[k], layer.focus ? std::clamp(layer.y[k], layer.focus->low, layer.focus->high) : layer.y[k]);
  if (layer.kind == arrows && e.any()) {
    // Room for the arrows of the outermost points.
    const double parts = std::max(2.0, std::sqrt(static_cast<double>(layer.x.size())));
    const auto pad = [&](Limits& l, ScaleKind scale) {
      const double room = 0.5 * (l.high - l.low) / parts;
      if (std::isfinite(room) && scale != ScaleKind::log) l = {l.low - room, l.high + room};
    };
    pad(e.x, x_scale);
    pad(e.y, y_scale);
  }
  if (layer.kind == stems) widen(e.y, layer.base, y_scale);
  if (layer.kind == region && !layer.low.empty() &&
      std::all_of(layer.low.begin(), layer.low.end(), [&](double v) { return v == layer.base; }))
    e.tight_low = e.y.low == layer.base;
  return e;
}

std::vector<Look> looks_of(const Panel& panel, const Theme& theme) {
  std::vector<Look> out;
  std::size_t next = 0;
  constexpr Dash dashes[] = {Dash::solid, Dash::dashed, Dash::dotted, Dash::dash_dot};
  for (const auto& layer : panel.layers) {
    Look look{theme.ink, layer.dash.value_or(Dash::solid)};
    // What takes its colours from a palette leaves those of the cycle to the others.
    if (!layer.is_coloured_by_value()) {
      const auto number = layer.color ? 0 : layer.cycle ? static_cast<std::size_t>(*layer.cycle - 1) : next++;
      look.color = layer.color ? *layer.color : theme.cycle[number % theme.cycle.size()];
      look.color.alpha *= layer.opacity;
      if (theme.varies_dashes && !layer.dash && layer.kind == Layer::Kind::line)
        look.dash = dashes[number % 4];
    }
    out.push_back(look);
  }
  return out;
}

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
    Markers markers{points_inside(layer_.x, layer_.y, map_), shape, layer_.size * theme_.line_factor, color_,
                    theme_.paper};
    if (!markers.points.empty()) out_.items.emplace_back(std::move(markers));
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
      forth.push_back({x, down(layer_.high[k])});
      back.push_back({x, down(layer_.low[k])});
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
      for (std::size_t r = 0; r < rows; ++r)
        for (std::size_t c = 0; c < columns; ++c)
          picture.cells.push_back(color_at(ys.back() > ys.front() ? r : rows - 1 - r,
                                           xs.back() > xs.front() ? c : columns - 1 - c));
      clipped(std::move(picture));
      return;
    }
    Quads quads;
    for (std::size_t r = 0; r < rows; ++r)
      for (std::size_t c = 0; c < columns; ++c) {
        if (!std::isfinite(layer_.z[r * columns + c])) continue;
        quads.corners.push_back({Point{xs[c], ys[r]}, Point{xs[c + 1], ys[r]}, Point{xs[c + 1], ys[r + 1]},
                                 Point{xs[c], ys[r + 1]}});
        quads.colors.push_back(color_at(r, c));
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
      if (layer_.labelled_contours) label_lines(pieces, labels[k], texts);
      if (!pieces.empty()) clipped(StrokePath{std::move(pieces), color, width_, dash_});
    }
    for (auto& text : texts) out_.items.emplace_back(std::move(text));
  }

  // Opens long lines where they run straightest, and writes their value there.
  void label_lines(std::vector<std::vector<Point>>& pieces, const std::string& label,
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
      text.color = theme_.soft;
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
    case scatter: break;
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
    out.items.emplace_back(Markers{
        {{x + width / 2, middle}}, shape, std::min(layer.size * theme.line_factor, 9.0), color, theme.paper});
}

}  // namespace quill
