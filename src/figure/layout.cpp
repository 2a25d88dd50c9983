#include "figure/layout.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/number.h"
#include "figure/annotations.h"
#include "figure/legend.h"
#include "figure/space.h"

namespace quill {

namespace {

constexpr double kPagePad = 9, kTitleGap = 5, kColumnGap = 16, kRowGap = 12, kSmallestArea = 24;
constexpr double kPointsPerMillimetre = 72 / 25.4;

struct PanelPlan {
  const Panel* panel = nullptr;
  AxisPlan x, y;
  std::string x_title, y_title, z_title;
  std::vector<TextLine> title;
  LegendPlan legend;
  ColorBarPlan bar;
  double end_labels = 0;  // the width of labels at the ends of lines
  bool is_spatial = false;
  Rect area;
  double left = 0, right = 0, top = 0, bottom = 0;  // room needed around the area
  double room_left = 0, room_below = 0;             // room there is, shared with other panels
};

class Layout {
 public:
  Layout(const Figure& figure, TextMeasurer& measurer)
      : figure_(figure),
        measurer_(measurer),
        theme_(*find_theme(figure.theme)),
        text_(measurer, out_.warnings) {
    out_.width = figure.width * kPointsPerMillimetre;
    out_.height = figure.height * kPointsPerMillimetre;
    out_.paper = theme_.paper;
  }

  DisplayList run() {
    for (const auto& panel : figure_.panels) plans_.push_back(plan_of(panel));
    link();
    const double inside = out_.width - 2 * kPagePad;
    title_ = text_.paragraph(figure_.title, {theme_.title_size, true}, inside);
    subtitle_ = text_.paragraph(figure_.subtitle, {theme_.axis_title_size}, inside);
    // Ticks depend on the areas and the areas on the labels of the ticks; a few rounds settle it.
    for (auto& p : plans_)
      p.area = {0, 0, inside / figure_.columns * 0.8, (out_.height - 2 * kPagePad) / figure_.rows * 0.7};
    for (int round = 0; round < 4; ++round) {
      for (auto& p : plans_) measure(p);
      place_panels();
    }
    draw_page_title();
    for (auto& p : plans_) draw(p);
    return std::move(out_);
  }

 private:
  // -- limits

  // The limits that the data of a panel have, with the ends that stay as they are.
  struct Wanted {
    Limits limits{INFINITY, -INFINITY};
    bool tight_low = false, tight_high = false;
    void unite(const Wanted& other) {
      if (!(other.limits.low <= other.limits.high)) return;
      // An end stays when what reaches farthest wants it so.
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

  PanelPlan plan_of(const Panel& panel) {
    PanelPlan p;
    p.panel = &panel;
    p.is_spatial = panel.is_spatial();
    p.x.scale = {{}, panel.x.scale, panel.x.reverse};
    p.y.scale = {{}, panel.y.scale, panel.y.reverse};
    p.x_title = panel.x.title;
    p.y_title = panel.y.title;
    p.z_title = panel.z.title;
    Wanted x, y;
    for (const auto& layer : panel.layers) {
      if (p.x_title.empty()) p.x_title = layer.x_name;
      if (p.y_title.empty()) p.y_title = layer.y_name;
      if (p.z_title.empty()) p.z_title = layer.z_name;
      const auto extent = extent_of(layer, panel.x.scale, panel.y.scale);
      const auto leave_out = [&](const char* why) {
        text_.warn(fmt::format("a {}{} {}, and is left out", name_of(layer.kind),
                               layer.label.empty() ? "" : fmt::format(" (\"{}\")", layer.label), why));
      };
      if (p.is_spatial && !layer.is_spatial()) {
        leave_out("has no third coordinate in a panel in space");
        continue;
      }
      if (!extent.any() || !has_ink(layer)) {
        leave_out("has nothing that can be drawn");
        if (!extent.any()) continue;
      }
      x.unite({extent.x, extent.tight_x, extent.tight_x});
      y.unite({extent.y, extent.tight_low, extent.tight_high});
    }
    if (panel.color_bar && !color_scale(panel))
      text_.warn("the bar of colours has no layer that is coloured by value beside it, and is left out");
    for (const auto* axis : {&panel.x, &panel.y})
      if (axis->scale == ScaleKind::log && axis->limits && !(axis->limits->low > 0))
        fail(fmt::format("a logarithmic axis has limits above 0, not ({}, {})", shortest(axis->limits->low),
                         shortest(axis->limits->high)));
    wanted_x_.push_back(x);
    wanted_y_.push_back(y);
    return p;
  }

  // Linked panels take the limits of all of them; then the limits asked for, or room around the data.
  void link() {
    const auto group = [](const std::string& how, const Panel& a, const Panel& b) {
      return how == "all" || (how == "rows" && a.row == b.row) || (how == "columns" && a.column == b.column);
    };
    const auto unite = [&](const std::string& how, AxisPlan PanelPlan::*axis, Axis Panel::*asked_of,
                           const std::vector<Wanted>& wanted) {
      for (std::size_t k = 0; k < plans_.size(); ++k) {
        auto all = wanted[k];
        auto asked = (plans_[k].panel->*asked_of).limits;
        for (std::size_t j = 0; j < plans_.size(); ++j) {
          if (how.empty() || !group(how, *plans_[k].panel, *plans_[j].panel)) continue;
          all.unite(wanted[j]);
          if (!asked) asked = (plans_[j].panel->*asked_of).limits;
        }
        auto& scale = (plans_[k].*axis).scale;
        scale.limits =
            asked ? *asked
                  : padded_limits(all.limits.low, all.limits.high, scale.kind, all.tight_low, all.tight_high);
      }
    };
    unite(figure_.link_x, &PanelPlan::x, &Panel::x, wanted_x_);
    unite(figure_.link_y, &PanelPlan::y, &Panel::y, wanted_y_);
    // Inner tick labels and titles of linked axes are dropped.
    for (auto& p : plans_)
      for (const auto& other : plans_) {
        const bool below = other.panel->column == p.panel->column &&
                           other.panel->columns == p.panel->columns &&
                           other.panel->row == p.panel->row + p.panel->rows;
        const bool beside = other.panel->row == p.panel->row && other.panel->rows == p.panel->rows &&
                            other.panel->column + other.panel->columns == p.panel->column;
        if (below && (figure_.link_x == "columns" || figure_.link_x == "all")) p.x.labels_shown = false;
        if (beside && (figure_.link_y == "rows" || figure_.link_y == "all")) p.y.labels_shown = false;
      }
  }

  // -- measuring

  void measure(PanelPlan& p) {
    const bool alone = plans_.size() == 1;
    p.title = text_.paragraph(p.panel->title, {alone ? theme_.title_size : theme_.panel_title_size, true},
                              alone ? out_.width - 2 * kPagePad : p.area.width);
    double titles = 0;
    for (const auto& line : p.title) titles += line.height();
    const double above = p.title.empty() ? 0 : titles + kTitleGap + 2;
    p.legend = p.panel->legend != "ends" ? plan_legend(*p.panel, theme_, text_) : LegendPlan{};
    p.bar = plan_color_bar(*p.panel, p.area.height, theme_, text_);
    p.end_labels = p.panel->legend == "ends" ? end_labels_width(*p.panel, theme_, text_) : 0;
    double beside = std::max(p.end_labels, p.bar.width);
    if (p.legend.outside()) beside = std::max(beside, p.legend.width + 10);
    if (p.is_spatial) {
      p.left = p.bottom = 2;
      p.top = above;
      p.right = std::max(2.0, beside);
      return;
    }
    make_ticks(p.x, p.panel->x, p.area.width, true, theme_, text_);
    make_ticks(p.y, p.panel->y, p.area.height, false, theme_, text_);
    const Font title_font{theme_.axis_title_size};
    p.x.title =
        p.x.labels_shown ? text_.paragraph(p.x_title, title_font, p.area.width) : std::vector<TextLine>{};
    p.y.title =
        p.y.labels_shown ? text_.paragraph(p.y_title, title_font, p.area.height) : std::vector<TextLine>{};
    // Axes through the panel have their numbers inside.
    const double tick = theme_.tick_length + kTickGap;
    p.left = (p.panel->y.at ? 0 : tick + (p.y.labels_shown ? p.y.widest() : 0)) +
             (p.y.title.empty() ? 0 : kTitleGap + p.y.title_height());
    p.bottom = (p.panel->x.at ? 0 : tick + (p.x.labels_shown ? p.x.tallest() : 0)) +
               (p.x.title.empty() ? 0 : kTitleGap + p.x.title_height());
    p.top = std::max(p.y.tallest() / 2, above);
    p.right = 2;
    for (std::size_t k = 0; k < p.x.labels.size(); ++k) {
      const double at = p.x.scale.share(p.x.ticks.positions[k]) * p.area.width;
      p.right = std::max(p.right, at + p.x.labels[k].width / 2 - p.area.width);
      p.left = std::max(p.left, p.x.labels[k].width / 2 - at);
    }
    p.right = std::max(p.right, beside);
  }

  // -- placing

  void place_panels() {
    const auto rows = static_cast<std::size_t>(figure_.rows),
               columns = static_cast<std::size_t>(figure_.columns);
    std::vector<double> left(columns, 0), right(columns, 0), top(rows, 0), bottom(rows, 0);
    for (const auto& p : plans_) {
      const auto c = static_cast<std::size_t>(p.panel->column - 1),
                 r = static_cast<std::size_t>(p.panel->row - 1);
      const auto c_end = c + static_cast<std::size_t>(p.panel->columns) - 1,
                 r_end = r + static_cast<std::size_t>(p.panel->rows) - 1;
      left[c] = std::max(left[c], p.left);
      right[c_end] = std::max(right[c_end], p.right);
      top[r] = std::max(top[r], p.top);
      bottom[r_end] = std::max(bottom[r_end], p.bottom);
    }
    double used_width = 2 * kPagePad + kColumnGap * static_cast<double>(columns - 1),
           used_height = 2 * kPagePad + kRowGap * static_cast<double>(rows - 1) + page_title_height();
    for (std::size_t c = 0; c < columns; ++c) used_width += left[c] + right[c];
    for (std::size_t r = 0; r < rows; ++r) used_height += top[r] + bottom[r];
    const double width = (out_.width - used_width) / static_cast<double>(columns),
                 height = (out_.height - used_height) / static_cast<double>(rows);
    if (width < kSmallestArea || height < kSmallestArea)
      fail(fmt::format("the figure \"{}\" of {}×{} mm has no room for its {} panel{}", figure_.name,
                       shortest_size(figure_.width), shortest_size(figure_.height), plans_.size(),
                       plans_.size() == 1 ? "" : "s"),
           fmt::format("figure(…, width: {:.0f}, height: {:.0f})",
                       std::ceil(figure_.width + std::max(0.0, 60 - width) * static_cast<double>(columns) /
                                                     kPointsPerMillimetre),
                       std::ceil(figure_.height + std::max(0.0, 60 - height) * static_cast<double>(rows) /
                                                      kPointsPerMillimetre)));
    std::vector<double> x0(columns), x1(columns), y0(rows), y1(rows);
    double x = kPagePad, y = kPagePad + page_title_height();
    for (std::size_t c = 0; c < columns; ++c) {
      x0[c] = x + left[c];
      x1[c] = x0[c] + width;
      x = x1[c] + right[c] + kColumnGap;
    }
    for (std::size_t r = 0; r < rows; ++r) {
      y0[r] = y + top[r];
      y1[r] = y0[r] + height;
      y = y1[r] + bottom[r] + kRowGap;
    }
    for (auto& p : plans_) {
      const auto c = static_cast<std::size_t>(p.panel->column - 1),
                 r = static_cast<std::size_t>(p.panel->row - 1);
      const double right_edge = x1[c + static_cast<std::size_t>(p.panel->columns) - 1],
                   low_edge = y1[r + static_cast<std::size_t>(p.panel->rows) - 1];
      p.area = {x0[c], y0[r], right_edge - x0[c], low_edge - y0[r]};
      // Titles of axes line up along a column and along a row.
      p.room_left = left[c];
      p.room_below = bottom[r + static_cast<std::size_t>(p.panel->rows) - 1];
    }
  }

  static std::string shortest_size(double v) { return fmt::format("{:g}", v); }

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
    const Mapping map{p.x.scale, p.y.scale, p.area};
    out_.panels.push_back({p.area, p.x.scale.limits, p.y.scale.limits});
    const auto looks = looks_of(panel, theme_);
    if (p.is_spatial) {
      draw_space(panel, {p.x_title, p.y_title, p.z_title}, looks, p.area, theme_, measurer_, out_);
    } else {
      draw_flat(p, looks, map);
    }
    draw_titles(p);
    draw_color_bar(p.bar, p.area, theme_, out_);
    if (panel.legend == "ends")
      draw_end_labels(panel, looks, map, theme_, text_, out_);
    else {
      place_legend(p.legend, panel, map, out_.width - kPagePad);
      draw_legend(p.legend, panel, looks, theme_, out_);
    }
  }

  void draw_flat(const PanelPlan& p, const std::vector<Look>& looks, const Mapping& map) {
    const auto& panel = *p.panel;
    std::vector<std::size_t> order;
    for (std::size_t k = 0; k < panel.layers.size(); ++k) order.push_back(k);
    const auto rank = [&](std::size_t k) { return panel.layers[k].order.value_or(static_cast<double>(k)); };
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return rank(a) < rank(b); });
    // Lines of the grid would be hidden by a field, and lie under everything else.
    draw_grid(panel, p.x, p.y, map, theme_, out_);
    for (const auto k : order) draw_layer(panel.layers[k], looks[k], panel, map, theme_, measurer_, out_);
    draw_guides(panel, map, theme_, out_);
    draw_axes(panel, p.x, p.y, map, theme_, out_);
    draw_notes(panel, map, theme_, text_,
               {kPagePad, kPagePad, out_.width - 2 * kPagePad, out_.height - 2 * kPagePad}, out_);
  }

  void draw_titles(const PanelPlan& p) {
    const auto& a = p.area;
    double y = a.bottom() + p.room_below - p.x.title_height();
    for (const auto& line : p.x.title) {
      put_text(out_, line, {a.x + (a.width - line.width) / 2, y + line.ascent}, theme_.ink, "x title");
      y += line.height();
    }
    double x = a.x - p.room_left;
    for (const auto& line : p.y.title) {
      put_text(out_, line, {x + line.ascent, a.y + (a.height + line.width) / 2}, theme_.ink, "y title",
               std::numbers::pi / 2);
      x += line.height();
    }
    double titles = 0;
    for (const auto& line : p.title) titles += line.height();
    double top = a.y - kTitleGap - 2 - titles;
    for (const auto& line : p.title) {
      put_text(out_, line, {plans_.size() == 1 ? kPagePad : a.x, top + line.ascent}, theme_.ink,
               "panel title");
      top += line.height();
    }
  }

  const Figure& figure_;
  TextMeasurer& measurer_;
  const Theme& theme_;
  DisplayList out_;
  TextLayer text_;
  std::vector<TextLine> title_, subtitle_;
  std::vector<PanelPlan> plans_;
  std::vector<Wanted> wanted_x_, wanted_y_;
};

}  // namespace

Rect DrawnText::box() const {
  const double c = std::cos(angle), d = std::sin(angle);
  Rect out{at.x, at.y, 0, 0};
  double right = -INFINITY, bottom = -INFINITY;
  out.x = out.y = INFINITY;
  for (const double along : {0.0, line.width})
    for (const double up : {line.ascent, -line.descent}) {
      const Point p{at.x + along * c - up * d, at.y - along * d - up * c};
      out.x = std::min(out.x, p.x);
      out.y = std::min(out.y, p.y);
      right = std::max(right, p.x);
      bottom = std::max(bottom, p.y);
    }
  out.width = right - out.x;
  out.height = bottom - out.y;
  return out;
}

DisplayList lay_out(const Figure& figure, TextMeasurer& measurer) { return Layout(figure, measurer).run(); }

std::string dump(const DisplayList& list) {
  std::string out = fmt::format("page {:.2f} {:.2f}\n", list.width, list.height);
  for (const auto& item : list.items) {
    if (const auto* s = std::get_if<StrokePath>(&item)) {
      out += fmt::format("stroke {} {:.2f}\n", hex_of(s->color), s->width);
      for (const auto& piece : s->pieces) {
        out += " ";
        for (const auto& p : piece) out += fmt::format(" {:.2f},{:.2f}", p.x, p.y);
        out += '\n';
      }
    } else if (const auto* f = std::get_if<FillRect>(&item)) {
      out += fmt::format("fill {} {:.2f} {:.2f} {:.2f} {:.2f}\n", hex_of(f->color), f->rect.x, f->rect.y,
                         f->rect.width, f->rect.height);
    } else if (const auto* a = std::get_if<FillPath>(&item)) {
      out += fmt::format("area {} {}\n", hex_of(a->color), a->pieces.size());
    } else if (const auto* q = std::get_if<Quads>(&item)) {
      out += fmt::format("quads {}\n", q->corners.size());
    } else if (const auto* cells = std::get_if<Picture>(&item)) {
      out += fmt::format("picture {}x{}\n", cells->columns, cells->rows);
    } else if (const auto* m = std::get_if<Markers>(&item)) {
      out += fmt::format("markers {} {}\n", hex_of(m->color), m->points.size());
    } else if (const auto* t = std::get_if<DrawnText>(&item)) {
      out += fmt::format("text {:.2f},{:.2f} {} {}\n", t->at.x, t->at.y, t->role, t->source);
    } else if (const auto* c = std::get_if<ClipTo>(&item)) {
      out += fmt::format("clip {:.2f} {:.2f} {:.2f} {:.2f}\n", c->rect.x, c->rect.y, c->rect.width,
                         c->rect.height);
    } else
      out += "unclip\n";
  }
  return out;
}

}  // namespace quill
