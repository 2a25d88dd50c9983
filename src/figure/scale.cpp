#include "figure/scale.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace quill {

double Scale::threshold() const {
  const double largest = std::max(std::fabs(limits.low), std::fabs(limits.high));
  constexpr double decades = 3;
  return largest > 0 ? std::pow(10, std::floor(std::log10(largest)) - decades) : 1;
}

double Scale::share(double v) const {
  double s = 0;
  if (kind == ScaleKind::linear || kind == ScaleKind::time) {
    // Halved, so that the difference of the largest numbers does not overflow.
    s = (v / 2 - limits.low / 2) / (limits.high / 2 - limits.low / 2);
  } else if (kind == ScaleKind::log) {
    if (!(v > 0)) return std::numeric_limits<double>::quiet_NaN();
    s = (std::log(v) - std::log(limits.low)) / (std::log(limits.high) - std::log(limits.low));
  } else {
    const double unit = threshold();
    const double low = std::asinh(limits.low / unit), high = std::asinh(limits.high / unit);
    s = (std::asinh(v / unit) - low) / (high - low);
  }
  return reverse ? 1 - s : s;
}

double Scale::at(double s) const {
  if (reverse) s = 1 - s;
  if (kind == ScaleKind::linear || kind == ScaleKind::time)
    return limits.low + s * (limits.high - limits.low);
  if (kind == ScaleKind::log)
    return std::exp(std::log(limits.low) + s * (std::log(limits.high) - std::log(limits.low)));
  const double unit = threshold();
  const double low = std::asinh(limits.low / unit), high = std::asinh(limits.high / unit);
  return unit * std::sinh(low + s * (high - low));
}

Limits padded_limits(double low, double high, ScaleKind kind, bool tight_low, bool tight_high) {
  constexpr double share = 0.03, largest = 1.7e308, smallest = 1e-307;
  if (kind == ScaleKind::log) {
    if (!(low <= high) || !(high > 0)) return {1, 10};
    // Limits linked to a linear axis may be invalid here.
    if (!(low > 0)) low = std::max(smallest, high / 1000);
    if (low == high) return {std::max(smallest, low / 2), std::min(largest, high * 2)};
    const double factor = std::pow(high / low, share);
    if (!std::isfinite(factor)) return {low, high};
    return {tight_low ? low : std::max(smallest, low / factor),
            tight_high ? high : std::min(largest, high * factor)};
  }
  if (!(low <= high)) return {0, 1};
  if (kind == ScaleKind::signed_log && low < high) {
    // As much of the axis, so that limits around numbers of one sign keep it.
    const double unit = Scale{{low, high}, kind}.threshold();
    const double from = std::asinh(low / unit), to = std::asinh(high / unit), bent = (to - from) * share;
    const double wide_low = unit * std::sinh(from - bent), wide_high = unit * std::sinh(to + bent);
    return {tight_low ? low : std::max(-largest, wide_low), tight_high ? high : std::min(largest, wide_high)};
  }
  const double room = low == high ? (low == 0 ? 1 : std::fabs(low) * 0.1) : (high - low) * share;
  if (!std::isfinite(room)) return {low, high};
  if (low == high) tight_high = false;
  Limits out{tight_low ? low : std::max(-largest, low - room),
             tight_high ? high : std::min(largest, high + room)};
  // An axis that begins just beside 0 begins there, where readers look for a label.
  const double near = 0.05 * (out.high - out.low);
  if (kind == ScaleKind::linear && !tight_low && out.low > 0 && out.low < near) out.low = 0;
  if (kind == ScaleKind::linear && !tight_high && out.high < 0 && out.high > -near) out.high = 0;
  return out;
}

}  // namespace quill
