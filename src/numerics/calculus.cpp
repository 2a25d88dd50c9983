#include "numerics/calculus.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/tools/minima.hpp>
#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <optional>

#include "array/elementwise.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "array/reduce.h"

namespace quill {

namespace {

// Calls f, counts, and refuses nan, which no method can go on with.
class Counted {
 public:
  explicit Counted(const RealFunction& f) : f_(f) {}
  double operator()(double x) {
    ++count;
    const double y = f_(x);
    if (std::isnan(y)) fail(fmt::format("the function is nan at {}", shortest(x)), "is the range right?");
    return y;
  }
  Index count = 0;

 private:
  const RealFunction& f_;
};

}  // namespace

Estimate find_root(const RealFunction& f, double a, double b) {
  Counted counted(f);
  if (!std::isfinite(a) || !std::isfinite(b)) fail("the ends of the bracket are finite numbers");
  if (a > b) std::swap(a, b);
  const double fa = counted(a), fb = counted(b);
  if (fa == 0) return {a, 0, counted.count};
  if (fb == 0) return {b, 0, counted.count};
  if ((fa < 0) == (fb < 0))
    fail(fmt::format("the function has the same sign at both ends: {} at {} and {} at {}", with_digits(fa, 3),
                     shortest(a), with_digits(fb, 3), shortest(b)),
         "a bracket has a root inside when the signs differ; start: x looks for one");
  std::uintmax_t most = 200;
  const auto bracket = boost::math::tools::toms748_solve([&](double x) { return counted(x); }, a, b, fa, fb,
                                                         boost::math::tools::eps_tolerance<double>(52), most);
  const double low = bracket.first, high = bracket.second;
  const double root = std::fabs(counted(low)) <= std::fabs(counted(high)) ? low : high;
  return {root, high - low, counted.count};
}

Estimate find_root_near(const RealFunction& f, double x) {
  if (!std::isfinite(x)) fail("the search starts at a finite number");
  Counted counted(f);
  const double here = counted(x);
  if (here == 0) return {x, 0, counted.count};
  struct Side {
    double sign, good;                // the last place with a value of the first sign
    std::optional<double> wall = {};  // where the function is nan
  };
  Side sides[] = {{1, x}, {-1, x}};
  double step = x == 0 ? 0.01 : 0.01 * std::fabs(x);
  constexpr int most_steps = 80;
  for (int k = 0; k < most_steps; ++k, step *= 1.6)
    for (auto& side : sides) {
      const double next = side.wall ? (side.good + *side.wall) / 2 : side.good + side.sign * step;
      const double y = f(next);
      ++counted.count;
      if (std::isnan(y)) {
        side.wall = next;
        continue;
      }
      if (y == 0 || (y < 0) != (here < 0)) {
        auto found = find_root(f, side.good, next);
        found.evaluations += counted.count;
        return found;
      }
      side.good = next;
    }
  fail(fmt::format("no change of sign was found between {} and {}", with_digits(sides[1].good, 3),
                   with_digits(sides[0].good, 3)),
       "a look at the function helps to choose a bracket: find_root(f, (a, b))");
}

Minimum minimize(const RealFunction& f, double a, double b) {
  if (!std::isfinite(a) || !std::isfinite(b) || a >= b)
    fail("a minimum is looked for between two finite numbers, the lower one first");
  Counted counted(f);
  std::uintmax_t most = 500;
  const auto [at, value] =
      boost::math::tools::brent_find_minima([&](double x) { return counted(x); }, a, b, 52, most);
  return {{at}, value, counted.count, most < 500};
}

namespace {

using Point = std::vector<double>;

// One run of the simplex method. Coefficients 1, 2, 1/2, 1/2.
class Simplex {
 public:
  Simplex(const std::function<double(std::span<const double>)>& f, const Point& start, Index& evaluations)
      : f_(f), evaluations_(evaluations) {
    points_.emplace_back(value_at(start), start);
    for (std::size_t k = 0; k < start.size(); ++k) {
      auto p = start;
      p[k] += p[k] != 0 ? 0.05 * p[k] : 0.00025;
      points_.emplace_back(value_at(p), p);
    }
  }

  // Whether it came to rest within so many steps.
  bool run(Index most) {
    for (Index k = 0; k < most; ++k) {
      std::sort(points_.begin(), points_.end());
      if (is_at_rest()) return true;
      step();
    }
    return false;
  }
  const std::pair<double, Point>& best() {
    std::sort(points_.begin(), points_.end());
    return points_[0];
  }

 private:
  double value_at(const Point& p) {
    ++evaluations_;
    const double y = f_(p);
    return std::isnan(y) ? INFINITY : y;
  }
  bool is_at_rest() const {
    const auto& best = points_.front();
    const auto& worst = points_.back();
    double width = 0;
    for (std::size_t k = 0; k < best.second.size(); ++k)
      for (const auto& p : points_)
        width = std::max(width, std::fabs(p.second[k] - best.second[k]) / (1e-8 + std::fabs(best.second[k])));
    return worst.first - best.first <= 1e-14 * (std::fabs(best.first) + 1e-14) || width < 1e-10;
  }
  // From the middle of all but the worst, past or towards the worst.
  Point moved(const Point& middle, double by) const {
    Point out(middle.size());
    const auto& worst = points_.back().second;
    for (std::size_t k = 0; k < out.size(); ++k) out[k] = middle[k] + by * (worst[k] - middle[k]);
    return out;
  }
  void step() {
    const auto n = points_.size() - 1;
    Point middle(points_[0].second.size(), 0.0);
    for (std::size_t i = 0; i < n; ++i)
      for (std::size_t k = 0; k < middle.size(); ++k)
        middle[k] += points_[i].second[k] / static_cast<double>(n);
    auto& worst = points_.back();
    const auto reflected = moved(middle, -1);
    const double y = value_at(reflected);
    if (y < points_[0].first) {
      const auto further = moved(middle, -2);
      const double z = value_at(further);
      worst = z < y ? std::pair(z, further) : std::pair(y, reflected);
    } else if (y < points_[n - 1].first) {
      worst = {y, reflected};
    } else {
      const auto nearer = moved(middle, y < worst.first ? -0.5 : 0.5);
      const double z = value_at(nearer);
      if (z < std::min(y, worst.first)) {
        worst = {z, nearer};
        return;
      }
      for (std::size_t i = 1; i < points_.size(); ++i) {
        auto& [value, p] = points_[i];
        for (std::size_t k = 0; k < p.size(); ++k) p[k] = (p[k] + points_[0].second[k]) / 2;
        value = value_at(p);
      }
    }
  }

  const std::function<double(std::span<const double>)>& f_;
  Index& evaluations_;
  std::vector<std::pair<double, Point>> points_;
};

}  // namespace

Minimum minimize(const std::function<double(std::span<const double>)>& f, std::vector<double> start) {
  if (start.empty()) fail("a minimum is looked for near a point of at least one coordinate");
  Minimum out;
  const auto most = static_cast<Index>(start.size()) * 2000;
  // A second run from the end of the first leaves a simplex that has collapsed too early.
  for (int round = 0; round < 2; ++round) {
    Simplex simplex(f, start, out.evaluations);
    out.converged = simplex.run(most);
    start = simplex.best().second;
    out.value = simplex.best().first;
  }
  if (!std::isfinite(out.value)) fail("the function has no finite value around the start");
  out.at = std::move(start);
  return out;
}

namespace {

void check_samples(const Array& x, const Array& y, int axis) {
  if (x.axes() != 1 || x.size() != y.extent(axis))
    fail(fmt::format("x has shape {} and axis {} of y has length {}: they must agree", text_of(x.shape()),
                     axis + 1, y.extent(axis)));
}

// x laid along the axis of y, to broadcast with it.
Array along(const Array& x, int axis, int axes) {
  Shape shape = Shape::filled(axes, 1);
  shape[axis] = x.size();
  return x.with_shape(shape);
}

Array part(const Array& a, int axis, Index first, Index count) {
  std::vector<Subscript> s;
  for (const auto extent : a.shape()) s.push_back(everything(extent));
  s[static_cast<std::size_t>(axis)] = {Subscript::Kind::run, first, 1, count, {}};
  return select(a, s);
}

}  // namespace

Array cumulative_integral(const Array& x, const Array& y, int axis) {
  check_samples(x, y, axis);
  const Index n = x.size();
  if (n == 0) return y;
  const auto steps = differences(along(x, axis, y.axes()), axis);
  const auto sums = apply(Binary::add, part(y, axis, 0, n - 1), part(y, axis, 1, n - 1));
  const auto pieces = apply(Binary::multiply, apply(Binary::multiply, sums, steps), 0.5);
  const auto zero = apply(Binary::multiply, part(y, axis, 0, 1), 0.0);
  const Array parts[] = {zero, running(Running::sum, pieces, axis)};
  return n == 1 ? zero : join(parts, axis);
}

Array gradient(const Array& y, const Array& x, int axis) {
  check_samples(x, y, axis);
  const Index n = x.size();
  if (n < 2) fail("a derivative of samples needs at least two of them");
  const auto h = differences(along(x, axis, y.axes()), axis);
  if (*reduce(Reduction::any, apply(Binary::equal, h, 0.0)).data<bool>())
    fail("two neighbours have the same x", "every abscissa has one value");
  const auto slope = apply(Binary::divide, differences(y, axis), h);
  if (n == 2) {
    const Array both[] = {slope, slope};
    return join(both, axis);
  }
  // Inside, the slopes on both sides weighted by the other step; at the ends, the parabola's slope goes on.
  const auto a = part(h, axis, 0, n - 2), b = part(h, axis, 1, n - 2);
  const auto left = part(slope, axis, 0, n - 2), right = part(slope, axis, 1, n - 2);
  const auto inside = apply(
      Binary::divide, apply(Binary::add, apply(Binary::multiply, left, b), apply(Binary::multiply, right, a)),
      apply(Binary::add, a, b));
  const auto beyond = [&](Index end, Index inner) {
    return apply(Binary::subtract, apply(Binary::multiply, part(slope, axis, end, 1), 2.0),
                 part(inside, axis, inner, 1));
  };
  const Array parts[] = {beyond(0, 0), inside, beyond(n - 2, n - 3)};
  return join(parts, axis);
}

}  // namespace quill
