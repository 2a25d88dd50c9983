#include "builtins/figures/layer_arguments.h"

#include <fmt/format.h>

#include <cmath>
#include <map>

#include "base/text.h"
#include "base/time_text.h"
#include "builtins/arguments.h"
#include "builtins/context.h"
#include "builtins/figures/drawing.h"
#include "figure/panel_plan.h"

namespace quill {

std::optional<std::size_t> location_of(const Call& call, std::string_view name) {
  for (std::size_t k = 0; k < call.row.parameters.size(); ++k)
    if (call.row.parameters[k].name == name && call.given(k)) return k;
  return std::nullopt;
}

std::string titled(const LabelPtr& label) {
  if (!label || label->name.empty()) return {};
  return label->unit.empty() ? label->name : fmt::format("{} ({})", label->name, label->unit);
}

void name_axes(Layer& layer, const LabelPtr& x, const LabelPtr& y, const LabelPtr& z) {
  const auto set = [](const LabelPtr& label, std::string& name, bool& is_time) {
    is_time = label && label->unit == kTimeUnit;
    name = is_time ? label->name : titled(label);
  };
  set(x, layer.x_name, layer.x_is_time);
  set(y, layer.y_name, layer.y_is_time);
  set(z, layer.z_name, layer.z_is_time);
}

void set_looks(const Call& call, Layer& layer) {
  if (const auto i = location_of(call, "color")) {
    if (single_real(call.value(*i))) {
      const auto n = call.whole(*i);
      if (n < 1 || n > 8)
        call.fail_argument(*i, fmt::format("must be a number of the colour cycle from 1 to 8, not {}", n));
      layer.cycle = static_cast<int>(n);
    } else
      layer.color = css_color(call, *i);
  }
  if (const auto i = location_of(call, "width")) layer.width = positive(call, *i, layer.width, 100);
  if (const auto i = location_of(call, "dash")) layer.dash = dash_argument(call, *i);
  if (const auto i = location_of(call, "marker")) {
    const auto marker = parse_marker(call.text(*i));
    if (!marker)
      call.fail_argument(*i, fmt::format("must be one of {}, not \"{}\"", list_in_prose(marker_names(), "or"),
                                         call.text(*i)));
    layer.marker = *marker;
  }
  if (const auto i = location_of(call, "axis")) layer.on_right = call.one_of(*i) == "right";
  if (const auto i = location_of(call, "pattern")) {
    layer.pattern = parse_pattern(call.text(*i));
    if (!layer.pattern)
      call.fail_argument(*i, fmt::format("must be one of {}, not \"{}\"",
                                         list_in_prose(pattern_names(), "or"), printable(call.text(*i))));
  }
  if (const auto i = location_of(call, "size")) layer.size = positive(call, *i, layer.size, 200);
  if (const auto i = location_of(call, "opacity")) {
    layer.opacity = call.number(*i);
    if (!(layer.opacity >= 0 && layer.opacity <= 1))
      call.fail_argument(*i, fmt::format("must be a number from 0 to 1, not {}", shortest(layer.opacity)));
  }
  if (const auto i = location_of(call, "layer")) layer.order = call.number(*i);
  if (const auto i = location_of(call, "palette")) layer.palette = palette_argument(call, *i);
  if (const auto i = location_of(call, "limits")) {
    const auto limits = number_pair(call.value(*i));
    if (!limits || !(limits->first < limits->second))
      call.fail_argument(*i, "must be two numbers, the lower one first", "limits: (0, 10)");
    layer.range = Limits{limits->first, limits->second};
  }
  if (const auto i = location_of(call, "base")) layer.base = call.number(*i);
}

Value drawn(Call& call, const std::function<void(Panel&)>& draw) {
  auto& c = call.context;
  if (c.drawing.is_open()) {
    draw(c.drawing.panel(call.row.name));
    return Value::none();
  }
  auto figure = *c.state.settings.figure_defaults;
  for (int k = 1; figure.name.empty() || c.state.figures.contains(figure.name); ++k)
    figure.name = fmt::format("{}-{}", call.row.name, k);
  c.drawing.open_figure(std::move(figure));
  try {
    draw(c.drawing.panel(call.row.name));
    c.close_drawing();
  } catch (...) {
    c.drawing.abandon();
    throw;
  }
  return Value::none();
}

std::pair<double, double> ends_of(const Call& call, std::size_t i) {
  if (!call.given(i))
    call.fail_argument(0, "is a function and needs a range to be drawn over",
                       fmt::format("{}(f, 0..10)", call.row.name));
  if (const auto pair = call.value(i).is(Kind::tuple) ? number_pair(call.value(i)) : std::nullopt)
    return *pair;
  // A range means the interval between its ends, whatever its step.
  if (call.value(i).is(Kind::range)) {
    const auto& written = call.value(i).object<RangeObject>();
    if (written.first < written.end) return {written.first, written.end};
  }
  const auto range = call.vector(i).to_vector<double>();
  if (range.size() < 2 || !(range.front() < range.back()))
    call.fail_argument(i, "must be an increasing range to draw the function over", "0..2*pi");
  return {range.front(), range.back()};
}

std::vector<std::string> labels_for(const Call& call, Index curves) {
  const auto i = location_of(call, "label");
  std::vector<std::string> out(static_cast<std::size_t>(curves));
  if (!i) return out;
  const auto given = texts_argument(call, *i);
  if (given.size() != 1 && static_cast<Index>(given.size()) != curves)
    call.fail_argument(
        *i, fmt::format("must have one text for each of the {1} lines, not {0}", given.size(), curves));
  for (std::size_t k = 0; k < given.size() && k < out.size(); ++k) out[k] = given[k];
  return out;
}

std::vector<double> counted(Index n) {
  std::vector<double> out;
  out.reserve(static_cast<std::size_t>(n));
  for (Index k = 1; k <= n; ++k) out.push_back(static_cast<double>(k));
  return out;
}

bool holds_names(const Value& v) { return v.is(Kind::array) && v.array().type() == ElementType::text; }

namespace {

// The panels that share an axis with this one, including itself.
std::vector<Panel*> sharing(Figure& figure, Panel& panel, Axis Panel::*axis) {
  const auto link = axis == &Panel::x ? figure.link_x : figure.link_y;
  std::vector<Panel*> out = {&panel};
  for (auto& other : figure.panels)
    if (&other != &panel && link != Link::none && are_linked(link, panel, other)) out.push_back(&other);
  return out;
}

}  // namespace

Positions positions_of(Call& call, std::size_t i, Panel& panel, Axis Panel::*axis) {
  if (!holds_names(call.value(i))) return {call.vector(i).to_vector<double>(), false};
  const auto panels = sharing(call.context.drawing.figure(), panel, axis);
  auto names = (panel.*axis).names;
  for (const auto* other : panels)
    if ((other->*axis).names.size() > names.size()) names = (other->*axis).names;
  Positions out{{}, true};
  std::map<std::string, std::size_t> places;
  for (std::size_t k = 0; k < names.size(); ++k) places.emplace(names[k], k + 1);
  for (const auto& name : texts_argument(call, i)) {
    const auto [found, is_new] = places.emplace(name, names.size() + 1);
    if (is_new) names.push_back(name);
    out.values.push_back(static_cast<double>(found->second));
  }
  for (auto* other : panels) {
    auto& shared = other->*axis;
    if (other != &panel && shared.names.empty()) continue;
    shared.names = names;
    // Explicit ticks are kept.
    if (shared.ticks && !shared.ticks_are_names) continue;
    shared.ticks = counted(static_cast<Index>(names.size()));
    shared.tick_labels = names;
    shared.ticks_are_names = true;
  }
  return out;
}

Curves curves_of(Call& call, Panel& panel, Axis Panel::*along) {
  const bool has_x = call.given(1);
  const std::size_t at = has_x ? 1 : 0;
  const auto ys = call.reals(at);
  Array xs;
  Curves out;
  if (has_x && holds_names(call.value(0))) {
    auto found = positions_of(call, 0, panel, along);
    out.is_named = found.is_named;
    xs = Array::vector(found.values);
  } else if (has_x)
    xs = call.reals(0);
  if (ys.axes() != 1 && ys.axes() != 2)
    call.fail_argument(at, fmt::format("must be a vector, or a matrix with one line for each column, not {}",
                                       ys.axes() == 0 ? "a single number" : text_of(ys.shape())));
  if (has_x && (xs.axes() != 1 || xs.size() != ys.extent(0))) {
    if (xs.axes() == 0 && ys.axes() == 1 && ys.size() == 1)
      xs = xs.with_shape({1});
    else
      call.fail_argument(
          0,
          fmt::format("has shape {} and `y` has shape {}: there must be one y for each x",
                      text_of(xs.shape()), text_of(ys.shape())),
          ys.axes() == 2 && xs.axes() == 1 && xs.size() == ys.extent(1) ? "y' transposes the matrix" : "");
  }
  if (has_x) out.x_label = call.label(0);
  out.y_label = call.label(at);
  if (has_x)
    out.x = xs.to_vector<double>();
  else {
    out.x = counted(ys.extent(0));
    out.is_counted = true;
  }
  const auto count = ys.axes() == 2 ? ys.extent(1) : 1;
  if (count > 1000)
    call.fail_argument(at, fmt::format("has {} columns, and at most 1000 lines are drawn", count));
  auto values = ys.to_vector<double>();
  out.y.resize(static_cast<std::size_t>(count));
  if (count == 1)
    out.y[0] = std::move(values);
  else
    for (std::size_t i = 0; i < values.size(); ++i) out.y[i % out.y.size()].push_back(values[i]);
  return out;
}

bool are_whole(const std::vector<double>& x) {
  return std::all_of(x.begin(), x.end(), [](double v) { return v == std::round(v); });
}

}  // namespace quill
