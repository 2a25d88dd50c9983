#include "numerics/distributions.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/distributions/beta.hpp>
#include <boost/math/distributions/binomial.hpp>
#include <boost/math/distributions/chi_squared.hpp>
#include <boost/math/distributions/exponential.hpp>
#include <boost/math/distributions/fisher_f.hpp>
#include <boost/math/distributions/gamma.hpp>
#include <boost/math/distributions/lognormal.hpp>
#include <boost/math/distributions/normal.hpp>
#include <boost/math/distributions/poisson.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <boost/math/distributions/uniform.hpp>
#include <boost/math/distributions/weibull.hpp>
#include <boost/math/special_functions/erf.hpp>
#include <cmath>
#include <limits>
#include <numbers>
#include <variant>

#include "base/boost_policy.h"
#include "base/number.h"
#include "numerics/special_functions.h"

namespace quill {

namespace bm = boost::math;

using enum DistributionKind;  // this file is a unit of its own

std::span<const DistributionFamily> distribution_families() {
  static const std::vector<DistributionFamily> all = {
      {normal, "normal", {"mean", "std"}, {0, 1}},
      {student_t, "student_t", {"degrees_of_freedom"}, {NAN}},
      {chi_squared, "chi_squared", {"degrees_of_freedom"}, {NAN}},
      {f, "f", {"degrees_of_freedom", "denominator_degrees_of_freedom"}, {NAN, NAN}},
      {uniform, "uniform", {"low", "high"}, {0, 1}},
      {exponential, "exponential", {"scale"}, {1}},
      {gamma, "gamma", {"shape", "scale"}, {NAN, 1}},
      {beta, "beta", {"a", "b"}, {NAN, NAN}},
      {log_normal, "log_normal", {"log_mean", "log_std"}, {0, 1}},
      {weibull, "weibull", {"shape", "scale"}, {NAN, 1}},
      {poisson, "poisson", {"mean"}, {NAN}},
      {binomial, "binomial", {"count", "probability"}, {NAN, NAN}},
  };
  return all;
}

const DistributionFamily& family_of(DistributionKind kind) {
  return distribution_families()[static_cast<std::size_t>(kind)];
}

struct Distribution::Library {
  using D = double;
  std::variant<bm::normal_distribution<D, BoostPolicy>, bm::students_t_distribution<D, BoostPolicy>,
               bm::chi_squared_distribution<D, BoostPolicy>, bm::fisher_f_distribution<D, BoostPolicy>,
               bm::uniform_distribution<D, BoostPolicy>, bm::exponential_distribution<D, BoostPolicy>,
               bm::gamma_distribution<D, BoostPolicy>, bm::beta_distribution<D, BoostPolicy>,
               bm::lognormal_distribution<D, BoostPolicy>, bm::weibull_distribution<D, BoostPolicy>,
               bm::poisson_distribution<D, BoostPolicy>, bm::binomial_distribution<D, BoostPolicy>>
      any;

  template <class F>
  double with(F function) const {
    return std::visit([&](const auto& d) { return static_cast<double>(function(d)); }, any);
  }
};

namespace {

constexpr double kInfinity = std::numeric_limits<double>::infinity();
// The most trials and the largest mean of counts that draws hold without loss.
constexpr double kMostCounted = 1e15;

// Why a parameter is invalid; "" if it is valid.
std::string objection(DistributionKind kind, std::string_view parameter, const std::vector<double>& p,
                      double value) {
  if (!std::isfinite(value)) return "must be a finite number";
  if (parameter == "probability") return value >= 0 && value <= 1 ? "" : "must be from 0 to 1";
  if (parameter == "count")
    return value >= 0 && value <= kMostCounted && std::trunc(value) == value
               ? ""
               : "must be an integer from 0 to 1e15";
  if (parameter == "high") return value > p[0] ? "" : "must be greater than `low`";
  const bool is_location =
      parameter == "low" || parameter == "log_mean" || (parameter == "mean" && kind == normal);
  if (is_location) return "";
  if (kind == poisson && value > kMostCounted) return "must be at most 1e15";
  return value > 0 ? "" : "must be positive";
}

}  // namespace

Distribution::Distribution(DistributionKind kind, std::vector<double> parameters)
    : kind_(kind), parameters_(std::move(parameters)) {
  const auto& family = family_of(kind);
  for (std::size_t k = 0; k < family.parameters.size(); ++k)
    if (const auto reason = objection(kind, family.parameters[k], parameters_, parameters_[k]);
        !reason.empty())
      fail(fmt::format("`{}` of the distribution \"{}\" {}, not {}", family.parameters[k], family.name,
                       reason, shortest(parameters_[k])));
  const double a = parameters_[0], b = parameters_.size() > 1 ? parameters_[1] : 0;
  auto made = std::make_shared<Library>();
  auto& any = made->any;
  low_ = 0;
  high_ = kInfinity;
  switch (kind) {
    case normal: any.emplace<0>(a, b), low_ = -kInfinity; break;
    case student_t: any.emplace<1>(a), low_ = -kInfinity; break;
    case chi_squared: any.emplace<2>(a); break;
    case f: any.emplace<3>(a, b); break;
    case uniform: any.emplace<4>(a, b), low_ = a, high_ = b; break;
    case exponential: any.emplace<5>(1 / a); break;
    case gamma: any.emplace<6>(a, b); break;
    case beta: any.emplace<7>(a, b), high_ = 1; break;
    case log_normal: any.emplace<8>(a, b); break;
    case weibull: any.emplace<9>(a, b); break;
    case poisson: any.emplace<10>(a); break;
    case binomial: any.emplace<11>(a, b), high_ = a; break;
  }
  library_ = std::move(made);
}

namespace {

// Where x² overflows, Student's density and tail are their leading terms.
constexpr double kFarStudent = 1e150;
double log_far_student(double degrees, double x, bool is_density) {
  const double log_beta = bm::lgamma(degrees / 2, BoostPolicy()) + bm::lgamma(0.5, BoostPolicy()) -
                          bm::lgamma(degrees / 2 + 0.5, BoostPolicy());
  return degrees / 2 * std::log(degrees) - (degrees + (is_density ? 1 : 0)) * std::log(std::fabs(x)) -
         log_beta - (is_density ? 0 : std::log(degrees));
}

// The probability of more than z standard deviations above the mean. The error function takes z/√2, whose
// rounding would cost digits in proportion to z²: it is made up for to first order.
double normal_tail(double z) {
  constexpr double vanishes = 39, rest_of_root = -4.833646656726457e-17;  // of 1/√2 beyond its float64
  if (!(std::fabs(z) < vanishes)) return z > 0 ? 0 : 1;
  const double t = z * std::numbers::sqrt2 / 2,
               rest = std::fma(z, std::numbers::sqrt2 / 2, -t) + z * rest_of_root;
  return bm::erfc(t, BoostPolicy()) / 2 - std::exp(-t * t) * rest * std::numbers::inv_sqrtpi;
}

}  // namespace

double Distribution::density(double x) const {
  if (std::isnan(x)) return NAN;
  if (x < low_ || x > high_ || std::isinf(x) || (is_discrete() && std::trunc(x) != x)) return 0;
  // At an end the density may be infinite, which the library refuses.
  if (x == 0 && (kind_ == chi_squared || kind_ == f || kind_ == gamma || kind_ == beta || kind_ == weibull)) {
    const double shape = kind_ == chi_squared || kind_ == f ? parameters_[0] / 2 : parameters_[0];
    if (shape != 1) return shape < 1 ? kInfinity : 0;
  }
  if (kind_ == beta && x == 1 && parameters_[1] != 1) return parameters_[1] < 1 ? kInfinity : 0;
  if (kind_ == log_normal && x == 0) return 0;
  if (kind_ == student_t && std::fabs(x) > kFarStudent)
    return std::exp(log_far_student(parameters_[0], x, true));
  return unless_given_up([&] { return library_->with([&](const auto& d) { return pdf(d, x); }); });
}

double Distribution::log_density(double x) const {
  if (std::isnan(x)) return NAN;
  if (x < low_ || x > high_ || std::isinf(x) || (is_discrete() && std::trunc(x) != x)) return -kInfinity;
  // Logarithms of gamma functions cancel; the density itself is better where float64 holds it.
  constexpr double least = 1e-290, most = 1e290;
  const bool has_gamma = kind_ != normal && kind_ != log_normal && kind_ != exponential && kind_ != uniform;
  if (const double at = has_gamma ? density(x) : 0; at > least && at < most) return std::log(at);
  if (const auto g = as_gamma(x)) {
    if (!(g->second > 0)) return -kInfinity;
    // By Stirling's series; the part that cancels is a (m - log(1 + m)).
    const double shape = g->first, m = (g->second - shape) / shape,
                 scale = kind_ == gamma ? parameters_[1] : 1;
    return -shape * (m - std::log1p(m)) - std::log(g->second) +
           0.5 * std::log(shape / (2 * std::numbers::pi)) - 1 / (12 * shape) -
           std::log(kind_ == chi_squared ? 2 : scale);
  }
  const double a = parameters_[0], b = parameters_.size() > 1 ? parameters_[1] : 0;
  const double half_log_two_pi = 0.5 * std::log(2 * std::numbers::pi);
  const auto log_beta = [](double u, double v) {
    return bm::lgamma(u, BoostPolicy()) + bm::lgamma(v, BoostPolicy()) - bm::lgamma(u + v, BoostPolicy());
  };
  // c·log(v) where c = 0 leaves v = 0 out.
  const auto weighted_log = [](double c, double v) { return c == 0 ? 0 : c * std::log(v); };
  switch (kind_) {
    case normal: {
      const double z = (x - a) / b;
      return -0.5 * z * z - std::log(b) - half_log_two_pi;
    }
    case log_normal: {
      if (x == 0) return -kInfinity;
      const double z = (std::log(x) - a) / b;
      return -0.5 * z * z - std::log(b) - half_log_two_pi - std::log(x);
    }
    case exponential: return -x / a - std::log(a);
    case uniform: return -std::log(b - a);
    case gamma: return weighted_log(a - 1, x / b) - x / b - bm::lgamma(a, BoostPolicy()) - std::log(b);
    case chi_squared:
      return weighted_log(a / 2 - 1, x / 2) - x / 2 - bm::lgamma(a / 2, BoostPolicy()) - std::log(2.0);
    case weibull: return weighted_log(a - 1, x / b) - std::pow(x / b, a) + std::log(a / b);
    case beta: return weighted_log(a - 1, x) + (b == 1 ? 0 : (b - 1) * std::log1p(-x)) - log_beta(a, b);
    case student_t:
      if (std::fabs(x) > kFarStudent) return log_far_student(a, x, true);
      return -(a + 1) / 2 * std::log1p(x * x / a) - log_beta(a / 2, 0.5) - 0.5 * std::log(a);
    case f:
      return a / 2 * std::log(a / b) + weighted_log(a / 2 - 1, x) - (a + b) / 2 * std::log1p(a * x / b) -
             log_beta(a / 2, b / 2);
    case poisson: return weighted_log(x, a) - a - bm::lgamma(x + 1, BoostPolicy());
    case binomial:
      return -std::log(a + 1) - log_beta(a - x + 1, x + 1) + weighted_log(x, b) +
             (a == x ? 0 : (a - x) * std::log1p(-b));
  }
  return NAN;
}

double Distribution::cumulative(double x) const {
  if (std::isnan(x)) return NAN;
  if (x < low_) return 0;
  if (x >= high_ || std::isinf(x)) return std::isinf(x) && x < 0 ? 0 : 1;
  if (is_discrete()) x = std::floor(x);
  if (kind_ == student_t && x < -kFarStudent) return std::exp(log_far_student(parameters_[0], x, false));
  if (const auto g = as_gamma(x))
    return kind_ == poisson ? special::gamma_upper(g->first, g->second)
                            : special::gamma_lower(g->first, g->second);
  if (kind_ == normal) return normal_tail((parameters_[0] - x) / parameters_[1]);
  if (kind_ == log_normal) return normal_tail((parameters_[0] - std::log(x)) / parameters_[1]);
  return unless_given_up([&] { return library_->with([&](const auto& d) { return cdf(d, x); }); });
}

double Distribution::survival(double x) const {
  if (std::isnan(x)) return NAN;
  if (x < low_) return 1;
  if (x >= high_ || std::isinf(x)) return std::isinf(x) && x < 0 ? 1 : 0;
  if (is_discrete()) x = std::floor(x);
  if (kind_ == student_t && x > kFarStudent) return std::exp(log_far_student(parameters_[0], x, false));
  if (const auto g = as_gamma(x))
    return kind_ == poisson ? special::gamma_lower(g->first, g->second)
                            : special::gamma_upper(g->first, g->second);
  if (kind_ == normal) return normal_tail((x - parameters_[0]) / parameters_[1]);
  if (kind_ == log_normal) return normal_tail((std::log(x) - parameters_[0]) / parameters_[1]);
  return unless_given_up(
      [&] { return library_->with([&](const auto& d) { return cdf(complement(d, x)); }); });
}

// The library's quantile of a tiny probability has fewer digits than its probabilities, or none: Newton's
// steps on the logarithm of the probability, of positive numbers by their logarithms, within a bracket.
double Distribution::refined(double x, double p, bool is_upper) const {
  if (is_discrete() || (std::isinf(x) && !is_upper) || x <= -kInfinity) return x;
  const bool is_positive = low_ == 0;
  // The bracket: below and above the solution.
  double below = is_positive ? 0 : -std::numeric_limits<double>::max(),
         above = std::min(high_, std::numeric_limits<double>::max());
  if (kind_ == uniform) return x;
  constexpr double least = std::numeric_limits<double>::min();
  if (is_positive && (is_upper ? survival(least) <= p : cumulative(least) >= p)) return 0;
  x = std::clamp(x, is_positive ? least : below, above);
  constexpr int most = 120;
  for (int k = 0; k < most; ++k) {
    const double at = is_upper ? survival(x) : cumulative(x);
    // By logarithms: far out the density itself vanishes first.
    const double slope = at > 0 ? std::exp(log_density(x) - std::log(at)) : 0;
    if (at == p) return x;
    const bool is_low = is_upper ? at > p : at < p;
    (is_low ? below : above) = x;
    double next = NAN;
    if (slope > 0 && std::isfinite(slope)) {
      const double step = std::log(at / p) / slope * (is_upper ? 1 : -1);
      constexpr double last = 1e-10;  // after a step so small the digits are as good as the probability's
      if (std::fabs(step) <= last * (is_large() ? std() : std::fabs(x))) return x + step;
      // Far from 0 and farther still, heavy tails are straight in logarithms too.
      const bool is_by_logarithm = std::fabs(step) > 0.1 * std::fabs(x) &&
                                   (is_positive || (kind_ == student_t && std::fabs(x) > 10 && x * step > 0));
      next = is_by_logarithm ? x * std::exp(std::clamp(step / x, -700.0, 700.0)) : x + step;
    }
    if (!(next > below && next < above)) {
      if (below > 0)
        next = std::sqrt(below) * std::sqrt(above);
      else if (above < 0)
        next = -std::sqrt(-below) * std::sqrt(-above);
      else if (is_positive)
        next = above > 1e-290 ? above * 1e-20 : above / 2;
      else
        next = below / 2 + above / 2;
    }
    if (next == x || !(next > below && next < above)) return x;
    x = next;
  }
  return x;
}

// The shape and the argument of the incomplete gamma function that gives the probabilities, where they are
// too large for the library.
std::optional<std::pair<double, double>> Distribution::as_gamma(double x) const {
  const double a = parameters_[0];
  std::pair<double, double> g;
  if (kind_ == gamma)
    g = {a, x / parameters_[1]};
  else if (kind_ == chi_squared)
    g = {a / 2, x / 2};
  else if (kind_ == poisson)
    g = {x + 1, a};
  else
    return std::nullopt;
  return g.first > special::kLargeShape ? std::optional(g) : std::nullopt;
}

bool Distribution::is_large() const {
  switch (kind_) {
    case gamma: return parameters_[0] > special::kLargeShape;
    case chi_squared: return parameters_[0] / 2 > special::kLargeShape;
    case poisson: return parameters_[0] > special::kLargeShape;
    case binomial: return parameters_[0] > special::kLargeShape;
    default: return false;
  }
}

// The quantile of counts with large parameters, by bisection of the integers near the mean.
double Distribution::counted_quantile(double p, bool is_upper) const {
  const double reach = 40 * std() + 40;
  double below = std::max(-1.0, std::floor(mean() - reach)),
         above = std::min(high_, std::ceil(mean() + reach));
  while (above - below > 1) {
    const double middle = std::floor(below / 2 + above / 2);
    const double at = is_upper ? survival(middle) : cumulative(middle);
    if (std::isnan(at)) return NAN;
    ((is_upper ? at <= p : at >= p) ? above : below) = middle;
  }
  return above;
}

double Distribution::quantile(double p) const {
  if (!(p >= 0 && p <= 1)) return NAN;
  if (p == 0) return low_;
  if (p == 1) return high_;
  if (is_large()) return is_discrete() ? counted_quantile(p, false) : refined(mean(), p, false);
  const double x = library_->with([&](const auto& d) { return bm::quantile(d, p); });
  return p < 0.5 ? refined(x, p, false) : x;
}

double Distribution::upper_quantile(double p) const {
  if (!(p >= 0 && p <= 1)) return NAN;
  if (p == 0) return high_;
  if (p == 1) return low_;
  if (is_large()) return is_discrete() ? counted_quantile(p, true) : refined(mean(), p, true);
  const double x = library_->with([&](const auto& d) { return bm::quantile(complement(d, p)); });
  return p < 0.5 ? refined(x, p, true) : x;
}

double Distribution::mean() const {
  const double a = parameters_[0];
  if (kind_ == student_t) return a > 1 ? 0 : NAN;
  if (kind_ == f) return parameters_[1] > 2 ? parameters_[1] / (parameters_[1] - 2) : kInfinity;
  return library_->with([](const auto& d) { return bm::mean(d); });
}

double Distribution::std() const {
  const double a = parameters_[0];
  if (kind_ == student_t && a <= 2) return a > 1 ? kInfinity : NAN;
  if (kind_ == f && parameters_[1] <= 4) return parameters_[1] > 2 ? kInfinity : NAN;
  return library_->with([](const auto& d) { return std::sqrt(variance(d)); });
}

}  // namespace quill
