#include <cubature.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <exception>

#include "base/error.h"
#include "base/interrupt.h"
#include "numerics/probe.h"
#include "numerics/quadrature.h"

namespace quill {

namespace {

// The ranges as the unit cube.
class Box {
 public:
  Box(const SeveralFunction& f, std::size_t count, std::span<const RangeOf> ranges)
      : f_(f), values_(count), ranges_(ranges), point_(ranges.size()), scales_(ranges.size(), 0.0) {
    for (std::size_t k = 0; k < ranges.size(); ++k) look(k);
  }

  // The function times the derivatives of the maps.
  void operator()(const double* u, std::span<double> out) {
    double factor = 1;
    for (std::size_t k = 0; k < ranges_.size(); ++k) factor *= place(k, u[k]);
    if (factor == 0) {
      std::fill(out.begin(), out.end(), 0.0);
      return;
    }
    poll_interrupt_at(static_cast<std::size_t>(evaluations++));
    f_(point_, out);
    for (auto& y : out) {
      if (std::isnan(y))
        fail(fmt::format("the function is nan at {}", text_of_point()), "are the ranges right?");
      y *= factor;
      // A pole at an end or on a line: the rules meet it in few points, which are left out.
      if (std::isfinite(y)) continue;
      y = 0;
      if (is_inside(u)) {
        ++infinite_;
        infinite_at_ = text_of_point();
      }
    }
    inside_ += is_inside(u);
  }
  // Error where so much of the box is infinite that the integral is.
  void check_infinite() const {
    constexpr Index few = 10;
    if (infinite_ * few > inside_ * static_cast<Index>(values_.size()))
      fail(fmt::format("the function is infinite at {} and at many other points", infinite_at_),
           "are the ranges right?");
  }
  Index evaluations = 0;

 private:
  static double scaled(double t) { return t / (1 - t); }
  bool is_inside(const double* u) const {
    return std::all_of(u, u + ranges_.size(), [](double t) { return t > 0 && t < 1; });
  }

  // Sets coordinate k, and gives its derivative by u.
  double place(std::size_t k, double u) {
    const auto [a, b] = ranges_[k](std::span(point_).first(k));
    if (std::isnan(a) || std::isnan(b)) fail(fmt::format("an end of range {} is nan", k + 1));
    const double s = scales_[k];
    if (!std::isinf(a) && !std::isinf(b)) {
      point_[k] = a + (b - a) * u;
      return b - a;
    }
    if (std::isinf(a) && std::isinf(b)) {
      const double t = 2 * u - 1;
      if (std::fabs(t) >= 1) return 0;
      const double rest = 1 - t * t;
      point_[k] = s * t / rest;
      return std::copysign(2 * s * (1 + t * t) / (rest * rest), b - a);
    }
    if (u >= 1) return 0;
    const double side = std::isinf(b) ? (b > 0 ? 1 : -1) : (a > 0 ? 1 : -1);
    const double origin = std::isinf(b) ? a : b;
    point_[k] = origin + side * s * scaled(u);
    return (std::isinf(b) ? side : -side) * s / ((1 - u) * (1 - u));
  }

  // The scale of an infinite range, along a line through the middle of the ranges before.
  void look(std::size_t k) {
    scales_[k] = 1;
    std::vector<double> middle(ranges_.size(), 0.5);
    for (std::size_t j = 0; j < ranges_.size(); ++j) place(j, middle[j]);
    const auto [a, b] = ranges_[k](std::span(point_).first(k));
    if (!std::isinf(a) && !std::isinf(b)) return;
    const double origin = std::isinf(a) ? (std::isinf(b) ? 0 : b) : a;
    const double side = std::isinf(b) && b > 0 ? 1 : -1;
    scales_[k] = scale_of([&](double d) {
                   point_[k] = origin + side * d;
                   ++evaluations;
                   f_(point_, values_);
                   double size = 0;
                   for (const double y : values_)
                     if (std::isfinite(y)) size += std::fabs(y);
                   return size;
                 }).size;
  }

  std::string text_of_point() const {
    std::string out = "(";
    for (const double x : point_) out += (out.size() > 1 ? ", " : "") + shortest(x);
    return out + ")";
  }

  const SeveralFunction& f_;
  std::vector<double> values_;
  std::span<const RangeOf> ranges_;
  std::vector<double> point_;
  std::vector<double> scales_;
  Index inside_ = 0, infinite_ = 0;  // points within the box, and infinite values there
  std::string infinite_at_;
};

struct Asked {
  Box& box;
  bool any = false;
  std::exception_ptr failure;
};

int call_box(unsigned, const double* u, void* data, unsigned count, double* out) {
  auto& asked = *static_cast<Asked*>(data);
  try {
    asked.box(u, {out, count});
    for (unsigned k = 0; k < count; ++k) asked.any = asked.any || out[k] != 0;
    return 0;
  } catch (...) { asked.failure = std::current_exception(); }
  return 1;
}

}  // namespace

std::vector<Integral> integrate(const SeveralFunction& f, std::size_t count, std::span<const RangeOf> ranges,
                                const IntegralOptions& o) {
  const auto n = static_cast<unsigned>(ranges.size()), parts = static_cast<unsigned>(count);
  Box box(f, count, ranges);
  Asked asked{box, false, nullptr};
  const std::vector<double> low(ranges.size(), 0.0), high(ranges.size(), 1.0);
  std::vector<double> value(count), error(count), other(count), other_error(count);
  constexpr Index for_smooth[] = {0, 300, 6000, 60000};
  const auto first = std::min(o.limit, for_smooth[std::min<std::size_t>(ranges.size(), 3)]);
  const auto whole = [&] {
    if (asked.failure) std::rethrow_exception(asked.failure);
  };
  const int smooth =
      pcubature(parts, call_box, &asked, n, low.data(), high.data(), static_cast<std::size_t>(first),
                o.absolute, o.relative, ERROR_INDIVIDUAL, value.data(), error.data());
  whole();
  const auto good = [&](const std::vector<double>& v, const std::vector<double>& e) {
    for (std::size_t k = 0; k < count; ++k)
      if (!std::isfinite(v[k]) || e[k] > std::max(o.absolute, o.relative * std::fabs(v[k]))) return false;
    return true;
  };
  const bool is_known_well = smooth == 0 && good(value, error);
  if (!is_known_well && box.evaluations < o.limit) {
    const auto left = static_cast<std::size_t>(o.limit - box.evaluations);
    hcubature(parts, call_box, &asked, n, low.data(), high.data(), left, o.absolute, o.relative,
              ERROR_INDIVIDUAL, other.data(), other_error.data());
    whole();
    for (std::size_t k = 0; k < count; ++k)
      if (other_error[k] < error[k] || smooth != 0 || !std::isfinite(value[k])) {
        value[k] = other[k];
        error[k] = other_error[k];
      }
  }
  box.check_infinite();
  std::vector<Integral> out(count);
  for (std::size_t k = 0; k < count; ++k) {
    out[k].value = value[k];
    out[k].error = error[k];
    out[k].size = std::fabs(value[k]);
    out[k].evaluations = box.evaluations;
    out[k].all_zero = !asked.any;
    out[k].at_limit = box.evaluations >= o.limit;
    if (!std::isfinite(value[k])) fail("the integral is not finite");
  }
  return out;
}

}  // namespace quill
