#include "builtins/ranges.h"

#include <algorithm>
#include <cmath>

#include "base/interrupt.h"

namespace quill {

namespace {

// Whether an element of the range is 0: only those next to where it crosses 0 can be.
bool has_zero(const RangeObject& r) {
  const double crossing = r.step == 0 ? 0 : -r.first / r.step;
  if (!(crossing >= -1 && crossing <= static_cast<double>(r.count))) return false;
  const auto near = static_cast<Index>(crossing);
  for (Index k = std::max<Index>(0, near - 1); k <= near + 2 && k < r.count; ++k)
    if (r.at(k) == 0) return true;
  return false;
}

double product_of(const RangeObject& r) {
  double out = 1;
  if (has_zero(r)) return 0;
  for (Index k = 0; k < r.count && std::isfinite(out) && out != 0; ++k) {
    poll_interrupt_at(static_cast<std::size_t>(k));
    out *= r.at(k);
  }
  return out;
}

}  // namespace

std::optional<double> reduced(const RangeObject& r, std::string_view reduction) {
  if (r.count < 1) return std::nullopt;
  // In extended precision, so that integers come out exact as far as float64 holds them.
  using Long = long double;
  const Long n = static_cast<Long>(r.count);
  const double end = r.at(r.count - 1);
  const Long step = r.count > 1 ? (static_cast<Long>(end) - r.first) / (n - 1) : 0.0L;
  const Long middle = (static_cast<Long>(r.first) + end) / 2;
  const Long spread = step * step * (n * n - 1) / 12;  // the mean square about the middle
  const auto as_double = [](Long x) { return static_cast<double>(x); };
  if (reduction == "sum") return as_double((static_cast<Long>(r.first) + end) * n / 2);
  if (reduction == "mean" || reduction == "median") return as_double(middle);
  if (reduction == "min") return std::min(r.first, end);
  if (reduction == "max") return std::max(r.first, end);
  if (reduction == "any") return r.first != 0 || end != 0 ? 1 : 0;
  if (reduction == "all") return has_zero(r) ? 0 : 1;
  if (reduction == "argmin") return r.first <= end ? 1 : static_cast<double>(r.count);
  if (reduction == "argmax") return r.first >= end ? 1 : static_cast<double>(r.count);
  if (reduction == "product") return product_of(r);
  if (reduction == "norm") return as_double(std::sqrt(n * (middle * middle + spread)));
  if (r.count < 2) return std::nullopt;
  if (reduction == "variance") return as_double(spread * n / (n - 1));
  if (reduction == "std") return as_double(std::sqrt(spread * n / (n - 1)));
  return std::nullopt;
}

}  // namespace quill
