#include "figure/axes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/number.h"
#include "base/text.h"
#include "figure/time_ticks.h"

namespace quill {

double AxisPlan::widest() const {
  double w = 0;
  if (broken.empty())
    for (const auto& l : labels) w = std::max(w, l.width);
  for (const auto& lines : broken)
    for (const auto& l : lines) w = std::max(w, l.width);
  return w;
}

double AxisPlan::tallest() const {
  double h = 0;
  for (const auto& l : labels)
    h = std::max(h, slanted ? l.width * std::sin(kSlant) + l.height() * std::cos(kSlant) : l.height());
  for (const auto& lines : broken) {
    double all = 0;
    for (const auto& l : lines) all += l.height();
    h = std::max(h, all);
  }
  return h;
}

std::pair<double, double> AxisPlan::reach_of(std::size_t k) const {
  if (slanted) return {labels[k].width * std::cos(kSlant), labels[k].height() * std::sin(kSlant)};
  double width = broken.empty() ? labels[k].width : 0;
  if (!broken.empty())
    for (const auto& line : broken[k]) width = std::max(width, line.width);
  return {width / 2, width / 2};
}

double AxisPlan::title_height() const {
  double h = 0;
  for (const auto& l : title) h += l.height();
  return h;
}

namespace {

Ticks ticks_for(const Scale& scale, double wanted, std::string& context, bool is_count) {
  const auto [low, high] = scale.limits;
  context.clear();
  if (scale.kind == ScaleKind::time) {
    auto times = time_ticks(low, high, wanted);
    context = std::move(times.context);
    return std::move(times.ticks);
  }
  if (scale.kind == ScaleKind::log) return log_ticks(low, high, wanted);
  if (scale.kind == ScaleKind::signed_log) return signed_log_ticks(low, high, scale.threshold(), wanted);
  return is_count ? whole_ticks(low, high, wanted) : linear_ticks(low, high, wanted);
}

void add_minor(Ticks& out, const Limits& limits) {
  if (!(out.step > 0)) return;
  const double lead = out.step / std::pow(10, std::floor(std::log10(out.step) + 1e-9));
  const int parts = std::fabs(lead - 2) < 1e-6 || std::fabs(lead - 4) < 1e-6 ? 4 : 5;
  const double step = out.step / parts;
  for (double k = std::ceil(limits.low / step); k * step <= limits.high; ++k)
    if (std::fabs(std::remainder(k * step - out.positions[0], out.step)) > 0.1 * step)
      out.minor.push_back(k * step);
}

}  // namespace

Ticks ticks_of(const Scale& scale, double wanted, std::string& context, bool is_count) {
  // When a scale has too few or too many round positions, try another count.
  constexpr double factors[] = {1, 1.25, 0.8, 1.6, 0.6, 2, 0.45, 2.8, 4};
  constexpr std::size_t most = 12;
  const std::size_t least = wanted >= 3 ? 3 : 2;
  Ticks best;
  std::string its_context;
  std::size_t least_off = most * 10;
  for (const double factor : factors) {
    auto found = ticks_for(scale, wanted * factor, its_context, is_count);
    const auto n = found.positions.size();
    const auto off = n < least ? least - n : n > most ? n - most : 0;
    if (off < least_off) {
      least_off = off;
      best = std::move(found);
      context = its_context;
    }
    if (off == 0) break;
  }
  if (scale.kind == ScaleKind::linear && !is_count) add_minor(best, scale.limits);
  return best;
}

namespace {

// Whether the remaining labels do not touch.
template <class Position>
bool label_room(const AxisPlan& plan, const Position& position, bool is_x, const Font& font) {
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

}  // namespace

void set_ticks(AxisPlan& plan, const Axis& axis, double wanted) {
  const auto& limits = plan.scale.limits;
  if (!axis.ticks) {
    plan.ticks = ticks_of(plan.scale, wanted, plan.context, plan.is_count);
    if (auto asked =
            axis.format.empty() ? std::nullopt : formatted_labels(plan.ticks.positions, axis.format)) {
      plan.ticks.labels = std::move(*asked);
      plan.ticks.common.clear();
    }
    return;
  }
  auto labels = axis.tick_labels;
  std::string common;
  plan.context.clear();
  if (labels.empty() && plan.scale.kind == ScaleKind::time) {
    auto times = labelled_times(*axis.ticks, limits.low, limits.high);
    labels = std::move(times.ticks.labels);
    common = std::move(times.ticks.common);
    plan.context = std::move(times.context);
  } else if (labels.empty()) {
    auto texts = tick_texts(*axis.ticks);
    labels = std::move(texts.labels);
    common = std::move(texts.common);
  }
  if (axis.tick_labels.empty() && !axis.format.empty())
    if (auto asked = formatted_labels(*axis.ticks, axis.format)) {
      labels = std::move(*asked);
      common.clear();
    }
  std::vector<std::pair<double, std::string>> found;
  for (std::size_t k = 0; k < axis.ticks->size(); ++k)
    if ((*axis.ticks)[k] >= limits.low && (*axis.ticks)[k] <= limits.high)
      found.emplace_back((*axis.ticks)[k], k < labels.size() ? labels[k] : "");
  std::stable_sort(found.begin(), found.end(),
                   [](const auto& a, const auto& b) { return a.first < b.first; });
  plan.ticks = {};
  plan.ticks.common = std::move(common);
  for (auto& [p, label] : found) {
    plan.ticks.positions.push_back(p);
    plan.ticks.labels.push_back(label);
  }
}

std::string with_context(const std::string& title, const AxisPlan& axis) {
  return axis.context.empty() ? title : title.empty() ? axis.context : title + ", " + axis.context;
}

std::string title_within(const std::string& title, const AxisPlan& axis, const Font& font, double width,
                         TextLayer& text) {
  const auto whole = with_context(title, axis);
  const double rest = axis.ticks.common.empty() ? 0 : text.line(with_common("x ", axis), font).width;
  return with_common(text.shortened(whole, font, std::max(width - rest, 0.3 * width)), axis);
}

std::string with_common(const std::string& title, const AxisPlan& axis) {
  const auto& common = axis.ticks.common;
  return common.empty() ? title : title.empty() ? common : fmt::format("{} ({})", title, common);
}

namespace {

// Names broken at their spaces into lines that have room beside each other; nothing when some word has none.
std::vector<std::vector<TextLine>> broken_names(const std::vector<std::string>& names, double width,
                                                const Font& font, TextLayer& text) {
  std::vector<std::vector<TextLine>> out;
  for (const auto& name : names) {
    auto& lines = out.emplace_back(text.paragraph(name, font, width));
    std::size_t spaces = 1;
    for (const char c : name) spaces += c == ' ' || c == '\n';
    constexpr std::size_t most = 4;
    // A line more than there are spaces has broken a word.
    const bool has_room = std::all_of(lines.begin(), lines.end(),
                                      [width](const TextLine& line) { return line.width <= width; });
    std::string joined;
    for (const auto& line : lines) joined += (joined.empty() ? "" : " ") + line.plain();
    if (!has_room || lines.size() > std::min(spaces, most) || joined.size() != name.size()) return {};
  }
  return out;
}

// Smallest distance between ticks.
double least_apart(const AxisPlan& plan, double length) {
  double apart = length;
  for (std::size_t k = 1; k < plan.ticks.positions.size(); ++k)
    apart = std::min(apart, std::fabs(plan.scale.share(plan.ticks.positions[k]) -
                                      plan.scale.share(plan.ticks.positions[k - 1])) *
                                length);
  return apart;
}

// Names along the x axis that have no room beside each other: in several lines, or slanted. False when that
// does not help either.
bool fit_names(AxisPlan& plan, const Axis& axis, double length, const Font& font, TextLayer& text) {
  const double apart = least_apart(plan, length);
  plan.broken = broken_names(plan.ticks.labels, apart - 0.6 * font.size, font, text);
  if (!plan.broken.empty()) return true;
  if (axis.label_box || apart * std::sin(kSlant) < 1.05 * (font.size * 1.2)) return false;
  plan.slanted = true;
  const double longest = 90 * font.size / 7.5;
  plan.labels.clear();
  for (const auto& label : plan.ticks.labels)
    plan.labels.push_back(text.shortened_line(label, font, longest));
  return true;
}

// Long names beside the y axis in several lines, where the data would have less room than they: as few lines
// as the names have room for.
void break_names_beside(AxisPlan& plan, double length, const Font& font, TextLayer& text) {
  const double longest = 90 * font.size / 7.5;
  const double apart = least_apart(plan, length);
  if (plan.widest() <= longest) return;
  auto broken = broken_names(plan.ticks.labels, longest, font, text);
  for (const auto& lines : broken) {
    double height = 0;
    for (const auto& line : lines) height += line.height();
    if (height > apart - 0.3 * font.size) return;
  }
  plan.broken = std::move(broken);
}

}  // namespace

void make_ticks(AxisPlan& plan, const Axis& axis, double length, bool is_x, const Theme& theme,
                TextLayer& text) {
  const Font font{axis.size.value_or(theme.tick_size)};
  const auto lay_labels = [&] {
    plan.labels.clear();
    for (const auto& label : plan.ticks.labels) plan.labels.push_back(text.line(label, font));
    plan.common = text.line(plan.labels_shown ? plan.ticks.common : "", font);
  };
  const auto position = [&](double v) { return plan.scale.share(v) * length; };
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
  plan.broken.clear();
  plan.slanted = plan.leaves_out = false;
  if (axis.ticks) {
    set_ticks(plan, axis, 0);
    lay_labels();
    if (is_x && !axis.tick_labels.empty() && crowded() && fit_names(plan, axis, length, font, text)) return;
    if (!is_x && !axis.tick_labels.empty() && !axis.label_box) break_names_beside(plan, length, font, text);
    if (!plan.broken.empty()) return;
    // Requested ticks are all drawn; labels without room are omitted.
    for (std::size_t stride = 2; crowded() && stride <= plan.ticks.labels.size(); ++stride) {
      for (std::size_t k = 0; k < plan.ticks.labels.size(); ++k)
        if (k % stride != 0) plan.ticks.labels[k].clear();
      lay_labels();
      plan.leaves_out = true;
      if (label_room(plan, position, is_x, font)) break;
    }
    return;
  }
  const double spacing = (is_x ? 44 : 27) * font.size / 7.5;
  for (double wanted = std::clamp(length / spacing, 3.0, 9.0); wanted >= 1.9; wanted *= 0.8) {
    set_ticks(plan, axis, wanted);
    if (!axis.minor && plan.scale.kind == ScaleKind::linear) plan.ticks.minor.clear();
    lay_labels();
    if (!crowded()) return;
  }
  // Keep the first and the last, or one when there is no room for two.
  if (plan.ticks.positions.size() > 2) {
    plan.ticks.positions = {plan.ticks.positions.front(), plan.ticks.positions.back()};
    plan.ticks.labels = {plan.ticks.labels.front(), plan.ticks.labels.back()};
    lay_labels();
  }
  while (plan.ticks.labels.size() > 1 && crowded()) {
    plan.ticks.positions.pop_back();
    plan.ticks.labels.pop_back();
    lay_labels();
  }
}

void put_text(DisplayList& out, const TextLine& line, Point baseline, const Color& color,
              const std::string& role, double angle) {
  DrawnText t;
  t.at = baseline;
  t.line = line;
  t.color = color;
  t.angle = angle;
  t.role = role;
  t.source = line.plain();
  if (!t.source.empty()) out.items.emplace_back(std::move(t));
}

void draw_grid(const Panel& panel, const AxisPlan& x, const AxisPlan& y, const Mapping& map,
               const Theme& theme, DisplayList& out) {
  const auto which = panel.grid.value_or(theme.default_grid);
  const auto& area = map.area;
  StrokePath lines{{}, theme.grid, theme.grid_width};
  if (which.x)
    for (const double t : x.ticks.positions) {
      const double at = area.x + map.x.share(t) * area.width;
      lines.pieces.push_back({{at, area.y}, {at, area.bottom()}});
    }
  if (which.y)
    for (const double t : y.ticks.positions) {
      const double at = area.bottom() - map.y.share(t) * area.height;
      lines.pieces.push_back({{area.x, at}, {area.right(), at}});
    }
  if (!lines.pieces.empty()) out.items.emplace_back(std::move(lines));
}

namespace {

// Position of the axis across the area: its edge, or a value of the other axis.
double crossing(const std::optional<double>& at, const Scale& other, double edge, double start,
                double length) {
  if (!at) return edge;
  const double share = other.share(*at);
  return std::isfinite(share) ? start + std::clamp(share, 0.0, 1.0) * length : edge;
}

class AxisDrawer {
 public:
  AxisDrawer(const Panel& panel, const Mapping& map, const Theme& theme, DisplayList& out)
      : panel_(panel),
        map_(map),
        theme_(theme),
        out_(out),
        frame_(panel.frame.value_or(theme.default_frame)),
        lines_{{}, theme.ink, theme.axis_width} {}

  void draw(const AxisPlan& x, const AxisPlan& y) {
    const auto& a = map_.area;
    const double level = crossing(panel_.x.at, map_.y, a.bottom(), a.bottom(), -a.height);
    const double upright = crossing(panel_.y.at, map_.x, a.x, a.x, a.width);
    const bool bottom = frame_.bottom, left = frame_.left;
    // The corner is one line, so that it is sharp.
    if (bottom && left && !panel_.x.at && !panel_.y.at)
      lines_.pieces.push_back({{a.x, a.y}, {a.x, a.bottom()}, {a.right(), a.bottom()}});
    else {
      if (bottom || panel_.x.at) lines_.pieces.push_back({{a.x, level}, {a.right(), level}});
      if (left || panel_.y.at) lines_.pieces.push_back({{upright, a.y}, {upright, a.bottom()}});
    }
    if (frame_.top) lines_.pieces.push_back({{a.x, a.y}, {a.right(), a.y}});
    if (frame_.right) lines_.pieces.push_back({{a.right(), a.y}, {a.right(), a.bottom()}});
    if (bottom || panel_.x.at) ticks(x, true, level);
    if (left || panel_.y.at) ticks(y, false, upright);
    out_.items.emplace_back(std::move(lines_));
    for (auto& box : boxes_) out_.items.emplace_back(box);
    for (auto& text : texts_) out_.items.emplace_back(std::move(text));
  }

 private:
  Point place(double share, bool is_x, double across) const {
    const auto& a = map_.area;
    return is_x ? Point{a.x + share * a.width, across} : Point{across, a.bottom() - share * a.height};
  }

  void ticks(const AxisPlan& plan, bool is_x, double across) {
    const auto& axis = is_x ? panel_.x : panel_.y;
    const auto mark = [&](double value, double length) {
      const auto p = place(plan.scale.share(value), is_x, across);
      lines_.pieces.push_back({p, is_x ? Point{p.x, p.y + length} : Point{p.x - length, p.y}});
    };
    for (const double t : plan.ticks.minor) mark(t, theme_.tick_length * 0.55);
    for (std::size_t k = 0; k < plan.ticks.positions.size(); ++k) {
      mark(plan.ticks.positions[k], theme_.tick_length);
      if (!plan.labels_shown) continue;
      // Omits the number that would lie on the other axis, if the axes cross inside of the panel.
      const auto& other = is_x ? panel_.y : panel_.x;
      if (axis.at && other.at && plan.ticks.positions[k] == *other.at) continue;
      const auto& label = plan.labels[k];
      const auto p = place(plan.scale.share(plan.ticks.positions[k]), is_x, across);
      const double gap = theme_.tick_length + kTickGap;
      const auto& color = axis.size ? theme_.ink : theme_.soft;
      if (!plan.broken.empty()) {
        broken_name(plan.broken[k], is_x, p, gap, color);
        continue;
      }
      if (plan.slanted) {
        // The end of a slanted label is below its tick.
        const double side = label.ascent * 0.5;
        keep_text(label,
                  {p.x - label.width * std::cos(kSlant) + side * std::sin(kSlant),
                   p.y + gap + label.width * std::sin(kSlant) + side * std::cos(kSlant)},
                  color, "x tick", kSlant);
        continue;
      }
      // Digits have no descenders, so their middle is below half of the ascent.
      const Point at = is_x ? Point{p.x - label.width / 2, p.y + gap + label.ascent}
                            : Point{p.x - gap - label.width, p.y + label.ascent * 0.37};
      if (axis.label_box && label.width > 0) {
        auto back = theme_.paper;
        back.alpha = 0.75;
        boxes_.push_back(
            {{at.x - 2, at.y - label.ascent * 0.85, label.width + 4, label.ascent * 0.85 + label.descent},
             back});
      }
      keep_text(label, at, color, is_x ? "x tick" : "y tick");
    }
  }

  // Below its tick, or to the left of it, in the middle of its lines.
  void broken_name(const std::vector<TextLine>& lines, bool is_x, Point at, double gap, const Color& color) {
    double height = 0;
    for (const auto& line : lines) height += line.height();
    double top = is_x ? at.y + gap : at.y - height / 2;
    for (const auto& line : lines) {
      keep_text(line, {is_x ? at.x - line.width / 2 : at.x - gap - line.width, top + line.ascent}, color,
                is_x ? "x tick" : "y tick");
      top += line.height();
    }
  }

  void keep_text(const TextLine& line, Point at, const Color& color, const std::string& role,
                 double angle = 0) {
    DisplayList one;
    put_text(one, line, at, color, role, angle);
    for (const auto& item : one.items) texts_.push_back(std::get<DrawnText>(item));
  }

  const Panel& panel_;
  const Mapping& map_;
  const Theme& theme_;
  DisplayList& out_;
  Edges frame_;
  StrokePath lines_;
  std::vector<FillRect> boxes_;
  std::vector<DrawnText> texts_;
};

}  // namespace

void draw_right_axis(const AxisPlan& plan, const Axis& axis, const Mapping& map, const Theme& theme,
                     DisplayList& out) {
  const auto& a = map.area;
  StrokePath lines{{{{a.right(), a.y}, {a.right(), a.bottom()}}}, theme.ink, theme.axis_width};
  const auto height = [&](double value) { return a.bottom() - plan.scale.share(value) * a.height; };
  const auto mark = [&](double value, double length) {
    const double y = height(value);
    lines.pieces.push_back({{a.right(), y}, {a.right() + length, y}});
  };
  for (const double t : plan.ticks.minor) mark(t, theme.tick_length * 0.55);
  for (const double t : plan.ticks.positions) mark(t, theme.tick_length);
  out.items.emplace_back(std::move(lines));
  const auto& color = axis.size ? theme.ink : theme.soft;
  for (std::size_t k = 0; k < plan.labels.size(); ++k)
    put_text(out, plan.labels[k],
             {a.right() + theme.tick_length + kTickGap,
              height(plan.ticks.positions[k]) + plan.labels[k].ascent * 0.37},
             color, "right tick");
}

void draw_axes(const Panel& panel, const AxisPlan& x, const AxisPlan& y, const Mapping& map,
               const Theme& theme, DisplayList& out) {
  AxisDrawer(panel, map, theme, out).draw(x, y);
}

}  // namespace quill
