#include "builtins/distributions.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/context.h"
#include "builtins/method.h"
#include "builtins/sample_argument.h"
#include "builtins/tables.h"
#include "numerics/mapped.h"
#include "value/print.h"

namespace quill {

namespace distribution_calls {
namespace {

constexpr std::string_view kFamily = "statistics";

class DistributionValue : public LibraryObject {
 public:
  explicit DistributionValue(Distribution d) : d_(std::move(d)) {}
  const Distribution& held() const { return d_; }
  std::string type_name() const override { return "distribution"; }
  std::string describe() const override { return text_of(d_); }
  std::vector<std::string> part_names() const override {
    return {"kind",     "parameters", "mean",           "std", "density", "log_density", "cumulative",
            "survival", "quantile",   "upper_quantile", "draw"};
  }
  std::optional<bool> equals(const Value& other) const override {
    const auto* d = distribution_in(other);
    return d && d->kind() == d_.kind() && d->parameters() == d_.parameters();
  }
  std::optional<Value> part(const std::string& name) const override {
    if (name == "kind") return Value::text(std::string(family_of(d_.kind()).name));
    if (name == "mean") return Value(d_.mean());
    if (name == "std") return Value(d_.std());
    if (name == "parameters") {
      std::vector<std::pair<std::string, Value>> fields;
      for (std::size_t k = 0; k < d_.parameters().size(); ++k)
        fields.emplace_back(family_of(d_.kind()).parameters[k], Value(d_.parameters()[k]));
      return Value::record(std::move(fields));
    }
    const boost::intrusive_ptr<const DistributionValue> self(this);
    if (name == "draw")
      return Method::make(name, [self](Runtime& runtime, std::span<Value> sizes) {
        return Value::array(self->d_.draw(runtime.random(), sizes_from("draw", sizes)));
      });
    using Of = double (Distribution::*)(double) const;
    constexpr std::pair<std::string_view, Of> functions[] = {
        {"density", &Distribution::density},       {"log_density", &Distribution::log_density},
        {"cumulative", &Distribution::cumulative}, {"survival", &Distribution::survival},
        {"quantile", &Distribution::quantile},     {"upper_quantile", &Distribution::upper_quantile}};
    for (const auto& [word, function] : functions)
      if (name == word)
        return Method::make(name, [self, of = function, name](Runtime&, std::span<Value> given) {
          const auto arguments = real_arguments(name, given, 1);
          if (of == &Distribution::quantile || of == &Distribution::upper_quantile)
            check_probabilities(name, arguments[0]);
          return Value::array(mapped(arguments, [&](const double* x) { return (self->d_.*of)(x[0]); }));
        });
    return std::nullopt;
  }

 private:
  static void check_probabilities(const std::string& name, const Array& p) {
    for (const double v : p.to_vector<double>())
      if (v < 0 || v > 1) fail(fmt::format("{} takes probabilities from 0 to 1, not {}", name, shortest(v)));
  }

  Distribution d_;
};

// Parameters of the row: the kind, then these names.
constexpr std::string_view kNames[] = {"mean",
                                       "std",
                                       "degrees_of_freedom",
                                       "denominator_degrees_of_freedom",
                                       "low",
                                       "high",
                                       "shape",
                                       "scale",
                                       "a",
                                       "b",
                                       "log_mean",
                                       "log_std",
                                       "count",
                                       "probability"};

DistributionKind kind_argument(const Call& call, std::size_t i) {
  const auto name = call.one_of(i);
  for (const auto& family : distribution_families())
    if (family.name == name) return family.kind;
  return DistributionKind::normal;
}

Value distribution_row(Call& call) {
  const auto& family = family_of(kind_argument(call, 0));
  auto parameters = family.defaults;
  std::vector<bool> is_set(parameters.size());
  const std::vector<std::string> names(family.parameters.begin(), family.parameters.end());
  for (std::size_t i = 0; i < std::size(kNames); ++i) {
    if (!call.given(i + 1)) continue;
    const auto at = std::find(family.parameters.begin(), family.parameters.end(), kNames[i]);
    if (at == family.parameters.end())
      call.fail_argument(
          i + 1, fmt::format("is no parameter of \"{}\", which has {}", family.name, list_in_prose(names)));
    const auto k = static_cast<std::size_t>(at - family.parameters.begin());
    parameters[k] = call.number(i + 1);
    is_set[k] = true;
  }
  for (std::size_t k = 0; k < parameters.size(); ++k)
    if (!is_set[k] && std::isnan(family.defaults[k]))
      fail(fmt::format("distribution: \"{}\" needs `{}`", family.name, family.parameters[k]),
           fmt::format("distribution(\"{}\", {}: …)", family.name, family.parameters[k]));
  return {Kind::library, new DistributionValue(Distribution(family.kind, parameters))};
}

Value fit_row(Call& call) {
  const auto kind = kind_argument(call, 0);
  const auto data = sample_argument(call, 1, call.boolean_or(3, false));
  double count = 0;
  if (kind == DistributionKind::binomial) {
    if (!call.given(2))
      fail("fit_distribution: \"binomial\" needs the number of trials",
           "fit_distribution(\"binomial\", data, count: 10)");
    count = call.number(2);
  } else if (call.given(2)) {
    call.fail_argument(2, "is for the kind \"binomial\"");
  }
  const auto fit = fit_distribution(kind, data, count);
  const auto& family = family_of(kind);
  std::vector<std::pair<std::string, Value>> errors;
  for (std::size_t k = 0; k < fit.parameters.size(); ++k)
    errors.emplace_back(family.parameters[k], Value(fit.standard_errors[k]));
  Value made(Kind::library, new DistributionValue(Distribution(kind, fit.parameters)));
  auto parameters = *made.object<DistributionValue>().part("parameters");
  return Value::record({{"distribution", std::move(made)},
                        {"parameters", std::move(parameters)},
                        {"standard_errors", Value::record(std::move(errors))},
                        {"log_likelihood", Value(fit.log_likelihood)},
                        {"count", Value(static_cast<double>(data.size()))}});
}

}  // namespace
}  // namespace distribution_calls

const Distribution* distribution_in(const Value& value) {
  if (!value.is(Kind::library)) return nullptr;
  const auto* held =
      dynamic_cast<const distribution_calls::DistributionValue*>(&value.object<LibraryObject>());
  return held ? &held->held() : nullptr;
}

std::string text_of(const Distribution& d) {
  const auto& family = family_of(d.kind());
  std::string out = fmt::format("{} distribution,", family.name);
  for (std::size_t k = 0; k < d.parameters().size(); ++k)
    out += fmt::format(" {} {}{}", family.parameters[k], with_digits(d.parameters()[k], 5),
                       k + 1 < d.parameters().size() ? "," : "");
  return out;
}

std::vector<Builtin> distribution_rows() {
  using namespace distribution_calls;
  const Parameter kind = one_of({"kind",
                                 "\"normal\", \"student_t\", \"chi_squared\", \"f\", \"uniform\", "
                                 "\"exponential\", \"gamma\", \"beta\", "
                                 "\"log_normal\", \"weibull\", \"poisson\" or \"binomial\"",
                                 ""},
                                choices::kDistributions);
  const auto option = [](std::string_view name, std::string_view about, std::string_view fallback) {
    return grouped("Parameters of the kinds", {name, about, fallback});
  };
  return {
      {
          .name = "distribution",
          .family = kFamily,
          .summary = "Create a probability distribution.",
          .parameters = {kind, option("mean", "normal, poisson: mean", "0"),
                         option("std", "normal: standard deviation", "1"),
                         option("degrees_of_freedom", "student_t, chi_squared; f: of the numerator", "none"),
                         option("denominator_degrees_of_freedom", "f: of the denominator", "none"),
                         option("low", "uniform: lower end", "0"), option("high", "uniform: upper end", "1"),
                         option("shape", "gamma, weibull: shape", "none"),
                         option("scale", "exponential (its mean), gamma, weibull: scale", "1"),
                         option("a", "beta: first parameter", "none"),
                         option("b", "beta: second parameter", "none"),
                         option("log_mean", "log_normal: mean of the logarithm", "0"),
                         option("log_std", "log_normal: standard deviation of the logarithm", "1"),
                         option("count", "binomial: number of trials", "none"),
                         option("probability", "binomial: probability of success", "none")},
          .returns =
              "a distribution d; fields: kind, parameters, mean, std; functions of arrays: "
              "d.density(x) (of counts: the probability of x), d.log_density(x), d.cumulative(x), "
              "d.survival(x) = 1 - cumulative, d.quantile(p), d.upper_quantile(p) (the x with survival p); "
              "d.draw(sizes, …) draws random numbers. Probabilities and quantiles are accurate in both tails",
          .errors = "if a parameter is missing, impossible, or belongs to another kind",
          .source = "Boost.Math; draws by Boost.Random",
          .example =
              "d = distribution(\"normal\", mean: 20, std: 2)\nd.cumulative(22)\nd.quantile([0.025, 0.975])",
          .output = "d.cumulative(22) = 0.84134\nd.quantile([0.025, 0.975]) : float64 2\n  16.08  23.92",
          .run = distribution_row,
      },
      {
          .name = "fit_distribution",
          .family = kFamily,
          .summary = "Fit a distribution to independent data by maximum likelihood.",
          .parameters = {kind,
                         {"data", "vector of real numbers", ""},
                         {"count", "number of trials of a binomial distribution", "none"},
                         {"skip_nan", "whether nan elements are left out", "false"}},
          .returns =
              "a record: distribution, parameters, standard_errors (from the observed information; nan for "
              "\"uniform\"), log_likelihood, count",
          .errors = "if the distribution cannot produce the data; if the likelihood has no maximum; if data "
                    "are nan",
          .source = "closed forms, or Newton's method on the logarithms of the parameters",
          .example = "fit_distribution(\"poisson\", [3, 5, 2, 4, 6]).parameters",
          .output =
              "fit_distribution(\"poisson\", [3, 5, 2, 4, 6]).parameters : record of 1: mean\n  mean  4",
          .run = fit_row,
      },
  };
}

}  // namespace quill
