#include "figure/annotations.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace quill {

namespace {

void tell_outside(std::size_t count, const char* what, TextLayer& text) {
  if (count == 1) text.warn(fmt::format("1 {} is not drawn: it is outside the limits of the axes", what));
  if (count > 1)
    text.warn(fmt::format("{} {}s are not drawn: they are outside the limits of the axes", count, what));
}

}  // namespace

void draw_guides(const Panel& panel, const Mapping& map, const Theme& theme, TextLayer& text,
                 DisplayList& out) {
  std::size_t outside = 0;
  for (const auto& guide : panel.guides) {
    const auto& across = guide.is_vertical ? map.x : map.y;
    const auto& along = guide.is_vertical ? map.y : map.x;
    const double at = across.share(guide.at);
    if (!(at >= 0 && at <= 1)) {
      ++outside;
      continue;
    }
    const auto end = [&](const std::optional<double>& value, double otherwise) {
      const double share = value ? along.share(*value) : otherwise;
      return std::isfinite(share) ? std::clamp(share, 0.0, 1.0) : otherwise;
    };
    const double from = end(guide.from, 0), to = end(guide.to, 1);
    const auto& a = map.area;
    const auto place = [&](double s) {
      return guide.is_vertical ? Point{a.x + at * a.width, a.bottom() - s * a.height}
                               : Point{a.x + s * a.width, a.bottom() - at * a.height};
    };
    out.items.emplace_back(StrokePath{{{place(from), place(to)}},
                                      guide.color.value_or(theme.soft),
                                      guide.width * theme.line_factor,
                                      guide.dash});
  }
  tell_outside(outside, "guide", text);
}

namespace {

constexpr double kNotePad = 4;

// The point of a box nearest to another.
Point nearest_in(const Rect& box, Point p) {
  return {std::clamp(p.x, box.x, box.right()), std::clamp(p.y, box.y, box.bottom())};
}

void draw_arrow(const Note& note, const Rect& box, Point target, const Theme& theme, DisplayList& out) {
  const auto start = nearest_in({box.x - 2, box.y - 2, box.width + 4, box.height + 4}, target);
  const double length = std::hypot(target.x - start.x, target.y - start.y);
  constexpr double shortest_arrow = 8, stand_off = 4, head = 6;
  if (length < shortest_arrow) return;
  // A curved one leaves the straight way to its side by a fifth of its length.
  const double bow = note.arrow == Arrow::curved ? 0.2 * length : 0;
  const Point across{-(target.y - start.y) / length, (target.x - start.x) / length};
  const double side = (target.x - start.x) * (target.y - start.y) > 0 ? -1 : 1;
  const Point pull{(start.x + target.x) / 2 + 2 * side * bow * across.x,
                   (start.y + target.y) / 2 + 2 * side * bow * across.y};
  const auto on_way = [&](double t) {
    const double a = (1 - t) * (1 - t), b = 2 * t * (1 - t), c = t * t;
    return Point{a * start.x + b * pull.x + c * target.x, a * start.y + b * pull.y + c * target.y};
  };
  const double stop = 1 - stand_off / length;
  std::vector<Point> way;
  const int parts = bow > 0 ? 24 : 1;
  for (int k = 0; k <= parts; ++k) way.push_back(on_way(stop * k / parts));
  const Point tip = way.back(), before = on_way(std::max(0.0, stop - head / length));
  const double angle = std::atan2(tip.y - before.y, tip.x - before.x);
  const Point neck{tip.x - head * std::cos(angle), tip.y - head * std::sin(angle)};
  way.back() = {tip.x - 0.6 * head * std::cos(angle), tip.y - 0.6 * head * std::sin(angle)};
  out.items.emplace_back(StrokePath{{way}, theme.ink, 0.8 * theme.line_factor, Dash::solid});
  const double wide = 0.38 * head;
  out.items.emplace_back(FillPath{{{tip,
                                    {neck.x - wide * std::sin(angle), neck.y + wide * std::cos(angle)},
                                    {neck.x + wide * std::sin(angle), neck.y - wide * std::cos(angle)}}},
                                  theme.ink});
}

}  // namespace

void draw_notes(const Panel& panel, const Mapping& map, const Theme& theme, TextLayer& text, const Rect& page,
                DisplayList& out) {
  std::size_t outside = 0;
  for (const auto& note : panel.notes) {
    out.items.owner.index = static_cast<int>(&note - panel.notes.data());
    const auto target = map(note.x, note.y);
    constexpr double slack = 0.01;
    const auto& area = map.area;
    if (!(target.x >= area.x - slack && target.x <= area.right() + slack && target.y >= area.y - slack &&
          target.y <= area.bottom() + slack)) {
      ++outside;
      continue;
    }
    const auto lines =
        text.paragraph(note.text, {note.size.value_or(theme.legend_size)}, map.area.width * 0.6);
    double width = 0, height = 0;
    for (const auto& line : lines) {
      width = std::max(width, line.width);
      height += line.height();
    }
    const double pad = note.box ? kNotePad : 0;
    // The offset leads to the nearest corner or side of the text.
    const double x = target.x + note.dx - (note.dx < 0 ? width + pad : note.dx > 0 ? -pad : width / 2);
    const double y = target.y - note.dy - (note.dy > 0 ? height + pad : note.dy < 0 ? -pad : height / 2);
    // Held inside of the page.
    Rect box{std::clamp(x, page.x + pad, std::max(page.x + pad, page.right() - width - pad)),
             std::clamp(y, page.y + pad, std::max(page.y + pad, page.bottom() - height - pad)), width,
             height};
    const Rect around{box.x - pad, box.y - pad, width + 2 * pad, height + 2 * pad};
    if (note.arrow != Arrow::none) draw_arrow(note, around, target, theme, out);
    if (note.box) {
      auto back = theme.paper;
      back.alpha = 0.92;
      out.items.emplace_back(FillRect{around, back});
      out.items.emplace_back(StrokePath{{{{around.x, around.y},
                                          {around.right(), around.y},
                                          {around.right(), around.bottom()},
                                          {around.x, around.bottom()},
                                          {around.x, around.y}}},
                                        theme.soft,
                                        0.6});
    }
    double baseline = box.y;
    for (const auto& line : lines) {
      put_text(out, line, {box.x, baseline + line.ascent}, theme.ink, "note");
      baseline += line.height();
    }
  }
  out.items.owner.index = -1;
  tell_outside(outside, "note", text);
}

namespace {

constexpr double kBarGap = 12, kBarWidth = 9;

}  // namespace

namespace {

// One band for each region of filled contours within the range of the colours.
void set_bands(ColorBarPlan& plan, const Layer& layer) {
  const auto levels = contour_levels(layer);
  const auto colors = filled_contour_colors(layer, levels, *plan.scale);
  const auto [low, high] = plan.axis.scale.limits;
  plan.edges = {low};
  for (std::size_t k = 0; k <= levels.size(); ++k) {
    const double end = k < levels.size() ? std::clamp(levels[k], low, high) : high;
    if (!(end > plan.edges.back())) continue;
    plan.edges.push_back(end);
    plan.bands.push_back(colors[k]);
  }
}

}  // namespace

ColorBarPlan plan_color_bar(const Panel& panel, double height, const Theme& theme, TextLayer& text) {
  ColorBarPlan plan;
  if (!panel.color_bar) return plan;
  plan.scale = color_scale(panel, theme);
  if (!plan.scale) return plan;
  Axis axis;
  axis.ticks = panel.color_bar->ticks;
  plan.axis.scale.limits = plan.scale->range;
  if (!(plan.axis.scale.limits.low < plan.axis.scale.limits.high))
    plan.axis.scale.limits = padded_limits(plan.scale->range.low, plan.scale->range.high);
  const auto filled = std::find_if(panel.layers.begin(), panel.layers.end(), [](const Layer& layer) {
    return layer.is_coloured_by_value() && layer.pixels.empty();
  });
  if (filled != panel.layers.end() && filled->kind == Layer::Kind::filled_contours) {
    set_bands(plan, *filled);
    // A tick at each level, where the colour changes.
    if (!axis.ticks && plan.edges.size() > 2)
      axis.ticks.emplace(plan.edges.begin() + 1, plan.edges.end() - 1);
  }
  make_ticks(plan.axis, axis, height, false, theme, text);
  std::string title;
  if (panel.color_bar->title)
    title = *panel.color_bar->title;
  else if (filled != panel.layers.end() && !panel.is_spatial())
    title = filled->z_name;  // in space the axis z has it
  plan.axis.title = text.paragraph(with_common(title, plan.axis), {theme.axis_title_size}, height);
  plan.width = kBarGap + kBarWidth + theme.tick_length + kTickGap + plan.axis.widest();
  if (!plan.axis.title.empty()) plan.width += 4 + plan.axis.title_height();
  return plan;
}

void draw_color_bar(const ColorBarPlan& plan, const Rect& area, const Theme& theme, DisplayList& out) {
  if (plan.width == 0) return;
  const Rect bar{area.right() + kBarGap, area.y, kBarWidth, area.height};
  const auto height_of = [&](double v) { return bar.bottom() - plan.axis.scale.share(v) * bar.height; };
  for (std::size_t k = 0; k < plan.bands.size(); ++k) {
    const double top = height_of(plan.edges[k + 1]), bottom = height_of(plan.edges[k]);
    out.items.emplace_back(FillRect{{bar.x, top, bar.width, bottom - top}, plan.bands[k]});
  }
  constexpr std::size_t steps = 256;
  Picture picture{bar, 1, steps, {}};
  for (std::size_t k = 0; k < steps; ++k)
    picture.cells.push_back(plan.scale->at_share(1 - (static_cast<double>(k) + 0.5) / steps));
  if (plan.bands.empty()) out.items.emplace_back(std::move(picture));
  StrokePath ticks{{}, theme.ink, theme.axis_width * 0.8};
  const double x = bar.right();
  for (std::size_t k = 0; k < plan.axis.ticks.positions.size(); ++k) {
    const double y = bar.bottom() - plan.axis.scale.share(plan.axis.ticks.positions[k]) * bar.height;
    ticks.pieces.push_back({{x, y}, {x + theme.tick_length, y}});
    const auto& label = plan.axis.labels[k];
    put_text(out, label, {x + theme.tick_length + kTickGap, y + label.ascent * 0.37}, theme.soft,
             "color tick");
  }
  out.items.emplace_back(std::move(ticks));
  double left = x + theme.tick_length + kTickGap + plan.axis.widest() + 4;
  for (const auto& line : plan.axis.title) {
    put_text(out, line, {left + line.ascent, bar.y + (bar.height + line.width) / 2}, theme.ink, "color title",
             std::numbers::pi / 2);
    left += line.height();
  }
}

}  // namespace quill
