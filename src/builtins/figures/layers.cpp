// Layers of points and lines.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/rearrange.h"
#include "base/text.h"
#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/figures/drawing.h"
#include "builtins/figures/layer_arguments.h"
#include "builtins/tables.h"
#include "figure/sampling.h"
#include "numerics/samples.h"
#include "value/runtime.h"

namespace quill {

namespace layers_calls {
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
    const auto y = call.runtime.call(f, argument);
    if (const auto number = single_real(y)) return *number;
    fail(fmt::format("{}: the function returned {}; it must return a single number", call.row.name,
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

Hold hold_of(const Call& call) {
  const auto i = location_of(call, "hold");
  const auto name = i ? call.one_of(*i) : "around";
  return name == "before" ? Hold::before : name == "after" ? Hold::after : Hold::around;
}

// Values shown by the colours of points, one for each; `points` is 0 if there is no single vector of points.
void set_values(const Call& call, Layer& layer, std::size_t points) {
  const auto i = location_of(call, "values");
  if (!i) return;
  if (points == 0) call.fail_argument(*i, "requires one vector of points, not functions or several curves");
  layer.values = call.vector(*i).to_vector<double>();
  if (layer.values.size() != points)
    call.fail_argument(*i, fmt::format("has {} elements for {} points", layer.values.size(), points));
  if (layer.color || layer.cycle)
    call.fail_argument(*i, "and `color` both give the colours of the points", "palette: \"kiln\"");
}

// A curve or points in space.
Layer space_curve(const Call& call, Layer layer) {
  const auto z = *location_of(call, "z");
  const auto x = call.vector(0), y = call.vector(1), up = call.vector(z);
  if (x.size() != y.size() || x.size() != up.size())
    call.fail_argument(
        z, fmt::format("has {} elements beside {} and {}: a point in space has three coordinates", up.size(),
                       x.size(), y.size()));
  layer.x = x.to_vector<double>();
  layer.y = y.to_vector<double>();
  layer.z = up.to_vector<double>();
  set_values(call, layer, layer.x.size());
  name_axes(layer, call.label(0), call.label(1), call.label(z));
  layer.label = labels_for(call, 1)[0];
  return layer;
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
      set_values(call, layer, 0);
      const auto labels = labels_for(call, static_cast<Index>(functions.size()));
      for (std::size_t k = 0; k < functions.size(); ++k) {
        layer.label = labels[k];
        add_function(call, functions[k], layer, panel);
      }
      return;
    }
    if (location_of(call, "z")) {
      panel.layers.push_back(space_curve(call, std::move(layer)));
      return;
    }
    auto curves = curves_of(call, panel);
    const auto labels = labels_for(call, static_cast<Index>(curves.y.size()));
    set_values(call, layer, curves.y.size() == 1 ? curves.x.size() : 0);
    const auto values = location_of(call, "values");
    for (std::size_t k = 0; k < curves.y.size(); ++k) {
      Layer one = layer;
      if (k + 1 < curves.y.size())
        one.x = curves.x;
      else
        one.x = std::move(curves.x);
      one.y = std::move(curves.y[k]);
      name_axes(one, curves.x_label, curves.y_label, values ? call.label(*values) : nullptr);
      one.x_is_named = curves.is_named;
      one.x_is_count =
          curves.is_counted || curves.is_named || (kind == Layer::Kind::stems && are_whole(one.x));
      one.label = labels[k];
      if (call.row.name == "steps") one.hold = hold_of(call);
      panel.layers.push_back(std::move(one));
    }
  });
}

// -- rows

using namespace layer_parameters;  // NOLINT

std::vector<Parameter> curve_parameters(std::string_view marker, bool in_space) {
  std::vector<Parameter> out = {
      {"x",
       "abscissae, a vector of numbers or of names; with x alone, the values at 1, 2, …; or a function, or a "
       "list of functions",
       ""},
      {"y", "values: a vector, or a matrix with one line for each column; for a function, its range",
       "none"}};
  if (in_space) out.push_back({"z", "heights, a vector, for a curve in space", "none"});
  auto shape = kMarker;
  shape.fallback = marker;
  for (const auto& p : {kLabel, kColor, kWidth, kDash, shape, kSize, kOpacity, kOrder, kSide})
    out.push_back(p);
  return out;
}

}  // namespace
}  // namespace layers_calls

std::vector<Builtin> layer_rows() {
  using namespace layers_calls;
  return {
      {
          .name = "line",
          .family = kFamily,
          .summary = "Draw lines through points, with gaps at nan, or the graph of a function.",
          .parameters = curve_parameters("\"none\"", true),
          .returns = kNothing,
          .errors = "if the shapes do not match",
          .example = "figure(\"squares\") {\n    line(0..5, (0..5)^2, label: \"$x^2$\")\n    line(fn(x) = "
                     "x^3, 0..3)\n    "
                     "legend()\n}",
          .run = [](Call& c) { return curve_row(c, Layer::Kind::line); },
      },
      {
          .name = "scatter",
          .family = kFamily,
          .summary = "Draw points as markers, optionally coloured by value.",
          .parameters =
              [] {
                auto p = curve_parameters("\"disc\"", true);
                p.push_back({"values", "number for each point, shown as its colour", "none"});
                p.push_back(kPalette);
                p.push_back(kColorLimits);
                return p;
              }(),
          .returns = kNothing,
          .errors = "if the shapes do not match",
          .example =
              "figure(\"points\") {\n    scatter([1, 2, 3], [2, 1, 4], values: [5, 9, 7], size: 6)\n    "
              "color_bar()\n}",
          .run = [](Call& c) { return curve_row(c, Layer::Kind::scatter); },
      },
      {
          .name = "stems",
          .family = kFamily,
          .summary = "Draw markers with vertical lines to a base line.",
          .parameters =
              [] {
                auto p = curve_parameters("\"disc\"", false);
                p.push_back(kBase);
                return p;
              }(),
          .returns = kNothing,
          .errors = "if the shapes do not match",
          .example = "figure(\"spectrum\") {\n    stems(0..7, abs(fft([1, 2, 0, 1, 3, 1, 0, 2])))\n}",
          .run = [](Call& c) { return curve_row(c, Layer::Kind::stems); },
      },
      {
          .name = "steps",
          .family = kFamily,
          .summary = "Draw values that are constant until the next one.",
          .parameters =
              [] {
                auto p = curve_parameters("\"none\"", false);
                p.push_back(
                    one_of({"hold", "where the value of x holds: \"around\" x, \"before\" or \"after\" it",
                            "\"around\""},
                           choices::kHolds));
                return p;
              }(),
          .returns = kNothing,
          .errors = "if the shapes do not match",
          .example = "figure(\"stairs\") {\n    steps(0..5, [1, 3, 2, 4, 4, 1], hold: \"after\")\n}",
          .run = [](Call& c) { return curve_row(c, Layer::Kind::line); },
      },
  };
}

}  // namespace quill
