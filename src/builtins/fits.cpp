// Fits: polynomials, lines, models.
#include <fmt/format.h>

#include <cmath>
#include <functional>
#include <tuple>
#include <utility>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "base/text.h"
#include "builtins/arguments.h"
#include "builtins/callbacks.h"
#include "builtins/choices.h"
#include "builtins/method.h"
#include "builtins/tables.h"
#include "numerics/fitting.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"
#include "value/construct.h"
#include "value/print.h"
#include "value/runtime.h"

namespace quill {

namespace fits_calls {
namespace {

double confidence_of(std::span<Value> arguments, std::size_t i) {
  if (arguments.size() <= i) return 0.95;
  const auto c = single_real(arguments[i]);
  if (!c) fail(fmt::format("a confidence must be between 0 and 1, not {}", kind_in_words(arguments[i])));
  return *c;
}

// The result of a fit: callable, with parts for its quality.
class FitValue : public LibraryObject {
 public:
  using Evaluate = std::function<Array(Runtime&, const Array& x, std::span<const double> coefficients)>;
  FitValue(Fit fit, Array residual, std::string what, Evaluate evaluate)
      : fit_(std::make_shared<const Fit>(std::move(fit))),
        residual_(std::move(residual)),
        what_(std::move(what)),
        evaluate_(std::move(evaluate)) {}

  std::string type_name() const override { return "fit"; }
  std::string describe() const override {
    std::string out = fmt::format("{}:", what_);
    const auto errors = fit_->standard_errors();
    for (std::size_t k = 0; k < errors.size(); ++k)
      out += fmt::format("{} {}", k ? "," : "", with_uncertainty(fit_->coefficients[k], errors[k]));
    return out + fmt::format("; r² {}", with_digits(fit_->r_squared, 5));
  }
  Value call(Runtime& runtime, std::span<Value> arguments) const override {
    if (arguments.size() != 1) fail(fmt::format("a fit takes 1 argument, not {}", arguments.size()));
    return Value::array(evaluate_(runtime, to_array(arguments[0], "a fit").converted(ElementType::float64),
                                  fit_->coefficients));
  }
  std::vector<std::string> part_names() const override {
    return {"coefficients", "standard_errors",    "covariance",          "residual", "residual_norm",
            "r_squared",    "degrees_of_freedom", "reduced_chi_squared", "interval", "band"};
  }
  std::optional<Value> part(const std::string& name) const override {
    if (name == "coefficients") return Value::array(Array::vector(fit_->coefficients));
    if (name == "standard_errors") return Value::array(Array::vector(fit_->standard_errors()));
    if (name == "covariance") return Value::array(fit_->covariance);
    if (name == "residual") return Value::array(residual_);
    if (name == "residual_norm") return Value(fit_->residual_norm);
    if (name == "r_squared") return Value(fit_->r_squared);
    if (name == "degrees_of_freedom") return Value(static_cast<double>(fit_->degrees_of_freedom));
    if (name == "reduced_chi_squared")
      return Value(fit_->residual_norm * fit_->residual_norm / static_cast<double>(fit_->degrees_of_freedom));
    if (name == "interval")
      return Method::make(name, [fit = fit_](Runtime&, std::span<Value> a) { return interval(*fit, a); });
    if (name == "band")
      return Method::make(
          name,
          [fit = fit_, evaluate = evaluate_](Runtime& runtime, std::span<Value> a) {
            return band(runtime, *fit, evaluate, a);
          },
          depth);
    return std::nullopt;
  }

 private:
  // One row for each coefficient: its lower and upper end.
  static Value interval(const Fit& fit, std::span<Value> arguments) {
    const double factor = student_factor(confidence_of(arguments, 0), fit.degrees_of_freedom);
    const auto errors = fit.standard_errors();
    Array out(ElementType::float64, {static_cast<Index>(errors.size()), 2});
    for (std::size_t k = 0; k < errors.size(); ++k) {
      out.mutable_data<double>()[2 * k] = fit.coefficients[k] - factor * errors[k];
      out.mutable_data<double>()[2 * k + 1] = fit.coefficients[k] + factor * errors[k];
    }
    return Value::array(std::move(out));
  }

  // The fitted values at x, with their confidence to both sides: derivatives by the coefficients carry the
  // covariance.
  static Value band(Runtime& runtime, const Fit& fit, const Evaluate& evaluate, std::span<Value> arguments) {
    if (arguments.empty() || arguments.size() > 2) fail("a band needs x", "fit.band(x, 0.95)");
    const auto x = to_array(arguments[0], "a band").converted(ElementType::float64);
    const double factor = student_factor(confidence_of(arguments, 1), fit.degrees_of_freedom);
    const auto middle = flattened(evaluate(runtime, x, fit.coefficients));
    const auto p = static_cast<Index>(fit.coefficients.size());
    Array slopes(ElementType::float64, {middle.size(), p});
    for (Index c = 0; c < p; ++c) {
      auto up = fit.coefficients, down = fit.coefficients;
      const auto k = static_cast<std::size_t>(c);
      const double h = 6e-6 * (up[k] != 0 ? std::fabs(up[k]) : 1);
      up[k] += h;
      down[k] -= h;
      const auto change = apply(Binary::subtract, evaluate(runtime, x, up), evaluate(runtime, x, down));
      const auto d = flattened(apply(Binary::divide, change, up[k] - down[k]));
      for (Index r = 0; r < d.size(); ++r) slopes.mutable_data<double>()[r * p + c] = d.at<double>({r});
    }
    const auto variance = reduce(
        Reduction::sum, apply(Binary::multiply, matrix_product(slopes, fit.covariance), slopes), {1, false});
    const auto reach = apply(Binary::multiply, apply(Unary::sqrt, variance), factor);
    return Value::record({{"lower", Value::array(apply(Binary::subtract, middle, reach))},
                          {"upper", Value::array(apply(Binary::add, middle, reach))}});
  }

  std::shared_ptr<const Fit> fit_;
  Array residual_;  // y - f(x), in the unit of y
  std::string what_;
  Evaluate evaluate_;
};

void warn_condition(const Call& call, const Fit& fit) {
  constexpr double digits_are_lost = 1e10;
  if (std::isinf(fit.condition))
    call.warn("the coefficients are not determined: columns are linearly dependent",
              "use a lower degree or fewer parameters, or shift and scale x: (x - mean(x)) / std(x)");
  else if (fit.condition > digits_are_lost)
    call.warn(fmt::format(
                  "the fit is ill-conditioned (condition number about {}): the coefficients have lost digits",
                  with_digits(fit.condition, 2)),
              "shift and scale x: (x - mean(x)) / std(x)");
}

Array weights_of(const Call& call, std::size_t i) {
  if (!call.given(i) || call.value(i).is(Kind::none)) return {};
  return shape_of(call.value(i)).count() > 1 ? flattened(call.reals(i)) : call.vector(i);
}

Value polynomial_value(const Call& call, Index degree, std::size_t weights, std::string what) {
  const auto x = call.vector(0), y = call.vector(1);
  auto fit = polynomial_fit(x, y, degree, weights_of(call, weights));
  warn_condition(call, fit);
  const auto evaluate = [](Runtime&, const Array& at, std::span<const double> c) {
    auto out = Array::filled<double>(at.shape(), 0.0);
    for (const double k : c) out = apply(Binary::add, apply(Binary::multiply, out, at), k);
    return out;
  };
  auto residual = apply(Binary::subtract, y, evaluate(call.runtime, x, fit.coefficients));
  return {Kind::library, new FitValue(std::move(fit), std::move(residual), std::move(what), evaluate)};
}

// The model at each point: a number of a vector, or a row of a matrix. One call does for all numbers when the
// model is surely elementwise.
Array model_values(Runtime& runtime, std::string_view name, const Value& model, const Array& points,
                   std::span<const double> p) {
  const auto parameters = Value::array(Array::of<double>({static_cast<Index>(p.size())}, p));
  const auto count = points.length();
  constexpr Role roles[] = {Role::varying, Role::vector};
  if (points.axes() == 1 && runtime.is_elementwise(model, roles)) {
    const Value arguments[] = {Value::array(points), parameters};
    auto values = to_array(runtime.call(model, arguments)).converted(ElementType::float64);
    if (values.axes() == 0) values = Array::filled<double>({count}, *values.data<double>());
    return values;
  }
  Array out(ElementType::float64, points.axes() == 0 ? Shape{} : Shape{count});
  const auto elements = points.axes() == 1 ? points.converted(ElementType::float64) : points;
  DirectCall direct{.sizes = {0, static_cast<int>(std::min<std::size_t>(p.size(), 1000))}};
  direct.is_off = points.axes() != 1 || p.empty();
  std::vector<double> given(p.size() + 1);
  std::copy(p.begin(), p.end(), given.begin() + 1);
  for (Index k = 0; k < count; ++k) {
    if (!direct.is_off) {
      given[0] = elements.at<double>({k});
      if (runtime.call_direct(direct, model, given, {out.mutable_data<double>() + k, 1})) continue;
    }
    const Value arguments[] = {element_of(points, k), parameters};
    const auto result = runtime.call(model, arguments);
    const auto number = single_real(result);
    if (!number)
      fail(fmt::format("{}: the model returned {}; it must return a single number", name,
                       kind_in_words(result)));
    out.mutable_data<double>()[k] = *number;
  }
  return out;
}

namespace model {
enum Parameters : std::size_t {
  kModel,
  kX,
  kY,
  kStart,
  kWeights,
  kSigma,
  kBounds,
  kFixed,
  kLoss,
  kLimit,
  kAtOnce
};
}

// Positions from 1, or booleans for all parameters.
std::vector<bool> fixed_of(const Call& call, std::size_t count) {
  using namespace model;
  std::vector<bool> out(count, false);
  const auto given = call.array(kFixed);
  if (given.type() == ElementType::boolean) {
    if (given.size() != static_cast<Index>(count))
      call.fail_argument(kFixed, fmt::format("must have one boolean for each of the {1} parameters, not {0}",
                                             given.size(), count));
    const auto booleans = given.converted(ElementType::float64).to_vector<double>();
    for (std::size_t k = 0; k < count; ++k) out[k] = booleans[k] != 0;
    return out;
  }
  for (const double k : call.reals(kFixed).to_vector<double>()) {
    if (!(k >= 1 && k <= static_cast<double>(count)) || k != std::floor(k))
      call.fail_argument(kFixed,
                         fmt::format("must be parameter numbers from 1 to {}, not {}", count, shortest(k)));
    out[static_cast<std::size_t>(k) - 1] = true;
  }
  return out;
}

FitOptions fit_options(const Call& call, std::size_t count) {
  using namespace model;
  FitOptions o;
  o.weights = weights_of(call, kWeights);
  if (call.given(kSigma) && !call.value(kSigma).is(Kind::none)) {
    if (call.given(kWeights))
      call.fail_argument(kSigma, "and `weights` have the same meaning; give one of them");
    auto sigma = call.reals(kSigma);
    const auto y = call.reals(kY);
    if (sigma.axes() == 0) sigma = Array::filled<double>(y.shape(), *sigma.data<double>());
    if (sigma.shape() != y.shape())
      call.fail_argument(
          kSigma, fmt::format("must be a single number or one for each of the {} of `y`; not of shape {}",
                              y.size(), text_of(sigma.shape())));
    sigma = flattened(sigma);
    for (const double s : sigma.to_vector<double>())
      if (!(s > 0) || std::isinf(s)) call.fail_argument(kSigma, "must be finite numbers above 0");
    o.weights = apply(Binary::divide, 1.0, apply(Binary::multiply, sigma, sigma));
    o.weights_are_known = true;
  }
  if (call.given(kBounds) && !call.value(kBounds).is(Kind::none))
    std::tie(o.low, o.high) = bounds_argument(call, kBounds, count);
  if (call.given(kFixed) && !call.value(kFixed).is(Kind::none)) o.fixed = fixed_of(call, count);
  const auto loss = call.one_of(kLoss);
  o.loss = loss == "huber"      ? Loss::huber
           : loss == "cauchy"   ? Loss::cauchy
           : loss == "bisquare" ? Loss::bisquare
                                : Loss::squares;
  o.limit = limit_argument(call, kLimit, o.limit);
  return o;
}

void warn_convergence(const Call& call, const Fit& fit, const FitOptions& options) {
  if (!fit.converged)
    call.warn(fit.evaluations >= options.limit
                  ? fmt::format("the fit did not converge in {} evaluations", grouped(fit.evaluations))
                  : "the fit did not converge",
              "use a start nearer to the solution, or scale the parameters");
}

// Calls the model once with all points. Error unless it returns real numbers, in the shape `wanted` if given.
Array values_at_once(Runtime& runtime, std::string_view name, const Value& model, const Array& points,
                     std::span<const double> p, const Shape* wanted) {
  const Value arguments[] = {Value::array(points),
                             Value::array(Array::of<double>({static_cast<Index>(p.size())}, p))};
  const auto result = numeric_value(runtime.call(model, arguments));
  if (!result.is_array_like() || !is_numeric(element_type_of(result)) ||
      element_type_of(result) == ElementType::complex128)
    fail(fmt::format("{}: the model returned {}; it must return real numbers", name, kind_in_words(result)));
  auto values = to_array(result).converted(ElementType::float64);
  if (wanted && values.shape() != *wanted)
    fail(fmt::format("{}: the model returned an array of shape {}; y has shape {}", name,
                     text_of(values.shape()), text_of(*wanted)));
  return values;
}

// The fit of y by a model: `fitting` gives its values while it is fitted, `at` those of the fit.
Value fitted(const Call& call, const Value& model, const Array& x, const Array& y,
             const FitValue::Evaluate& fitting, const FitValue::Evaluate& at) {
  using namespace model;
  const auto from = call.reals(kStart).to_vector<double>();
  const auto options = fit_options(call, from.size());
  auto result = model_fit(
      [&](std::span<const double> p, std::span<double> out) {
        const auto values = fitting(call.runtime, x, p).compact();
        std::copy_n(values.data<double>(), out.size(), out.begin());
      },
      flattened(y), from, options);
  warn_convergence(call, result, options);
  warn_condition(call, result);
  auto residual = apply(Binary::subtract, y, at(call.runtime, x, result.coefficients));
  auto* made = new FitValue(std::move(result), std::move(residual), "fit", at);
  const Value fit(Kind::library, made);
  made->keeps(model);
  return fit;
}

Value fit_at_once(Call& call, const Value& model);

Value fit_row(Call& call) {
  using namespace model;
  const Value model = call.callable(kModel);
  if (call.boolean_or(kAtOnce, shape_of(call.value(kY)).count() > 1)) return fit_at_once(call, model);
  const auto x = call.reals(kX), y = call.vector(kY), start = call.reals(kStart);
  if (x.axes() < 1 || x.extent(0) != y.size())
    call.fail_argument(kX, fmt::format("must have a value, or a row, for each of the {} of `y`; not shape {}",
                                       y.size(), text_of(x.shape())));
  refuse_not_finite(x, "x");
  if (start.axes() > 1) call.fail_argument(kStart, "must be a number or a vector");
  refuse_not_finite(start, "start");
  const auto at = [model, name = call.row.name, by_rows = x.axes() > 1](Runtime& runtime, const Array& points,
                                                                        std::span<const double> p) {
    // One row for itself is one point.
    if (by_rows && points.axes() == 1) {
      const auto row = points.with_shape({1, points.size()});
      return model_values(runtime, name, model, row, p).with_shape({});
    }
    if (by_rows) return model_values(runtime, name, model, points, p);
    return model_values(runtime, name, model, flattened(points), p).with_shape(points.shape());
  };
  return fitted(call, model, x, y, at, at);
}

// The model returns all values in one call: several outputs, or a solution common to all points.
Value fit_at_once(Call& call, const Value& model) {
  using namespace model;
  const auto x = call.reals(kX), y = call.reals(kY), start = call.reals(kStart);
  if (y.axes() == 0) call.fail_argument(kY, "must be an array, not a single number");
  if (start.axes() > 1) call.fail_argument(kStart, "must be a number or a vector");
  for (const auto& [given, name] : {std::pair(&x, "x"), std::pair(&y, "y"), std::pair(&start, "start")})
    refuse_not_finite(*given, name);
  const auto evaluate = [model, name = call.row.name](Runtime& runtime, const Array& points,
                                                      std::span<const double> p) {
    return values_at_once(runtime, name, model, points, p, nullptr);
  };
  const auto checked = [model, name = call.row.name, shape = y.shape()](Runtime& runtime, const Array& points,
                                                                        std::span<const double> p) {
    return values_at_once(runtime, name, model, points, p, &shape);
  };
  return fitted(call, model, x, y, checked, evaluate);
}

constexpr std::string_view kFamily = "fits";
constexpr std::string_view kFit =
    "a fit that can be called as a function; fields: coefficients, standard_errors, covariance, residual "
    "(y - f(x)), residual_norm, r_squared, degrees_of_freedom, reduced_chi_squared (for known sigma); "
    "methods: interval(confidence), band(x, "
    "confidence)";

}  // namespace
}  // namespace fits_calls

std::vector<Builtin> fit_rows() {
  using namespace fits_calls;
  const Parameter x = {"x", "a vector", ""}, y = {"y", "vector of the same length", ""};
  const Parameter weights = {"weights", "weights, proportional to 1/σ²; none: equal", "none"};
  return {
      {
          .name = "line_fit",
          .family = kFamily,
          .summary = "Fit a straight line by least squares; the coefficients are slope and intercept.",
          .parameters = {x, y, weights},
          .returns = kFit,
          .errors = "if there are fewer than two points; if data are nan",
          .source = "least squares by Householder reflections with one step of iterative refinement",
          .example = "f = line_fit([1, 2, 3], [2, 3, 5])\nf.coefficients\nf(4)",
          .output = "f.coefficients : float64 2\n  1.5000  0.3333\nf(4) = 6.3333",
          .run = [](Call& c) { return polynomial_value(c, 1, 2, "line"); },
      },
      {
          .name = "polynomial_fit",
          .family = kFamily,
          .summary = "Fit a polynomial by least squares; coefficients from the highest power down.",
          .parameters = {x, y, {"degree", "an integer from 0", ""}, weights},
          .returns = kFit,
          .errors = "if there are fewer points than coefficients; if data are nan; an ill-conditioned "
                    "problem is a warning",
          .source = "least squares by Householder reflections of scaled columns with one step of iterative "
                    "refinement",
          .example = "x = 0..4\nf = polynomial_fit(x, 2*x^2 - x + 1, 2)\nnear(f.coefficients, [2, -1, 1], "
                     "relative: 1e-12)",
          .output = "near(f.coefficients, [2, -1, 1], relative: 1e-12) = true",
          .run = [](Call& c) { return polynomial_value(c, c.whole(2), 3, "polynomial"); },
      },
      {
          .name = "fit",
          .family = kFamily,
          .summary = "Fit the parameters of a nonlinear model.",
          .parameters =
              {called_with(
                   2, {"model",
                       "model fn(x, p): value at one x (a number, or a row of x) for the parameter vector p",
                       ""}),
               {"x", "a vector, or a matrix with one row for each point", ""},
               {"y", "a vector, or a matrix for several outputs", ""},
               {"start", "initial parameters", ""},
               weights,
               {"sigma",
                "known standard uncertainty of each y, or of all; sets the scale of the standard errors",
                "none"},
               advanced(
                   {"bounds", "a pair (low, high) of numbers or vectors that limit the parameters", "none"}),
               advanced({"fixed", "parameters kept at their start: indices, or a boolean for each parameter",
                         "none"}),
               one_of(advanced({"loss",
                                "loss function: \"squares\", or robust against outliers \"huber\", "
                                "\"cauchy\", \"bisquare\"",
                                "\"squares\""}),
                      choices::kLosses),
               advanced({"limit", "maximum number of evaluations of the model at all points", "100000"}),
               {"at_once",
                "whether the model receives all of x in one call and returns an array of the shape of y, as "
                "the solution of "
                "a differential equation does; a matrix y implies it",
                "false"}},
          .returns = kFit,
          .errors = "if the model is not finite; if there are fewer points than parameters; a fit that does "
                    "not converge is a warning",
          .source = "K. Levenberg, 1944; D. Marquardt, 1963; robust losses: P. J. Huber, 1964; J. W. Tukey",
          .example =
              "t = 0..9\nf = fit(fn(t, p) = p[1] * exp(-p[2] * t), t, 5 * exp(-0.3 * t), start: [1, 1])\n"
              "near(f.coefficients, [5, 0.3], relative: 1e-8)",
          .output = "near(f.coefficients, [5, 0.3], relative: 1e-8) = true",
          .run = fit_row,
      },
  };
}

}  // namespace quill
