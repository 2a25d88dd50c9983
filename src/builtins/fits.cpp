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
  if (!c) fail(fmt::format("a confidence is a number between 0 and 1, not {}", kind_in_words(arguments[i])));
  return *c;
}

// What was fitted: callable, with the parts that tell how well.
class FitValue : public LibraryObject {
 public:
  using Evaluate = std::function<Array(Runtime&, const Array& x, std::span<const double> coefficients)>;
  FitValue(Fit fit, std::string what, Evaluate evaluate)
      : fit_(std::make_shared<const Fit>(std::move(fit))),
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
    if (arguments.size() != 1)
      fail(fmt::format("a fit takes 1 argument, and {} are given", arguments.size()));
    return Value::array(evaluate_(runtime, to_array(arguments[0], "a fit").converted(ElementType::float64),
                                  fit_->coefficients));
  }
  std::vector<std::string> part_names() const override {
    return {"coefficients", "standard_errors", "covariance", "residual",
            "r_squared",    "freedom",         "interval",   "band"};
  }
  std::optional<Value> part(const std::string& name) const override {
    if (name == "coefficients") return Value::array(Array::vector(fit_->coefficients));
    if (name == "standard_errors") return Value::array(Array::vector(fit_->standard_errors()));
    if (name == "covariance") return Value::array(fit_->covariance);
    if (name == "residual") return Value(fit_->residual);
    if (name == "r_squared") return Value(fit_->r_squared);
    if (name == "freedom") return Value(static_cast<double>(fit_->freedom));
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
    const double factor = student_factor(confidence_of(arguments, 0), fit.freedom);
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
    if (arguments.empty() || arguments.size() > 2) fail("a band is asked for at x", "fit.band(x, 0.95)");
    const auto x = to_array(arguments[0], "a band").converted(ElementType::float64);
    const double factor = student_factor(confidence_of(arguments, 1), fit.freedom);
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
  std::string what_;
  Evaluate evaluate_;
};

void warn_condition(const Call& call, const Fit& fit) {
  constexpr double digits_are_lost = 1e10;
  if (std::isinf(fit.condition))
    call.warn("the points do not determine all coefficients, which depend on each other",
              "a lower degree or fewer parameters help, or x shifted and scaled: (x - mean(x)) / std(x)");
  else if (fit.condition > digits_are_lost)
    call.warn(fmt::format("the fit is badly conditioned, by about {}: the coefficients have lost digits",
                          with_digits(fit.condition, 2)),
              "shift and scale x: (x - mean(x)) / std(x)");
}

Array weights_of(const Call& call, std::size_t i) {
  return call.given(i) && !call.value(i).is(Kind::none) ? call.vector(i) : Array();
}

Value polynomial_value(const Call& call, Index degree, std::size_t weights, std::string what) {
  auto fit = polynomial_fit(call.vector(0), call.vector(1), degree, weights_of(call, weights));
  warn_condition(call, fit);
  return {Kind::library, new FitValue(std::move(fit), std::move(what),
                                      [](Runtime&, const Array& x, std::span<const double> c) {
                                        auto out = Array::filled<double>(x.shape(), 0.0);
                                        for (const double k : c)
                                          out = apply(Binary::add, apply(Binary::multiply, out, x), k);
                                        return out;
                                      })};
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
  for (Index k = 0; k < count; ++k) {
    const Value arguments[] = {element_of(points, k), parameters};
    const auto result = runtime.call(model, arguments);
    const auto number = single_real(result);
    if (!number)
      fail(
          fmt::format("{}: the model gave {}, where a single number is wanted", name, kind_in_words(result)));
    out.mutable_data<double>()[k] = *number;
  }
  return out;
}

namespace model {
enum Parameters : std::size_t { kModel, kX, kY, kStart, kWeights, kSigma, kBounds, kFixed, kLoss, kLimit };
}

// Positions from 1, or truth values for all parameters.
std::vector<bool> fixed_of(const Call& call, std::size_t count) {
  using namespace model;
  std::vector<bool> out(count, false);
  const auto given = call.array(kFixed);
  if (given.type() == ElementType::boolean) {
    if (given.size() != static_cast<Index>(count))
      call.fail_argument(kFixed, fmt::format("has {} truth values for {} parameters", given.size(), count));
    const auto truths = given.converted(ElementType::float64).to_vector<double>();
    for (std::size_t k = 0; k < count; ++k) out[k] = truths[k] != 0;
    return out;
  }
  for (const double k : call.reals(kFixed).to_vector<double>()) {
    if (!(k >= 1 && k <= static_cast<double>(count)) || k != std::floor(k))
      call.fail_argument(kFixed, fmt::format("names parameters from 1 to {}, not {}", count, shortest(k)));
    out[static_cast<std::size_t>(k) - 1] = true;
  }
  return out;
}

FitOptions fit_options(const Call& call, std::size_t count) {
  using namespace model;
  FitOptions o;
  o.weights = weights_of(call, kWeights);
  if (call.given(kSigma) && !call.value(kSigma).is(Kind::none)) {
    if (call.given(kWeights)) call.fail_argument(kSigma, "and `weights` say the same; one of them is given");
    auto sigma = call.reals(kSigma);
    if (sigma.axes() == 0) sigma = Array::filled<double>({call.vector(kY).size()}, *sigma.data<double>());
    if (sigma.axes() != 1 || sigma.size() != call.vector(kY).size())
      call.fail_argument(kSigma, fmt::format("is one number or one for each of the {} of `y`; not shape {}",
                                             call.vector(kY).size(), text_of(sigma.shape())));
    for (const double s : sigma.to_vector<double>())
      if (!(s > 0) || std::isinf(s))
        call.fail_argument(kSigma, "holds uncertainties, finite numbers above 0");
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

Value fit_row(Call& call) {
  using namespace model;
  const Value model = call.callable(kModel);
  const auto x = call.reals(kX), y = call.vector(kY), start = call.reals(kStart);
  if (x.axes() < 1 || x.extent(0) != y.size())
    call.fail_argument(kX, fmt::format("has a value, or a row, for each of the {} of `y`; not shape {}",
                                       y.size(), text_of(x.shape())));
  refuse_not_finite(x, "x");
  if (start.axes() > 1) call.fail_argument(kStart, "is a number or a vector");
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
  const auto from = start.to_vector<double>();
  const auto options = fit_options(call, from.size());
  auto result = model_fit(
      [&](std::span<const double> p, std::span<double> out) {
        const auto values = at(call.runtime, x, p).compact();
        std::copy_n(values.data<double>(), out.size(), out.begin());
      },
      y, from, options);
  if (!result.converged)
    call.warn(
        result.evaluations >= options.limit
            ? fmt::format("after {} evaluations the fit has not come to rest", grouped(result.evaluations))
            : "the fit has not come to rest",
        "a start nearer to the solution, or scaled parameters, help");
  warn_condition(call, result);
  auto* made = new FitValue(std::move(result), "fit", at);
  const Value fit(Kind::library, made);
  made->keeps(model);
  return fit;
}

constexpr std::string_view kFamily = "fits";
constexpr std::string_view kFit =
    "a fit, which can be called: coefficients, standard_errors, covariance, residual, r_squared, freedom, "
    "interval(confidence), "
    "band(x, confidence)";

}  // namespace
}  // namespace fits_calls

std::vector<Builtin> fit_rows() {
  using namespace fits_calls;
  const Parameter x = {"x", "a vector", ""}, y = {"y", "a vector of the same length", ""};
  const Parameter weights = {"weights",
                             "one over the square of each uncertainty, up to a factor; none: equal", "none"};
  return {
      {
          .name = "line_fit",
          .family = kFamily,
          .summary = "The straight line nearest to points; its coefficients are slope and intercept.",
          .parameters = {x, y, weights},
          .returns = kFit,
          .errors = "fewer than two points, nan",
          .source = "least squares by Householder reflections with a step of refinement",
          .example = "f = line_fit([1, 2, 3], [2, 3, 5])\nf.coefficients\nf(4)",
          .output = "f.coefficients : float64 2\n  1.5000  0.3333\nf(4) = 6.3333",
          .run = [](Call& c) { return polynomial_value(c, 1, 2, "line"); },
      },
      {
          .name = "polynomial_fit",
          .family = kFamily,
          .summary = "The polynomial of a degree nearest to points, highest power first.",
          .parameters = {x, y, {"degree", "a whole number from 0", ""}, weights},
          .returns = kFit,
          .errors = "fewer points than coefficients, nan; a bad condition is a warning that says to shift x",
          .source = "least squares by Householder reflections of scaled columns with a step of refinement",
          .example = "x = 0..4\nf = polynomial_fit(x, 2*x^2 - x + 1, 2)\nnear(f.coefficients, [2, -1, 1], "
                     "relative: 1e-12)",
          .output = "near(f.coefficients, [2, -1, 1], relative: 1e-12) = true",
          .run = [](Call& c) { return polynomial_value(c, c.whole(2), 3, "polynomial"); },
      },
      {
          .name = "fit",
          .family = kFamily,
          .summary = "The parameters of a model that bring it nearest to points.",
          .parameters =
              {called_with(
                   2,
                   {"model",
                    "fn(x, p): the value at one x (a number, or a row) for the vector of parameters p", ""}),
               {"x", "a vector, or a matrix with a row for each point", ""},
               {"y", "a vector", ""},
               {"start", "parameters to start from", ""},
               weights,
               {"sigma", "the known uncertainty of each y, or of all; the errors of the fit go by it",
                "none"},
               {"bounds", "a pair (low, high) of numbers or vectors that the parameters stay between",
                "none"},
               {"fixed", "parameters that keep their start: positions, or truth values for all", "none"},
               one_of(
                   {"loss",
                    "\"squares\"; or against outliers \"huber\", \"cauchy\", \"bisquare\", which count large "
                    "residuals less",
                    "\"squares\""},
                   choices::kLosses),
               {"limit", "the most evaluations of the model at all points", "100000"}},
          .returns = kFit,
          .errors =
              "a model that is not finite, fewer points than parameters; a search without rest is a warning",
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
