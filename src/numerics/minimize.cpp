#include "numerics/minimize.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/tools/minima.hpp>
#include <cmath>
#include <utility>

#include "base/error.h"
#include "numerics/minimum_check.h"
#include "numerics/minimum_search.h"

namespace quill {

std::string_view name_of(MinimizeMethod method) {
  switch (method) {
    case MinimizeMethod::automatic: return "automatic";
    case MinimizeMethod::lbfgs: return "lbfgs";
    case MinimizeMethod::slsqp: return "slsqp";
    case MinimizeMethod::nelder_mead: return "nelder_mead";
    case MinimizeMethod::bobyqa: return "bobyqa";
    case MinimizeMethod::random_search: return "random_search";
  }
  return "";
}

Minimum minimize(const RealFunction& f, double a, double b) {
  if (!std::isfinite(a) || !std::isfinite(b) || a >= b)
    fail("the interval must be two finite numbers, the lower one first");
  constexpr std::uintmax_t limit = 500;
  Index count = 0;
  const auto called = [&](double x) {
    ++count;
    const double y = f(x);
    if (std::isnan(y)) fail(fmt::format("the function is nan at {}", shortest(x)), "check the range");
    return y;
  };
  // The library's tolerance is partly absolute, so the range is scaled to 1; the search is repeated in a much
  // narrower range around the result while that range limits the accuracy.
  double low = a, high = b, at = a, value = INFINITY;
  bool converged = true;
  constexpr int rounds = 12;
  for (int round = 0; round < rounds; ++round) {
    std::uintmax_t most = limit;
    const double width = high - low;
    const auto found = boost::math::tools::brent_find_minima(
        [&](double u) { return called(low + u * width); }, 0.0, 1.0, 52, most);
    converged = most < limit;
    const double x = low + found.first * width;
    if (found.second <= value) {
      at = x;
      value = found.second;
    }
    constexpr double narrower = 1e-6, fine = 1e-9;
    if (!(width > fine * std::fabs(at))) break;
    low = std::max(a, at - narrower * width);
    high = std::min(b, at + narrower * width);
    if (!(low < at || at < high) || !(high - low < 0.5 * width)) break;
  }
  // The search excludes the ends, which may be lower.
  count += 2;
  for (const double end : {a, b})
    if (const double y = f(end); !std::isnan(y) && y < value) {
      at = end;
      value = y;
    }
  return {{at}, value, count, "brent", converged};
}

namespace {

using Point = std::vector<double>;

void check(const MinimizeOptions& o, Point& start) {
  if (start.empty()) fail("the starting point must have at least one coordinate");
  for (const double x : start)
    if (!std::isfinite(x)) fail("the starting point must be finite");
  for (std::size_t k = 0; k < o.low.size(); ++k) {
    if (!(o.low[k] <= o.high[k]))
      fail(fmt::format("the bounds of coordinate {} are {} and {}: the lower one must come first", k + 1,
                       shortest(o.low[k]), shortest(o.high[k])));
    start[k] = std::clamp(start[k], o.low[k], o.high[k]);
  }
  if (o.method == MinimizeMethod::random_search)
    for (std::size_t k = 0; k < start.size(); ++k)
      if (o.low.empty() || std::isinf(o.low[k]) || std::isinf(o.high[k]))
        fail("the method \"random_search\" requires finite bounds of all coordinates", "bounds: (low, high)");
}

}  // namespace

Minimum minimize(const ScalarFunction& f, std::vector<double> start, const MinimizeOptions& options) {
  check(options, start);
  MinimumSearch search(f, options, start);
  using enum MinimizeMethod;
  const bool has_constraints = options.below_count + options.equal_count > 0;
  const auto method = has_constraints ? slsqp : options.method != automatic ? options.method : lbfgs;
  auto out = search.run(method, start);
  if (!std::isfinite(out.value)) fail("the function is not finite near the start");
  MinimumCheck check(search, options, out);
  // A search may end early, as at a kink. It begins again from any lower point that the check finds.
  constexpr int most_rounds = 12;
  bool converged = false;
  for (int round = 0; round < most_rounds && !search.is_at_limit(); ++round) {
    if (has_constraints) check.make_feasible(out);
    if (!check.improve(out)) {
      converged = !search.is_at_limit();
      break;
    }
    // A random search is done once.
    auto next = search.run(method == random_search ? lbfgs : method, out.at);
    if (has_constraints) check.make_feasible(next);
    if (next.value < out.value) out = std::move(next);
  }
  out.converged = converged;
  out.method = name_of(method);
  out.evaluations = search.evaluations();
  return out;
}

}  // namespace quill
