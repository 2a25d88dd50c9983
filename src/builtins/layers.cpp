// Layers of points and lines, bars and bands.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/rearrange.h"
#include "base/text.h"
#include "builtins/arguments.h"
#include "builtins/drawing.h"
#include "builtins/layer_arguments.h"
#include "builtins/tables.h"
#include "engine/machine.h"
#include "figure/sampling.h"
#include "numerics/samples.h"

namespace quill {

namespace {

// -- curves

bool is_list_of_functions(const Value& v) {
  if (!v.is(Kind::array) || v.array().type() != ElementType::any || v.array().size() == 0) return false;
  for (const auto& item : v.array().to_vector<Any>())
    if (!element_value(item).is_callable()) return false;
  return true;
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

// x and y as asked for: y alone stands over 1, 2, …; a matrix has one curve in each column.
struct Curves {
  bool is_counted = false;  // x is 1, 2, …
  std::vector<double> x;
  std::vector<std::vector<double>> y;
  LabelPtr x_label, y_label;
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

// Between whole positions of bars and stems stands nothing.
bool are_whole(const std::vector<double>& x) {
  return std::all_of(x.begin(), x.end(), [](double v) { return v == std::round(v); });
}

// What the colours of points stand for, one number for each.
void set_values(const Call& call, Layer& layer, std::size_t points) {
  const auto i = place_of(call, "values");
  if (!i) return;
  layer.values = call.vector(*i).to_vector<double>();
  if (layer.values.size() != points)
    call.fail_argument(*i, fmt::format("has {} elements for {} points", layer.values.size(), points));
  if (layer.color || layer.cycle)
    call.fail_argument(*i, "and `color` both say the colours of the points", "palette: \"kiln\"");
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
      if (kind == Layer::Kind::scatter) set_values(call, layer, layer.x.size());
      name_axes(layer, call.label(0), call.label(1));
      layer.z_name = titled(call.label(*z));
      layer.label = labels_for(call, 1)[0];
      panel.layers.push_back(std::move(layer));
      return;
    }
    auto curves = curves_of(call);
    const auto labels = labels_for(call, static_cast<Index>(curves.y.size()));
    if (kind == Layer::Kind::scatter) set_values(call, layer, curves.y.size() * curves.x.size());
    for (std::size_t k = 0; k < curves.y.size(); ++k) {
      Layer one = layer;
      if (k + 1 < curves.y.size())
        one.x = curves.x;
      else
        one.x = std::move(curves.x);
      one.y = std::move(curves.y[k]);
      name_axes(one, curves.x_label, curves.y_label);
      one.x_is_count = curves.is_counted || (kind == Layer::Kind::stems && are_whole(one.x));
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
      one.x_is_count = curves.is_counted || are_whole(curves.x);
      name_axes(one, curves.x_label, curves.y_label);
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
  double low = 0, high = 1;
  Index bins = 1;
  if (!values.empty()) {
    const auto [least, most] = std::minmax_element(values.begin(), values.end());
    low = *least;
    high = *most;
    const auto quarter = [&](double q) {
      const auto place =
          values.begin() + static_cast<std::ptrdiff_t>(q * static_cast<double>(values.size() - 1));
      std::nth_element(values.begin(), place, values.end());
      return *place;
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
    name_axes(layer, call.label(0), nullptr);
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
    name_axes(layer, call.label(0), call.label(1));
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
    name_axes(layer, call.label(0), call.label(1));
    panel.layers.push_back(std::move(layer));
  });
}

// -- rows

using namespace layer_parameters;  // NOLINT

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
      {"scatter", kFamily, "Draws points as markers, in colours that may stand for values.",
       [] {
         auto p = curve_parameters("\"disc\"", true);
         p.push_back({"values", "a number for each point, shown by its colour", "none"});
         p.push_back(kPalette);
         p.push_back(kRange);
         return p;
       }(),
       kNothing, "shapes that differ", "",
       "figure(\"points\") {\n    scatter([1, 2, 3], [2, 1, 4], values: [5, 9, 7], size: 6)\n    "
       "color_bar()\n}",
       "", [](Call& c) { return curve_row(c, Layer::Kind::scatter); }},
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
  };
}

}  // namespace quill
