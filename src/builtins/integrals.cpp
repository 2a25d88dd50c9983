// Integrals of functions.
#include <fmt/format.h>

#include <cmath>

#include "builtins/arguments.h"
#include "builtins/callbacks.h"
#include "builtins/choices.h"
#include "builtins/tables.h"
#include "numerics/linear_algebra.h"
#include "numerics/quadrature.h"
#include "value/runtime.h"

namespace quill {

namespace integrals_calls {
namespace {

enum Parameters : std::size_t {
  kF,
  kA,
  kB,
  kC,
  kRelative,
  kAbsolute,
  kBreaks,
  kWeight,
  kFrequency,
  kPole,
  kLimit,
  kConfirm
};

// The integrand; its first value determines the kind of result.
class Integrand {
 public:
  Integrand(const Call& call, Value f) : call_(call), f_(std::move(f)) {}

  // Calls at a point inside of the ranges.
  void look(std::span<const double> x) {
    first_at_.assign(x.begin(), x.end());
    first_ = called(x);
    if (!first_.is_array_like() || !is_numeric(element_type_of(first_)))
      fail(fmt::format("{}: the function returned {}; it must return numbers", call_.row.name,
                       kind_in_words(first_)));
    is_complex_ = element_type_of(first_) == ElementType::complex128;
    shape_ = shape_of(first_);
    if (shape_.count() > 0 && to_array(first_).size() == 0)
      fail(fmt::format("{}: the function returned an empty array", call_.row.name));
  }

  bool is_single() const { return shape_.empty() && !is_complex_; }
  std::size_t count() const { return static_cast<std::size_t>(size_of(shape_)) * (is_complex_ ? 2 : 1); }

  double single(double x) const {
    if (x == first_at_[0]) return number_from(call_, first_);
    double y = 0;
    if (call_.runtime.call_direct(direct_, f_, {&x, 1}, {&y, 1})) return y;
    const Value argument[] = {Value(x)};
    return number_from(call_, call_.runtime.call(f_, argument));
  }

  void several(std::span<const double> x, std::span<double> out) const {
    const auto value = called(x);
    if (!value.is_array_like() || !is_numeric(element_type_of(value)) || shape_of(value) != shape_ ||
        (element_type_of(value) == ElementType::complex128 && !is_complex_))
      fail(fmt::format("{}: the function returned {}, but {} at first", call_.row.name, kind_in_words(value),
                       kind_in_words(first_)));
    if (is_complex_) {
      const auto z = to_array(value).converted(ElementType::complex128).to_vector<Complex>();
      for (std::size_t k = 0; k < z.size(); ++k) {
        out[2 * k] = z[k].real();
        out[2 * k + 1] = z[k].imag();
      }
      return;
    }
    const auto y = to_array(value).converted(ElementType::float64).to_vector<double>();
    std::copy(y.begin(), y.end(), out.begin());
  }

  // The results in the form of its values.
  Value made(const std::vector<Integral>& parts, bool is_confirmed) const {
    std::vector<double> value, error;
    for (const auto& p : parts) {
      value.push_back(p.value);
      error.push_back(p.error);
    }
    const auto evaluations = parts[0].evaluations;
    std::vector<std::pair<std::string, Value>> more;
    if (!is_confirmed) more.emplace_back("confirmed", Value::boolean(false));
    if (is_single()) return estimate(Value(value[0]), Value(error[0]), evaluations, more);
    if (!is_complex_)
      return estimate(Value::array(Array::of<double>(shape_, value)),
                      Value::array(Array::of<double>(shape_, error)), evaluations, more);
    std::vector<Complex> z;
    std::vector<double> size;
    for (std::size_t k = 0; k + 1 < value.size(); k += 2) {
      z.emplace_back(value[k], value[k + 1]);
      size.push_back(std::hypot(error[k], error[k + 1]));
    }
    return estimate(Value::array(Array::of<Complex>(shape_, z)),
                    shape_.empty() ? Value(size[0]) : Value::array(Array::of<double>(shape_, size)),
                    evaluations, more);
  }

 private:
  Value called(std::span<const double> x) const {
    std::vector<Value> arguments(x.begin(), x.end());
    return numeric_value(call_.runtime.call(f_, arguments));
  }

  const Call& call_;
  Value f_, first_;
  std::vector<double> first_at_;
  Shape shape_;
  bool is_complex_ = false;
  mutable DirectCall direct_{.sizes = {0}};
};

IntegralOptions options_of(const Call& call, std::size_t variables) {
  IntegralOptions o;
  constexpr double for_several = 1e-7;
  o.relative = call.number_or(kRelative, variables == 1 ? 1e-10 : for_several);
  if (!(o.relative >= 0 && o.relative < 1)) call.fail_argument(kRelative, "must be at least 0 and below 1");
  o.absolute = call.number_or(kAbsolute, 0);
  if (!(o.absolute >= 0)) call.fail_argument(kAbsolute, "must be at least 0");
  if (o.relative == 0 && o.absolute == 0)
    call.fail_argument(kRelative, "and `absolute` are both 0; one of them must be above 0", "absolute: 1e-6");
  o.limit = limit_argument(call, kLimit, variables == 1 ? 500000 : 1000000);
  o.confirm = call.boolean_or(kConfirm, true);
  if (call.given(kBreaks) && !call.value(kBreaks).is(Kind::none)) {
    if (variables > 1) call.fail_argument(kBreaks, "are available for one variable only");
    const auto breaks = call.reals(kBreaks);
    if (breaks.axes() > 1) call.fail_argument(kBreaks, "must be a number or a vector");
    refuse_not_finite(breaks, "breaks");
    o.breaks = breaks.to_vector<double>();
  }
  const auto weight = call.one_of(kWeight);
  if (weight == "none") return o;
  if (variables > 1) call.fail_argument(kWeight, "is available for one variable only");
  if (!o.breaks.empty())
    call.fail_argument(kBreaks, "cannot be combined with a weight",
                       "compute two integrals, one on each side of the break");
  o.weight = weight == "sine" ? Weight::sine : weight == "cosine" ? Weight::cosine : Weight::cauchy;
  const auto at = o.weight == Weight::cauchy ? kPole : kFrequency;
  if (!call.given(at))
    call.fail_argument(
        kWeight, o.weight == Weight::cauchy ? "requires the position of the pole" : "requires a frequency",
        o.weight == Weight::cauchy ? "weight: \"cauchy\", pole: 0.5 for f(x) / (x - 0.5)"
                                   : "weight: \"sine\", frequency: 3 for f(x) * sin(3 * x)");
  o.weight_at = call.number(at);
  if (!std::isfinite(o.weight_at) || (at == kFrequency && o.weight_at == 0))
    call.fail_argument(at, at == kFrequency ? "must be finite and not 0" : "must be a finite number");
  return o;
}

void warn_quality(const Call& call, const std::vector<Integral>& parts, const IntegralOptions& o,
                  std::size_t variables) {
  constexpr double hardly_any = 1e-2;
  const auto worst = std::max_element(parts.begin(), parts.end(), [&](const Integral& a, const Integral& b) {
    return a.error / std::max(std::fabs(a.value), 1e-300) < b.error / std::max(std::fabs(b.value), 1e-300);
  });
  if (std::all_of(parts.begin(), parts.end(), [](const Integral& i) { return i.all_zero; })) {
    call.warn(fmt::format("the integrand is 0 at all {} sample points; a narrow peak may be missed",
                          grouped(parts[0].evaluations)),
              variables == 1 ? "give its location with breaks: [x]" : "use ranges closer to the peak");
    return;
  }
  if (std::none_of(parts.begin(), parts.end(), [&](const Integral& i) { return i.needs_warning(o); })) return;
  constexpr double half = 0.5;
  if (worst->at_limit && worst->error < half * std::max(std::fabs(worst->value), worst->size))
    call.warn(fmt::format("after {} evaluations the integral is known to about {} only",
                          grouped(worst->evaluations), with_digits(worst->error, 2)),
              fmt::format("limit: {} allows more evaluations, relative: 1e-4 accepts a larger error",
                          o.limit * 10));
  else if (!(worst->error < hardly_any * std::max(std::fabs(worst->value), worst->size * hardly_any)))
    call.warn(fmt::format("the integral did not converge: {} ± {} may be meaningless",
                          with_digits(worst->value, 3), with_digits(worst->error, 2)),
              worst->at_limit
                  ? fmt::format("limit: {} allows more evaluations", o.limit * 10)
                  : "it may be infinite: compute integrate(f, a, b) for ends that approach the singularity");
  else
    call.warn(fmt::format("the integral is known to about {} only", with_digits(worst->error, 2)),
              variables == 1 && o.weight == Weight::none ? "breaks: [x] gives the positions of jumps or peaks"
                                                         : "relative: 1e-4 accepts a larger error");
}

// The ranges as they are given; a function gives the range for the variables before it.
std::vector<RangeOf> ranges_of(const Call& call) {
  std::vector<RangeOf> out;
  for (const std::size_t i : {std::size_t{kA}, std::size_t{kB}, std::size_t{kC}}) {
    if (!call.given(i) || call.value(i).is(Kind::none)) continue;
    if (const auto pair = number_pair(call.value(i))) {
      out.push_back([p = *pair](std::span<const double>) { return p; });
    } else if (!out.empty() && call.value(i).is_callable()) {
      out.push_back([&call, i](std::span<const double> before) {
        const std::vector<Value> arguments(before.begin(), before.end());
        const auto given = call.runtime.call(call.value(i), arguments);
        const auto range = number_pair(given);
        if (!range)
          call.fail_argument(
              i, fmt::format("returned {}; it must return a range of two numbers", kind_in_words(given)),
              "integrate(f, (0, 1), fn(x) = (0, x))");
        return *range;
      });
    } else {
      call.fail_argument(i,
                         fmt::format("must be a range of two numbers, not {}", kind_in_words(call.value(i))),
                         "integrate(f, (0, 1), (0, 2))");
    }
  }
  return out;
}

// A number between two ends.
double inside(double a, double b) {
  if (std::isinf(a) && std::isinf(b)) return 0.5;
  if (std::isinf(a)) return b - 0.5;
  return std::isinf(b) ? a + 0.5 : a + (b - a) / 2;
}

Value integrate_row(Call& call) {
  Integrand f(call, call.callable(kF));
  std::vector<Integral> parts;
  if (!number_pair(call.value(kA))) {
    if (!call.given(kB)) call.fail_argument(kA, "has no upper end", "integrate(f, 0, 1)");
    if (call.given(kC)) call.fail_argument(kC, "requires ranges: integrate(f, (0, 1), (0, 2), (0, 3))");
  }
  std::vector<RangeOf> ranges;
  if (number_pair(call.value(kA)))
    ranges = ranges_of(call);
  else
    ranges = {[p = std::pair(call.number(kA), call.number(kB))](auto) { return p; }};
  const auto options = options_of(call, ranges.size());
  std::vector<double> middle;
  for (const auto& range : ranges) {
    const auto [a, b] = range(middle);
    if (std::isnan(a) || std::isnan(b)) fail("an end of the range is nan");
    middle.push_back(inside(a, b));
  }
  f.look(middle);
  if (ranges.size() > 1) {
    parts = integrate([&](std::span<const double> x, std::span<double> out) { f.several(x, out); }, f.count(),
                      ranges, options);
  } else {
    const auto [a, b] = ranges[0]({});
    if (f.is_single())
      parts = {integrate([&](double x) { return f.single(x); }, a, b, options)};
    else
      parts = integrate([&](std::span<const double> x, std::span<double> out) { f.several(x, out); },
                        f.count(), a, b, options);
  }
  warn_quality(call, parts, options, ranges.size());
  return f.made(parts, options.confirm);
}

}  // namespace
}  // namespace integrals_calls

std::vector<Builtin> integral_rows() {
  using namespace integrals_calls;
  return {
      {
          .name = "integrate",
          .family = "integration",
          .summary = "Integrate a function over a range, which may be infinite.",
          .parameters =
              {{"f",
                "function of one number, or of as many as there are ranges; its value may be complex or an "
                "array",
                ""},
               {"a", "lower end, or range (a, b)", ""},
               {"b",
                "upper end, or range of a second variable; fn(x) = (low, high) for a range that depends on "
                "the first",
                "none"},
               {"c", "range of a third variable, or fn(x, y) that returns it", "none"},
               {"relative", "relative error tolerance", "1e-10, for several variables 1e-7"},
               {"absolute", "absolute error tolerance, in the unit of the result", "0"},
               {"breaks", "positions of jumps, peaks or singularities, for one variable", "none"},
               one_of(grouped("Options for oscillating and singular integrands",
                              {"weight",
                               "weight function: \"sine\" or \"cosine\" of frequency * x, also on infinite "
                               "ranges; \"cauchy\" for the principal value of f(x) / (x - pole)",
                               "\"none\""}),
                      choices::kWeights),
               grouped("Options for oscillating and singular integrands",
                       {"frequency", "frequency of the weight, in radians per unit of x", "none"}),
               grouped("Options for oscillating and singular integrands",
                       {"pole", "pole of the weight \"cauchy\"", "none"}),
               advanced({"limit", "maximum number of evaluations", "500000, for several variables 1000000"}),
               advanced({"confirm",
                         "whether to check the result at other points, which takes about 300 evaluations for "
                         "one variable",
                         "true"})},
          .returns = "an estimate, which can be used as a number: value, error, evaluations (and confirmed: "
                     "false without `confirm`); in the unit of f times the unit of x",
          .errors = "if the integral does not converge; if the function is nan in the range; a missed "
                    "tolerance, and an integrand that is 0 at all sample points, are warnings",
          .source = "Gauss–Kronrod rule of 21 points (R. Piessens et al., QUADPACK, 1983), with logarithmic "
                    "subdivision towards singular and infinite ends; weights: QUADPACK (GNU Scientific "
                    "Library); several variables: Clenshaw–Curtis rules, then A. C. Genz, A. A. Malik, 1980 "
                    "(cubature library)",
          .example =
              "area = integrate(fn(x) = exp(-x^2), -inf, inf)\nnear(area^2, pi)\nnear(integrate(fn(x) = 1 / "
              "sqrt(x), 0, 1), 2)\nnear(integrate(fn(x, y) = x * y, (0, 1), fn(x) = (0, x)), 1 / 8)\n"
              "near(integrate(fn(x) = 1/x, 0, inf, weight: \"sine\", frequency: 2), pi/2)",
          .output = "near(area^2, pi) = true\nnear(integrate(fn(x) = 1 / sqrt(x), 0, 1), 2) = true\n"
                    "near(integrate(fn(x, y) = x * y, (0, 1), fn(x) = (0, x)), 1 / 8) = true\n"
                    "near(integrate(fn(x) = 1/x, 0, inf, weight: \"sine\", frequency: 2), pi/2) = true",
          .run = integrate_row,
      },
  };
}

}  // namespace quill
