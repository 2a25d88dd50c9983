#include "figure/layout.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>
#include <utility>

#include "base/error.h"
#include "base/number.h"
#include "figure/annotations.h"
#include "figure/describe.h"
#include "figure/panel_plan.h"
#include "figure/placing.h"
#include "figure/point_labels.h"
#include "figure/space.h"

namespace quill {

namespace {

constexpr double kPagePad = 9, kTitleGap = 5, kCommonGap = 6;
constexpr double kPointsPerMillimetre = 72 / 25.4;

class Layout {
 public:
  Layout(const Figure& figure, TextMeasurer& measurer)
      : figure_(figure), measurer_(measurer), theme_(theme_of(figure)), text_(measurer, out_.warnings) {
    out_.width = figure.width * kPointsPerMillimetre;
    out_.height = figure.height * kPointsPerMillimetre;
    out_.paper = theme_.paper;
    out_.description = description_of(figure);
  }

  DisplayList run() {
    plans_ = plan_panels(figure_, text_, out_.hints);
    const double inside = out_.width - 2 * kPagePad;
    title_ = text_.paragraph(figure_.title, {theme_.title_size, true}, inside);
    subtitle_ = text_.paragraph(figure_.subtitle, {theme_.axis_title_size}, inside);
    // Ticks depend on the areas and the areas on the labels of the ticks; a few rounds settle it.
    for (auto& p : plans_)
      p.area = {0, 0, inside / figure_.columns * 0.8, (out_.height - 2 * kPagePad) / figure_.rows * 0.7};
    for (int round = 0; round < 4; ++round) {
      for (auto& p : plans_) measure(p);
      const double top = kPagePad + page_title_height();
      place_panels(figure_, {kPagePad, top, inside, out_.height - kPagePad - top}, plans_);
      if (round == 1 || round == 2)
        for (auto& p : plans_) p.legend_beside = p.legend_beside || has_no_free_place(p);
    }
    for (const auto& p : plans_) {
      warn_of_labels(p.x, "x");
      warn_of_labels(p.y, "y");
      warn_of_labels(p.bar.axis, "colour");
      warn_of_labels(p.right_axis, "right");
    }
    draw_page_title();
    for (const auto& p : plans_) out_.panels.push_back(told_of(p));
    for (const bool placed : {false, true})
      for (auto& p : plans_)
        if (p.panel->place.has_value() == placed) {
          out_.items.owner = {.panel = static_cast<int>(&p - plans_.data())};
          draw(p);
        }
    return std::move(out_);
  }

 private:
  static DisplayList::PanelArea told_of(const PanelPlan& p) {
    const auto axis = [](const AxisPlan& a, const std::string& title) {
      return DisplayList::PanelArea::AxisInfo{a.scale,    title,     a.labels_shown,
                                              a.is_count, a.slanted, a.broken};
    };
    return {.area = p.area,
            .outer = p.outer(),
            .x = p.x.scale.limits,
            .y = p.y.scale.limits,
            .x_axis = axis(p.x, p.x_title),
            .y_axis = axis(p.y, p.y_title),
            .z_axis = axis(p.z, p.z_title),
            .right_axis = axis(p.right_axis, p.right_title),
            .has_right = p.has_right,
            .right_labels = p.right_axis.widest(),
            .room_left = p.room_left,
            .room_below = p.room_below};
  }

  void now(Part part) { out_.items.owner.part = part; }

  void warn_of_labels(const AxisPlan& axis, const char* which) {
    if (axis.leaves_out)
      text_.warn(fmt::format(
          "the tick labels of the {} axis have no room beside each other; some are left out", which));
  }

  // -- measuring

  // Whether a legend would hide data in every position, judged by drawing the panel.
  bool has_no_free_place(PanelPlan& p) {
    if (p.panel->legend != LegendPlace::best || !p.legend.place) return false;
    auto warnings = out_.warnings;
    auto kept = std::exchange(out_.items, Items{});
    out_.items.owner = {.panel = static_cast<int>(&p - plans_.data())};
    out_.panels.resize(plans_.size());
    draw_data(p, looks_of(*p.panel, theme_));
    InkMap ink(p.area);
    ink.add(out_.items);
    out_.items = std::move(kept);
    out_.panels.clear();
    out_.warnings = std::move(warnings);
    const auto place = free_place(p.legend, ink);
    return !place || place->covered > 0;
  }

  // Lines without room for end labels are listed in a legend beside the panel.
  static LegendPlace place_of_legend(const PanelPlan& p) {
    const auto asked = p.panel->legend.value_or(LegendPlace::best);
    return p.legend_beside || asked == LegendPlace::ends ? LegendPlace::outside_right : asked;
  }

  // Beside the panel it may take half of the page.
  Point legend_room(const PanelPlan& p) const {
    return {place_of_legend(p) == LegendPlace::outside_right ? out_.width / 2 : p.area.width, p.area.height};
  }

  void measure(PanelPlan& p) {
    const bool alone = plans_.size() == 1;
    p.title = text_.paragraph(p.panel->title, {alone ? theme_.title_size : theme_.panel_title_size, true},
                              alone ? out_.width - 2 * kPagePad : p.area.width);
    double titles = 0;
    for (const auto& line : p.title) titles += line.height();
    const auto above = [&] { return p.title.empty() ? 0 : titles + p.title_gap; };
    p.ends = p.panel->legend == LegendPlace::ends
                 ? plan_end_labels(*p.panel, p.area.height, out_.width / 3, theme_, text_)
                 : EndLabels{};
    p.legend = plan_legend(*p.panel, place_of_legend(p), p.ends.layers, theme_, text_, legend_room(p));
    p.bar = plan_color_bar(*p.panel, p.area.height, theme_, text_);
    double beside = p.ends.width + p.bar.width;
    if (p.legend.outside()) beside += p.legend.width + kLegendGap;
    if (p.is_spatial) {
      p.left = p.bottom = 2;
      p.top = above();
      p.right = std::max(2.0, beside);
      return;
    }
    make_ticks(p.x, p.panel->x, p.area.width, true, theme_, text_);
    make_ticks(p.y, p.panel->y, p.area.height, false, theme_, text_);
    measure_right_axis(p);
    beside += p.right_axis_room;
    const Font title_font{theme_.axis_title_size};
    p.x.title = p.x.labels_shown ? text_.paragraph(with_context(p.x_title, p.x), title_font, span_of(p).width)
                                 : std::vector<TextLine>{};
    p.y.title = p.y.labels_shown
                    ? text_.paragraph(with_context(p.y_title, p.y), title_font, span_of(p).height)
                    : std::vector<TextLine>{};
    // Axes through the panel have their numbers inside, hidden edges have none.
    const double tick = theme_.tick_length + kTickGap;
    // An axis through a value that the other axis cannot show is drawn at the edge.
    const auto at_edge = [](const Axis& axis, const Scale& other, bool has_edge) {
      return axis.at ? !std::isfinite(other.share(*axis.at)) : has_edge;
    };
    const auto frame = p.panel->frame.value_or(theme_.default_frame);
    const bool has_left = at_edge(p.panel->y, p.x.scale, frame.left),
               has_bottom = at_edge(p.panel->x, p.y.scale, frame.bottom);
    p.left = (has_left ? tick + (p.y.labels_shown ? p.y.widest() : 0) : 0) +
             (p.y.title.empty() ? 0 : kTitleGap + p.y.title_height());
    p.bottom = (has_bottom ? tick + (p.x.labels_shown ? p.x.tallest() : 0) : 0) + below_labels(p);
    // The number at the upper end reaches above the area.
    double reach = has_left || p.panel->y.at ? p.y.tallest() / 2 : 0;
    if (p.y.common.width > 0) reach += p.y.common.height() + kCommonGap / 2;
    if (p.has_right) {
      const auto& common = p.right_axis.common;
      reach = std::max(
          reach, p.right_axis.tallest() / 2 + (common.width > 0 ? common.height() + kCommonGap / 2 : 0));
    }
    p.title_gap = std::max(kTitleGap + 2, reach + 1);
    p.top = std::max(reach, above());
    p.right = 2;
    if (has_bottom || p.panel->x.at)
      for (std::size_t k = 0; k < p.x.labels.size(); ++k) {
        const double at = p.x.scale.share(p.x.ticks.positions[k]) * p.area.width;
        const auto [before, behind] = p.x.reach_of(k);
        p.right = std::max(p.right, at + behind - p.area.width);
        p.left = std::max(p.left, before - at);
      }
    p.right = std::max(p.right, beside);
  }

  void measure_right_axis(PanelPlan& p) {
    if (!p.has_right) return;
    make_ticks(p.right_axis, p.panel->right, p.area.height, false, theme_, text_);
    p.right_axis.title =
        text_.paragraph(with_context(p.right_title, p.right_axis), {theme_.axis_title_size}, p.area.height);
    p.right_axis_room = theme_.tick_length + kTickGap + p.right_axis.widest() +
                        (p.right_axis.title.empty() ? 0 : kTitleGap + p.right_axis.title_height());
    p.right_axis_room = std::max(p.right_axis_room, theme_.tick_length + p.right_axis.common.width);
  }

  // The common part of x labels is at the end of the first title line, which is centred; above it if they
  // would touch.
  bool is_common_above_title(const PanelPlan& p) const {
    double width = 0;
    for (const auto& line : p.x.title) width = std::max(width, line.width);
    return p.x.common.width > 0 && width > 0 && width / 2 + kCommonGap + p.x.common.width > p.area.width / 2;
  }

  // The height of both.
  double below_labels(const PanelPlan& p) const {
    const double common = p.x.common.width > 0 ? p.x.common.height() : 0;
    if (p.x.title.empty()) return common > 0 ? kCommonGap / 2 + common : 0;
    const double title = p.x.title_height();
    return kTitleGap + (is_common_above_title(p) ? common + title : std::max(title, common));
  }

  double page_title_height() const {
    double h = 0;
    for (const auto& line : title_) h += line.height();
    for (const auto& line : subtitle_) h += line.height();
    return h > 0 ? h + kTitleGap + 3 : 0;
  }

  // -- drawing

  void draw_page_title() {
    double y = kPagePad;
    for (const auto& line : title_) {
      put_text(out_, line, {kPagePad, y + line.ascent}, theme_.ink, "title");
      y += line.height();
    }
    for (const auto& line : subtitle_) {
      put_text(out_, line, {kPagePad, y + line.ascent}, theme_.soft, "subtitle");
      y += line.height();
    }
  }

  void draw(PanelPlan& p) {
    const auto& panel = *p.panel;
    // Clears the background of an inset panel.
    if (p.is_inset) out_.items.emplace_back(FillRect{p.outer(), theme_.paper});
    const auto looks = looks_of(panel, theme_);
    const auto first = out_.items.size();
    draw_data(p, looks);
    std::optional<InkMap> ink;
    if (p.legend.place == LegendPlace::best) {
      ink.emplace(p.area);
      ink->add(out_.items, first);
    }
    now(Part::title);
    draw_titles(p);
    now(Part::color_bar);
    draw_color_bar(p.bar,
                   {p.area.x, p.area.y, p.area.width + p.right_axis_room + p.ends.width, p.area.height},
                   theme_, out_);
    now(Part::ends);
    draw_end_labels(p.ends, panel, looks, map_of(p), right_map_of(p), p.right_axis_room, out_);
    now(Part::legend);
    place_legend(p.legend, p.area, ink ? &*ink : nullptr,
                 p.area.right() + p.right_axis_room + p.ends.width + p.bar.width + kLegendGap);
    if (p.legend.left_out > 0)
      text_.warn(fmt::format("the legend has no room for {} of its {} labels", p.legend.left_out,
                             p.legend.left_out + p.legend.layers.size()));
    draw_legend(p.legend, panel, looks, theme_, measurer_, out_);
  }

  static Mapping map_of(const PanelPlan& p) { return {p.x.scale, p.y.scale, p.area}; }
  static Mapping right_map_of(const PanelPlan& p) { return {p.x.scale, p.right_axis.scale, p.area}; }

  void draw_data(const PanelPlan& p, const std::vector<Look>& looks) {
    if (p.is_spatial)
      draw_space(p, looks, theme_, text_, out_);
    else
      draw_flat(p, looks, map_of(p));
  }

  void draw_flat(const PanelPlan& p, const std::vector<Look>& looks, const Mapping& map) {
    const auto& panel = *p.panel;
    const auto first = out_.items.size();
    std::vector<std::size_t> order;
    for (std::size_t k = 0; k < panel.layers.size(); ++k) order.push_back(k);
    const auto rank = [&](std::size_t k) { return panel.layers[k].order.value_or(static_cast<double>(k)); };
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return rank(a) < rank(b); });
    // Grid lines are drawn first; they would be hidden by a field.
    now(Part::grid);
    draw_grid(panel, p.x, p.y, map, theme_, out_);
    now(Part::data);
    for (const auto k : order) {
      out_.items.owner.layer = static_cast<int>(k);
      draw_layer({panel.layers[k], looks[k], panel, theme_, measurer_, out_},
                 panel.layers[k].on_right ? right_map_of(p) : map);
    }
    out_.items.owner.layer = -1;
    now(Part::guide);
    draw_guides(panel, map, theme_, text_, out_);
    now(Part::axis);
    draw_axes(panel, p.x, p.y, map, theme_, out_);
    if (p.has_right) draw_right_axis(p.right_axis, panel.right, map, theme_, out_);
    now(Part::note);
    draw_notes(panel, map, theme_, text_,
               {kPagePad, kPagePad, out_.width - 2 * kPagePad, out_.height - 2 * kPagePad}, out_);
    if (panel.labels.empty()) return;
    InkMap ink(p.area);
    ink.add(out_.items, first);
    draw_point_labels(panel, map, ink, theme_, text_, static_cast<int>(panel.notes.size()), out_);
  }

  // The areas that an axis title spans: the panel's own, or those of all panels that share it.
  Rect span_of(const PanelPlan& p) const {
    auto out = p.area;
    for (const auto& other : plans_) {
      const auto& a = other.area;
      if (p.shares_x_title && other.shares_x_title) {
        const double right = std::max(out.right(), a.right());
        out.x = std::min(out.x, a.x);
        out.width = right - out.x;
      }
      if (p.shares_y_title && other.shares_y_title) {
        const double bottom = std::max(out.bottom(), a.bottom());
        out.y = std::min(out.y, a.y);
        out.height = bottom - out.y;
      }
    }
    return out;
  }

  // The common part of labels: at the right end of the x axis, above the upper end of the y axis.
  void draw_common(const PanelPlan& p) {
    const auto& a = p.area;
    if (p.x.common.width > 0) {
      const double title = p.x.title.empty() ? 0 : p.x.title_height();
      const double height =
          is_common_above_title(p) ? title + p.x.common.height() : std::max(title, p.x.common.height());
      const double top = a.bottom() + p.room_below - height;
      put_text(out_, p.x.common, {a.right() - p.x.common.width, top + p.x.common.ascent}, theme_.soft,
               "x common");
    }
    if (p.y.common.width > 0) {
      const double up = p.y.tallest() / 2 + kCommonGap / 2 + p.y.common.descent;
      // An axis through the panel has its numbers beside it.
      const double share = p.panel->y.at ? p.x.scale.share(*p.panel->y.at) : 0;
      const double axis = std::isfinite(share) ? a.x + std::clamp(share, 0.0, 1.0) * a.width : a.x;
      const double start = std::max(kPagePad, axis - theme_.tick_length - kTickGap - p.y.widest());
      put_text(out_, p.y.common, {start, a.y - up}, theme_.soft, "y common");
    }
    if (p.has_right && p.right_axis.common.width > 0) {
      const double up = p.right_axis.tallest() / 2 + kCommonGap / 2 + p.right_axis.common.descent;
      put_text(out_, p.right_axis.common, {a.right() + theme_.tick_length, a.y - up}, theme_.soft,
               "right common");
    }
  }

  void draw_titles(const PanelPlan& p) {
    const auto& a = p.area;
    now(Part::axis);
    draw_common(p);
    now(Part::title);
    const auto span = span_of(p);
    double y = a.bottom() + p.room_below - p.x.title_height();
    out_.items.owner.index = 0;
    for (const auto& line : p.x.title) {
      put_text(out_, line, {span.x + (span.width - line.width) / 2, y + line.ascent}, theme_.ink, "x title");
      y += line.height();
    }
    double x = a.x - p.room_left;
    out_.items.owner.index = 1;
    for (const auto& line : p.y.title) {
      put_text(out_, line, {x + line.ascent, span.y + (span.height + line.width) / 2}, theme_.ink, "y title",
               std::numbers::pi / 2);
      x += line.height();
    }
    out_.items.owner.index = 2;
    x = a.right() + p.right_axis_room - p.right_axis.title_height();
    if (p.has_right)
      for (const auto& line : p.right_axis.title) {
        put_text(out_, line, {x + line.ascent, a.y + (a.height + line.width) / 2}, theme_.ink, "right title",
                 std::numbers::pi / 2);
        x += line.height();
      }
    out_.items.owner.index = -1;
    double titles = 0;
    for (const auto& line : p.title) titles += line.height();
    double top = a.y - p.title_gap - titles;
    for (const auto& line : p.title) {
      put_text(out_, line, {plans_.size() == 1 ? kPagePad : a.x, top + line.ascent}, theme_.ink,
               "panel title");
      top += line.height();
    }
  }

  const Figure& figure_;
  TextMeasurer& measurer_;
  const Theme theme_;
  DisplayList out_;
  TextLayer text_;
  std::vector<TextLine> title_, subtitle_;
  std::vector<PanelPlan> plans_;
};

}  // namespace

DisplayList lay_out(const Figure& figure, TextMeasurer& measurer) { return Layout(figure, measurer).run(); }

}  // namespace quill
