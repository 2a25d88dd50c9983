#include "numerics/filters.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/interrupt.h"
#include "base/number.h"
#include "numerics/transforms.h"

namespace quill {

namespace filters {
namespace {

constexpr double kPi = std::numbers::pi;

void check_cutoff(const Cutoff& c, PassKind kind, double spacing) {
  if (!(spacing > 0) || std::isinf(spacing))
    fail(fmt::format("the spacing must be a positive number, not {}", shortest(spacing)));
  const bool is_band = kind == PassKind::band || kind == PassKind::stop;
  for (const double f : {c.low, c.high})
    if (!(f > 0 && f < 0.5 / spacing))
      fail(fmt::format("a cutoff must be between 0 and half the sampling rate, {}; not {}",
                       with_digits(0.5 / spacing, 6), shortest(f)),
           "cutoff frequencies are in cycles per unit of the spacing");
  if (is_band && !(c.low < c.high)) fail("the cutoffs of a band must rise: (low, high)");
}

// A pole or zero of the filter in the s plane, with its conjugate unless it is real.
using Complex = std::complex<double>;

}  // namespace
}  // namespace filters

Filter Filter::butterworth(int order, Cutoff cutoff, PassKind kind, double spacing) {
  using namespace filters;
  if (order < 1 || order > 20) fail(fmt::format("the order of a filter must be from 1 to 20, not {}", order));
  check_cutoff(cutoff, kind, spacing);
  Filter out;
  out.spacing_ = spacing;
  // Frequencies of the analog filter that the bilinear transformation takes to the wanted ones.
  const double w1 = std::tan(kPi * cutoff.low * spacing), w2 = std::tan(kPi * cutoff.high * spacing);
  const bool is_band = kind == PassKind::band || kind == PassKind::stop;
  std::vector<Complex> poles;  // of the analog filter; those with imaginary part ≥ 0
  for (int k = 0; k < order; ++k) {
    const double angle = kPi * (2.0 * k + 1 + order) / (2.0 * order);
    const bool is_real = 2 * k + 1 == order;
    const Complex p = is_real ? Complex(-1, 0) : std::polar(1.0, angle);
    if (!is_band) {
      if (p.imag() < -1e-9) continue;
      poles.push_back(kind == PassKind::low ? p * w1 : w1 / p);
      continue;
    }
    // A band: s becomes (s² + w1 w2) / (s (w2 - w1)), or its inverse; each pole becomes two.
    const double width = w2 - w1, product = w1 * w2;
    const Complex half = (kind == PassKind::band ? p * width : width / p) / 2.0;
    if (is_real && half.real() * half.real() >= product) {
      const double far = half.real() - std::sqrt(half.real() * half.real() - product);
      poles.emplace_back(far, 0);
      poles.emplace_back(product / far, 0);
      continue;
    }
    // The larger root first, which loses no digits; of a real pole both are conjugates.
    const Complex root = std::sqrt(half * half - product);
    const Complex first = std::abs(half + root) > std::abs(half - root) ? half + root : half - root;
    for (const Complex& s : {first, product / first})
      if (s.imag() > 0) poles.push_back(s);
  }
  // Poles of the digital filter, in pairs; real ones two by two, the last one alone.
  std::vector<double> reals;
  double slowest = 0;
  const auto digital = [](const Complex& s) { return (1.0 + s) / (1.0 - s); };
  const auto add = [&](double a1, double a2, bool is_first_order) {
    FilterSection s;
    s.a1 = a1;
    s.a2 = a2;
    const double center = 2 * std::atan(std::sqrt(w1 * w2));
    switch (kind) {
      case PassKind::low: s.b1 = is_first_order ? 1 : 2, s.b2 = is_first_order ? 0 : 1; break;
      case PassKind::high: s.b1 = is_first_order ? -1 : -2, s.b2 = is_first_order ? 0 : 1; break;
      case PassKind::band: s.b1 = 0, s.b2 = -1; break;
      case PassKind::stop: s.b1 = -2 * std::cos(center), s.b2 = 1; break;
    }
    // Gain 1 in the centre of the pass band.
    const double at = kind == PassKind::high ? kPi : kind == PassKind::band ? center : 0;
    const Complex z = std::polar(1.0, -at);
    const double gain = std::abs((s.b0 + s.b1 * z + s.b2 * z * z) / (1.0 + s.a1 * z + s.a2 * z * z));
    s.b0 /= gain;
    s.b1 /= gain;
    s.b2 /= gain;
    out.sections_.push_back(s);
  };
  for (const auto& s : poles) {
    const Complex z = digital(s);
    slowest = std::max(slowest, std::abs(z));
    if (s.imag() == 0)
      reals.push_back(z.real());
    else
      add(-2 * z.real(), std::norm(z), false);
  }
  for (std::size_t k = 0; k + 1 < reals.size(); k += 2)
    add(-reals[k] - reals[k + 1], reals[k] * reals[k + 1], false);
  if (reals.size() % 2 == 1) add(-reals.back(), 0, true);
  constexpr double decayed = 1e-8;
  out.settling_ = static_cast<Index>(std::min(1e9, std::ceil(std::log(decayed) / std::log(slowest)))) + 2;
  return out;
}

Filter Filter::finite(Index length, Cutoff cutoff, PassKind kind, double spacing) {
  using namespace filters;
  if (length < 3 || length % 2 == 0 || length > 100001)
    fail(fmt::format("the length of a filter must be an odd number from 3 to 100001, not {}", length));
  check_cutoff(cutoff, kind, spacing);
  Filter out;
  out.spacing_ = spacing;
  const Index half = length / 2;
  const auto ideal = [&](double frequency, Index k) {
    const double f = 2 * frequency * spacing;
    return k == 0 ? f : std::sin(kPi * f * static_cast<double>(k)) / (kPi * static_cast<double>(k));
  };
  for (Index k = -half; k <= half; ++k) {
    const double window = 0.54 + 0.46 * std::cos(kPi * static_cast<double>(k) / static_cast<double>(half));
    const double identity = k == 0 ? 1 : 0, low = ideal(cutoff.low, k), high = ideal(cutoff.high, k);
    const double w = kind == PassKind::low    ? low
                     : kind == PassKind::high ? identity - low
                     : kind == PassKind::band ? high - low
                                              : identity - (high - low);
    out.weights_.push_back(w * window);
  }
  // Gain 1 in the centre of the pass band.
  const double at = kind == PassKind::high   ? 0.5 / spacing
                    : kind == PassKind::band ? (cutoff.low + cutoff.high) / 2
                                             : 0;
  const double gain = std::abs(out.response(at));
  for (double& w : out.weights_) w /= gain;
  return out;
}

std::complex<double> Filter::response(double frequency) const {
  const double angle = 2 * filters::kPi * frequency * spacing_;
  if (is_finite()) {
    std::complex<double> out = 0;
    for (std::size_t k = 0; k < weights_.size(); ++k)
      out += weights_[k] * std::polar(1.0, -angle * static_cast<double>(k));
    return out;
  }
  const auto z = std::polar(1.0, -angle);
  std::complex<double> out = 1;
  for (const auto& s : sections_) out *= (s.b0 + s.b1 * z + s.b2 * z * z) / (1.0 + s.a1 * z + s.a2 * z * z);
  return out;
}

// Forward through all sections, each from the steady state of its first sample.
std::vector<double> Filter::passed(std::vector<double> y) const {
  for (const auto& s : sections_) {
    poll_interrupt();
    // Of a constant input x the output is gain·x, and the two delays hold these:
    const double gain = (s.b0 + s.b1 + s.b2) / (1 + s.a1 + s.a2), first = y.empty() ? 0 : y[0];
    double d2 = (s.b2 - s.a2 * gain) * first, d1 = (s.b1 - s.a1 * gain) * first + d2;
    for (double& v : y) {
      const double x = v;
      v = s.b0 * x + d1;
      d1 = s.b1 * x - s.a1 * v + d2;
      d2 = s.b2 * x - s.a2 * v;
    }
  }
  return y;
}

namespace filters {
namespace {

// Extends both ends by reflection at the end point, repeatedly if necessary.
std::vector<double> extended(std::span<const double> y, Index more) {
  std::vector<double> out(y.begin(), y.end());
  Index made = 0;
  while (made < more) {
    const auto n = static_cast<Index>(out.size()), next = std::min(more - made, n - 1);
    std::vector<double> longer(static_cast<std::size_t>(n + 2 * next));
    const auto at = [&](Index k) { return out[static_cast<std::size_t>(k)]; };
    for (Index k = 0; k < next; ++k) {
      longer[static_cast<std::size_t>(k)] = 2 * at(0) - at(next - k);
      longer[static_cast<std::size_t>(n + next + k)] = 2 * at(n - 1) - at(n - 2 - k);
    }
    std::copy(out.begin(), out.end(), longer.begin() + next);
    out = std::move(longer);
    made += next;
  }
  return out;
}

}  // namespace
}  // namespace filters

std::vector<double> Filter::applied(std::span<const double> y, bool causal) const {
  const auto n = static_cast<Index>(y.size());
  if (n < 2) fail(fmt::format("a filter needs at least 2 samples, not {}", n));
  if (is_finite()) {
    const auto length = static_cast<Index>(weights_.size()), half = length / 2;
    if (!causal && half >= n)
      fail(fmt::format("a filter of {} weights needs more than {} samples, not {}", length, half, n));
    auto longer =
        causal ? std::vector<double>(static_cast<std::size_t>(length - 1), y[0]) : filters::extended(y, half);
    if (causal) longer.insert(longer.end(), y.begin(), y.end());
    return convolve(Array::vector(longer), Array::vector(weights_), Overlap::valid).to_vector<double>();
  }
  if (causal) return passed(std::vector<double>(y.begin(), y.end()));
  constexpr Index most_reflected = 20000;  // of few samples and a very low cutoff
  const Index more = std::min(settling_, std::max(n - 1, most_reflected));
  auto all = passed(filters::extended(y, more));
  std::reverse(all.begin(), all.end());
  all = passed(std::move(all));
  std::reverse(all.begin(), all.end());
  return {all.begin() + more, all.begin() + more + n};
}

namespace filters {
namespace {

// Values at -half … half of the polynomials orthogonal on these positions, each with sum of squares 1, and
// the values of their derivatives (C. Forsythe's recurrence, 1957).
struct Orthogonal {
  std::vector<std::vector<double>> value, slope;
};
Orthogonal orthogonal(const std::vector<double>& x, int degree, int derivative) {
  const auto n = x.size();
  Orthogonal out;
  std::vector<std::vector<std::vector<double>>> orders;  // [derivative][polynomial][point]
  orders.resize(static_cast<std::size_t>(derivative) + 1);
  std::vector<double> before(n, 0.0), now(n, 1 / std::sqrt(static_cast<double>(n)));
  double last_norm = 0;
  for (auto& o : orders) o.assign(static_cast<std::size_t>(degree) + 1, std::vector<double>(n, 0.0));
  orders[0][0] = now;
  for (std::size_t k = 0; k < static_cast<std::size_t>(degree); ++k) {
    double mean = 0;
    for (std::size_t i = 0; i < n; ++i) mean += x[i] * now[i] * now[i];
    std::vector<double> next(n);
    double squares = 0;
    for (std::size_t i = 0; i < n; ++i) {
      next[i] = (x[i] - mean) * now[i] - last_norm * before[i];
      squares += next[i] * next[i];
    }
    const double norm = std::sqrt(squares);
    for (double& v : next) v /= norm;
    for (std::size_t d = 1; d < orders.size(); ++d)
      for (std::size_t i = 0; i < n; ++i) {
        const double earlier = k > 0 ? orders[d][k - 1][i] : 0;
        orders[d][k + 1][i] = ((x[i] - mean) * orders[d][k][i] +
                               static_cast<double>(d) * orders[d - 1][k][i] - last_norm * earlier) /
                              norm;
      }
    before = now;
    now = next;
    orders[0][k + 1] = now;
    last_norm = norm;
  }
  out.value = orders[0];
  out.slope = orders.back();
  return out;
}

}  // namespace
}  // namespace filters

std::vector<double> smoothed(std::span<const double> y, Index window, int degree, int derivative,
                             double spacing) {
  using namespace filters;
  const auto n = static_cast<Index>(y.size());
  if (window < 3 || window % 2 == 0 || window > n)
    fail(fmt::format("the window must be an odd number from 3 to the {} samples, not {}", n, window));
  if (degree < 0 || degree >= window || degree > 20)
    fail(fmt::format("the degree must be from 0 to {}, not {}", std::min<Index>(20, window - 1), degree));
  if (derivative < 0 || derivative > degree)
    fail(fmt::format("the derivative must be from 0 to the degree {}, not {}", degree, derivative));
  const auto width = static_cast<std::size_t>(window), half = width / 2;
  std::vector<double> x;
  for (std::size_t k = 0; k < width; ++k)
    x.push_back((static_cast<double>(k) - static_cast<double>(half)) / static_cast<double>(half));
  const auto p = orthogonal(x, degree, derivative);
  const double unit = std::pow(static_cast<double>(half) * spacing, -derivative);
  // weights[i][k]: of sample k for the polynomial at position i of the window.
  const auto weights_at = [&](std::size_t i) {
    std::vector<double> w(width);
    for (std::size_t k = 0; k < width; ++k)
      for (std::size_t d = 0; d <= static_cast<std::size_t>(degree); ++d)
        w[k] += p.slope[d][i] * p.value[d][k];
    for (double& v : w) v *= unit;
    return w;
  };
  const auto middle = weights_at(half);
  std::vector<double> out(y.size());
  const auto sum = [&](const std::vector<double>& w, std::size_t first) {
    double s = 0;
    for (std::size_t k = 0; k < width; ++k) s += w[k] * y[first + k];
    return s;
  };
  for (std::size_t k = half; k + half < y.size(); ++k) {
    poll_interrupt_at(k);
    out[k] = sum(middle, k - half);
  }
  for (std::size_t i = 0; i < half; ++i) {
    out[i] = sum(weights_at(i), 0);
    out[y.size() - 1 - i] = sum(weights_at(width - 1 - i), y.size() - width);
  }
  return out;
}

std::vector<double> detrended(std::span<const double> y, int degree) {
  using namespace filters;
  const auto n = y.size();
  if (degree < 0 || degree > 20) fail(fmt::format("the degree must be from 0 to 20, not {}", degree));
  if (n <= static_cast<std::size_t>(degree))
    fail(fmt::format("a trend of degree {} needs more than {} samples", degree, n));
  std::vector<double> x;
  for (std::size_t k = 0; k < n; ++k)
    x.push_back(n == 1 ? 0 : 2 * static_cast<double>(k) / static_cast<double>(n - 1) - 1);
  const auto p = orthogonal(x, degree, 0);
  std::vector<double> out(y.begin(), y.end());
  // Twice, which removes the rounding error of the first pass.
  for (int pass = 0; pass < 2; ++pass)
    for (const auto& of : p.value) {
      long double c = 0;
      for (std::size_t k = 0; k < n; ++k) c += static_cast<long double>(of[k]) * out[k];
      for (std::size_t k = 0; k < n; ++k) out[k] -= static_cast<double>(c) * of[k];
    }
  return out;
}

}  // namespace quill
