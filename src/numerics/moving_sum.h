// Sums over moving windows.
#pragma once

#include <algorithm>
#include <cmath>
#include <limits>

#include "array/shape.h"

namespace quill {

// Sum over a moving window in double-double arithmetic (D. E. Knuth, The Art of Computer Programming 2,
// 1969, 4.2.2). Infinite numbers and nan are counted separately.
class MovingSum {
 public:
  void add(double x) { change(x, 1); }
  void remove(double x) { change(x, -1); }
  // Whether the sum is so small compared with a removed number that digits have been lost.
  bool is_rest_of(double x) const { return std::isfinite(x) && std::fabs(x) * 1e-12 > size_; }
  // Whether the sum of the finite numbers has ever overflowed.
  bool has_overflowed() const { return !std::isfinite(high_); }
  double sum() const {
    constexpr double infinity = std::numeric_limits<double>::infinity();
    if (nans_ > 0 || (above_ > 0 && below_ > 0)) return std::numeric_limits<double>::quiet_NaN();
    return above_ > 0 ? infinity : below_ > 0 ? -infinity : high_;
  }

  // Low-order part of the sum.
  double rest() const { return low_; }

 private:
  void change(double x, int sign) {
    if (std::isfinite(x)) {
      size_ = std::max(0.0, size_ + sign * std::fabs(x));
      x *= sign;
      const double sum = high_ + x, part = sum - high_;
      low_ += (high_ - (sum - part)) + (x - part);
      high_ = sum + low_;
      low_ -= high_ - sum;
    } else {
      (std::isnan(x) ? nans_ : x > 0 ? above_ : below_) += sign;
    }
  }
  double high_ = 0, low_ = 0;
  double size_ = 0;  // about the sum of the absolute values
  Index nans_ = 0, above_ = 0, below_ = 0;
};

}  // namespace quill
