#include "numerics/resampling.h"

#include <algorithm>
#include <cmath>

#include "numerics/distributions.h"
#include "numerics/sorted.h"

namespace quill {

std::array<double, 2> percentile_interval(std::vector<double> draws, double confidence) {
  sort_rising(draws);
  const double tail = (1 - confidence) / 2;
  return {quantile_of_sorted(draws, tail), quantile_of_sorted(draws, 1 - tail)};
}

std::array<double, 2> corrected_interval(std::vector<double> draws, double value,
                                         const std::vector<double>& left_out, double confidence) {
  sort_rising(draws);
  const auto count = static_cast<double>(draws.size());
  const auto below = static_cast<double>(std::lower_bound(draws.begin(), draws.end(), value) - draws.begin());
  const auto upto = static_cast<double>(std::upper_bound(draws.begin(), draws.end(), value) - draws.begin());
  const double share = (below + upto) / 2 / count;
  double mean = 0;
  for (const double x : left_out) mean += x / static_cast<double>(left_out.size());
  double squares = 0, cubes = 0, scale = 0;
  for (const double x : left_out) scale = std::max(scale, std::fabs(mean - x));
  for (const double x : left_out) {
    const double d = scale > 0 ? (mean - x) / scale : 0;
    squares += d * d;
    cubes += d * d * d;
  }
  if (draws.front() == draws.back() || share <= 0 || share >= 1)
    return percentile_interval(std::move(draws), confidence);
  const double acceleration = squares > 0 ? cubes / (6 * squares * std::sqrt(squares)) : 0;
  const Distribution z(DistributionKind::normal, {0, 1});
  const double bias = z.quantile(share), reach = z.upper_quantile((1 - confidence) / 2);
  const auto end = [&](double sign) {
    const double at = bias + sign * reach, rest = 1 - acceleration * at;
    const double p = rest > 0 ? z.cumulative(bias + at / rest) : (sign > 0 ? 1 : 0);
    return quantile_of_sorted(draws, p);
  };
  return {end(-1), end(1)};
}

}  // namespace quill
