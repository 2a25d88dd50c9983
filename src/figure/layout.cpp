#include "figure/layout.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "figure/curve.h"
#include "figure/legend.h"

namespace quill {

namespace {

constexpr double kPagePad = 9, kTickGap = 3, kTitleGap = 5, kColumnGap = 16, kRowGap = 12, kSmallestArea = 24;
constexpr double kPointsPerMillimetre = 72 / 25.4;

// What stands along one axis of a panel, with its measured texts.
struct AxisPlan {
  Limits limits;
  Ticks ticks;
  std::vector<TextLine> labels;
  std::vector<TextLine> title;
  bool labels_shown = true;

  double widest() const {
    double w = 0;
    for (const auto& l : labels) w = std::max(w, l.width);
    return w;
  }
  double tallest() const {
    double h = 0;
    for (const auto& l : labels) h = std::max(h, l.height());
    return h;
  }
  double title_height() const {
    double h = 0;
    for (const auto& l : title) h += l.height();
    return h;
  }
};

struct PanelPlan {
  const Panel* panel = nullptr;
  AxisPlan x, y;
  std::string x_title, y_title;
  std::vector<TextLine> title;
  LegendPlan legend;
  Rect area;
  double left = 0, right = 0, top = 0, bottom = 0;  // room needed around the area
  double room_left = 0, room_below = 0;             // room there is, shared with other panels
};

class Layout {
 public:
  Layout(const Figure& figure, TextMeasurer& measurer)
      : figure_(figure), measurer_(measurer), theme_(*find_theme(figure.theme)) {
    out_.width = figure.width * kPointsPerMillimetre;
    out_.height = figure.height * kPointsPerMillimetre;
    out_.paper = theme_.paper;
  }

  DisplayList run() {
    for (const auto& panel : figure_.panels) plans_.push_back(plan_of(panel));
    link();
    const double inside = out_.width - 2 * kPagePad;
    title_ = paragraph(figure_.title, {theme_.title_size, true}, inside);
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

  static void widen(Limits& l, double v) {
    if (!std::isfinite(v)) return;
    l.low = std::min(l.low, v);
    l.high = std::max(l.high, v);
  }

  static Limits data_limits(const Panel& panel, bool of_x) {
    Limits l{INFINITY, -INFINITY};
    for (const auto& layer : panel.layers)
      for (std::size_t k = 0; k < layer.x.size(); ++k)
        if (std::isfinite(layer.x[k]) && std::isfinite(layer.y[k])) widen(l, of_x ? layer.x[k] : layer.y[k]);
    return l;
  }

  PanelPlan plan_of(const Panel& panel) {
    PanelPlan p;
    p.panel = &panel;
    p.x.limits = data_limits(panel, true);
    p.y.limits = data_limits(panel, false);
    p.x_title = panel.x.title;
    p.y_title = panel.y.title;
    for (const auto& layer : panel.layers) {
      if (p.x_title.empty()) p.x_title = layer.x_name;
      if (p.y_title.empty()) p.y_title = layer.y_name;
      const bool any = [&] {
        for (std::size_t k = 0; k < layer.x.size(); ++k)
          if (std::isfinite(layer.x[k]) && std::isfinite(layer.y[k])) return true;
        return false;
      }();
      if (!any)
        out_.warnings.push_back(
            fmt::format("a {}{} has no finite points and is not drawn",
                        layer.kind == Layer::Kind::line ? "line" : "scatter",
                        layer.label.empty() ? "" : fmt::format(" (\"{}\")", layer.label)));
    }
    return p;
  }

  // Linked panels take the limits of all of them; then the limits asked for, or room around the data.
  void link() {
    const auto group = [](const std::string& how, const Panel& a, const Panel& b) {
      return how == "all" || (how == "rows" && a.row == b.row) || (how == "columns" && a.column == b.column);
    };
    const auto unite = [&](const std::string& how, AxisPlan PanelPlan::*axis, Axis Panel::*wanted) {
      std::vector<Limits> united;
      for (auto& p : plans_) {
        Limits l = (p.*axis).limits;
        std::optional<Limits> asked = ((*p.panel).*wanted).limits;
        for (auto& other : plans_) {
          if (how.empty() || !group(how, *p.panel, *other.panel)) continue;
          widen(l, (other.*axis).limits.low);
          widen(l, (other.*axis).limits.high);
          if (!asked) asked = ((*other.panel).*wanted).limits;
        }
        united.push_back(asked ? *asked : padded_limits(l.low, l.high));
      }
      for (std::size_t k = 0; k < plans_.size(); ++k) (plans_[k].*axis).limits = united[k];
    };
    unite(figure_.link_x, &PanelPlan::x, &Panel::x);
    unite(figure_.link_y, &PanelPlan::y, &Panel::y);
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

  TextLine lay(const std::string& text, const Font& font) {
    auto line = lay_text(text, font, measurer_);
    if (!line.error.empty() &&
        std::find(out_.warnings.begin(), out_.warnings.end(), line.error) == out_.warnings.end())
      out_.warnings.push_back(line.error);
    return line;
  }

  // Broken at spaces outside of formulas into lines no wider than `width`.
  std::vector<TextLine> paragraph(const std::string& text, const Font& font, double width) {
    std::vector<TextLine> lines;
    if (text.empty()) return lines;
    std::vector<std::string> words(1);
    bool formula = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
      if (text[i] == '$' && (i == 0 || text[i - 1] != '\\')) formula = !formula;
      if (text[i] == '\n' || (text[i] == ' ' && !formula))
        words.emplace_back();
      else
        words.back() += text[i];
    }
    std::string line;
    for (const auto& word : words) {
      const auto longer = line.empty() ? word : line + " " + word;
      if (!line.empty() && lay_text(longer, font, measurer_).width > width) {
        lines.push_back(lay(line, font));
        line = word;
      } else
        line = longer;
    }
    lines.push_back(lay(line, font));
    return lines;
  }

  void make_ticks(AxisPlan& plan, const Axis& axis, double length, bool is_x) {
    const Font font{theme_.tick_size};
    const auto lay_labels = [&] {
      plan.labels.clear();
      for (const auto& label : plan.ticks.labels) plan.labels.push_back(lay(label, font));
    };
    const auto position = [&](double v) {
      return (v / 2 - plan.limits.low / 2) / (plan.limits.high / 2 - plan.limits.low / 2) * length;
    };
    const auto crowded = [&] {
      for (std::size_t k = 1; k < plan.labels.size(); ++k) {
        const double apart =
            std::fabs(position(plan.ticks.positions[k]) - position(plan.ticks.positions[k - 1]));
        const double needed = is_x ? (plan.labels[k].width + plan.labels[k - 1].width) / 2 + font.size * 0.8
                                   : (plan.labels[k].height() + plan.labels[k - 1].height()) / 2;
        if (apart < needed) return true;
      }
      return false;
    };
    if (axis.ticks) {
      std::vector<std::pair<double, std::string>> wanted;
      const auto labels = axis.tick_labels.empty() ? tick_labels(*axis.ticks) : axis.tick_labels;
      for (std::size_t k = 0; k < axis.ticks->size(); ++k)
        if ((*axis.ticks)[k] >= plan.limits.low && (*axis.ticks)[k] <= plan.limits.high)
          wanted.emplace_back((*axis.ticks)[k], k < labels.size() ? labels[k] : "");
      std::stable_sort(wanted.begin(), wanted.end(),
                       [](const auto& a, const auto& b) { return a.first < b.first; });
      plan.ticks = {};
      for (auto& [p, label] : wanted) {
        plan.ticks.positions.push_back(p);
        plan.ticks.labels.push_back(label);
      }
      lay_labels();
      // Ticks that were asked for all stand; labels without room are left out.
      for (std::size_t stride = 2; crowded() && stride <= plan.ticks.labels.size(); ++stride) {
        for (std::size_t k = 0; k < plan.ticks.labels.size(); ++k)
          if (k % stride != 0) plan.ticks.labels[k].clear();
        lay_labels();
        if (stride == 2) {
          const std::string said =
              fmt::format("the tick labels of the {} axis have no room beside each other; some are left out",
                          is_x ? "x" : "y");
          if (std::find(out_.warnings.begin(), out_.warnings.end(), said) == out_.warnings.end())
            out_.warnings.push_back(said);
        }
        if (label_room(plan, position, is_x, font)) break;
      }
      return;
    }
    const double spacing = is_x ? 50 : 27;
    for (double wanted = std::clamp(length / spacing, 2.0, 9.0); wanted >= 1.9; wanted *= 0.8) {
      plan.ticks = linear_ticks(plan.limits.low, plan.limits.high, wanted);
      lay_labels();
      if (!crowded()) return;
    }
    while (plan.ticks.labels.size() > 1 && crowded()) {
      plan.ticks.positions.pop_back();
      plan.ticks.labels.pop_back();
      lay_labels();
    }
  }

  // Whether the labels that are left stand apart.
  template <class Position>
  bool label_room(const AxisPlan& plan, const Position& position, bool is_x, const Font& font) const {
    double end = -1e9;
    for (std::size_t k = 0; k < plan.labels.size(); ++k) {
      if (plan.ticks.labels[k].empty()) continue;
      const double half = (is_x ? plan.labels[k].width : plan.labels[k].height()) / 2,
                   at = position(plan.ticks.positions[k]);
      if (at - half < end + (is_x ? font.size * 0.5 : 0)) return false;
      end = at + half;
    }
    return true;
  }

  void measure(PanelPlan& p) {
    make_ticks(p.x, p.panel->x, p.area.width, true);
    make_ticks(p.y, p.panel->y, p.area.height, false);
    const Font title_font{theme_.axis_title_size};
    p.x.title = p.x.labels_shown ? paragraph(p.x_title, title_font, p.area.width) : std::vector<TextLine>{};
    p.y.title = p.y.labels_shown ? paragraph(p.y_title, title_font, p.area.height) : std::vector<TextLine>{};
    const bool alone = plans_.size() == 1;
    p.title = paragraph(p.panel->title, {alone ? theme_.title_size : theme_.panel_title_size, true},
                        alone ? out_.width - 2 * kPagePad : p.area.width);
    p.legend = plan_legend(*p.panel, theme_, measurer_);
    const double tick = theme_.tick_length + kTickGap;
    p.left = tick + (p.y.labels_shown ? p.y.widest() : 0) +
             (p.y.title.empty() ? 0 : kTitleGap + p.y.title_height());
    p.bottom = tick + (p.x.labels_shown ? p.x.tallest() : 0) +
               (p.x.title.empty() ? 0 : kTitleGap + p.x.title_height());
    p.top = p.y.tallest() / 2;
    double titles = 0;
    for (const auto& line : p.title) titles += line.height();
    if (!p.title.empty()) p.top = std::max(p.top, titles + kTitleGap + 2);
    p.right = 2;
    for (std::size_t k = 0; k < p.x.labels.size(); ++k) {
      const double at = (p.x.ticks.positions[k] / 2 - p.x.limits.low / 2) /
                        (p.x.limits.high / 2 - p.x.limits.low / 2) * p.area.width;
      p.right = std::max(p.right, at + p.x.labels[k].width / 2 - p.area.width);
      p.left = std::max(p.left, p.x.labels[k].width / 2 - at);
    }
    if (p.legend.outside()) p.right = std::max(p.right, p.legend.width + 10);
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
    return h > 0 ? h + kTitleGap + 3 : 0;
  }

  // -- drawing

  void put_text(const TextLine& line, Point baseline, const Color& color, const std::string& role,
                bool upwards = false) {
    DrawnText t;
    t.at = baseline;
    t.line = line;
    t.color = color;
    t.upwards = upwards;
    t.role = role;
    for (const auto& run : line.runs) t.source += run.text;
    if (!t.source.empty()) out_.items.emplace_back(std::move(t));
  }

  void draw_page_title() {
    double y = kPagePad;
    for (const auto& line : title_) {
      put_text(line, {kPagePad, y + line.ascent}, theme_.ink, "title");
      y += line.height();
    }
  }

  Color color_of(const Layer& layer, std::size_t& next) const {
    Color c = layer.color ? *layer.color
                          : theme_.cycle[(layer.cycle ? static_cast<std::size_t>(*layer.cycle - 1) : next++) %
                                         theme_.cycle.size()];
    c.alpha *= layer.opacity;
    return c;
  }

  void draw(PanelPlan& p) {
    const Mapping map{p.x.limits, p.y.limits, p.area};
    out_.panels.push_back({p.area, p.x.limits, p.y.limits});
    draw_grid(p, map);
    std::vector<std::size_t> order;
    std::vector<Color> colors;
    std::size_t next = 0;
    for (std::size_t k = 0; k < p.panel->layers.size(); ++k) {
      order.push_back(k);
      colors.push_back(color_of(p.panel->layers[k], next));
    }
    const auto rank = [&](std::size_t k) {
      return p.panel->layers[k].order.value_or(static_cast<double>(k));
    };
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return rank(a) < rank(b); });
    for (const auto k : order) draw_layer(p.panel->layers[k], colors[k], map);
    draw_axes(p, map);
    draw_titles(p);
    place_legend(p.legend, *p.panel, map, out_.width - kPagePad);
    draw_legend(p.legend, *p.panel, colors, theme_, out_);
  }

  void draw_grid(const PanelPlan& p, const Mapping& map) {
    const auto which = p.panel->grid.value_or(theme_.default_grid);
    StrokePath lines{{}, theme_.grid, theme_.grid_width};
    if (which.find('x') != std::string::npos)
      for (const double t : p.x.ticks.positions) {
        const double x = map(t, p.y.limits.low).x;
        lines.pieces.push_back({{x, p.area.y}, {x, p.area.bottom()}});
      }
    if (which.find('y') != std::string::npos)
      for (const double t : p.y.ticks.positions) {
        const double y = map(p.x.limits.low, t).y;
        lines.pieces.push_back({{p.area.x, y}, {p.area.right(), y}});
      }
    if (!lines.pieces.empty()) out_.items.emplace_back(std::move(lines));
  }

  void draw_layer(const Layer& layer, const Color& color, const Mapping& map) {
    if (layer.kind == Layer::Kind::line) {
      StrokePath path{line_pieces(layer.x, layer.y, map), color, layer.width, layer.dash};
      if (!path.pieces.empty()) {
        out_.items.emplace_back(ClipTo{map.area});
        out_.items.emplace_back(std::move(path));
        out_.items.emplace_back(Unclip{});
      }
    }
    const auto shape =
        layer.kind == Layer::Kind::scatter && layer.marker == Marker::none ? Marker::disc : layer.marker;
    if (shape == Marker::none) return;
    Markers markers{points_inside(layer.x, layer.y, map), shape, layer.size, color, theme_.paper};
    if (!markers.points.empty()) out_.items.emplace_back(std::move(markers));
  }

  void draw_axes(const PanelPlan& p, const Mapping& map) {
    StrokePath lines{{}, theme_.ink, theme_.axis_width};
    const auto& a = p.area;
    lines.pieces.push_back({{a.x, a.y}, {a.x, a.bottom()}, {a.right(), a.bottom()}});
    for (std::size_t k = 0; k < p.x.ticks.positions.size(); ++k) {
      const double x = map(p.x.ticks.positions[k], p.y.limits.low).x;
      lines.pieces.push_back({{x, a.bottom()}, {x, a.bottom() + theme_.tick_length}});
      const auto& label = p.x.labels[k];
      if (p.x.labels_shown)
        put_text(label, {x - label.width / 2, a.bottom() + theme_.tick_length + kTickGap + label.ascent},
                 theme_.soft, "x tick");
    }
    for (std::size_t k = 0; k < p.y.ticks.positions.size(); ++k) {
      const double y = map(p.x.limits.low, p.y.ticks.positions[k]).y;
      lines.pieces.push_back({{a.x, y}, {a.x - theme_.tick_length, y}});
      const auto& label = p.y.labels[k];
      // Figures stand above the baseline, so their middle is below half of the ascent.
      if (p.y.labels_shown)
        put_text(label, {a.x - theme_.tick_length - kTickGap - label.width, y + label.ascent * 0.37},
                 theme_.soft, "y tick");
    }
    out_.items.emplace_back(std::move(lines));
  }

  void draw_titles(const PanelPlan& p) {
    const auto& a = p.area;
    double y = a.bottom() + p.room_below - p.x.title_height();
    for (const auto& line : p.x.title) {
      put_text(line, {a.x + (a.width - line.width) / 2, y + line.ascent}, theme_.ink, "x title");
      y += line.height();
    }
    double x = a.x - p.room_left;
    for (const auto& line : p.y.title) {
      put_text(line, {x + line.ascent, a.y + (a.height + line.width) / 2}, theme_.ink, "y title", true);
      x += line.height();
    }
    double titles = 0;
    for (const auto& line : p.title) titles += line.height();
    double top = a.y - kTitleGap - 2 - titles;
    for (const auto& line : p.title) {
      put_text(line, {plans_.size() == 1 ? kPagePad : a.x, top + line.ascent}, theme_.ink, "panel title");
      top += line.height();
    }
  }

  const Figure& figure_;
  TextMeasurer& measurer_;
  const Theme& theme_;
  std::vector<TextLine> title_;
  std::vector<PanelPlan> plans_;
  DisplayList out_;
};

}  // namespace

Rect DrawnText::box() const {
  if (upwards) return {at.x - line.ascent, at.y - line.width, line.height(), line.width};
  return {at.x, at.y - line.ascent, line.width, line.height()};
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
