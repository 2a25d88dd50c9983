#include "numerics/quadrature.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <exception>
#include <memory>
#include <numbers>
#include <numeric>
#include <optional>
#include <unordered_map>

#include "base/error.h"
#include "base/interrupt.h"
#include "numerics/adaptive_integral.h"
#include "numerics/gsl.h"

namespace quill {

namespace {

constexpr double kDoubleEpsilon = std::numeric_limits<double>::epsilon();
// Rounding error of a sum of that size.
constexpr double kRounding = 100 * kDoubleEpsilon;

// The library calls back from C: exceptions are stored until it returns, which returning zeros hastens.
class Guarded {
 public:
  Guarded(const RealFunction& f, Index limit) : f_(f), limit_(limit) {}

  double operator()(double x) {
    if (failure_ || single_point_ || at_limit_) return 0;
    try {
      poll_interrupt_at(static_cast<std::size_t>(count_));
      if (count_ >= limit_) {
        at_limit_ = true;
        return 0;
      }
      ++count_;
      const double y = f_(x);
      if (!std::isfinite(y)) return not_finite(x, y);
      any_ = any_ || y != 0;
      return y;
    } catch (...) { failure_ = std::current_exception(); }
    return 0;
  }

  void set_range(double from, double to) {
    from_ = from;
    to_ = to;
  }
  // Throws the stored exception.
  void settle() {
    if (failure_) std::rethrow_exception(std::exchange(failure_, nullptr));
  }
  // The point that the range is to be broken at, once.
  std::optional<double> take_single_point() { return std::exchange(single_point_, std::nullopt); }
  // The evaluations are used up.
  bool at_limit() const { return at_limit_; }
  Index count() const { return count_; }
  bool any() const { return any_; }

 private:
  // A point where the neighbours are numbers becomes a break. At an end, where the rules come as near as they
  // can, it is left out.
  double not_finite(double x, double y) {
    constexpr double beside = 1e-12;
    const double width = to_ - from_;
    if (std::isfinite(width) && std::min(std::fabs(x - from_), std::fabs(x - to_)) <= beside * width)
      return 0;
    const double step = std::max(std::fabs(x), 1e-290) * 1e-9;
    count_ += 2;
    if (std::isfinite(f_(x - step)) && std::isfinite(f_(x + step))) {
      single_point_ = x;
      return 0;
    }
    if (std::isnan(y)) fail(fmt::format("the function is nan at {}", shortest(x)), "check the range");
    fail(fmt::format("the function is infinite at {} and near it", shortest(x)), "check the range");
  }

  const RealFunction& f_;
  Index limit_, count_ = 0;
  double from_ = -INFINITY, to_ = INFINITY;
  bool at_limit_ = false, any_ = false;
  std::exception_ptr failure_;
  std::optional<double> single_point_;
};

double call_guarded(double x, void* f) { return (*static_cast<Guarded*>(f))(x); }

struct Workspaces {
  Workspaces() { gsl_set_error_handler_off(); }
  ~Workspaces() {
    gsl_integration_workspace_free(intervals);
    gsl_integration_workspace_free(cycles);
  }
  Workspaces(const Workspaces&) = delete;
  Workspaces& operator=(const Workspaces&) = delete;
  static constexpr std::size_t size = 5000;
  gsl_integration_workspace* intervals = nullptr;
  gsl_integration_workspace* cycles = nullptr;
};

// One run of a rule with a weight over one range.
class WeightedIntegral {
 public:
  // `shift`: by how many cycles the parts of a half line are moved.
  WeightedIntegral(const RealFunction& f, const IntegralOptions& options, double shift = 0)
      : f_(f), options_(options), guarded_(f_, options.limit), shift_(shift) {}

  Integral over(double a, double b) {
    return options_.weight == Weight::cauchy ? cauchy(a, b) : oscillating(a, b);
  }

 private:
  Integral finished(Integral total) {
    guarded_.settle();
    // The rules with a weight cannot be divided there.
    if (const auto point = guarded_.take_single_point())
      fail(fmt::format("the function is not finite at {}, inside the range", shortest(*point)),
           "compute two integrals, one on each side of it");
    total.evaluations = guarded_.count();
    total.at_limit = guarded_.at_limit();
    // Zeros stood for the values that were not calculated any more.
    if (total.at_limit) total.error = INFINITY;
    total.all_zero = !guarded_.any();
    return total;
  }

  static gsl_integration_workspace* made(gsl_integration_workspace*& space) {
    if (!space) space = gsl_integration_workspace_alloc(Workspaces::size);
    if (!space) fail("not enough memory for the integral");
    return space;
  }
  gsl_integration_workspace* intervals() { return made(spaces_.intervals); }
  gsl_integration_workspace* cycles() { return made(spaces_.cycles); }

  Integral cauchy(double a, double b) {
    const double c = options_.weight_at;
    if (std::isinf(a) || std::isinf(b)) fail("a principal value requires a finite range");
    if (!(c > a && c < b)) fail(fmt::format("the pole {} is not inside the range", shortest(c)));
    gsl_function g{call_guarded, &guarded_};
    Integral out;
    guarded_.set_range(a, b);
    const auto rooms = intervals_left();
    gsl_integration_qawc(&g, a, b, c, options_.absolute, options_.relative, rooms, intervals(), &out.value,
                         &out.error);
    out.size = std::fabs(out.value);
    return finished(out);
  }

  std::size_t intervals_left() const {
    return static_cast<std::size_t>(
        std::clamp<Index>(options_.limit / 50, 1, static_cast<Index>(Workspaces::size)));
  }

  Integral oscillating(double a, double b) {
    if (std::isinf(a)) {
      // The reflected function from -b on, and from there the rest of a whole line.
      const double sign = options_.weight == Weight::sine ? -1 : 1;
      auto options = options_;
      const double middle = std::isinf(b) ? 0 : b;
      auto left =
          WeightedIntegral([&](double x) { return sign * f_(-x); }, options, shift_).over(-middle, INFINITY);
      if (!std::isinf(b)) return left;
      const auto right = WeightedIntegral(f_, options, shift_).over(0, INFINITY);
      left.value += right.value;
      left.error += right.error;
      left.size += right.size;
      left.evaluations += right.evaluations;
      return left;
    }
    if (std::isinf(b)) return half_line(a);
    const auto table = weights(b - a);
    gsl_function g{call_guarded, &guarded_};
    Integral out;
    guarded_.set_range(a, b);
    gsl_integration_qawo(&g, a, options_.absolute, options_.relative, intervals_left(), intervals(),
                         table.get(), &out.value, &out.error);
    out.size = std::fabs(out.value);
    return finished(out);
  }

  using WeightTable = std::unique_ptr<gsl_integration_qawo_table, decltype(&gsl_integration_qawo_table_free)>;
  WeightTable weights(double length) const {
    const auto kind = options_.weight == Weight::sine ? GSL_INTEG_SINE : GSL_INTEG_COSINE;
    WeightTable out(gsl_integration_qawo_table_alloc(options_.weight_at, length, kind, 60),
                    gsl_integration_qawo_table_free);
    if (!out) fail("not enough memory for the integral");
    return out;
  }

  // From a to infinity: the first cycle, or all up to where the function is largest, as any other integral,
  // since it may be anything beside a; the rest cycle by cycle, whose sums are extrapolated.
  Integral half_line(double a) {
    const double cycle = 2 * std::numbers::pi / std::fabs(options_.weight_at);
    const double first = a + (1 + shift_) * reach(a, cycle);
    auto head_options = options_;
    head_options.weight = Weight::none;
    head_options.breaks.clear();
    constexpr int decades = 16;
    for (int k = 1; k <= decades; ++k)
      if (const double x = a + cycle * std::pow(10.0, -k); x > a) head_options.breaks.push_back(x);
    const double w = options_.weight_at;
    const bool is_sine = options_.weight == Weight::sine;
    auto out = adaptive_integral(
        [&](double x) {
          const double trig = is_sine ? std::sin(w * x) : std::cos(w * x);
          // The function may be infinite at a zero of the weight.
          return trig == 0 ? 0 : f_(x) * trig;
        },
        a, first, head_options);
    gsl_function g{call_guarded, &guarded_};
    guarded_.set_range(first, first + cycle);
    const auto table = weights(1);
    // The rule takes an absolute tolerance alone: relative to the first part, then to the result.
    double allowed = std::max({options_.absolute, options_.relative * out.size, 1e-300});
    Integral tail;
    for (int round = 0; round < 3; ++round) {
      gsl_integration_qawf(&g, first, allowed, intervals_left(), intervals(), cycles(), table.get(),
                           &tail.value, &tail.error);
      const double wanted =
          std::max(options_.absolute, options_.relative * std::fabs(out.value + tail.value));
      if (tail.error <= wanted || wanted >= allowed || guarded_.at_limit()) break;
      allowed = std::max(0.5 * wanted, 1e-300);
    }
    tail = finished(tail);
    out.value += tail.value;
    out.error += tail.error;
    out.evaluations += tail.evaluations;
    out.at_limit = out.at_limit || tail.at_limit;
    out.all_zero = out.all_zero && tail.all_zero;
    return out;
  }

  // Number of cycles beyond the maximum of the function. Throws Error if it does not decay.
  double reach(double a, double cycle) {
    constexpr int places = 200, part_of_octave = 4;
    double largest = 0, far = 1, half_way = 0, size = 0;
    for (int k = 0; k < places; ++k) {
      const double cycles_on = std::exp2(static_cast<double>(k) / part_of_octave);
      size = std::fabs(guarded_(a + cycle * cycles_on));
      if (k == places / 2) half_way = size;
      constexpr double grows = 1.5;
      if (k == 0) largest = grows * size;
      if (size <= largest) continue;
      largest = size;
      far = 2 * cycles_on;
    }
    guarded_.settle();
    guarded_.take_single_point();
    constexpr double hardly_less = 0.9;
    if (size > hardly_less * half_way)
      fail("the integral does not converge: the function does not decay towards inf",
           "use a finite end, or a function that decays");
    constexpr Index of_cycle = 50;
    return cycle * std::min(std::ceil(far), std::max(1.0, static_cast<double>(options_.limit / of_cycle)));
  }

  const RealFunction f_;
  IntegralOptions options_;
  Guarded guarded_;
  double shift_;
  Workspaces spaces_;
};

// With a second look: the same by other pieces, whose difference belongs to the error.
Integral weighted_integral(const RealFunction& f, double a, double b, const IntegralOptions& options) {
  auto out = WeightedIntegral(f, options).over(a, b);
  if (!options.confirm || out.at_limit) return out;
  constexpr double golden = 0.6180339887498949;
  auto other = options;
  Integral again;
  if (std::isinf(a) || std::isinf(b)) {
    again = WeightedIntegral(f, other, golden).over(a, b);
  } else if (options.weight == Weight::cauchy) {
    // An end moved towards the pole, and the rest without a weight.
    const double c = options.weight_at, middle = c + (b - c) * golden;
    again = WeightedIntegral(f, other).over(a, middle);
    other.weight = Weight::none;
    const auto rest = adaptive_integral([&](double x) { return f(x) / (x - c); }, middle, b, other);
    again.value += rest.value;
    again.evaluations += rest.evaluations;
  } else {
    const double middle = a + (b - a) * golden;
    again = WeightedIntegral(f, other).over(a, middle);
    const auto rest = WeightedIntegral(f, other).over(middle, b);
    again.value += rest.value;
    again.evaluations += rest.evaluations;
  }
  out.error += std::fabs(out.value - again.value);
  out.evaluations += again.evaluations;
  return out;
}

void check(double a, double b, const IntegralOptions& o) {
  if (std::isnan(a) || std::isnan(b)) fail("an end of the range is nan");
  if (!(o.relative >= 0 && o.relative < 1) || !(o.absolute >= 0) || (o.relative == 0 && o.absolute == 0))
    fail("tolerances must be at least 0, the relative one below 1, and one of them above 0");
  for (const double x : o.breaks)
    if (!std::isfinite(x)) fail(fmt::format("a break must be a finite number, not {}", shortest(x)));
}

}  // namespace

bool Integral::is_good(const IntegralOptions& o) const {
  return std::isfinite(value) &&
         error <= std::max({o.absolute, o.relative * std::fabs(value), kRounding * size});
}

bool Integral::needs_warning(const IntegralOptions& o) const {
  constexpr double room = 100;  // error estimates are cautious
  auto loose = o;
  loose.relative *= room;
  loose.absolute *= room;
  return all_zero || !is_good(loose);
}

Integral integrate(const RealFunction& f, double a, double b, const IntegralOptions& options) {
  check(a, b, options);
  if (a == b) return {};
  if (a > b) {
    auto turned = integrate(f, b, a, options);
    turned.value = -turned.value;
    return turned;
  }
  auto out = options.weight == Weight::none ? adaptive_integral(f, a, b, options)
                                            : weighted_integral(f, a, b, options);
  if (!std::isfinite(out.value)) fail("the integral is not finite");
  const bool is_endless = std::isinf(a) || std::isinf(b);
  if (options.weight == Weight::none && is_endless && out.at_limit && !(out.error < out.size))
    fail(fmt::format("the integral up to {} did not converge in {} evaluations: the function oscillates, or "
                     "decays too slowly",
                     std::isinf(b) ? "inf" : "-inf", grouped(out.evaluations)),
         "weight: \"sine\", frequency: 3 integrates f(x) * sin(3 * x) over all periods; or use a finite "
         "range");
  return out;
}

std::vector<Integral> integrate(const SeveralFunction& f, std::size_t count, double a, double b,
                                const IntegralOptions& options) {
  // Each result separately; evaluations at common points are shared.
  std::unordered_map<double, std::vector<double>> known;
  std::vector<Integral> out;
  for (std::size_t k = 0; k < count; ++k)
    out.push_back(integrate(
        [&](double x) {
          auto& values = known[x];
          if (values.empty()) {
            values.resize(count);
            f({&x, 1}, values);
          }
          return values[k];
        },
        a, b, options));
  for (auto& integral : out) integral.evaluations = static_cast<Index>(known.size());
  return out;
}

}  // namespace quill
