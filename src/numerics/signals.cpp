#include "numerics/signals.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/interrupt.h"
#include "base/number.h"
#include "numerics/distributions.h"
#include "numerics/transforms.h"

namespace quill {

namespace signals {
namespace {

// Tops of y inside of it: positions from 0, twice over for the middle of flat ones.
struct Top {
  std::size_t left = 0, right = 0;
};
std::vector<Top> tops(std::span<const double> y) {
  std::vector<Top> out;
  const auto n = y.size();
  for (std::size_t k = 1; k + 1 < n;) {
    if (!(y[k] > y[k - 1])) {
      ++k;
      continue;
    }
    std::size_t right = k;
    while (right + 1 < n && y[right + 1] == y[k]) ++right;
    if (right + 1 < n && y[right + 1] < y[k]) out.push_back({k, right});
    k = right + 1;
  }
  return out;
}

// The lowest value beside each position before something higher comes, to one side, by a stack of the higher
// ones (linear in all).
std::vector<double> saddles(std::span<const double> y, const std::vector<Top>& at, bool to_left) {
  const auto n = y.size();
  std::vector<double> low(n);
  struct Higher {
    double height, low;
  };
  std::vector<Higher> stack;
  for (std::size_t j = 0; j < n; ++j) {
    const std::size_t k = to_left ? j : n - 1 - j;
    double least = y[k];
    while (!stack.empty() && stack.back().height <= y[k]) {
      least = std::min(least, stack.back().low);
      stack.pop_back();
    }
    low[k] = least;
    stack.push_back({y[k], least});
  }
  std::vector<double> out;
  for (const auto& t : at) out.push_back(low[to_left ? t.left : t.right]);
  return out;
}

// Where a broken line falls to the level on the way from a top to one side.
double crossing(std::span<const double> y, std::size_t from, bool to_left, double level) {
  auto k = static_cast<Index>(from);
  const Index step = to_left ? -1 : 1, n = static_cast<Index>(y.size());
  while (k >= 0 && k < n && y[static_cast<std::size_t>(k)] > level) k += step;
  if (k < 0 || k >= n) return static_cast<double>(std::clamp<Index>(k, 0, n - 1));
  const double low = y[static_cast<std::size_t>(k)], high = y[static_cast<std::size_t>(k - step)];
  return static_cast<double>(k) - static_cast<double>(step) * (level - low) / (high - low);
}

}  // namespace
}  // namespace signals

std::vector<Peak> peaks(std::span<const double> y, const PeakLimits& limits) {
  using namespace signals;
  const auto all = tops(y);
  const auto left = saddles(y, all, true), right = saddles(y, all, false);
  std::vector<Peak> found;
  std::vector<Top> at;
  for (std::size_t k = 0; k < all.size(); ++k) {
    const double height = y[all[k].left], prominence = height - std::max(left[k], right[k]);
    if (height < limits.height || prominence < limits.prominence) continue;
    found.push_back({static_cast<double>(all[k].left + all[k].right) / 2 + 1, height, prominence, 0});
    at.push_back(all[k]);
  }
  // From the highest down: drops peaks too close to a kept one.
  std::vector<std::size_t> order(found.size());
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(),
                   [&](auto a, auto b) { return found[a].height > found[b].height; });
  std::vector<bool> stays(found.size(), true);
  for (const auto k : order) {
    if (!stays[k] || limits.distance <= 1) continue;
    const auto is_near = [&](std::size_t j) {
      return std::fabs(found[j].position - found[k].position) < static_cast<double>(limits.distance);
    };
    for (std::size_t j = k + 1; j < found.size() && is_near(j); ++j) stays[j] = false;
    for (std::size_t j = k; j-- > 0 && is_near(j);) stays[j] = false;
  }
  std::vector<Peak> out;
  for (std::size_t k = 0; k < found.size(); ++k) {
    if (!stays[k]) continue;
    const double level = found[k].height - found[k].prominence / 2;
    found[k].width = crossing(y, at[k].right, false, level) - crossing(y, at[k].left, true, level);
    out.push_back(found[k]);
  }
  return out;
}

std::vector<double> zero_crossings(std::span<const double> x, std::span<const double> y) {
  std::vector<double> out;
  for (std::size_t k = 0; k < y.size(); ++k) {
    if (k > 0 && !(x[k] > x[k - 1])) fail(fmt::format("x must rise; element {} does not", k + 1));
    if (std::isnan(y[k])) continue;
    if (y[k] == 0 && (k == 0 || y[k - 1] != 0)) out.push_back(x[k]);
    if (k > 0 && ((y[k - 1] < 0 && y[k] > 0) || (y[k - 1] > 0 && y[k] < 0))) {
      const double share = y[k - 1] / (y[k - 1] - y[k]);
      out.push_back(x[k - 1] + share * (x[k] - x[k - 1]));
    }
  }
  return out;
}

Array analytic_signal(const Array& y) {
  const int axis[] = {0};
  auto spectrum = fourier(y, axis, Direction::forward);
  const Index n = spectrum.size();
  auto* s = spectrum.mutable_data<Complex>();
  for (Index k = 1; k < n; ++k) s[k] *= 2 * k < n ? 2.0 : 2 * k == n ? 1.0 : 0.0;
  return fourier(spectrum, axis, Direction::backward);
}

std::vector<double> unwrapped(std::span<const double> phase, double period) {
  if (!(period > 0) || std::isinf(period))
    fail(fmt::format("a period must be a positive number, not {}", shortest(period)));
  std::vector<double> out(phase.begin(), phase.end());
  double turns = 0, last = NAN;
  for (std::size_t k = 0; k < out.size(); ++k) {
    if (std::isnan(phase[k])) continue;
    if (!std::isnan(last)) turns -= std::round((phase[k] - last) / period);
    last = phase[k];
    out[k] = phase[k] + turns * period;
  }
  return out;
}

std::vector<double> autocorrelation(std::span<const double> y, Index count) {
  const auto n = y.size();
  if (n < 2) fail("an autocorrelation needs at least 2 samples");
  if (count < 0 || count >= static_cast<Index>(n))
    fail(fmt::format("the lags must be from 0 to {}, not to {}", n - 1, count));
  double mean = 0, scale = 0;
  for (const double v : y) mean += v / static_cast<double>(n);
  std::vector<double> d;
  for (const double v : y) {
    d.push_back(v - mean);
    scale = std::max(scale, std::fabs(d.back()));
  }
  if (scale == 0) return std::vector<double>(static_cast<std::size_t>(count) + 1, NAN);
  for (double& v : d) v /= scale;
  const auto all = correlate(Array::vector(d), Array::vector(d), Overlap::full).to_vector<double>();
  std::vector<double> out;
  for (Index k = 0; k <= count; ++k) out.push_back(all[n - 1 + static_cast<std::size_t>(k)] / all[n - 1]);
  return out;
}

LagCorrelation lag_correlation(std::span<const double> x, std::span<const double> y,
                               std::span<const Index> lags) {
  const auto n = static_cast<Index>(x.size());
  LagCorrelation out;
  // The first autocorrelation over the pairs without nan.
  const auto first = [](std::span<const double> v) {
    double count = 0, mean = 0;
    for (const double e : v)
      if (!std::isnan(e)) mean += e, ++count;
    mean /= count;
    double own = 0, next = 0;
    for (std::size_t k = 0; k < v.size(); ++k) {
      if (std::isnan(v[k])) continue;
      own += (v[k] - mean) * (v[k] - mean);
      if (k > 0 && !std::isnan(v[k - 1])) next += (v[k] - mean) * (v[k - 1] - mean);
    }
    return own > 0 ? next / own : 0;
  };
  const double memory = std::clamp(first(x) * first(y), 0.0, 0.999);
  for (const Index lag : lags) {
    poll_interrupt();
    std::vector<double> a, b;
    for (Index k = std::max<Index>(0, -lag); k < n && k + lag < n; ++k) {
      const double u = x[static_cast<std::size_t>(k)], v = y[static_cast<std::size_t>(k + lag)];
      if (std::isnan(u) || std::isnan(v)) continue;
      a.push_back(u);
      b.push_back(v);
    }
    const auto count = static_cast<double>(a.size());
    double ma = 0, mb = 0, aa = 0, bb = 0, ab = 0;
    for (std::size_t k = 0; k < a.size(); ++k) ma += a[k] / count, mb += b[k] / count;
    for (std::size_t k = 0; k < a.size(); ++k) {
      aa += (a[k] - ma) * (a[k] - ma);
      bb += (b[k] - mb) * (b[k] - mb);
      ab += (a[k] - ma) * (b[k] - mb);
    }
    const double r =
        count > 1 && aa > 0 && bb > 0 ? std::clamp(ab / std::sqrt(aa) / std::sqrt(bb), -1.0, 1.0) : NAN;
    const double independent = count * (1 - memory) / (1 + memory);
    double p = NAN;
    if (!std::isnan(r) && independent > 2) {
      const double t = std::fabs(r) * std::sqrt((independent - 2) / std::max(1e-300, (1 - r) * (1 + r)));
      p = 2 * Distribution(DistributionKind::student_t, {independent - 2}).survival(std::min(t, 1e300));
    }
    out.coefficient.push_back(r);
    out.pairs.push_back(count);
    out.p.push_back(p);
  }
  return out;
}

}  // namespace quill
