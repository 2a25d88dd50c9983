#include "figure/legend.h"

#include <algorithm>
#include <cmath>

namespace quill {

namespace {

constexpr double kPad = 5, kSample = 20, kSampleGap = 6, kLineGap = 3, kInset = 7, kLegendColumnGap = 12;

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

}  // namespace

LegendPlan plan_legend(const Panel& panel, LegendPlace place,
                       const std::vector<std::size_t>& labelled_elsewhere, const Theme& theme,
                       TextLayer& text, Point room) {
  LegendPlan plan;
  if (!panel.legend) return plan;
  const auto is_elsewhere = [&](std::size_t k) {
    return std::find(labelled_elsewhere.begin(), labelled_elsewhere.end(), k) != labelled_elsewhere.end();
  };
  for (std::size_t k = 0; k < panel.layers.size(); ++k) {
    if (panel.layers[k].label.empty() || is_elsewhere(k)) continue;
    const double sides = kSample + kSampleGap + 2 * kPad + 2 * kInset;
    plan.labels.push_back(
        text.shortened_line(panel.layers[k].label, {theme.legend_size}, std::max(20.0, room.x - sides)));
    plan.layers.push_back(k);
  }
  if (plan.layers.empty()) return plan;
  // As many below each other as have room, in as many columns as have room.
  double tallest = 0, widest = 0;
  for (const auto& label : plan.labels) {
    tallest = std::max(tallest, label.height());
    widest = std::max(widest, label.width);
  }
  plan.row_height = tallest + kLineGap;
  plan.column_width = kSample + kSampleGap + widest;
  const auto count = [](double share) { return static_cast<std::size_t>(std::max(1.0, std::floor(share))); };
  const auto most_rows = count((room.y - 2 * kPad + kLineGap) / plan.row_height);
  const auto most_columns =
      count((room.x - 2 * kPad + kLegendColumnGap) / (plan.column_width + kLegendColumnGap));
  const auto all = plan.labels.size();
  const auto columns = std::min(most_columns, (all + most_rows - 1) / most_rows);
  plan.rows = std::min(most_rows, (all + columns - 1) / columns);
  const auto kept = std::min(all, plan.rows * columns);
  plan.left_out = all - kept;
  plan.labels.resize(kept);
  plan.layers.resize(kept);
  plan.place = place;
  plan.width =
      static_cast<double>(columns) * (plan.column_width + kLegendColumnGap) - kLegendColumnGap + 2 * kPad;
  plan.height = static_cast<double>(plan.rows) * plan.row_height - kLineGap + 2 * kPad;
  return plan;
}

std::optional<InkMap::Place> free_place(const LegendPlan& plan, const InkMap& ink) {
  return ink.least_covered(plan.width, plan.height, kInset);
}

void place_legend(LegendPlan& plan, const Rect& area, const InkMap* ink, double outside_left) {
  if (!plan.place) return;
  const auto found = ink && *plan.place == LegendPlace::best ? free_place(plan, *ink) : std::nullopt;
  plan.box = found ? found->box : box_at(*plan.place, plan.width, plan.height, area, outside_left);
}

void draw_legend(const LegendPlan& plan, const Panel& panel, const std::vector<Look>& looks,
                 const Theme& theme, TextMeasurer& measurer, DisplayList& out) {
  if (!plan.place) return;
  auto back = theme.paper;
  back.alpha = 0.92;
  // Grid lines and data would run through the labels.
  if (!plan.outside()) out.items.emplace_back(FillRect{plan.box, back});
  for (std::size_t k = 0; k < plan.layers.size(); ++k) {
    const auto& layer = panel.layers[plan.layers[k]];
    const auto& label = plan.labels[k];
    const double x = plan.box.x + kPad +
                     static_cast<double>(k / plan.rows) * (plan.column_width + kLegendColumnGap),
                 y = plan.box.y + kPad + static_cast<double>(k % plan.rows) * plan.row_height;
    out.items.owner.index = static_cast<int>(plan.layers[k]);
    draw_sample({layer, looks[plan.layers[k]], panel, theme, measurer, out}, x, y + label.ascent * 0.64,
                kSample);
    put_text(out, label, {x + kSample + kSampleGap, y + label.ascent}, theme.ink, "legend");
  }
  out.items.owner.index = -1;
}

}  // namespace quill
