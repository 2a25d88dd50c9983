// Interpolation in tables.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <tuple>

#include "array/elementwise.h"
#include "array/reduce.h"
#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/method.h"
#include "builtins/tables.h"
#include "numerics/interpolation.h"
#include "value/runtime.h"

namespace quill {

namespace interpolation_calls {
namespace {

InterpolationMethod method_argument(const Call& call, std::size_t i) {
  using enum InterpolationMethod;
  const auto name = call.one_of(i);
  for (const auto method : {nearest, previous, spline, monotone, akima, polynomial})
    if (name_of(method) == name) return method;
  return linear;
}

InterpolantOptions interpolant_options(const Call& call, std::size_t method, std::size_t outside,
                                       std::size_t ends, std::size_t slopes) {
  InterpolantOptions o;
  o.method = method_argument(call, method);
  o.outside = outside_argument(call, outside);
  const auto e = call.one_of(ends);
  o.ends = e == "natural"    ? SplineEnds::natural
           : e == "clamped"  ? SplineEnds::clamped
           : e == "periodic" ? SplineEnds::periodic
                             : SplineEnds::not_a_knot;
  if (call.given(ends) && o.method != InterpolationMethod::spline)
    call.fail_argument(ends, "requires method: \"spline\"", "method: \"spline\", ends: \"natural\"");
  if (call.given(slopes)) {
    const auto pair = number_pair(call.value(slopes));
    if (o.ends != SplineEnds::clamped || !pair)
      call.fail_argument(slopes, "must be two numbers, and requires ends: \"clamped\"",
                         "method: \"spline\", ends: \"clamped\", slopes: (0, 1)");
    o.first_slope = pair->first;
    o.last_slope = pair->second;
  }
  return o;
}

void check_table(const Call& call) {
  const auto x = call.reals(0), y = call.reals(1);
  if (x.axes() != 1)
    call.fail_argument(0, fmt::format("must be a vector, not an array of shape {}", text_of(x.shape())));
  if (y.axes() < 1 || y.axes() > 2 || y.extent(0) != x.size())
    call.fail_argument(
        1,
        fmt::format("has shape {} and `x` has {} elements: y must have one value, or one row, for each x",
                    text_of(y.shape()), x.size()),
        y.axes() == 2 && y.extent(1) == x.size() ? "y' transposes the matrix" : "");
}

// Names and units of a table.
struct Labels {
  LabelPtr x, y;
};

// Queries in another unit, and queries outside of the table: one warning with count and range; all of them
// outside looks like swapped columns.
Value answered(Runtime& runtime, const Node* node, TableResult r, const Array& q, Outside policy,
               std::pair<double, double> range, const Labels& labels) {
  if (labels.x && q.label && !labels.x->unit.empty() && !q.label->unit.empty() &&
      labels.x->unit != q.label->unit)
    runtime.warn(fmt::format("the queries are in {} and the table in {}", q.label->unit, labels.x->unit),
                 "convert one of them to the unit of the other", node);
  if (r.outside > 0 && policy == Outside::nan)
    runtime.warn(fmt::format("{} of {} queries are outside the table, which covers {} … {}, and became nan",
                             r.outside, q.size(), with_digits(range.first, 5), with_digits(range.second, 5)),
                 r.all_outside ? "all queries are outside: are the columns swapped? interpolate(x, y, at: …) "
                                 "takes the abscissae first"
                               : "outside: \"clamp\", \"extend\" or \"error\" sets what happens there",
                 node);
  r.values.label = labels.y;
  return Value::array(std::move(r.values));
}

class InverseValue : public LibraryObject {
 public:
  InverseValue(std::shared_ptr<const Interpolant> f, Labels labels)
      : g_(std::move(f)), labels_(std::move(labels)) {}
  std::string type_name() const override { return "inverse interpolant"; }
  std::string describe() const override {
    return fmt::format("inverse of an interpolant ({}), {} … {}", name_of(g_.function().options().method),
                       with_digits(g_.low(), 5), with_digits(g_.high(), 5));
  }
  Value call(Runtime& runtime, std::span<Value> arguments) const override {
    const auto q = real_arguments("an inverse interpolant", arguments, 1)[0];
    return answered(runtime, nullptr, g_.evaluate(q), q, Outside::nan, {g_.low(), g_.high()},
                    {labels_.y, labels_.x});
  }

 private:
  InverseInterpolant g_;
  Labels labels_;
};

class InterpolantValue : public LibraryObject {
 public:
  InterpolantValue(Interpolant f, Labels labels)
      : f_(std::make_shared<const Interpolant>(std::move(f))), labels_(std::move(labels)) {}
  std::string type_name() const override { return "interpolant"; }
  std::string describe() const override {
    const auto points = fmt::format("{} points", f_->breaks().size());
    return fmt::format("interpolant ({}) of {}{}, {} … {}", name_of(f_->options().method),
                       f_->curves() == 1 ? "" : fmt::format("{} curves of ", f_->curves()), points,
                       with_digits(f_->low(), 5), with_digits(f_->high(), 5));
  }
  Value call(Runtime& runtime, std::span<Value> arguments) const override {
    return at(runtime, nullptr, real_arguments("an interpolant", arguments, 1)[0]);
  }
  Value at(Runtime& runtime, const Node* node, const Array& q) const {
    return answer(runtime, node, f_->evaluate(q), q, labels_);
  }
  std::optional<Value> inverse() const override {
    return Value(Kind::library, new InverseValue(f_, labels_));
  }
  std::optional<Value> part(const std::string& name) const override {
    if (name == "breaks") return Value::array(Array::vector(f_->breaks()));
    if (name == "method") return Value::text(std::string(name_of(f_->options().method)));
    // A method holds the interpolant itself.
    const boost::intrusive_ptr<const InterpolantValue> self(this);
    if (name == "derivative")
      return Method::make(name, [self](Runtime& runtime, std::span<Value> arguments) {
        const auto q = real_arguments("f.derivative", arguments, 1)[0];
        return self->answer(runtime, nullptr, self->f_->derivative(q), q, {self->labels_.x, nullptr});
      });
    if (name == "integral")
      return Method::make(name, [self](Runtime& runtime, std::span<Value> arguments) {
        const auto ends = real_arguments("f.integral", arguments, 2);
        Value sides[2];
        for (std::size_t k = 0; k < 2; ++k)
          sides[k] = self->answer(runtime, nullptr, self->f_->antiderivative(ends[k]), ends[k],
                                  {self->labels_.x, nullptr});
        return Value::array(apply(Binary::subtract, to_array(sides[1]), to_array(sides[0])));
      });
    return std::nullopt;
  }
  std::vector<std::string> part_names() const override {
    return {"breaks", "method", "derivative", "integral"};
  }

 private:
  Value answer(Runtime& runtime, const Node* node, TableResult r, const Array& q,
               const Labels& labels) const {
    return answered(runtime, node, std::move(r), q, f_->options().outside, {f_->low(), f_->high()}, labels);
  }
  std::shared_ptr<const Interpolant> f_;
  Labels labels_;
};

// The table without the points of which x or a y is nan.
std::pair<Array, Array> without_nan(const Array& x, const Array& y) {
  const auto at = x.to_vector<double>(), values = y.to_vector<double>();
  const std::size_t curves = at.empty() ? 1 : values.size() / at.size();
  std::vector<double> kept_x, kept_y;
  for (std::size_t k = 0; k < at.size(); ++k) {
    const auto row = std::span(values).subspan(k * curves, curves);
    if (std::isnan(at[k]) || std::any_of(row.begin(), row.end(), [](double v) { return std::isnan(v); }))
      continue;
    kept_x.push_back(at[k]);
    kept_y.insert(kept_y.end(), row.begin(), row.end());
  }
  auto shape = y.shape();
  shape[0] = static_cast<Index>(kept_x.size());
  return {Array::vector(kept_x), Array::vector(kept_y).with_shape(shape)};
}

boost::intrusive_ptr<InterpolantValue> make_interpolant(Call& call, const InterpolantOptions& o,
                                                        bool skip_nan) {
  check_table(call);
  auto x = call.reals(0), y = call.reals(1);
  if (skip_nan) std::tie(x, y) = without_nan(x, y);
  Interpolant f(x, y, o);
  constexpr double errors_swamp = 1e4;
  if (const double amplified = f.amplification(); amplified > errors_swamp)
    call.warn(
        fmt::format("the polynomial oscillates: an error in y is amplified up to {} times between the points",
                    with_digits(amplified, 2)),
        "the methods \"spline\", \"akima\" and \"monotone\" stay near the points");
  return new InterpolantValue(std::move(f), {call.label(0), call.label(1)});
}

Value interpolant_row(Call& call) {
  return {Kind::library,
          make_interpolant(call, interpolant_options(call, 2, 3, 4, 5), call.boolean_or(6, false)).get()};
}

Value interpolate_row(Call& call) {
  auto q = call.reals(2);
  q.label = call.label(2);
  auto options = interpolant_options(call, 3, 4, 5, 6);
  options.has_integrals = false;
  return make_interpolant(call, options, call.boolean_or(7, false))->at(call.runtime, call.node(), q);
}

Value densify_row(Call& call) {
  const auto line = densify(call.vector(0), call.vector(1), call.given(2) ? call.whole(2) : 50);
  return Value::record({{"x", Value::array(line.x)}, {"y", Value::array(line.y)}});
}

}  // namespace
}  // namespace interpolation_calls

Outside outside_argument(const Call& call, std::size_t i) {
  const auto out = call.one_of(i);
  return out == "error"    ? Outside::error
         : out == "clamp"  ? Outside::clamp
         : out == "extend" ? Outside::extend
                           : Outside::nan;
}

std::vector<Builtin> interpolation_rows() {
  using namespace interpolation_calls;
  const Parameter x = {"x", "vector of n distinct abscissae, in any order", ""};
  const Parameter y = {"y", "vector of n values, or a matrix with one curve for each column", ""};
  const Parameter method = one_of(
      {"method",
       "\"nearest\", \"previous\", \"linear\", \"spline\" (cubic, two continuous derivatives), \"monotone\" "
       "(cubic, preserves monotonicity), \"akima\" (cubic, little overshoot) or \"polynomial\"",
       "\"linear\""},
      choices::kInterpolants);
  const Parameter outside =
      one_of({"outside",
              "result for queries outside the table: \"nan\", \"error\", \"clamp\" (end value) or \"extend\"",
              "\"nan\""},
             choices::kOutside);
  const Parameter ends = one_of(
      grouped("Spline options",
              {"ends",
               "boundary conditions of a spline: \"not_a_knot\", \"natural\", \"clamped\" or \"periodic\"",
               "\"not_a_knot\""}),
      choices::kEnds);
  const Parameter slopes =
      grouped("Spline options", {"slopes", "end slopes (first, last) of a clamped spline", "(0, 0)"});
  const Parameter skip = advanced({"skip_nan", "whether points of the table with nan are left out", "false"});
  constexpr std::string_view source =
      "spline: C. de Boor, A Practical Guide to Splines, 1978, chapter IV; monotone: F. N. Fritsch, R. E. "
      "Carlson, SIAM J. Numer. Anal. 17, 1980; akima: H. Akima, J. ACM 17, 1970; polynomial: J.-P. Berrut, "
      "L. N. Trefethen, SIAM Rev. 46, 2004";
  constexpr std::string_view errors =
      "if abscissae are duplicate; if the table contains nan; if x and y have different lengths";
  return {
      {
          .name = "interpolate",
          .family = "interpolation",
          .summary = "Interpolate a table of values at given points.",
          .parameters = {x,
                         y,
                         {"at", "query points: array of any shape, in the unit of x", ""},
                         method,
                         outside,
                         ends,
                         slopes,
                         skip},
          .returns = "array of the shape of `at`, with one more axis if y is a matrix; in the unit of y",
          .errors = errors,
          .source = source,
          .example = "interpolate([0, 1, 2], [0, 10, 40], at: 1.5)",
          .output = "interpolate([0, 1, 2], [0, 10, 40], at: 1.5) = 25",
          .run = interpolate_row,
      },
      {
          .name = "interpolant",
          .family = "interpolation",
          .summary = "Create an interpolating function from a table; inverse(f) is its inverse function.",
          .parameters = {x, y, method, outside, ends, slopes, skip},
          .returns = "a function of numbers of any shape; fields: breaks, method; methods: derivative(q), "
                     "integral(a, b)",
          .errors = errors,
          .source = source,
          .example =
              "f = interpolant([0, 1, 2, 3], [0, 1, 8, 27], method: \"spline\")\nf(1.5)\nf.integral(0, 2)\n"
              "near(inverse(f)(8), 2)",
          .output = "f(1.5) = 3.375\nf.integral(0, 2) = 4\nnear(inverse(f)(8), 2) = true",
          .run = interpolant_row,
      },
      {
          .name = "densify",
          .family = "interpolation",
          .summary = "Resample a polyline at points equally spaced in x.",
          .parameters = {{"x", "abscissae in increasing or decreasing order", ""},
                         {"y", "values", ""},
                         {"count", "number of points", "50"}},
          .returns = "a record of vectors: x, y",
          .errors = "if x is not monotonic; if there are fewer than 2 points",
          .example = "d = densify([0, 2], [0, 4], count: 5)\nd.y",
          .output = "d.y : float64 5\n  0  1  2  3  4",
          .run = densify_row,
      },
  };
}

}  // namespace quill
