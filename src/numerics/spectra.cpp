#include "numerics/spectra.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "array/elementwise.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "base/interrupt.h"
#include "base/number.h"
#include "base/parallel.h"
#include "numerics/filters.h"

namespace quill {

namespace spectra {
namespace {

constexpr double kPi = std::numbers::pi;

void check_overlap(double overlap) {
  if (!(overlap >= 0 && overlap < 1))
    fail(fmt::format("the overlap must be a share from 0 to below 1, not {}", shortest(overlap)));
}

// The weighted samples of some segments as rows, transformed; many at once take one plan.
Array transformed(std::span<const double> x, const Segments& s, Index first, Index count,
                  const SegmentOptions& o, const std::vector<double>& w) {
  Array rows(ElementType::float64, {count, s.length});
  double* to = rows.mutable_data<double>();
  for (Index k = first; k < first + count; ++k) {
    const auto part = x.subspan(static_cast<std::size_t>(k * s.step), static_cast<std::size_t>(s.length));
    if (o.detrend) {
      const auto rest = detrended(part, *o.detrend);
      for (std::size_t j = 0; j < w.size(); ++j) *to++ = w[j] * rest[j];
    } else {
      for (std::size_t j = 0; j < w.size(); ++j) *to++ = w[j] * part[j];
    }
  }
  return real_fourier(rows, 1);
}

// Calls use(segment, spectrum) for each segment in order.
template <class Use>
void for_each_segment(std::span<const double> x, const Segments& s, const SegmentOptions& o,
                      const std::vector<double>& w, Use use) {
  const Index at_once = std::max<Index>(1, 65536 / s.length), size = s.length / 2 + 1;
  for (Index first = 0; first < s.count; first += at_once) {
    poll_interrupt();
    const Index count = std::min(at_once, s.count - first);
    const auto rows = transformed(x, s, first, count, o, w);
    for (Index k = 0; k < count; ++k) use(first + k, rows.data<Complex>() + k * size);
  }
}

// The largest length up to n with no prime factor above 7, which transforms several times as fast; short ones
// stay.
Index quick_length(Index n) {
  constexpr Index short_enough = 64;
  for (; n > short_enough; --n) {
    Index rest = n;
    for (const Index factor : {2, 3, 5, 7})
      while (rest % factor == 0) rest /= factor;
    if (rest == 1) break;
  }
  return n;
}

// Twice the density where a negative frequency belongs to it.
void make_one_sided(std::vector<double>& power, Index n) {
  for (std::size_t k = 1; k < power.size(); ++k)
    if (2 * static_cast<Index>(k) != n) power[k] *= 2;
}

std::vector<double> frequencies_of(Index length, double spacing) {
  auto out = fourier_frequencies(length, spacing).to_vector<double>();
  out.resize(static_cast<std::size_t>(length / 2 + 1));
  for (double& f : out) f = std::fabs(f);
  return out;
}

// Degrees of freedom of the mean over overlapping segments, from the correlation of their windows.
double freedom(const Segments& s, const std::vector<double>& w) {
  double squares = 0, doubt = 0;
  for (const double v : w) squares += v * v;
  for (Index m = 1; m < s.count; ++m) {
    double product = 0;
    for (Index k = 0; k + m * s.step < s.length; ++k)
      product += w[static_cast<std::size_t>(k)] * w[static_cast<std::size_t>(k + m * s.step)];
    if (product == 0) break;
    const double rho = product / squares;
    doubt += (1 - static_cast<double>(m) / static_cast<double>(s.count)) * rho * rho;
  }
  return 2 * static_cast<double>(s.count) / (1 + 2 * doubt);
}

}  // namespace
}  // namespace spectra

Segments segments_of(Index n, Index count, double overlap) {
  spectra::check_overlap(overlap);
  if (count < 1) fail(fmt::format("there must be at least one segment, not {}", count));
  Segments s;
  s.length =
      static_cast<Index>(static_cast<double>(n) / (1 + static_cast<double>(count - 1) * (1 - overlap)));
  if (s.length < 2) fail(fmt::format("{} samples cannot be cut into {} segments", n, count));
  s.step =
      std::max<Index>(1, static_cast<Index>(std::ceil(static_cast<double>(s.length) * (1 - overlap) - 1e-9)));
  s.count = count;
  while ((s.count - 1) * s.step + s.length > n) s.length -= 1;
  s.length = spectra::quick_length(s.length);
  return s;
}

Segments segments_of_length(Index n, Index length, double overlap) {
  spectra::check_overlap(overlap);
  if (length < 2 || length > n)
    fail(fmt::format("a segment must have from 2 to the {} samples, not {}", n, length));
  Segments s{
      length,
      std::max<Index>(1, static_cast<Index>(std::ceil(static_cast<double>(length) * (1 - overlap) - 1e-9))),
      0};
  s.count = (n - length) / s.step + 1;
  return s;
}

AveragedSpectrum averaged_spectrum(std::span<const double> x, const Segments& s, const SegmentOptions& o) {
  using namespace spectra;
  const auto w = window_weights(o.window, s.length, true).to_vector<double>();
  double squares = 0;
  for (const double v : w) squares += v * v;
  std::vector<double> power(static_cast<std::size_t>(s.length / 2 + 1));
  for_each_segment(x, s, o, w, [&](Index, const Complex* half) {
    for (std::size_t j = 0; j < power.size(); ++j) power[j] += std::norm(half[j]);
  });
  for (double& p : power) p *= o.spacing / squares / static_cast<double>(s.count);
  make_one_sided(power, s.length);
  return {Array::vector(frequencies_of(s.length, o.spacing)), Array::vector(power), freedom(s, w)};
}

CrossSpectrum cross_spectrum(std::span<const double> x, std::span<const double> y, const Segments& s,
                             const SegmentOptions& o) {
  using namespace spectra;
  const auto w = window_weights(o.window, s.length, true).to_vector<double>();
  double squares = 0;
  for (const double v : w) squares += v * v;
  const auto size = static_cast<std::size_t>(s.length / 2 + 1);
  std::vector<double> xx(size), yy(size);
  std::vector<Complex> xy(size);
  for (Index k = 0; k < s.count; ++k) {
    poll_interrupt();
    const auto of_x = transformed(x, s, k, 1, o, w), of_y = transformed(y, s, k, 1, o, w);
    const auto *const a = of_x.data<Complex>(), *const b = of_y.data<Complex>();
    for (std::size_t j = 0; j < size; ++j) {
      xx[j] += std::norm(a[j]);
      yy[j] += std::norm(b[j]);
      xy[j] += std::conj(a[j]) * b[j];
    }
  }
  std::vector<double> coherence(size), phase(size);
  for (std::size_t j = 0; j < size; ++j) {
    coherence[j] = xx[j] > 0 && yy[j] > 0 ? std::min(1.0, std::norm(xy[j]) / xx[j] / yy[j]) : NAN;
    phase[j] = std::arg(xy[j]);
  }
  const double unit = o.spacing / squares / static_cast<double>(s.count);
  for (std::size_t j = 0; j < size; ++j) {
    const double both = unit * (j > 0 && 2 * static_cast<Index>(j) != s.length ? 2 : 1);
    xx[j] *= both;
    yy[j] *= both;
    xy[j] *= both;
  }
  CrossSpectrum out;
  out.frequency = Array::vector(frequencies_of(s.length, o.spacing));
  out.power_x = Array::vector(xx);
  out.power_y = Array::vector(yy);
  out.cross = Array::of<Complex>({static_cast<Index>(size)}, xy);
  out.coherence = Array::vector(coherence);
  out.phase = Array::vector(phase);
  out.degrees_of_freedom = freedom(s, w);
  return out;
}

Spectrogram spectrogram(std::span<const double> y, const Segments& s, const SegmentOptions& o) {
  using namespace spectra;
  const auto w = window_weights(o.window, s.length, true).to_vector<double>();
  double squares = 0;
  for (const double v : w) squares += v * v;
  const Index size = s.length / 2 + 1;
  std::vector<double> times;
  Array all(ElementType::float64, {s.count, size});
  double* to = all.mutable_data<double>();
  for_each_segment(y, s, o, w, [&](Index k, const Complex* half) {
    std::vector<double> power(static_cast<std::size_t>(size));
    for (std::size_t j = 0; j < power.size(); ++j) power[j] = std::norm(half[j]) * o.spacing / squares;
    make_one_sided(power, s.length);
    to = std::copy(power.begin(), power.end(), to);
    times.push_back((static_cast<double>(k * s.step) + static_cast<double>(s.length - 1) / 2) * o.spacing);
  });
  return {Array::vector(times), Array::vector(frequencies_of(s.length, o.spacing)), std::move(all)};
}

std::vector<double> uneven_frequencies(std::span<const double> t) {
  const auto [low, high] = std::minmax_element(t.begin(), t.end());
  const double range = *high - *low;
  if (t.size() < 4 || !(range > 0)) fail("a spectrum needs at least 4 samples at different times");
  const double most = static_cast<double>(t.size()) / (2 * range), step = 1 / (5 * range);
  std::vector<double> out;
  for (double k = 1; k * step <= most * (1 + 1e-12); ++k) out.push_back(k * step);
  return out;
}

UnevenSpectrum uneven_spectrum(std::span<const double> t, std::span<const double> y,
                               std::vector<double> frequency) {
  using namespace spectra;
  const auto n = static_cast<double>(t.size());
  if (t.size() < 4) fail(fmt::format("a spectrum needs at least 4 samples, not {}", t.size()));
  double mean = 0, scale = 0;
  for (const double v : y) mean += v / n;
  std::vector<double> d;
  for (const double v : y) {
    d.push_back(v - mean);
    scale = std::max(scale, std::fabs(d.back()));
  }
  if (scale == 0) fail("a spectrum needs samples that differ");
  double squares = 0;
  for (double& v : d) {
    v /= scale;
    squares += v * v / n;
  }
  const double first = *std::min_element(t.begin(), t.end());
  UnevenSpectrum out;
  out.frequency = std::move(frequency);
  out.power.resize(out.frequency.size());
  constexpr Index piece = 32;
  const auto count = static_cast<Index>(out.frequency.size());
  in_parallel((count + piece - 1) / piece, [&](Index p) {
    for (Index k = p * piece; k < std::min(count, (p + 1) * piece); ++k) {
      const double w = 2 * kPi * out.frequency[static_cast<std::size_t>(k)];
      double c = 0, s = 0, yc = 0, ys = 0, cc = 0, cs = 0;
      for (std::size_t j = 0; j < d.size(); ++j) {
        const double angle = w * (t[j] - first), cosine = std::cos(angle), sine = std::sin(angle);
        c += cosine;
        s += sine;
        yc += d[j] * cosine;
        ys += d[j] * sine;
        cc += cosine * cosine;
        cs += cosine * sine;
      }
      c /= n, s /= n, yc /= n, ys /= n, cc /= n, cs /= n;
      const double pcc = cc - c * c, pss = 1 - cc - s * s, pcs = cs - c * s, det = pcc * pss - pcs * pcs;
      const double fitted = det > 1e-14
                                ? (pss * yc * yc + pcc * ys * ys - 2 * pcs * yc * ys) / det
                                : std::max(pcc > 1e-14 ? yc * yc / pcc : 0, pss > 1e-14 ? ys * ys / pss : 0);
      out.power[static_cast<std::size_t>(k)] = std::clamp(fitted / squares, 0.0, 1.0);
    }
  });
  if (out.power.empty()) return out;
  const double highest = *std::max_element(out.power.begin(), out.power.end());
  const double most = *std::max_element(out.frequency.begin(), out.frequency.end());
  double mean_t = 0, mean_tt = 0;
  for (const double v : t) mean_t += (v - first) / n;
  for (const double v : t) mean_tt += (v - first - mean_t) * (v - first - mean_t) / n;
  const double effective = std::sqrt(4 * kPi * mean_tt), degrees = n - 3;
  const double factor =
      std::exp(std::lgamma((n - 1) / 2) - std::lgamma((n - 2) / 2)) * std::sqrt(2 / (n - 1));
  const double single = std::pow(1 - highest, degrees / 2);
  const double crossings =
      factor * most * effective * std::pow(1 - highest, (n - 4) / 2) * std::sqrt(0.5 * (n - 1) * highest);
  out.false_alarm = std::clamp(1 - (1 - single) * std::exp(-crossings), 0.0, 1.0);
  if (crossings + single < 1e-8) out.false_alarm = crossings + single;
  return out;
}

namespace spectra {
namespace {

constexpr double kOscillations = 6;
// Of Morlet's wavelet: the Fourier period over the scale.
const double kPeriodOverScale = 4 * kPi / (kOscillations + std::sqrt(2 + kOscillations * kOscillations));

}  // namespace
}  // namespace spectra

std::vector<double> wavelet_periods(Index n, double spacing) {
  std::vector<double> out;
  for (double k = 0;; ++k) {
    const double period = 2 * spacing * std::exp2(k / 12);
    if (period > static_cast<double>(n) * spacing / 3) break;
    out.push_back(period);
  }
  if (out.empty()) out.push_back(2 * spacing);
  return out;
}

WaveletPower wavelet_power(std::span<const double> y, double spacing, std::vector<double> period) {
  using namespace spectra;
  const auto n = static_cast<Index>(y.size());
  if (n < 4) fail(fmt::format("a wavelet spectrum needs at least 4 samples, not {}", n));
  if (!(spacing > 0) || std::isinf(spacing))
    fail(fmt::format("the spacing must be a positive number, not {}", shortest(spacing)));
  for (const double p : period)
    if (!(p >= 2 * spacing * (1 - 1e-12)) || std::isinf(p))
      fail(fmt::format("a period must be at least two samples, {}; not {}", shortest(2 * spacing),
                       shortest(p)));
  // Padded with zeros, so that the periodic convolution does not wrap around.
  Index length = 1;
  while (length < 2 * n) length *= 2;
  double mean = 0;
  for (const double v : y) mean += v / static_cast<double>(n);
  std::vector<double> padded(static_cast<std::size_t>(length), 0.0);
  for (Index k = 0; k < n; ++k) padded[static_cast<std::size_t>(k)] = y[static_cast<std::size_t>(k)] - mean;
  const int axis[] = {0};
  const auto spectrum = fourier(Array::vector(padded), axis, Direction::forward).to_vector<Complex>();
  WaveletPower out;
  out.power = Array(ElementType::float64, {static_cast<Index>(period.size()), n});
  double* to = out.power.mutable_data<double>();
  for (const double p : period) {
    poll_interrupt();
    const double scale = p / kPeriodOverScale,
                 factor = std::sqrt(2 * kPi * scale / spacing) * std::pow(kPi, -0.25);
    std::vector<Complex> filtered(spectrum.size());
    for (std::size_t k = 1; k <= spectrum.size() / 2; ++k) {
      const double w = 2 * kPi * static_cast<double>(k) / (static_cast<double>(length) * spacing),
                   z = scale * w - kOscillations;
      filtered[k] = spectrum[k] * (factor * std::exp(-0.5 * z * z));
    }
    const auto wave =
        fourier(Array::of<Complex>({length}, filtered), axis, Direction::backward).to_vector<Complex>();
    for (Index k = 0; k < n; ++k) *to++ = std::norm(wave[static_cast<std::size_t>(k)]);
  }
  out.period = std::move(period);
  for (Index k = 0; k < n; ++k) {
    const double distance = (static_cast<double>(std::min(k, n - 1 - k)) + 0.5) * spacing;
    out.influence.push_back(kPeriodOverScale * distance / std::numbers::sqrt2);
  }
  return out;
}

namespace spectra {
namespace {

// Factors along an axis, of a shape that broadcasts.
Array along(const std::vector<Complex>& v, const Array& like, int axis) {
  auto shape = Shape::filled(like.axes(), 1);
  shape[axis] = static_cast<Index>(v.size());
  return Array::of<Complex>({static_cast<Index>(v.size())}, v).with_shape(shape);
}

Array first_along(const Array& x, Index count, int axis) {
  std::vector<Subscript> s;
  for (const auto extent : x.shape()) s.push_back(everything(extent));
  s[static_cast<std::size_t>(axis)] = {Subscript::Kind::run, 0, 1, count, {}};
  return select(x, s);
}

// exp(sign iπk/2n) times the factor that makes the transform orthonormal.
std::vector<Complex> turns(Index n, double sign) {
  std::vector<Complex> out;
  for (Index k = 0; k < n; ++k) {
    const double factor = std::sqrt((k == 0 ? 0.25 : 0.5) / static_cast<double>(n));
    out.push_back(std::polar(sign < 0 ? factor : 1 / factor,
                             sign * kPi * static_cast<double>(k) / (2 * static_cast<double>(n))));
  }
  return out;
}

}  // namespace
}  // namespace spectra

Array cosine_transform(const Array& x, int axis) {
  using namespace spectra;
  const Index n = x.extent(axis);
  if (n == 0) fail("the axis of the transform is empty");
  const Array both[] = {x, reversed(x, axis)};
  const auto half = first_along(real_fourier(join(both, axis), axis), n, axis);
  return apply(Unary::real, apply(Binary::multiply, half, along(turns(n, -1), half, axis)));
}

Array inverse_cosine_transform(const Array& x, int axis) {
  using namespace spectra;
  const Index n = x.extent(axis);
  if (n == 0) fail("the axis of the transform is empty");
  const auto turned =
      apply(Binary::multiply, x.converted(ElementType::complex128), along(turns(n, 1), x, axis));
  auto last = x.shape();
  last[axis] = 1;
  const Array parts[] = {turned, Array::filled<Complex>(last, Complex(0))};
  return first_along(inverse_real_fourier(join(parts, axis), 2 * n, axis), n, axis).compact();
}

}  // namespace quill
