#include "figure/legend.h"

#include <algorithm>
#include <cmath>

#include "figure/layers/layer_kind.h"

namespace quill {

namespace {

constexpr double kPad = 5, kSample = 20, kSampleGap = 6, kLineGap = 3, kInset = 7;

Rect box_at(LegendPlace place, double width, double height, const Rect& a, double outside_left) {
  using enum LegendPlace;
  if (place == outside_right) return {outside_left, a.y, width, height};
  const bool at_left = place == left || place == top_left || place == bottom_left,
             at_right = place == right || place == top_right || place == bottom_right,
             at_top = place == top || place == top_left || place == top_right,
             at_bottom = place == bottom || place == bottom_left || place == bottom_right;
  const double x = at_left    ? a.x + kInset
                   : at_right ? a.right() - kInset - width
                              : a.x + (a.width - width) / 2;
  const double y = at_top      ? a.y + kInset
                   : at_bottom ? a.bottom() - kInset - height
                               : a.y + (a.height - height) / 2;
  return {x, y, width, height};
}

// Where the layers have their ink, on the page.
struct Ink {
  std::vector<Point> points;
  bool joined = false;
};
std::vector<Ink> ink_of(const Panel& panel, const Mapping& map) {
  std::vector<Ink> out;
  for (const auto& layer : panel.layers) {
    const auto& row = row_of(layer.kind);
    if (!row.outline) continue;
    Ink ink{row.outline(layer), row.is_joined};
    for (auto& p : ink.points) p = map(p.x, p.y);
    out.push_back(std::move(ink));
  }
  return out;
}

// How much of it lies under a box: points, and for lines points between them.
double covered(const Rect& box, const std::vector<Ink>& inks) {
  const auto inside = [&](Point q) {
    return q.x > box.x - 3 && q.x < box.right() + 3 && q.y > box.y - 3 && q.y < box.bottom() + 3;
  };
  double count = 0;
  for (const auto& ink : inks)
    for (std::size_t k = 0; k < ink.points.size(); ++k) {
      const auto& p = ink.points[k];
      count += inside(p);
      if (!ink.joined || k == 0) continue;
      const auto& before = ink.points[k - 1];
      for (int part = 1; part < 6; ++part)
        count += inside({before.x + (p.x - before.x) * part / 6, before.y + (p.y - before.y) * part / 6})
                     ? 0.3
                     : 0;
    }
  return count;
}

}  // namespace

LegendPlan plan_legend(const Panel& panel, LegendPlace place, const Theme& theme, TextLayer& text,
                       Point room) {
  LegendPlan plan;
  if (!panel.legend) return plan;
  for (std::size_t k = 0; k < panel.layers.size(); ++k) {
    if (panel.layers[k].label.empty()) continue;
    const double sides = kSample + kSampleGap + 2 * kPad + 2 * kInset;
    auto label =
        text.shortened_line(panel.layers[k].label, {theme.legend_size}, std::max(20.0, room.x - sides));
    const double height = label.height() + (plan.layers.empty() ? 0 : kLineGap);
    if (!plan.layers.empty() && plan.height + height + 2 * kPad > room.y) {
      ++plan.left_out;
      continue;
    }
    plan.layers.push_back(k);
    plan.width = std::max(plan.width, label.width);
    plan.height += height;
    plan.labels.push_back(std::move(label));
  }
  if (plan.layers.empty()) return plan;
  plan.place = place;
  plan.width += kSample + kSampleGap + 2 * kPad;
  plan.height += 2 * kPad;
  return plan;
}

namespace {

struct Free {
  Rect box;
  double share = 1;  // of the data under it
};

Free freest(const LegendPlan& plan, const Panel& panel, const Mapping& map) {
  const auto inks = ink_of(panel, map);
  const double all = std::max(1.0, covered(map.area, inks));
  Free found;
  found.share = INFINITY;
  using enum LegendPlace;
  for (const auto place : {top_right, top_left, bottom_right, bottom_left, right, left, top, bottom}) {
    const auto box = box_at(place, plan.width, plan.height, map.area, 0);
    const double share = covered(box, inks) / all;
    if (share < found.share) found = {box, share};
  }
  return found;
}

}  // namespace

double least_covered(const LegendPlan& plan, const Panel& panel, const Mapping& map) {
  return plan.place ? freest(plan, panel, map).share : 0;
}

void place_legend(LegendPlan& plan, const Panel& panel, const Mapping& map, double outside_left) {
  if (!plan.place) return;
  plan.box = *plan.place == LegendPlace::best
                 ? freest(plan, panel, map).box
                 : box_at(*plan.place, plan.width, plan.height, map.area, outside_left);
}

void draw_legend(const LegendPlan& plan, const Panel& panel, const std::vector<Look>& looks,
                 const Theme& theme, TextMeasurer& measurer, DisplayList& out) {
  if (!plan.place) return;
  auto back = theme.paper;
  back.alpha = 0.92;
  // Grid lines and data would run through the labels.
  if (!plan.outside()) out.items.emplace_back(FillRect{plan.box, back});
  double y = plan.box.y + kPad;
  for (std::size_t k = 0; k < plan.layers.size(); ++k) {
    const auto& layer = panel.layers[plan.layers[k]];
    const auto& label = plan.labels[k];
    const double middle = y + label.ascent * 0.64, x = plan.box.x + kPad;
    out.items.owner.index = static_cast<int>(plan.layers[k]);
    draw_sample({layer, looks[plan.layers[k]], panel, theme, measurer, out}, x, middle, kSample);
    put_text(out, label, {x + kSample + kSampleGap, y + label.ascent}, theme.ink, "legend");
    y += label.height() + kLineGap;
  }
  out.items.owner.index = -1;
}

}  // namespace quill
