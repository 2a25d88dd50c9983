#include "figure/animation.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "figure/draw.h"
#include "figure/panel_plan.h"
#include "figure/ticks.h"

namespace quill {

Figure frame_of(const Figure& figure, std::size_t k) {
  Figure out = figure;
  out.frames.clear();
  out.panels = figure.frames[k].panels;
  if (!figure.frames[k].title.empty()) out.title = figure.frames[k].title;
  if (!figure.frames[k].subtitle.empty()) out.subtitle = figure.frames[k].subtitle;
  return out;
}

bool have_same_panels(const FigureFrame& a, const FigureFrame& b) {
  return std::equal(a.panels.begin(), a.panels.end(), b.panels.begin(), b.panels.end(),
                    [](const Panel& p, const Panel& q) {
                      return p.row == q.row && p.column == q.column && p.rows == q.rows &&
                             p.columns == q.columns && p.place == q.place && p.is_spatial() == q.is_spatial();
                    });
}

Figure still_of(const Figure& figure) { return figure.is_animated ? frame_of(figure, 0) : figure; }

namespace {

using AxisOf = Axis Panel::*;
constexpr AxisOf kAxes[] = {&Panel::x, &Panel::y, &Panel::z, &Panel::right};

const AxisPlan& plan_of(const PanelPlan& p, AxisOf axis) {
  return axis == &Panel::x ? p.x : axis == &Panel::y ? p.y : axis == &Panel::z ? p.z : p.right_axis;
}

void unite(Limits& all, const Limits& one) {
  all = {std::min(all.low, one.low), std::max(all.high, one.high)};
}

constexpr Limits kNone{INFINITY, -INFINITY};

void set_limits(Figure& figure, TextMeasurer& measurer) {
  std::size_t most = 0;
  for (const auto& frame : figure.frames) most = std::max(most, frame.panels.size());
  std::vector<std::array<Limits, std::size(kAxes)>> all(most);
  for (auto& limits : all) limits.fill(kNone);
  for (std::size_t k = 0; k < figure.frames.size(); ++k) {
    std::vector<std::string> warnings, hints;
    TextLayer text(measurer, warnings);
    const auto one = frame_of(figure, k);
    const auto plans = plan_panels(one, text, hints);
    for (std::size_t j = 0; j < plans.size(); ++j)
      for (std::size_t a = 0; a < std::size(kAxes); ++a)
        unite(all[j][a], plan_of(plans[j], kAxes[a]).scale.limits);
  }
  for (auto& frame : figure.frames)
    for (std::size_t j = 0; j < frame.panels.size(); ++j)
      for (std::size_t a = 0; a < std::size(kAxes); ++a) {
        auto& axis = frame.panels[j].*kAxes[a];
        if (!axis.limits && all[j][a].low < all[j][a].high) axis.limits = all[j][a];
      }
}

// Corresponding layers coloured by value share a range, contours their levels.
void set_ranges(Figure& figure) {
  const auto theme = theme_of(figure);
  std::vector<std::vector<Limits>> all;
  const auto each = [&](const auto& visit) {
    for (auto& frame : figure.frames)
      for (std::size_t j = 0; j < frame.panels.size(); ++j)
        for (std::size_t k = 0; k < frame.panels[j].layers.size(); ++k) {
          auto& layer = frame.panels[j].layers[k];
          if (!layer.is_coloured_by_value() || !layer.pixels.empty()) continue;
          if (all.size() <= j) all.resize(j + 1);
          if (all[j].size() <= k) all[j].resize(k + 1, kNone);
          visit(frame.panels[j], layer, all[j][k]);
        }
  };
  each([&](const Panel& panel, const Layer& layer, Limits& range) {
    unite(range, color_scale(layer, panel, theme).range);
  });
  each([](const Panel&, Layer& layer, const Limits& range) {
    if (!layer.range && range.low < range.high) layer.range = range;
    const bool has_levels = layer.kind == Layer::Kind::contours || layer.kind == Layer::Kind::filled_contours;
    constexpr double wanted = 8;
    if (has_levels && layer.levels.empty() && range.low < range.high)
      layer.levels = linear_ticks(range.low, range.high, wanted).positions;
  });
}

}  // namespace

Figure with_common_limits(Figure figure, TextMeasurer& measurer) {
  // The last frame has all names.
  const auto& last = figure.frames.back().panels;
  for (auto& frame : figure.frames)
    for (std::size_t j = 0; j < frame.panels.size() && j < last.size(); ++j) {
      for (const auto axis : {&Panel::x, &Panel::y}) {
        const auto& from = last[j].*axis;
        auto& to = frame.panels[j].*axis;
        if (!to.ticks_are_names || from.names.size() <= to.names.size()) continue;
        to.names = from.names;
        to.ticks = from.ticks;
        to.tick_labels = from.tick_labels;
      }
      if (frame.panels[j].legend == LegendPlace::best) frame.panels[j].legend = LegendPlace::outside_right;
    }
  set_ranges(figure);
  set_limits(figure, measurer);
  figure.panels = figure.frames[0].panels;
  return figure;
}

}  // namespace quill
