#include "figure/panel_plan.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/number.h"
#include "figure/layers/layer_kind.h"
#include "figure/left_out.h"

namespace quill {

namespace {

// The limits that the data of a panel have, with the ends that are unchanged.
struct Wanted {
  Limits limits{INFINITY, -INFINITY};
  bool tight_low = false, tight_high = false;
  void unite(const Wanted& other) {
    if (!(other.limits.low <= other.limits.high)) return;
    // An end is tight if the layer that reaches farthest wants it.
    if (other.limits.low < limits.low)
      tight_low = other.tight_low;
    else if (other.limits.low == limits.low)
      tight_low = tight_low || other.tight_low;
    if (other.limits.high > limits.high)
      tight_high = other.tight_high;
    else if (other.limits.high == limits.high)
      tight_high = tight_high || other.tight_high;
    limits = {std::min(limits.low, other.limits.low), std::max(limits.high, other.limits.high)};
  }
};

struct Planned {
  PanelPlan plan;
  Wanted x, y, z, right;
};

ScaleKind kind_of(const Axis& axis, bool is_time) {
  return axis.scale == ScaleKind::linear && is_time ? ScaleKind::time : axis.scale;
}

// Coordinates in space.
Wanted covered_by(const std::vector<double>& values, ScaleKind kind) {
  Wanted out;
  for (const double v : values)
    if (std::isfinite(v) && (v > 0 || kind != ScaleKind::log))
      out.limits = {std::min(out.limits.low, v), std::max(out.limits.high, v)};
  return out;
}

Planned plan_panel(const Panel& panel, TextLayer& text) {
  Planned out;
  auto& p = out.plan;
  p.panel = &panel;
  p.is_spatial = panel.is_spatial();
  p.has_right = panel.shows_right();
  bool x_is_time = false, y_is_time = false, z_is_time = false, right_is_time = false;
  p.x.is_count = p.y.is_count = !panel.layers.empty();
  for (const auto& layer : panel.layers) {
    p.x.is_count = p.x.is_count && layer.x_is_count;
    if (!layer.on_right) p.y.is_count = p.y.is_count && layer.y_is_count;
    x_is_time = x_is_time || layer.x_is_time;
    (layer.on_right ? right_is_time : y_is_time) |= layer.y_is_time;
    z_is_time = z_is_time || layer.z_is_time;
  }
  p.x.scale = {{}, kind_of(panel.x, x_is_time), panel.x.reverse};
  p.y.scale = {{}, kind_of(panel.y, y_is_time), panel.y.reverse};
  p.z.scale = {{}, kind_of(panel.z, z_is_time), panel.z.reverse};
  p.right_axis.scale = {{}, kind_of(panel.right, right_is_time), panel.right.reverse};
  p.x_title = panel.x.title;
  p.y_title = panel.y.title;
  p.z_title = panel.z.title;
  p.right_title = panel.right.title;
  for (const auto& layer : panel.layers) {
    if (p.x_title.empty()) p.x_title = layer.x_name;
    if (auto& title = layer.on_right ? p.right_title : p.y_title; title.empty()) title = layer.y_name;
    if (p.z_title.empty()) p.z_title = layer.z_name;
    const auto& y_scale = layer.on_right ? p.right_axis.scale : p.y.scale;
    const auto extent = extent_of(layer, panel.x.scale, layer.on_right ? panel.right.scale : panel.y.scale);
    const auto leave_out = [&](const char* why) {
      text.warn(fmt::format("a {}{} {}, and is omitted", name_of(layer.kind),
                            layer.label.empty() ? "" : fmt::format(" (\"{}\")", layer.label), why));
    };
    if (p.is_spatial && !layer.is_spatial()) {
      leave_out("has no third coordinate in a panel in space");
      continue;
    }
    if (!extent.any() || !has_ink(layer)) leave_out("has nothing that can be drawn");
    for (const auto& told : left_out_of(layer, {p.x.scale.kind, y_scale.kind, p.z.scale.kind}))
      text.warn(told);
    if (!extent.any()) continue;
    if (p.is_spatial) {
      out.x.unite(covered_by(layer.x, p.x.scale.kind));
      out.y.unite(covered_by(layer.y, p.y.scale.kind));
      out.z.unite(covered_by(layer.z, p.z.scale.kind));
      continue;
    }
    out.x.unite({extent.x, extent.tight_left, extent.tight_right});
    (layer.on_right ? out.right : out.y).unite({extent.y, extent.tight_low, extent.tight_high});
  }
  for (const auto& label : panel.labels) {
    Cover cover(p.x.scale.kind, p.y.scale.kind);
    cover.point(label.x, label.y);
    if (!cover.extent.any() || p.is_spatial) continue;
    out.x.unite({cover.extent.x, false, false});
    out.y.unite({cover.extent.y, false, false});
  }
  // In space the axes along the floor end where the data do.
  if (p.is_spatial)
    for (auto* wanted : {&out.x, &out.y})
      wanted->tight_low = wanted->tight_high = wanted->limits.low < wanted->limits.high;
  if (panel.color_bar && std::none_of(panel.layers.begin(), panel.layers.end(), [](const Layer& layer) {
        return layer.is_coloured_by_value() && layer.pixels.empty();
      }))
    text.warn("the colour bar is omitted: no layer of the panel is coloured by value");
  for (const auto* axis : {&panel.x, &panel.y, &panel.z, &panel.right})
    if (axis->scale == ScaleKind::log && axis->limits && !(axis->limits->low > 0))
      fail(fmt::format("a logarithmic axis has limits above 0, not ({}, {})", shortest(axis->limits->low),
                       shortest(axis->limits->high)));
  return out;
}

// Linked panels take common limits; then requested limits, or padding, apply.
void set_limits(std::vector<Planned>& panels, Link how, AxisPlan PanelPlan::*axis, Axis Panel::*asked_of,
                Wanted Planned::*wanted) {
  for (auto& p : panels) {
    auto all = p.*wanted;
    auto asked = (p.plan.panel->*asked_of).limits;
    for (const auto& other : panels) {
      if (how == Link::none || !are_linked(how, *p.plan.panel, *other.plan.panel)) continue;
      if (&p != &other && (p.plan.is_spatial || other.plan.is_spatial)) continue;
      all.unite(other.*wanted);
      if (!asked) asked = (other.plan.panel->*asked_of).limits;
    }
    auto& scale = (p.plan.*axis).scale;
    // The limits of a linked panel may be invalid on a logarithmic axis.
    if (asked && scale.kind == ScaleKind::log && !(asked->low > 0)) asked.reset();
    scale.limits =
        asked ? *asked
              : padded_limits(all.limits.low, all.limits.high, scale.kind, all.tight_low, all.tight_high);
  }
}

// Inner tick labels and titles of linked axes are dropped.
void drop_inner_labels(const Figure& figure, std::vector<Planned>& panels) {
  for (auto& one : panels)
    for (const auto& two : panels) {
      const auto &a = *one.plan.panel, &b = *two.plan.panel;
      if (a.place || b.place) continue;
      const bool below = b.column == a.column && b.columns == a.columns && b.row == a.row + a.rows;
      const bool beside = b.row == a.row && b.rows == a.rows && b.column + b.columns == a.column;
      if (below && (figure.link_x == Link::columns || figure.link_x == Link::all))
        one.plan.x.labels_shown = false;
      if (beside && (figure.link_y == Link::rows || figure.link_y == Link::all))
        one.plan.y.labels_shown = false;
    }
}

// Axes that are all linked and have equal titles share one title.
void share_titles(std::vector<Planned>& panels, AxisPlan PanelPlan::*axis, std::string PanelPlan::*title,
                  bool PanelPlan::*shares) {
  std::vector<PanelPlan*> outer;
  for (auto& p : panels)
    if (!p.plan.panel->place && (p.plan.*axis).labels_shown) outer.push_back(&p.plan);
  if (outer.size() < 2) return;
  for (const auto* p : outer)
    if (p->is_spatial || p->*title != outer[0]->*title) return;
  for (auto* p : outer) {
    p->*shares = true;
    if (p != outer[0]) (p->*title).clear();
  }
}

std::string called(const Panel& panel) {
  if (!panel.title.empty()) return fmt::format("\"{}\"", panel.title);
  return panel.place ? "a placed panel" : fmt::format("panel({}, {})", panel.row, panel.column);
}

// Panels of the same quantity on different scales look alike and are not.
void find_unlinked(const std::vector<Planned>& panels, Link how, const char* option,
                   AxisPlan PanelPlan::*axis, std::string PanelPlan::*title, Axis Panel::*asked_of,
                   std::vector<std::string>& hints) {
  if (how != Link::none) return;
  for (std::size_t j = 0; j < panels.size(); ++j)
    for (std::size_t k = j + 1; k < panels.size(); ++k) {
      const auto &one = panels[j].plan, &two = panels[k].plan;
      const auto &a = *one.panel, &b = *two.panel;
      if (one.is_spatial || two.is_spatial || (one.*title).empty() || one.*title != two.*title) continue;
      if ((a.*asked_of).limits || (b.*asked_of).limits || a.place || b.place) continue;
      const auto &low = (one.*axis).scale.limits, &high = (two.*axis).scale.limits;
      const double room = 1e-6 * (low.high - low.low);
      if (std::fabs(low.low - high.low) <= room && std::fabs(low.high - high.high) <= room) continue;
      const char* link = a.row == b.row ? "rows" : a.column == b.column ? "columns" : "all";
      hints.push_back(
          fmt::format("{} and {} show \"{}\" between different limits; {}: \"{}\" makes them comparable",
                      called(a), called(b), one.*title, option, link));
      return;
    }
}

}  // namespace

bool are_linked(Link how, const Panel& a, const Panel& b) {
  if (how == Link::all) return true;
  if (a.place || b.place) return false;
  return (how == Link::rows && a.row == b.row) || (how == Link::columns && a.column == b.column);
}

std::vector<PanelPlan> plan_panels(const Figure& figure, TextLayer& text, std::vector<std::string>& hints) {
  std::vector<Planned> panels;
  for (const auto& panel : figure.panels) panels.push_back(plan_panel(panel, text));
  set_limits(panels, figure.link_x, &PanelPlan::x, &Panel::x, &Planned::x);
  set_limits(panels, figure.link_y, &PanelPlan::y, &Panel::y, &Planned::y);
  set_limits(panels, Link::none, &PanelPlan::z, &Panel::z, &Planned::z);
  set_limits(panels, Link::none, &PanelPlan::right_axis, &Panel::right, &Planned::right);
  drop_inner_labels(figure, panels);
  find_unlinked(panels, figure.link_x, "link_x", &PanelPlan::x, &PanelPlan::x_title, &Panel::x, hints);
  find_unlinked(panels, figure.link_y, "link_y", &PanelPlan::y, &PanelPlan::y_title, &Panel::y, hints);
  if (figure.link_x == Link::all)
    share_titles(panels, &PanelPlan::x, &PanelPlan::x_title, &PanelPlan::shares_x_title);
  if (figure.link_y == Link::all)
    share_titles(panels, &PanelPlan::y, &PanelPlan::y_title, &PanelPlan::shares_y_title);
  std::vector<PanelPlan> out;
  for (auto& p : panels) out.push_back(std::move(p.plan));
  return out;
}

}  // namespace quill
