#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

#include "base/error.h"
#include "numerics/derivative.h"

namespace quill {

namespace {

constexpr double kEpsilon = std::numeric_limits<double>::epsilon();

// Differences of f around x: to both sides where it has values there, else to one.
class Differences {
 public:
  Differences(const RealFunction& f, double x) : f_(f), x_(x), at_x_(called(x)) {
    if (!std::isfinite(at_x_))
      fail(fmt::format("the function is {} at {}", std::isnan(at_x_) ? "nan" : "infinite", shortest(x)),
           "is the place right?");
  }

  enum class Side : std::uint8_t { both, above, below };

  struct Difference {
    double slope = 0, noise = 0;
    double bend = 0;  // the change of the slope from one side to the other
  };
  // With a step of about h; nothing where the function has no value.
  std::optional<Difference> with(double h, Side side) {
    Difference out;
    const double up = x_ + h, down = x_ - h;
    if (!std::isfinite(up) || !std::isfinite(down)) return std::nullopt;
    if (side == Side::both) {
      if (up == x_ || down == x_) return std::nullopt;
      const double y = called(up), z = std::isfinite(y) ? called(down) : y;
      if (!std::isfinite(y) || !std::isfinite(z)) return std::nullopt;
      out.slope = (y - z) / (up - down);
      out.noise = noise(y, z, out.slope, up - down);
      out.bend = (y - at_x_) / (up - x_) - (at_x_ - z) / (x_ - down);
    } else {
      const double to = side == Side::above ? up : down;
      if (to == x_) return std::nullopt;
      const double y = called(to);
      if (!std::isfinite(y)) return std::nullopt;
      out.slope = (y - at_x_) / (to - x_);
      out.noise = noise(y, at_x_, out.slope, to - x_);
    }
    if (!std::isfinite(out.slope)) return std::nullopt;
    return out;
  }

  // C. J. F. Ridders, Adv. Eng. Softw. 4, 1982: differences of falling steps, extrapolated to 0.
  std::optional<Estimate> extrapolated(double h, Side side) {
    constexpr std::size_t most = 10;
    constexpr double shrink = 1.6;
    std::array<double, most> row{}, next{};
    Estimate best{0, INFINITY};
    double first_bend = 0, last_bend = 0, last_noise = 0;
    std::size_t count = 0;
    for (int tries = 0; count < most && tries < 3 * static_cast<int>(most); ++tries, h /= shrink) {
      const auto d = with(h, side);
      if (!d) {
        if (count == 0) continue;
        break;
      }
      next[0] = d->slope;
      (count == 0 ? first_bend : last_bend) = d->bend;
      last_noise = d->noise;
      double power = side == Side::both ? shrink * shrink : shrink;
      const double by = power;
      for (std::size_t j = 1; j <= count; ++j, power *= by) {
        next[j] = next[j - 1] + (next[j - 1] - row[j - 1]) / (power - 1);
        const double error =
            std::max(std::fabs(next[j] - next[j - 1]), std::fabs(next[j] - row[j - 1])) + 4 * d->noise;
        if (error < best.error) best = {next[j], error};
      }
      row = next;
      ++count;
      // Rounding takes over.
      if (count > 2 && std::fabs(next[count - 1] - row[count - 2]) + d->noise > 100 * best.error) break;
    }
    if (!std::isfinite(best.error)) return std::nullopt;
    // A kink bends by the same angle at every scale.
    if (side == Side::both && std::fabs(last_bend) > 0.5 * std::fabs(first_bend) &&
        std::fabs(last_bend) > 100 * last_noise)
      best.error += std::fabs(last_bend) / 2;
    const double caution = side == Side::both ? 3 : 10;
    best.error *= caution;
    return best;
  }

  Index evaluations = 0;

 private:
  // Of the values, and of x, which the function rounds as well.
  double noise(double y, double z, double slope, double h) const {
    return kEpsilon * (std::fabs(y) + std::fabs(z) + std::fabs(x_ * slope)) / std::fabs(h);
  }
  double called(double x) {
    ++evaluations;
    return f_(x);
  }

  const RealFunction& f_;
  double x_, at_x_;
};

// The step at which differences change least from scale to scale by their own size, from far beyond x down to
// its last digits.
double best_scale(Differences& differences, double x, Differences::Side side) {
  constexpr int decades = 18, step = 2;
  double best = 0, least = INFINITY;
  std::optional<Differences::Difference> before;
  int growing = 0;
  std::vector<double> steps;
  for (int k = decades; k >= -decades; k -= step) steps.push_back(std::pow(10.0, k));
  if (x != 0)
    for (const double part : {0.1, 1e-3, 1e-5}) steps.push_back(part * std::fabs(x));
  std::sort(steps.rbegin(), steps.rend());
  for (const double h : steps) {
    if (h < 4 * kEpsilon * std::fabs(x)) break;
    const auto d = differences.with(h, side);
    if (d && before) {
      // A flat place far off says nothing of what is near.
      const double size = std::max(std::fabs(d->slope), std::fabs(before->slope));
      const double error = size > 0 ? (std::fabs(d->slope - before->slope) + d->noise) / size : INFINITY;
      const bool grows =
          std::fabs(d->slope) > 2 * std::fabs(before->slope) && d->noise < 1e-3 * size && size > 0;
      growing = grows ? growing + 1 : 0;
      if (error < least) {
        least = error;
        best = h;
      }
    }
    before = d;
  }
  constexpr int to_the_end = 6;
  if (growing >= to_the_end)
    fail(fmt::format("the slope of the function grows without bound towards {}", shortest(x)));
  return best;
}

}  // namespace

Estimate derivative(const RealFunction& f, double x) {
  if (!std::isfinite(x))
    fail(fmt::format("a derivative is asked for at a finite number, not at {}", shortest(x)));
  Differences differences(f, x);
  using Side = Differences::Side;
  std::optional<Estimate> best;
  const auto take = [&](std::optional<Estimate> e) {
    // By their own size: slopes from place to place over many turns of the function are small, and so is
    // their error.
    const auto relative = [](const Estimate& d) {
      return d.value == 0 ? INFINITY : d.error / std::fabs(d.value);
    };
    if (e && (!best || relative(*e) < relative(*best))) best = e;
  };
  constexpr double good = 1e-9;
  for (const auto side : {Side::both, Side::above, Side::below}) {
    // By the size of x first, which often is the scale.
    take(differences.extrapolated(x != 0 ? 0.2 * std::fabs(x) : 0.1, side));
    if (best && best->value != 0 && x != 0 && best->error < good * std::fabs(best->value)) break;
    if (const double scale = best_scale(differences, x, side); scale > 0) {
      take(differences.extrapolated(2000 * scale, side));
      take(differences.extrapolated(20 * scale, side));
    }
    if (best) break;
  }
  if (!best) fail(fmt::format("the function has no values around {}", shortest(x)), "is the place right?");
  best->evaluations = differences.evaluations;
  return *best;
}

}  // namespace quill
