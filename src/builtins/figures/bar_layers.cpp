// Layers with an extent of their own: bars, histograms, bands, areas, error bars.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "array/rearrange.h"
#include "base/text.h"
#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/figures/drawing.h"
#include "builtins/figures/layer_arguments.h"
#include "builtins/tables.h"
#include "figure/bars.h"
#include "numerics/samples.h"

namespace quill {

namespace bar_layers_calls {
namespace {

// Error for the first duplicate position in one call.
void check_positions(const Curves& curves, const Axis& axis) {
  std::set<double> seen;
  for (const double at : curves.x)
    if (std::isfinite(at) && !seen.insert(at).second)
      fail(fmt::format("bars: duplicate position: {}",
                       curves.is_named ? fmt::format("\"{}\"", axis.names[static_cast<std::size_t>(at) - 1])
                                       : shortest(at)),
           "bin_sums(x, y) adds the values at one position");
}

Value bars_row(Call& call) {
  return drawn(call, [&](Panel& panel) {
    Layer layer;
    layer.kind = Layer::Kind::boxes;
    layer.base = 0;
    set_looks(call, layer);
    const auto is_set = [&](const char* name) {
      const auto i = location_of(call, name);
      return i && call.boolean_or(*i, false);
    };
    BarCall bars;
    if (const auto i = location_of(call, "share")) bars.share = positive(call, *i, bars.share, 1);
    bars.is_stacked = is_set("stacked");
    bars.is_overlaid = is_set("overlaid");
    for (const auto& other : panel.layers)
      if (other.bars) bars.number = other.bars->number + 1;
    layer.is_lying = is_set("lying");
    if (layer.is_lying && layer.on_right)
      call.fail_argument(*location_of(call, "axis"),
                         "requires vertical bars: the values of horizontal ones are along x");
    const auto along = layer.is_lying ? &Panel::y : &Panel::x;
    const auto curves = curves_of(call, panel, along);
    check_positions(curves, panel.*along);
    const auto labels = labels_for(call, static_cast<Index>(curves.y.size()));
    for (std::size_t c = 0; c < curves.y.size(); ++c) {
      Layer one = layer;
      one.bars = bars;
      one.x = curves.x;
      one.y = curves.y[c];
      one.label = labels[c];
      one.x_is_named = curves.is_named;
      one.x_is_count = curves.is_counted || are_whole(curves.x);
      name_axes(one, curves.x_label, curves.y_label);
      if (one.is_lying) {
        std::swap(one.x_is_count, one.y_is_count);
        std::swap(one.x_is_named, one.y_is_named);
        std::swap(one.x_is_time, one.y_is_time);
        std::swap(one.x_name, one.y_name);
      }
      panel.layers.push_back(std::move(one));
    }
    arrange_bars(panel);
    if (layer.is_lying) {
      panel.y.reverse = true;  // the first one at the top
      if (!panel.grid) panel.grid = GridLines{true, false};
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
    if (call.given(1) && single_real(call.value(1))) {
      const auto bins = call.whole(1);
      if (bins < 1 || bins > 100000)
        call.fail_argument(1, "must be a number of bins from 1, or a vector of edges");
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
    const auto scale = call.one_of(2);
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

// Keeps a region where a condition holds. Where it changes between two points at which the upper curve
// crosses the lower one, the region ends at the crossing; at the last point of the condition otherwise.
void keep_where(const Call& call, std::size_t i, Layer& layer) {
  const auto given = call.array(i);
  if (given.type() != ElementType::boolean || given.axes() != 1 ||
      given.size() != static_cast<Index>(layer.x.size()))
    call.fail_argument(i,
                       fmt::format("must have {} booleans, one for each x, not {}", layer.x.size(),
                                   kind_in_words(call.value(i))),
                       "where: y > 2");
  const auto holds = given.to_vector<bool>();
  Layer kept = layer;
  for (auto* column : {&kept.x, &kept.low, &kept.high}) column->clear();
  const auto add = [&](double x, double low, double high) {
    kept.x.push_back(x);
    kept.low.push_back(low);
    kept.high.push_back(high);
  };
  const auto crossing = [&](std::size_t k) {  // between k - 1 and k
    const double before = layer.high[k - 1] - layer.low[k - 1], here = layer.high[k] - layer.low[k];
    if (!(before * here < 0)) return;
    const double t = before / (before - here);
    const double at = layer.low[k - 1] + t * (layer.low[k] - layer.low[k - 1]);
    add(layer.x[k - 1] + t * (layer.x[k] - layer.x[k - 1]), at, at);
  };
  for (std::size_t k = 0; k < holds.size(); ++k) {
    if (k > 0 && holds[k] != holds[k - 1]) crossing(k);
    if (holds[k])
      add(layer.x[k], layer.low[k], layer.high[k]);
    else if (k > 0 && holds[k - 1])
      add(NAN, NAN, NAN);
  }
  layer = std::move(kept);
}

Value region_row(Call& call, bool is_band) {
  return drawn(call, [&](Panel& panel) {
    Layer layer;
    layer.kind = Layer::Kind::region;
    layer.opacity = is_band ? 0.25 : 0.4;
    set_looks(call, layer);
    const auto first = call.vector(1);
    auto x = positions_of(call, 0, panel, &Panel::x);
    layer.x = std::move(x.values);
    layer.x_is_named = layer.x_is_count = x.is_named;
    layer.low = layer.high = first.to_vector<double>();
    if (is_band)
      layer.high = call.vector(2).to_vector<double>();
    else
      std::fill(layer.low.begin(), layer.low.end(), layer.base);
    if (layer.low.size() != layer.x.size() || layer.high.size() != layer.x.size())
      call.fail_argument(1,
                         fmt::format("and the other curves must have one value for each x, {}; not {} and {}",
                                     layer.x.size(), layer.low.size(), layer.high.size()));
    if (const auto i = location_of(call, "where")) keep_where(call, *i, layer);
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
        i, fmt::format(
               "must be a number, a vector of {}, or a {}×2 matrix of lengths down and up; not of shape {}",
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
    auto x = positions_of(call, 0, panel, &Panel::x);
    const auto y = call.vector(1);
    if (static_cast<Index>(x.values.size()) != y.size())
      call.fail_argument(1, fmt::format("has {} elements for {} of x", y.size(), x.values.size()));
    layer.x = std::move(x.values);
    layer.x_is_named = layer.x_is_count = x.is_named;
    layer.y = y.to_vector<double>();
    set_error(call, 2, layer.y, layer.low, layer.high);
    if (call.given(3)) set_error(call, 3, layer.x, layer.left, layer.right);
    layer.label = labels_for(call, 1)[0];
    name_axes(layer, call.label(0), call.label(1));
    panel.layers.push_back(std::move(layer));
  });
}

using namespace layer_parameters;  // NOLINT

}  // namespace
}  // namespace bar_layers_calls

std::vector<Builtin> bar_layer_rows() {
  using namespace bar_layers_calls;
  const Parameter kWhere = {
      "where", "a vector of booleans, one for each x; the area is filled where it is true", "everywhere"};
  const Parameter edges = {"bins", "number of bins, or a vector of edges",
                           "from the spread of the data; shared with the first histogram of the panel"};
  return {
      {
          .name = "bars",
          .family = kFamily,
          .summary = "Draw bars; the columns of a matrix, and calls with common positions, are grouped side "
                     "by side.",
          .parameters =
              {{"x", "positions, a vector of numbers or of names; with x alone, the heights at 1, 2, …", ""},
               {"y", "heights: a vector, or a matrix with one group in each row", "none"},
               kLabel,
               kColor,
               kOpacity,
               kOrder,
               {"share", "fraction of the spacing taken by a bar or group", "0.8"},
               {"stacked", "whether to stack columns, positive values upwards and negative ones downwards",
                "false"},
               {"lying",
                "whether to draw horizontal bars, the first one at the top, which leaves room for long names",
                "false"},
               kBase,
               {"overlaid", "whether to draw over the bars of other calls instead of beside them", "false"},
               kPattern,
               kSide},
          .returns = kNothing,
          .errors = "if the shapes differ; if a position occurs twice",
          .example = "figure(\"catch\") {\n    bars([\"june\", \"july\"], [3, 5 | 4, 2], label: [\"net 1\", "
                     "\"net 2\"])\n  "
                     "  legend()\n}",
          .run = bars_row,
      },
      {
          .name = "histogram",
          .family = kFamily,
          .summary = "Draw a histogram; histograms of one panel share their bins.",
          .parameters =
              {{"data", "array of numbers, any shape", ""},
               edges,
               one_of({"scale",
                       "height of the bars: \"count\", \"density\" or \"share\" (fraction of all values)",
                       "\"count\""},
                      choices::kCounts),
               kLabel,
               kColor,
               kOpacity,
               kOrder,
               kPattern,
               kSide},
          .returns = kNothing,
          .errors = "if the edges do not increase",
          .source = "number of bins: D. Freedman, P. Diaconis, Z. Wahrscheinlichkeitstheorie 57, 1981",
          .example = "figure(\"noise\") {\n    histogram(random_normal(500), scale: \"density\")\n}",
          .run = histogram_row,
      },
      {
          .name = "band",
          .family = kFamily,
          .summary = "Fill the band between two curves.",
          .parameters = {{"x", "abscissae, a vector", ""},
                         {"low", "lower curve, a vector", ""},
                         {"high", "upper curve, a vector", ""},
                         kLabel,
                         kColor,
                         {"opacity", "from 0 to 1", "0.25"},
                         kOrder,
                         kWhere,
                         kPattern,
                         kSide},
          .returns = kNothing,
          .errors = "if the lengths differ",
          .example = "figure(\"confidence\") {\n    x = 0..10\n    band(x, x - 1, x + 1)\n    line(x, x)\n}",
          .run = [](Call& c) { return region_row(c, true); },
      },
      {
          .name = "area",
          .family = kFamily,
          .summary = "Fill the area between a curve and a base line.",
          .parameters = {{"x", "abscissae, a vector", ""},
                         {"y", "values, a vector", ""},
                         kBase,
                         kLabel,
                         kColor,
                         {"opacity", "from 0 to 1", "0.4"},
                         kOrder,
                         kWhere,
                         kPattern,
                         kSide},
          .returns = kNothing,
          .errors = "if the lengths differ",
          .example = "figure(\"inflow\") {\n    y = [1, 3, 6, 4, 2, 1]\n    line(0..5, y)\n    area(0..5, y, "
                     "base: 2, where: y "
                     "> 2)\n}",
          .run = [](Call& c) { return region_row(c, false); },
      },
      {
          .name = "error_bars",
          .family = kFamily,
          .summary = "Draw points with error bars.",
          .parameters = {{"x", "abscissae, a vector", ""},
                         {"y", "values, a vector", ""},
                         {"error",
                          "length of the bars to both sides: a number, a vector, or a matrix with a row "
                          "(down, up) for each point",
                          ""},
                         {"x_error", "length of the horizontal bars, as for dy", "none"},
                         kLabel,
                         kColor,
                         kWidth,
                         named({"marker", "as for scatter", "\"disc\""},
                               [](std::string_view t) { return parse_marker(t).has_value(); }),
                         kSize,
                         kOpacity,
                         kOrder,
                         kSide},
          .returns = kNothing,
          .errors = "if the lengths differ",
          .example = "figure(\"readings\") {\n    error_bars([1, 2, 3], [4, 6, 5], 0.5)\n}",
          .run = error_bars_row,
      },
  };
}

}  // namespace quill
