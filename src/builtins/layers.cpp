// The layers of figures: lines, points, bars, fields, surfaces.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/rearrange.h"
#include "base/text.h"
#include "builtins/arguments.h"
#include "builtins/context.h"
#include "builtins/drawing.h"
#include "builtins/tables.h"
#include "engine/elementwise_proof.h"
#include "figure/sampling.h"
#include "figure/ticks.h"
#include "numerics/grid.h"
#include "numerics/samples.h"

namespace quill {

namespace {

// The place of a parameter by its name; layers share their looks and not their order.
std::optional<std::size_t> place_of(const Call& call, std::string_view name) {
  for (std::size_t k = 0; k < call.row.parameters.size(); ++k)
    if (call.row.parameters[k].name == name && call.given(k)) return k;
  return std::nullopt;
}

std::string titled(const LabelPtr& label) {
  if (!label || label->name.empty()) return {};
  return label->unit.empty() ? label->name : fmt::format("{} ({})", label->name, label->unit);
}

void set_looks(const Call& call, Layer& layer) {
  if (const auto i = place_of(call, "color")) {
    if (call.value(*i).is_number()) {
      const auto n = call.whole(*i);
      if (n < 1 || n > 8)
        call.fail_argument(*i, fmt::format("is a number of the colour cycle from 1 to 8, not {}", n));
      layer.cycle = static_cast<int>(n);
    } else
      layer.color = css_color(call, *i);
  }
  if (const auto i = place_of(call, "width")) layer.width = positive(call, *i, layer.width, 100);
  if (const auto i = place_of(call, "dash")) layer.dash = dash_argument(call, *i);
  if (const auto i = place_of(call, "marker")) {
    const auto marker = parse_marker(call.text(*i));
    if (!marker)
      call.fail_argument(
          *i, fmt::format("is one of {}, not \"{}\"", list_in_prose(marker_names(), "or"), call.text(*i)));
    layer.marker = *marker;
  }
  if (const auto i = place_of(call, "size")) layer.size = positive(call, *i, layer.size, 200);
  if (const auto i = place_of(call, "opacity")) {
    layer.opacity = call.number(*i);
    if (!(layer.opacity >= 0 && layer.opacity <= 1))
      call.fail_argument(*i, fmt::format("is a number from 0 to 1, not {}", shortest(layer.opacity)));
  }
  if (const auto i = place_of(call, "layer")) layer.order = call.number(*i);
  if (const auto i = place_of(call, "palette")) layer.palette = palette_argument(call, *i);
  if (const auto i = place_of(call, "range")) {
    const auto range = number_pair(call.value(*i));
    if (!range || !(range->first < range->second))
      call.fail_argument(*i, "is two numbers, the lower one first", "range: (0, 10)");
    layer.range = Limits{range->first, range->second};
  }
  if (const auto i = place_of(call, "base")) layer.base = call.number(*i);
}

// Draws into the open panel, or into a figure of its own when none is open.
Value drawn(Call& call, const std::function<void(Panel&)>& draw) {
  auto& c = context(call);
  if (c.drawing.is_open()) {
    draw(c.drawing.panel(call.row.name));
    return Value::none();
  }
  Figure figure;
  figure.theme = c.theme;
  for (int k = 1; figure.name.empty() || c.figures.contains(figure.name); ++k)
    figure.name = fmt::format("{}-{}", call.row.name, k);
  c.drawing.open_figure(std::move(figure));
  try {
    draw(c.drawing.panel(call.row.name));
    c.close_block();
  } catch (...) {
    c.drawing.abandon();
    throw;
  }
  return Value::none();
}

// -- curves

bool is_list_of_functions(const Value& v) {
  if (!v.is(Kind::array) || v.array().type() != ElementType::any || v.array().size() == 0) return false;
  for (const auto& item : v.array().to_vector<Any>())
    if (!element_value(item).is_callable()) return false;
  return true;
}

// The two ends of what a function is drawn over.
std::pair<double, double> ends_of(const Call& call, std::size_t i) {
  if (!call.given(i))
    call.fail_argument(0, "is a function and needs a range to be drawn over",
                       fmt::format("{}(f, 0..10)", call.row.name));
  if (const auto pair = call.value(i).is(Kind::tuple) ? number_pair(call.value(i)) : std::nullopt)
    return *pair;
  const auto range = call.vector(i).to_vector<double>();
  if (range.size() < 2 || !(range.front() < range.back()))
    call.fail_argument(i, "is a rising range to draw the function over", "0..2*pi");
  return {range.front(), range.back()};
}

void add_function(Call& call, const Value& f, Layer layer, Panel& panel) {
  const auto [a, b] = ends_of(call, 1);
  const auto at = [&](double x) {
    const Value argument[] = {Value(x)};
    const auto y = call.machine.call(f, argument);
    if (const auto number = single_real(y)) return *number;
    fail(fmt::format("{}: the function gave {}, where a single number is wanted", call.row.name,
                     kind_in_words(y)));
  };
  if (layer.kind == Layer::Kind::line) {
    auto curve = sample_curve(at, a, b);
    layer.x = std::move(curve.x);
    layer.y = std::move(curve.y);
    layer.focus = curve.focus;
  } else {
    constexpr int points = 40;
    for (int k = 0; k <= points; ++k) {
      layer.x.push_back(a + (b - a) * k / points);
      layer.y.push_back(at(layer.x.back()));
    }
  }
  panel.layers.push_back(std::move(layer));
}

std::vector<std::string> labels_for(const Call& call, Index curves) {
  const auto i = place_of(call, "label");
  std::vector<std::string> out(static_cast<std::size_t>(curves));
  if (!i) return out;
  const auto given = texts_argument(call, *i);
  if (given.size() != 1 && static_cast<Index>(given.size()) != curves)
    call.fail_argument(*i, fmt::format("holds {} texts for {} lines", given.size(), curves));
  for (std::size_t k = 0; k < given.size() && k < out.size(); ++k) out[k] = given[k];
  return out;
}

std::vector<double> counted(Index n) {
  std::vector<double> out;
  out.reserve(static_cast<std::size_t>(n));
  for (Index k = 1; k <= n; ++k) out.push_back(static_cast<double>(k));
  return out;
}

// x and y as asked for: y alone stands over 1, 2, …; a matrix has one curve in each column.
struct Curves {
  std::vector<double> x;
  std::vector<std::vector<double>> y;
  std::string x_name, y_name;
};

Curves curves_of(const Call& call) {
  const bool has_x = call.given(1);
  const std::size_t at = has_x ? 1 : 0;
  const auto ys = call.reals(at);
  Array xs;
  if (has_x) xs = call.reals(0);
  if (ys.axes() != 1 && ys.axes() != 2)
    call.fail_argument(at, fmt::format("is a vector, or a matrix with one line for each column, not {}",
                                       ys.axes() == 0 ? "a single number" : text_of(ys.shape())));
  if (has_x && (xs.axes() != 1 || xs.size() != ys.extent(0))) {
    if (xs.axes() == 0 && ys.axes() == 1 && ys.size() == 1)
      xs = xs.with_shape({1});
    else
      call.fail_argument(
          0,
          fmt::format("has shape {} and `y` has shape {}: there is one y for each x", text_of(xs.shape()),
                      text_of(ys.shape())),
          ys.axes() == 2 && xs.axes() == 1 && xs.size() == ys.extent(1) ? "y' turns the matrix" : "");
  }
  Curves out;
  out.x_name = has_x ? titled(call.array(0).label) : "";
  out.y_name = titled(call.array(at).label);
  if (has_x)
    out.x = xs.to_vector<double>();
  else
    out.x = counted(ys.extent(0));
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

// The corners of a stairway: each value holds from half way to its neighbours, or from its x on.
void make_steps(Layer& layer, const std::string& hold) {
  std::vector<double> x, y;
  const auto n = layer.x.size();
  for (std::size_t k = 0; k < n; ++k) {
    const double before = k > 0 ? layer.x[k - 1] : layer.x[k],
                 after = k + 1 < n ? layer.x[k + 1] : layer.x[k];
    const double from = hold == "after" ? layer.x[k] : hold == "before" ? before : (before + layer.x[k]) / 2;
    const double to = hold == "after" ? after : hold == "before" ? layer.x[k] : (layer.x[k] + after) / 2;
    x.insert(x.end(), {from, to});
    y.insert(y.end(), {layer.y[k], layer.y[k]});
  }
  layer.x = std::move(x);
  layer.y = std::move(y);
}

Value curve_row(Call& call, Layer::Kind kind) {
  return drawn(call, [&](Panel& panel) {
    Layer layer;
    layer.kind = kind;
    set_looks(call, layer);
    if (call.value(0).is_callable() || is_list_of_functions(call.value(0))) {
      std::vector<Value> functions;
      if (call.value(0).is_callable())
        functions.push_back(call.value(0));
      else
        for (const auto& item : call.value(0).array().to_vector<Any>())
          functions.push_back(element_value(item));
      const auto labels = labels_for(call, static_cast<Index>(functions.size()));
      for (std::size_t k = 0; k < functions.size(); ++k) {
        layer.label = labels[k];
        add_function(call, functions[k], layer, panel);
      }
      return;
    }
    if (const auto z = place_of(call, "z")) {
      const auto x = call.vector(0), y = call.vector(1), up = call.vector(*z);
      if (x.size() != y.size() || x.size() != up.size())
        call.fail_argument(
            *z, fmt::format("has {} elements beside {} and {}: a point in space has three coordinates",
                            up.size(), x.size(), y.size()));
      layer.x = x.to_vector<double>();
      layer.y = y.to_vector<double>();
      layer.z = up.to_vector<double>();
      layer.x_name = titled(call.array(0).label);
      layer.y_name = titled(call.array(1).label);
      layer.z_name = titled(call.array(*z).label);
      layer.label = labels_for(call, 1)[0];
      panel.layers.push_back(std::move(layer));
      return;
    }
    auto curves = curves_of(call);
    const auto labels = labels_for(call, static_cast<Index>(curves.y.size()));
    for (std::size_t k = 0; k < curves.y.size(); ++k) {
      Layer one = layer;
      if (k + 1 < curves.y.size())
        one.x = curves.x;
      else
        one.x = std::move(curves.x);
      one.y = std::move(curves.y[k]);
      one.x_name = curves.x_name;
      one.y_name = curves.y_name;
      one.label = labels[k];
      if (const auto i = place_of(call, "hold"); call.row.name == "steps")
        make_steps(one, i ? call.choice(*i, {"around", "before", "after"}, "around") : "around");
      panel.layers.push_back(std::move(one));
    }
  });
}

// -- bars

Value bars_row(Call& call) {
  return drawn(call, [&](Panel& panel) {
    Layer layer;
    layer.kind = Layer::Kind::boxes;
    layer.base = 0;
    set_looks(call, layer);
    double share = 0.8;
    if (const auto i = place_of(call, "share")) share = positive(call, *i, share, 1);
    const bool stacked = place_of(call, "stacked") && call.truth_or(*place_of(call, "stacked"), false);
    // Names stand at 1, 2, …
    std::vector<std::string> names;
    Curves curves;
    if (call.given(1) && call.value(0).is(Kind::array) && call.value(0).array().type() == ElementType::text) {
      names = texts_argument(call, 0);
      const auto values = call.reals(1);
      const auto count = values.axes() == 2 ? values.extent(1) : 1;
      if (values.axes() < 1 || values.axes() > 2 || values.extent(0) != static_cast<Index>(names.size()))
        call.fail_argument(1,
                           fmt::format("has shape {} for {} names", text_of(values.shape()), names.size()));
      curves.y.resize(static_cast<std::size_t>(count));
      const auto all = values.to_vector<double>();
      for (std::size_t i = 0; i < all.size(); ++i) curves.y[i % curves.y.size()].push_back(all[i]);
      for (std::size_t k = 1; k <= names.size(); ++k) curves.x.push_back(static_cast<double>(k));
    } else
      curves = curves_of(call);
    double spacing = INFINITY;
    auto sorted = curves.x;
    std::sort(sorted.begin(), sorted.end());
    for (std::size_t k = 1; k < sorted.size(); ++k)
      if (sorted[k] > sorted[k - 1]) spacing = std::min(spacing, sorted[k] - sorted[k - 1]);
    if (!std::isfinite(spacing)) spacing = 1;
    const auto labels = labels_for(call, static_cast<Index>(curves.y.size()));
    const double width = share * spacing / (stacked ? 1 : static_cast<double>(curves.y.size()));
    std::vector<double> below(curves.x.size(), layer.base);
    for (std::size_t c = 0; c < curves.y.size(); ++c) {
      Layer one = layer;
      one.label = labels[c];
      one.x_name = curves.x_name;
      one.y_name = curves.y_name;
      for (std::size_t k = 0; k < curves.x.size(); ++k) {
        const double left =
            curves.x[k] - share * spacing / 2 + (stacked ? 0 : width * static_cast<double>(c));
        one.left.push_back(left);
        one.right.push_back(left + width);
        one.low.push_back(stacked ? below[k] : layer.base);
        one.high.push_back(stacked ? below[k] + curves.y[c][k] : curves.y[c][k]);
        if (stacked && std::isfinite(curves.y[c][k])) below[k] += curves.y[c][k];
      }
      panel.layers.push_back(std::move(one));
    }
    if (!names.empty() && !panel.x.ticks) {
      panel.x.ticks = curves.x;
      panel.x.tick_labels = names;
    }
  });
}

// Bins whose width fits the spread and the number of values (D. Freedman, P. Diaconis, 1981).
Array automatic_edges(const Array& data) {
  auto values = data.to_vector<double>();
  std::erase_if(values, [](double v) { return !std::isfinite(v); });
  std::sort(values.begin(), values.end());
  double low = 0, high = 1;
  Index bins = 1;
  if (!values.empty()) {
    low = values.front();
    high = values.back();
    const auto quarter = [&](double q) {
      return values[static_cast<std::size_t>(q * static_cast<double>(values.size() - 1))];
    };
    const double width = 2 * (quarter(0.75) - quarter(0.25)) / std::cbrt(static_cast<double>(values.size()));
    if (high == low) {
      low -= 0.5;
      high += 0.5;
    } else
      bins = width > 0 ? static_cast<Index>(std::clamp(std::ceil((high - low) / width), 1.0, 200.0)) : 10;
  }
  Array edges(ElementType::float64, {bins + 1});
  for (Index k = 0; k <= bins; ++k)
    edges.mutable_data<double>()[k] = low + (high - low) * static_cast<double>(k) / static_cast<double>(bins);
  edges.mutable_data<double>()[bins] = high;
  return edges;
}

Value histogram_row(Call& call) {
  return drawn(call, [&](Panel& panel) {
    Layer layer;
    layer.kind = Layer::Kind::boxes;
    layer.is_histogram = true;
    set_looks(call, layer);
    const auto data = flattened(call.reals(0));
    Array edges;
    if (call.given(1) && call.value(1).is_number()) {
      const auto bins = call.whole(1);
      if (bins < 1 || bins > 100000) call.fail_argument(1, "is a count of bins from 1, or their edges");
      edges = histogram(data, bins).edges;
    } else if (call.given(1))
      edges = call.vector(1);
    else {
      // Histograms in one panel have the bins of the first one.
      for (const auto& other : panel.layers)
        if (other.is_histogram) edges = Array::vector(other.x);
      if (edges.size() < 2) edges = automatic_edges(data);
    }
    const auto h = histogram(data, edges);
    const auto scale = call.choice(2, {"count", "density", "share"}, "count");
    layer.label = labels_for(call, 1)[0];
    layer.x_name = titled(call.array(0).label);
    layer.y_name = scale == "count" ? "count" : scale;
    layer.x = h.edges.to_vector<double>();
    const auto counts = h.counts.converted(ElementType::float64).to_vector<double>();
    const auto density = h.density.to_vector<double>();
    double total = 0;
    for (const double n : counts) total += n;
    for (std::size_t k = 0; k < counts.size(); ++k) {
      layer.left.push_back(layer.x[k]);
      layer.right.push_back(layer.x[k + 1]);
      layer.low.push_back(0);
      layer.high.push_back(scale == "count"     ? counts[k]
                           : scale == "density" ? density[k]
                           : total > 0          ? counts[k] / total
                                                : 0);
    }
    panel.layers.push_back(std::move(layer));
  });
}

// -- between curves

Value region_row(Call& call, bool is_band) {
  return drawn(call, [&](Panel& panel) {
    Layer layer;
    layer.kind = Layer::Kind::region;
    layer.opacity = is_band ? 0.25 : 0.4;
    set_looks(call, layer);
    const auto x = call.vector(0), first = call.vector(1);
    layer.x = x.to_vector<double>();
    layer.low = layer.high = first.to_vector<double>();
    if (is_band)
      layer.high = call.vector(2).to_vector<double>();
    else
      std::fill(layer.low.begin(), layer.low.end(), layer.base);
    if (layer.low.size() != layer.x.size() || layer.high.size() != layer.x.size())
      call.fail_argument(1,
                         fmt::format("and what stands beside it have one value for each x, {}; not {} and {}",
                                     layer.x.size(), layer.low.size(), layer.high.size()));
    layer.label = labels_for(call, 1)[0];
    layer.x_name = titled(call.array(0).label);
    layer.y_name = titled(call.array(1).label);
    panel.layers.push_back(std::move(layer));
  });
}

// Half lengths to both sides: one number, one for each point, or a row (down, up) for each point.
void set_error(const Call& call, std::size_t i, const std::vector<double>& middle, std::vector<double>& low,
               std::vector<double>& high) {
  const auto given = call.reals(i);
  const auto n = static_cast<Index>(middle.size());
  const bool pairs = given.axes() == 2 && given.extent(0) == n && given.extent(1) == 2;
  if (!pairs && given.axes() != 0 && !(given.axes() == 1 && given.size() == n))
    call.fail_argument(
        i,
        fmt::format("is a number, a vector of {}, or a matrix {}×2 of lengths down and up; not of shape {}",
                    n, n, text_of(given.shape())));
  const auto e = given.to_vector<double>();
  for (std::size_t k = 0; k < middle.size(); ++k) {
    low.push_back(middle[k] - std::fabs(pairs ? e[2 * k] : given.axes() == 0 ? e[0] : e[k]));
    high.push_back(middle[k] + std::fabs(pairs ? e[2 * k + 1] : given.axes() == 0 ? e[0] : e[k]));
  }
}

Value error_bars_row(Call& call) {
  return drawn(call, [&](Panel& panel) {
    Layer layer;
    layer.kind = Layer::Kind::error_bars;
    layer.marker = Marker::disc;
    set_looks(call, layer);
    const auto x = call.vector(0), y = call.vector(1);
    if (x.size() != y.size())
      call.fail_argument(1, fmt::format("has {} elements for {} of x", y.size(), x.size()));
    layer.x = x.to_vector<double>();
    layer.y = y.to_vector<double>();
    set_error(call, 2, layer.y, layer.low, layer.high);
    if (call.given(3)) set_error(call, 3, layer.x, layer.left, layer.right);
    layer.label = labels_for(call, 1)[0];
    layer.x_name = titled(call.array(0).label);
    layer.y_name = titled(call.array(1).label);
    panel.layers.push_back(std::move(layer));
  });
}

// -- grids

// A function of two numbers on a grid; as a whole when it is surely elementwise.
std::vector<double> function_on_grid(Call& call, const Value& f, const std::vector<double>& x,
                                     const std::vector<double>& y) {
  constexpr Role roles[] = {Role::varying, Role::varying};
  if (is_elementwise(call.machine.registry(), f, roles)) {
    const Array grids[] = {across(Array::vector(x)), down(Array::vector(y))};
    const auto whole = broadcast_together(grids);
    const Value arguments[] = {Value::array(whole[0]), Value::array(whole[1])};
    const auto z = to_array(call.machine.call(f, arguments)).converted(ElementType::float64);
    if (z.shape() == whole[0].shape()) return z.to_vector<double>();
  }
  std::vector<double> out;
  for (const double b : y)
    for (const double a : x) {
      const Value arguments[] = {Value(a), Value(b)};
      const auto z = call.machine.call(f, arguments);
      const auto number = single_real(z);
      if (!number)
        fail(fmt::format("{}: the function gave {}, where a single number is wanted", call.row.name,
                         kind_in_words(z)));
      out.push_back(*number);
    }
  return out;
}

// Fills x, y and z of a grid layer from (z), (x, y, z) or (f, x_range, y_range). Returns the count of
// columns.
std::size_t set_grid(Call& call, Layer& layer) {
  if (call.value(0).is_callable()) {
    const int points = layer.kind == Layer::Kind::wireframe ? 40 : 80;
    const auto [a, b] = ends_of(call, 1);
    const auto [c, d] = ends_of(call, 2);
    for (int k = 0; k <= points; ++k) {
      layer.x.push_back(a + (b - a) * k / points);
      layer.y.push_back(c + (d - c) * k / points);
    }
    layer.z = function_on_grid(call, call.value(0), layer.x, layer.y);
    return layer.x.size();
  }
  const bool alone = call.row.name == "image_of" || (!call.given(1) && !call.given(2));
  if (!alone && (!call.given(1) || !call.given(2)))
    call.fail_argument(0, "stands alone, or with y and z",
                       fmt::format("{0}(z) or {0}(x, y, z)", call.row.name));
  const std::size_t at = alone ? 0 : 2;
  const auto z = call.reals(at);
  if (z.axes() != 2 || z.size() == 0)
    call.fail_argument(at, fmt::format("is a matrix with a row for each y and a column for each x, not {}",
                                       z.axes() == 0 ? "a single number" : "of shape " + text_of(z.shape())));
  layer.z = z.to_vector<double>();
  layer.z_name = titled(call.array(at).label);
  if (alone) {
    layer.x = counted(z.extent(1));
    layer.y = counted(z.extent(0));
    return layer.x.size();
  }
  const auto coordinates = [&](std::size_t i, Index wanted, const char* axis) {
    auto a = call.reals(i);
    if (a.axes() == 2 && (a.extent(0) == 1 || a.extent(1) == 1)) a = flattened(a);
    const bool edges = layer.kind == Layer::Kind::heatmap && a.size() == wanted + 1;
    if (a.axes() != 1 || (a.size() != wanted && !edges))
      call.fail_argument(
          i, fmt::format("has shape {} and the matrix {} {}", text_of(a.shape()), wanted, axis),
          z.extent(0) != z.extent(1) && a.axes() == 1 && a.size() == (i == 0 ? z.extent(0) : z.extent(1))
              ? "z' turns the matrix"
              : "");
    return a.to_vector<double>();
  };
  layer.x = coordinates(0, z.extent(1), "columns");
  layer.y = coordinates(1, z.extent(0), "rows");
  layer.x_name = titled(call.array(0).label);
  layer.y_name = titled(call.array(1).label);
  for (const auto* v : {&layer.x, &layer.y})
    for (std::size_t k = 1; k < v->size(); ++k)
      if (!(((*v)[k] > (*v)[k - 1]) == ((*v)[1] > (*v)[0])) || (*v)[k] == (*v)[k - 1])
        call.fail_argument(v == &layer.x ? 0 : 1, "runs one way", "sort the grid by its coordinates");
  return static_cast<std::size_t>(z.extent(1));
}

// Middles of cells become their edges.
void make_edges(std::vector<double>& v, std::size_t cells) {
  if (v.size() == cells + 1) return;
  std::vector<double> edges;
  if (v.size() == 1) {
    v = {v[0] - 0.5, v[0] + 0.5};
    return;
  }
  edges.push_back(v[0] - (v[1] - v[0]) / 2);
  for (std::size_t k = 1; k < v.size(); ++k) edges.push_back((v[k - 1] + v[k]) / 2);
  edges.push_back(v.back() + (v.back() - v[v.size() - 2]) / 2);
  v = std::move(edges);
}

Value grid_layer(Call& call, Layer::Kind kind) {
  return drawn(call, [&](Panel& panel) {
    Layer layer;
    layer.kind = kind;
    if (kind == Layer::Kind::contours) layer.width = 1.1;
    if (kind == Layer::Kind::wireframe) layer.width = 0.9;
    set_looks(call, layer);
    const auto columns = set_grid(call, layer);
    layer.label = labels_for(call, 1)[0];
    if (kind == Layer::Kind::heatmap) {
      const auto rows = layer.z.size() / columns;
      make_edges(layer.x, columns);
      make_edges(layer.y, rows);
      if (call.row.name == "image_of") panel.y.reverse = true;
    } else if (layer.x.size() < 2 || layer.y.size() < 2)
      call.fail_argument(call.given(2) ? 2 : 0, "has at least two rows and two columns");
    if (const auto i = place_of(call, "levels")) {
      if (call.value(*i).is_number()) {
        const auto [low, high] = std::minmax_element(layer.z.begin(), layer.z.end());
        if (*low < *high) layer.levels = linear_ticks(*low, *high, positive(call, *i, 8, 200)).positions;
      } else
        layer.levels = call.vector(*i).to_vector<double>();
      std::sort(layer.levels.begin(), layer.levels.end());
      for (const double level : layer.levels)
        if (!std::isfinite(level)) call.fail_argument(*i, "holds finite numbers");
    }
    if (const auto i = place_of(call, "numbers")) layer.labelled_contours = call.truth_or(*i, true);
    if (const auto i = place_of(call, "mesh")) layer.mesh = call.truth_or(*i, false);
    if (layer.z.size() > 40'000'000) call.fail_argument(0, "has more cells than can be drawn");
    panel.layers.push_back(std::move(layer));
  });
}

Value arrows_row(Call& call) {
  return drawn(call, [&](Panel& panel) {
    Layer layer;
    layer.kind = Layer::Kind::arrows;
    set_looks(call, layer);
    const Array given[] = {call.reals(0), call.reals(1), call.reals(2), call.reals(3)};
    // Vectors of coordinates beside matrices of directions span a grid.
    Array x = given[0], y = given[1];
    if (given[2].axes() == 2 && x.axes() == 1 && y.axes() == 1) {
      x = across(x);
      y = down(y);
    }
    const Array together[] = {x, y, given[2], given[3]};
    const auto all = broadcast_together(together);
    layer.x = all[0].to_vector<double>();
    layer.y = all[1].to_vector<double>();
    layer.right = all[2].to_vector<double>();
    layer.high = all[3].to_vector<double>();
    layer.label = labels_for(call, 1)[0];
    layer.x_name = titled(call.array(0).label);
    layer.y_name = titled(call.array(1).label);
    panel.layers.push_back(std::move(layer));
  });
}

// -- rows

const Parameter kLabel = {"label", "for the legend; a vector of texts for several lines", "none"};
const Parameter kColor = {"color", "a CSS name, \"#rrggbb\", or a number of the cycle",
                          "the next of the cycle"};
const Parameter kWidth = {"width", "of the line, in points", "1.5"};
const Parameter kDash = {"dash", "\"solid\", \"dashed\", \"dotted\" or \"dash_dot\"", "\"solid\""};
const Parameter kMarker = {
    "marker", "\"disc\", \"ring\", \"square\", \"diamond\", \"triangle\", \"cross\", \"plus\" or \"none\"",
    "\"none\""};
const Parameter kSize = {"size", "of the markers, in points", "4.5"};
const Parameter kOpacity = {"opacity", "from 0 to 1", "1"};
const Parameter kOrder = {"layer", "drawing order: smaller numbers lie below", "the order of the calls"};
const Parameter kPalette = {"palette", "a name; see palette", "the panel's"};
const Parameter kRange = {"range", "(low, high) of the palette", "of the values"};
const Parameter kBase = {"base", "where they stand", "0"};

std::vector<Parameter> curve_parameters(std::string_view marker, bool in_space) {
  std::vector<Parameter> out = {
      {"x", "abscissae, a vector; alone, the values over 1, 2, …; or a function, or a list of them", ""},
      {"y", "values: a vector, or a matrix with one line for each column; for a function its range", "none"}};
  if (in_space) out.push_back({"z", "heights, a vector, for a curve in space", "none"});
  auto shape = kMarker;
  shape.fallback = marker;
  for (const auto& p : {kLabel, kColor, kWidth, kDash, shape, kSize, kOpacity, kOrder}) out.push_back(p);
  return out;
}

std::vector<Parameter> grid_parameters(std::initializer_list<Parameter> more) {
  std::vector<Parameter> out = {
      {"x", "coordinates of the columns; or the matrix alone; or a function of two numbers", ""},
      {"y", "coordinates of the rows; for a function the range of x", "none"},
      {"z", "a matrix with a row for each y and a column for each x; for a function the range of y", "none"}};
  out.insert(out.end(), more);
  for (const auto& p : {kLabel, kOpacity, kOrder}) out.push_back(p);
  return out;
}

constexpr std::string_view kFamily = "figures";
constexpr std::string_view kNothing =
    "nothing; the layer goes to the open panel, or into a figure of its own when none is open";

}  // namespace

std::vector<Builtin> layer_rows() {
  const Parameter edges = {"bins", "how many, or their edges",
                           "by the spread; those of the panel's first one"};
  return {
      {"line", kFamily, "Draws a line through points; nan breaks it. Functions are followed where they bend.",
       curve_parameters("\"none\"", true), kNothing, "shapes that differ", "",
       "figure(\"squares\") {\n    line(0..5, (0..5)^2, label: \"$x^2$\")\n    line(fn(x) = x^3, 0..3)\n    "
       "legend()\n}",
       "", [](Call& c) { return curve_row(c, Layer::Kind::line); }},
      {"scatter", kFamily, "Draws points as markers.", curve_parameters("\"disc\"", true), kNothing,
       "shapes that differ", "",
       "figure(\"points\") {\n    scatter([1, 2, 3], [2, 1, 4], marker: \"ring\", size: 6)\n}", "",
       [](Call& c) { return curve_row(c, Layer::Kind::scatter); }},
      {"stems", kFamily, "Draws markers with strokes down to a base.",
       [] {
         auto p = curve_parameters("\"disc\"", false);
         p.push_back(kBase);
         return p;
       }(),
       kNothing, "shapes that differ", "",
       "figure(\"spectrum\") {\n    stems(0..7, abs(fft([1, 2, 0, 1, 3, 1, 0, 2])))\n}", "",
       [](Call& c) { return curve_row(c, Layer::Kind::stems); }},
      {"steps", kFamily, "Draws values that hold until the next one.",
       [] {
         auto p = curve_parameters("\"none\"", false);
         p.push_back(
             {"hold", "where a value holds: \"around\" its x, \"before\" or \"after\" it", "\"around\""});
         return p;
       }(),
       kNothing, "shapes that differ", "",
       "figure(\"stairs\") {\n    steps(0..5, [1, 3, 2, 4, 4, 1], hold: \"after\")\n}", "",
       [](Call& c) { return curve_row(c, Layer::Kind::line); }},
      {"bars",
       kFamily,
       "Draws bars; the columns of a matrix stand side by side, or on each other.",
       {{"x", "positions, a vector of numbers or of names; alone, the heights over 1, 2, …", ""},
        {"y", "heights: a vector, or a matrix with a group in each row", "none"},
        kLabel,
        kColor,
        kOpacity,
        kOrder,
        {"share", "of the distance that a bar or a group takes", "0.8"},
        {"stacked", "whether columns stand on each other", "false"},
        kBase},
       kNothing,
       "shapes that differ",
       "",
       "figure(\"catch\") {\n    bars([\"june\", \"july\"], [3, 5 | 4, 2], label: [\"net 1\", \"net 2\"])\n  "
       "  legend()\n}",
       "",
       bars_row},
      {"histogram",
       kFamily,
       "Draws how often values fall into bins; histograms of one panel share their bins.",
       {{"data", "numbers of any shape", ""},
        edges,
        {"scale", "\"count\", \"density\" or \"share\"", "\"count\""},
        kLabel,
        kColor,
        kOpacity,
        kOrder},
       kNothing,
       "edges that do not rise",
       "D. Freedman, P. Diaconis, Z. Wahrscheinlichkeitstheorie 57, 1981, for the number of bins",
       "figure(\"noise\") {\n    histogram(random_normal(500), scale: \"density\")\n}",
       "",
       histogram_row},
      {"band",
       kFamily,
       "Fills the band between two curves.",
       {{"x", "abscissae, a vector", ""},
        {"low", "the lower curve, a vector", ""},
        {"high", "the upper curve, a vector", ""},
        kLabel,
        kColor,
        {"opacity", "from 0 to 1", "0.25"},
        kOrder},
       kNothing,
       "lengths that differ",
       "",
       "figure(\"confidence\") {\n    x = 0..10\n    band(x, x - 1, x + 1)\n    line(x, x)\n}",
       "",
       [](Call& c) { return region_row(c, true); }},
      {"area",
       kFamily,
       "Fills what lies between a curve and a base.",
       {{"x", "abscissae, a vector", ""},
        {"y", "values, a vector", ""},
        kBase,
        kLabel,
        kColor,
        {"opacity", "from 0 to 1", "0.4"},
        kOrder},
       kNothing,
       "lengths that differ",
       "",
       "figure(\"inflow\") {\n    area(0..5, [1, 3, 6, 4, 2, 1])\n}",
       "",
       [](Call& c) { return region_row(c, false); }},
      {"error_bars",
       kFamily,
       "Draws points with their uncertainties.",
       {{"x", "abscissae, a vector", ""},
        {"y", "values, a vector", ""},
        {"error", "to both sides: a number, a vector, or a matrix with a row (down, up) for each point", ""},
        {"x_error", "the same for x", "none"},
        kLabel,
        kColor,
        kWidth,
        {"marker", "as of scatter", "\"disc\""},
        kSize,
        kOpacity,
        kOrder},
       kNothing,
       "lengths that differ",
       "",
       "figure(\"readings\") {\n    error_bars([1, 2, 3], [4, 6, 5], 0.5)\n}",
       "",
       error_bars_row},
      {"heatmap", kFamily, "Draws a colour for each cell of a grid, without smoothing.",
       grid_parameters({kPalette, kRange}), kNothing, "shapes that do not fit, coordinates that turn back",
       "", "figure(\"field\") {\n    heatmap(0..3, 0..2, random(3, 4))\n    color_bar(\"value\")\n}", "",
       [](Call& c) { return grid_layer(c, Layer::Kind::heatmap); }},
      {"image_of",
       kFamily,
       "Draws a matrix with one pixel for each element, its first row at the top.",
       {{"m", "a matrix", ""}, kPalette, kRange, kLabel, kOpacity, kOrder},
       kNothing,
       "other than a matrix",
       "",
       "figure(\"matrix\") {\n    image_of(correlation(random(50, 20)), palette: \"ridge\")\n}",
       "",
       [](Call& c) { return grid_layer(c, Layer::Kind::heatmap); }},
      {"contours", kFamily, "Draws lines of equal value on a grid.",
       grid_parameters({{"levels", "how many, or a vector of values", "about 8"},
                        {"numbers", "whether the lines carry their values", "true"},
                        kColor,
                        kWidth,
                        kDash,
                        kPalette,
                        kRange}),
       kNothing, "shapes that do not fit",
       "marching squares: W. E. Lorensen, H. E. Cline, Comput. Graph. 21, 1987",
       "figure(\"depths\") {\n    contours(fn(x, y) = x^2 + 2 * y^2, -2..2, -1..1)\n}", "",
       [](Call& c) { return grid_layer(c, Layer::Kind::contours); }},
      {"filled_contours", kFamily, "Fills the regions between lines of equal value.",
       grid_parameters({{"levels", "how many, or a vector of values", "about 8"}, kPalette, kRange}),
       kNothing, "shapes that do not fit",
       "marching squares: W. E. Lorensen, H. E. Cline, Comput. Graph. 21, 1987",
       "figure(\"zones\") {\n    filled_contours(fn(x, y) = sin(x) * cos(y), 0..6, 0..6)\n    color_bar()\n}",
       "", [](Call& c) { return grid_layer(c, Layer::Kind::filled_contours); }},
      {"arrows",
       kFamily,
       "Draws arrows; the longest is about as long as they stand apart.",
       {{"x", "where they begin: a vector, or coordinates of columns", ""},
        {"y", "where they begin: a vector, or coordinates of rows", ""},
        {"u", "their part along x: a vector, or a matrix over the grid", ""},
        {"v", "their part along y", ""},
        kLabel,
        kColor,
        kWidth,
        kOpacity,
        kOrder},
       kNothing,
       "shapes that do not go together",
       "",
       "figure(\"wind\") {\n    x = -2..2\n    arrows(x, x, -down(x) + 0 * across(x), across(x) + 0 * "
       "down(x))\n}",
       "",
       arrows_row},
      {"surface", kFamily, "Draws heights over a grid in space, lit and coloured by height.",
       grid_parameters({kPalette, kRange, kColor, {"mesh", "whether lines of the grid are drawn", "false"}}),
       kNothing, "shapes that do not fit", "",
       "figure(\"ripple\") {\n    surface(fn(x, y) = sinc(hypot(x, y)), -3..3, -3..3)\n    camera(turn: 30, "
       "tilt: "
       "35)\n}",
       "", [](Call& c) { return grid_layer(c, Layer::Kind::surface); }},
      {"wireframe", kFamily, "Draws the lines of a grid of heights in space; what lies behind is hidden.",
       grid_parameters({kColor, kWidth}), kNothing, "shapes that do not fit", "",
       "figure(\"wires\") {\n    wireframe(0..3, 0..2, [0, 1, 1, 0 | 1, 2, 2, 1 | 0, 1, 1, 0])\n}", "",
       [](Call& c) { return grid_layer(c, Layer::Kind::wireframe); }},
  };
}

}  // namespace quill
