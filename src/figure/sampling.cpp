#include "figure/sampling.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace quill {

namespace {

struct SamplePoint {
  double x, y;
};

// Range of all values but the most extreme ones.
Limits bulk_of(const std::vector<SamplePoint>& spots, double share) {
  std::vector<double> values;
  for (const auto& s : spots)
    if (std::isfinite(s.y)) values.push_back(s.y);
  if (values.empty()) return {0, 1};
  std::sort(values.begin(), values.end());
  const auto at = [&](double s) {
    return values[static_cast<std::size_t>(s * static_cast<double>(values.size() - 1))];
  };
  return {at(share), at(1 - share)};
}

}  // namespace

SampledCurve sample_curve(const std::function<double(double)>& f, double a, double b) {
  constexpr int first = 200, rounds = 7;
  constexpr std::size_t most = 20000;
  constexpr double bend = 0.05;  // radians
  std::vector<SamplePoint> spots;
  for (int k = 0; k <= first; ++k) {
    const double x = k == first ? b : a + (b - a) * k / first;
    spots.push_back({x, f(x)});
  }
  const auto bulk = bulk_of(spots, 0.05), middle = bulk_of(spots, 0.12);
  const double height = bulk.high > bulk.low ? bulk.high - bulk.low : 1, width = std::fabs(b - a);
  const auto direction = [&](const SamplePoint& p, const SamplePoint& q) {
    return std::atan2((q.y - p.y) / height, (q.x - p.x) / width);
  };
  for (int round = 0; round < rounds && spots.size() < most; ++round) {
    std::vector<bool> split(spots.size(), false);  // between this spot and the next
    for (std::size_t k = 1; k + 1 < spots.size(); ++k) {
      const bool ends = std::isfinite(spots[k].y) != std::isfinite(spots[k + 1].y) ||
                        std::isfinite(spots[k].y) != std::isfinite(spots[k - 1].y);
      const double turn = std::fabs(direction(spots[k - 1], spots[k]) - direction(spots[k], spots[k + 1]));
      if (ends || turn > bend) split[k - 1] = split[k] = true;
    }
    std::vector<SamplePoint> finer;
    for (std::size_t k = 0; k < spots.size(); ++k) {
      finer.push_back(spots[k]);
      if (k + 1 == spots.size() || !split[k]) continue;
      const double x = spots[k].x + (spots[k + 1].x - spots[k].x) / 2;
      if (x != spots[k].x && x != spots[k + 1].x) finer.push_back({x, f(x)});
    }
    if (finer.size() == spots.size()) break;
    spots = std::move(finer);
  }
  SampledCurve out;
  bool has_pole = false;
  for (std::size_t k = 0; k < spots.size(); ++k) {
    if (k > 0) {
      // Still far apart after all halving: a jump, when the curve is calm on both sides, or a pole, when it
      // comes and goes the other way.
      const double step = spots[k].y - spots[k - 1].y, apart = std::fabs(spots[k].x - spots[k - 1].x);
      const double before = k > 1 ? spots[k - 1].y - spots[k - 2].y : 0,
                   after = k + 1 < spots.size() ? spots[k + 1].y - spots[k].y : 0;
      const bool is_pole = before * step < 0 && after * step < 0;
      const bool is_jump = std::fabs(step) > 4 * (std::fabs(before) + std::fabs(after));
      if (std::fabs(step) > 0.25 * height && apart < 1e-3 * width && (is_pole || is_jump)) {
        out.x.push_back(spots[k].x);
        out.y.push_back(std::numeric_limits<double>::quiet_NaN());
        has_pole = has_pole || std::fabs(step) > 3 * height;
      }
    }
    has_pole = has_pole || std::isinf(spots[k].y);
    out.x.push_back(spots[k].x);
    out.y.push_back(std::isfinite(spots[k].y) ? spots[k].y : std::numeric_limits<double>::quiet_NaN());
  }
  if (has_pole) {
    const double room = 1.2 * (middle.high - middle.low);
    if (room > 0) out.focus = Limits{middle.low - room, middle.high + room};
  }
  return out;
}

}  // namespace quill
