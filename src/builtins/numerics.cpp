// Interpolation, integrals of samples, random numbers.
#include <fmt/format.h>

#include <cmath>

#include "array/reduce.h"
#include "builtins/context.h"
#include "builtins/sizes.h"
#include "builtins/tables.h"
#include "numerics/integration.h"
#include "numerics/interpolation.h"

namespace quill {

namespace {

InterpolantOptions interpolant_options(const Call& call, std::size_t method, std::size_t outside,
                                       std::size_t ends) {
  InterpolantOptions o;
  const auto m = call.choice(method, {"linear", "spline"}, "linear");
  o.method = m == "spline" ? InterpolationMethod::spline : InterpolationMethod::linear;
  const auto out = call.choice(outside, {"nan", "error", "clamp", "extend"}, "nan");
  o.outside = out == "error"    ? Outside::error
              : out == "clamp"  ? Outside::clamp
              : out == "extend" ? Outside::extend
                                : Outside::nan;
  const auto e = call.choice(ends, {"not_a_knot", "natural", "clamped"}, "not_a_knot");
  o.ends = e == "natural"   ? SplineEnds::natural
           : e == "clamped" ? SplineEnds::clamped
                            : SplineEnds::not_a_knot;
  if (call.given(ends) && o.method != InterpolationMethod::spline)
    call.fail_argument(ends, "goes with the method \"spline\"");
  return o;
}

void check_table(const Call& call) {
  const auto x = call.reals(0), y = call.reals(1);
  if (x.axes() != 1)
    call.fail_argument(0, fmt::format("is a vector, not an array of shape {}", text_of(x.shape())));
  if (y.axes() < 1 || y.axes() > 2 || y.extent(0) != x.size())
    call.fail_argument(
        1,
        fmt::format("has shape {} and `x` has {} elements: y has one value, or one row, for each x",
                    text_of(y.shape()), x.size()),
        y.axes() == 2 && y.extent(1) == x.size() ? "y' turns the matrix" : "");
}

// Queries outside of the table: one warning with count and range; all of them outside looks like swapped
// columns.
std::string outside_words(const Interpolant::Result& r, const Interpolant& f, Index count) {
  return fmt::format("{} of {} queries lie outside of the table, which covers {} … {}, and became nan",
                     r.outside, count, with_digits(f.low(), 5), with_digits(f.high(), 5));
}

constexpr std::string_view kOutsideHint = "outside: \"clamp\", \"extend\" or \"error\" says what to do there";
constexpr std::string_view kSwappedHint =
    "all queries lie outside: are the columns swapped? interpolate(x, y, at: …) takes abscissae first";

class InterpolantValue : public NativeObject {
 public:
  explicit InterpolantValue(Interpolant f) : f_(std::move(f)) {}
  std::string type_name() const override { return "interpolant"; }
  std::string describe() const override {
    return fmt::format("interpolant ({}) of {} points, {} … {}", name_of(f_.options().method),
                       f_.breaks().size(), with_digits(f_.low(), 5), with_digits(f_.high(), 5));
  }
  Value call(Machine& machine, std::span<Value> arguments) const override {
    if (arguments.size() != 1)
      fail(fmt::format("an interpolant takes 1 argument, and {} are given", arguments.size()));
    if (!arguments[0].is_array_like() || !is_numeric(element_type_of(arguments[0])))
      fail(fmt::format("an interpolant takes numbers, not {}", kind_in_words(arguments[0])));
    const auto q = to_array(arguments[0]);
    const auto r = f_.evaluate(q);
    if (r.outside > 0 && f_.options().outside == Outside::nan)
      machine.warn(outside_words(r, f_, q.size()), std::string(r.all_outside ? kSwappedHint : kOutsideHint),
                   nullptr);
    return Value::array(r.values);
  }
  std::optional<Value> part(const std::string& name) const override {
    if (name == "breaks") return Value::array(Array::vector(f_.breaks()));
    if (name == "method") return Value::text(std::string(name_of(f_.options().method)));
    return std::nullopt;
  }
  std::vector<std::string> part_names() const override { return {"breaks", "method"}; }

 private:
  Interpolant f_;
};

Value interpolant_row(Call& call) {
  check_table(call);
  const auto o = interpolant_options(call, 2, 3, 4);
  return {Kind::native, new InterpolantValue(Interpolant(call.reals(0), call.reals(1), o))};
}

Value interpolate_row(Call& call) {
  check_table(call);
  const auto o = interpolant_options(call, 3, 4, 5);
  const Interpolant f(call.reals(0), call.reals(1), o);
  const auto q = call.reals(2);
  const auto r = f.evaluate(q);
  if (r.outside > 0 && o.outside == Outside::nan)
    call.warn(outside_words(r, f, q.size()), std::string(r.all_outside ? kSwappedHint : kOutsideHint));
  return Value::array(r.values);
}

Value densify_row(Call& call) {
  const auto line = densify(call.vector(0), call.vector(1), call.whole(2));
  return Value::record({{"x", Value::array(line.x)}, {"y", Value::array(line.y)}});
}

}  // namespace

std::vector<Builtin> interpolation_rows() {
  const Parameter x = {"x", "abscissae, a vector in any order without repeats", ""};
  const Parameter y = {"y", "values: a vector, or a matrix with one curve for each column", ""};
  const Parameter method = {"method", "\"linear\" or \"spline\"", "\"linear\""};
  const Parameter outside = {"outside", "beyond the table: \"nan\", \"error\", \"clamp\" or \"extend\"",
                             "\"nan\""};
  const Parameter ends = {"ends", "of a spline: \"not_a_knot\", \"natural\" or \"clamped\"",
                          "\"not_a_knot\""};
  constexpr std::string_view source =
      "cubic spline: C. de Boor, A Practical Guide to Splines, 1978, chapter IV";
  constexpr std::string_view errors =
      "repeated abscissae, nan in the table, lengths that differ, other than real numbers";
  return {
      {"interpolate",
       "interpolation",
       "Values between the points of a table.",
       {x, y, {"at", "the queries: numbers of any shape, in the unit of x", ""}, method, outside, ends},
       "an array of the shape of the queries, with one more axis for several curves, in the unit of y",
       errors,
       source,
       "interpolate([0, 1, 2], [0, 10, 40], at: 1.5)",
       "interpolate([0, 1, 2], [0, 10, 40], at: 1.5) = 25",
       interpolate_row},
      {"interpolant",
       "interpolation",
       "A function through the points of a table.",
       {x, y, method, outside, ends},
       "a function of numbers of any shape, with the parts breaks and method",
       errors,
       source,
       "f = interpolant([0, 1, 2, 3], [0, 1, 8, 27], method: \"spline\")\nf(1.5)",
       "f(1.5) = 3.375",
       interpolant_row},
      {"densify",
       "interpolation",
       "Points on a polyline, equally spaced in x from its first to its last point.",
       {{"x", "abscissae that run one way", ""}, {"y", "values", ""}, {"count", "how many points", "50"}},
       "a record x, y of vectors",
       "abscissae that turn back, fewer than 2 points",
       "",
       "d = densify([0, 2], [0, 4], count: 5)\nd.y",
       "d.y : float64 5\n  0  1  2  3  4",
       [](Call& c) {
         if (c.given(2)) return densify_row(c);
         const auto line = densify(c.vector(0), c.vector(1), 50);
         return Value::record({{"x", Value::array(line.x)}, {"y", Value::array(line.y)}});
       }},
  };
}

namespace {

Value integrate_samples_row(Call& call) {
  const auto x = call.vector(0), y = call.reals(1);
  if (y.axes() == 0) call.fail_argument(1, "is an array with axes, not a single number");
  const auto rule = call.choice(2, {"trapezoid", "simpson"}, "trapezoid") == "simpson"
                        ? SampleRule::simpson
                        : SampleRule::trapezoid;
  const int axis = call.given(3) ? checked_axis(call.number(3), y.axes()) : 0;
  return Value::array(integrate_samples(x, y, rule, axis));
}

}  // namespace

std::vector<Builtin> integration_rows() {
  return {
      {"integrate_samples",
       "integration",
       "The integral of samples y over x.",
       {{"x", "abscissae that run one way", ""},
        {"y", "samples; their axis `over` has the length of x", ""},
        {"rule", "\"trapezoid\" or \"simpson\"", "\"trapezoid\""},
        {"over", "the axis of y that x runs along", "1"}},
       "a number, or an array without the axis; in the unit of x times that of y",
       "lengths that differ, abscissae that turn back",
       "Simpson's rule for unequal spacing: K. V. Cartwright, J. Math. Sci. Math. Educ. 12, 2017",
       "x = 0..2 by 0.5\nintegrate_samples(x, x^2, rule: \"simpson\")",
       "integrate_samples(x, x^2, rule: \"simpson\") = 2.6667",
       integrate_samples_row},
  };
}

namespace {

Value seed_row(Call& call) {
  const auto n = call.whole(0);
  if (n < 0) call.fail_argument(0, fmt::format("is a whole number from 0, not {}", n));
  context(call).random = RandomStream(static_cast<std::uint64_t>(n));
  return Value::none();
}

}  // namespace

std::vector<Builtin> random_rows() {
  const Parameter sizes = {"sizes", "one size for each axis; none for a single number", "", true};
  const Parameter like = {"like", "an array that gives the shape instead", "none"};
  constexpr std::string_view engine =
      "64-bit Mersenne twister (M. Matsumoto, T. Nishimura, 1998) with Boost.Random's distributions: the "
      "same numbers on every platform";
  return {
      {"random",
       "random numbers",
       "Random numbers, evenly spread from 0 (included) to 1 (not included).",
       {sizes, like},
       "an array of these sizes",
       "",
       engine,
       "seed(7)\nr = random(1000)\nall(0 <= r and r < 1)",
       "all(0 <= r and r < 1) = true",
       [](Call& c) { return Value::array(context(c).random.uniform(shape_argument(c, 1))); }},
      {"random_normal",
       "random numbers",
       "Random numbers from the normal distribution with mean 0 and standard deviation 1.",
       {sizes, like},
       "an array of these sizes",
       "",
       engine,
       "seed(7)\nshape(random_normal(3, 4))",
       "shape(random_normal(3, 4)) : float64 2\n  3  4",
       [](Call& c) { return Value::array(context(c).random.normal(shape_argument(c, 1))); }},
      {"random_whole",
       "random numbers",
       "Random whole numbers; both ends are possible.",
       {{"low", "the smallest", ""}, {"high", "the largest", ""}, sizes, like},
       "an int64 array of these sizes",
       "ends that are not whole",
       engine,
       "seed(7)\ndice = random_whole(1, 6, 500)\nprint(min(dice), max(dice))",
       "1 6",
       [](Call& c) {
         return Value::array(context(c).random.whole(c.number(0), c.number(1), shape_argument(c, 3)));
       }},
      {"seed",
       "random numbers",
       "Restarts the random numbers.",
       {{"n", "a whole number from 0", ""}},
       "nothing",
       "",
       engine,
       "seed(7)\na = random(3)\nseed(7)\nsame(a, random(3))",
       "same(a, random(3)) = true",
       seed_row},
  };
}

}  // namespace quill
