#include "numerics/derivative.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

#include "base/error.h"
#include "base/interrupt.h"

namespace quill {

namespace {

constexpr double kEpsilon = std::numeric_limits<double>::epsilon();

// Six steps in parts of the largest: not symmetric, and of no common measure, so that no period of a function
// fits all of them.
using Steps = std::array<double, 6>;
constexpr std::array<Steps, 2> kBothSides = {
    {{-1, -0.613, -0.271, 0.317, 0.659, 0.941}, {-0.877, -0.531, -0.193, 0.229, 0.571, 1.069}}};
constexpr std::array<Steps, 2> kOneSide = {
    {{0.131, 0.293, 0.467, 0.683, 0.859, 1}, {0.109, 0.241, 0.409, 0.601, 0.787, 0.953}}};

// PointSlopes of f at x from values around it: to both sides where it has values there, else to one.
class PointSlopes {
 public:
  PointSlopes(const RealFunction& f, double x) : f_(f), x_(x), at_x_(called(x)) {
    if (!std::isfinite(at_x_))
      fail(fmt::format("the function is {} at {}", std::isnan(at_x_) ? "nan" : "infinite", shortest(x)),
           "check the point");
  }

  enum class Side : std::uint8_t { both, above, below };

  // Uses two families of steps of about h; the error is their difference plus rounding. Nothing if the
  // function has no value.
  std::optional<Estimate> with(double h, Side side) {
    double noise = 0;
    std::array<double, 2> slopes{};
    for (std::size_t k = 0; k < 2; ++k) {
      const auto found =
          slope(h, side == Side::both ? kBothSides[k] : kOneSide[k], side == Side::below ? -1 : 1);
      if (!found) return std::nullopt;
      slopes[k] = found->value;
      noise = std::max(noise, found->error);
    }
    // The closer family differs from the boolean by about as much as the two differ.
    return Estimate{slopes[0] / 2 + slopes[1] / 2, std::fabs(slopes[0] - slopes[1]) + noise};
  }

  Index evaluations = 0;

 private:
  // The slope at x of the polynomial through x and the six points.
  std::optional<Estimate> slope(double h, const Steps& steps, double sign) {
    std::array<double, 6> t{}, rise{};
    double highest = std::fabs(at_x_);
    for (std::size_t k = 0; k < t.size(); ++k) {
      const double to = x_ + sign * h * steps[k];
      if (!std::isfinite(to) || to == x_) return std::nullopt;
      t[k] = to - x_;  // as it really is
      const double y = called(to);
      if (!std::isfinite(y)) return std::nullopt;
      rise[k] = y - at_x_;
      highest = std::max(highest, std::fabs(y));
    }
    Estimate out;
    double weights = 0;
    for (std::size_t k = 0; k < t.size(); ++k) {
      double w = 1 / t[k];
      for (std::size_t j = 0; j < t.size(); ++j)
        if (j != k) w *= t[j] / (t[j] - t[k]);
      out.value += w * rise[k];
      weights += std::fabs(w);
    }
    // Of the values, and of x, which the function rounds as well.
    out.error = kEpsilon * weights * (highest + std::fabs(x_ * out.value));
    if (!std::isfinite(out.value) || !std::isfinite(out.error)) return std::nullopt;
    return out;
  }
  double called(double x) {
    poll_interrupt_at(static_cast<std::size_t>(evaluations));
    ++evaluations;
    return f_(x);
  }

  const RealFunction& f_;
  double x_, at_x_;
};

constexpr double kGrowth = 6;
double least_step(double x) { return x != 0 ? 5e-14 * std::fabs(x) : 1e-22; }

struct Climbed {
  Estimate best;
  double step = 0;
};

// Increases steps from some hundred ulp of x: larger steps have less rounding error until they exceed the
// function's own scale. Structure between large steps is invisible, so only steps that agree with the best
// shorter ones are trusted.
std::optional<Climbed> climbed(PointSlopes& slopes, double x, PointSlopes::Side side) {
  constexpr int most_scales = 45, patience = 4;
  std::optional<Climbed> best;
  int worse = 0;
  double h = least_step(x), least = 0;
  for (int k = 0; k < most_scales; ++k, h *= kGrowth) {
    auto now = slopes.with(h, side);
    if (!now) {
      if (best) break;
      continue;
    }
    // Noise falls with the step, not faster: families that agree more closely do so by chance, and other
    // noise than that of rounding shows at its first step already.
    now->error = std::max(now->error, least);
    least = now->error / (2 * kGrowth);
    if (best && std::fabs(now->value - best->best.value) > 3 * (now->error + best->best.error)) break;
    if (!best || now->error < best->best.error) {
      best = {*now, h};
      worse = 0;
    } else if (++worse >= patience && best->best.error < 1e-6 * std::fabs(best->best.value)) {
      break;
    }
  }
  return best;
}

// Whether slopes to one side grow by a constant factor with every shorter step.
bool grows(PointSlopes& slopes, double x, PointSlopes::Side side) {
  constexpr int scales = 8;
  double before = INFINITY, h = least_step(x);
  for (int k = 0; k < scales; ++k, h *= kGrowth) {
    const auto now = slopes.with(h, side);
    if (!now || !(std::fabs(now->value) * 1.3 < before) || now->error > 0.7 * std::fabs(now->value))
      return false;
    before = std::fabs(now->value);
  }
  return true;
}

}  // namespace

Estimate derivative(const RealFunction& f, double x) {
  if (!std::isfinite(x)) fail(fmt::format("the point of a derivative must be finite, not {}", shortest(x)));
  PointSlopes slopes(f, x);
  using Side = PointSlopes::Side;
  for (const auto side : {Side::both, Side::above, Side::below}) {
    const auto found = climbed(slopes, x, side);
    if (!found) continue;
    auto out = found->best;
    if (out.error > 0.02 * std::fabs(out.value) &&
        (grows(slopes, x, Side::above) || grows(slopes, x, Side::below)))
      fail(fmt::format("the derivative of the function is unbounded near {}", shortest(x)));
    constexpr double caution = 3;
    out.error = caution * (side == Side::both ? 1 : 10) * out.error + 2 * kEpsilon * std::fabs(out.value);
    if (side == Side::both) {
      // At a kink the slopes of the two sides differ.
      const auto above = slopes.with(found->step, Side::above), below = slopes.with(found->step, Side::below);
      if (above && below) {
        const double bend = std::fabs(above->value - below->value);
        if (bend > 10 * (above->error + below->error)) out.error = std::max(out.error, bend / 2);
      }
    }
    out.evaluations = slopes.evaluations;
    return out;
  }
  fail(fmt::format("the function is undefined near {}", shortest(x)), "check the point");
}

}  // namespace quill
