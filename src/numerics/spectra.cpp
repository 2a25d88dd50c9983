#include "numerics/spectra.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
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

// Number of groups of segments, which threads transform.
Index runs_of(const Segments& s) { return std::clamp<Index>(s.count * s.length / 65536, 1, 64); }

// Calls use(run, segment, spectra), with the spectra of N series, for each segment; in order within a run.
template <std::size_t N, class Use>
void for_each_segment(const std::array<std::span<const double>, N>& series, const Segments& s,
                      const SegmentOptions& o, const std::vector<double>& w, Use use) {
  const RealTransform transform(s.length);
  const Index runs = runs_of(s);
  const auto transform_run = [&](Index run) {
    std::array<RealTransform::Work, N> work;
    std::array<const Complex*, N> spectra;
    for (std::size_t i = 0; i < N; ++i) {
      work[i] = transform.work();
      spectra[i] = work[i].half.get();
    }
    for (Index k = run * s.count / runs; k < (run + 1) * s.count / runs; ++k) {
      for (std::size_t i = 0; i < N; ++i) {
        const auto part =
            series[i].subspan(static_cast<std::size_t>(k * s.step), static_cast<std::size_t>(s.length));
        double* const to = work[i].samples.get();
        if (o.detrend) {
          const auto rest = detrended(part, *o.detrend);
          for (std::size_t j = 0; j < w.size(); ++j) to[j] = w[j] * rest[j];
        } else {
          for (std::size_t j = 0; j < w.size(); ++j) to[j] = w[j] * part[j];
        }
        transform(work[i]);
      }
      use(run, k, spectra);
    }
  };
  if (!o.detrend) return in_parallel(runs, transform_run);
  // Polynomials are fitted with arrays, which belong to one thread.
  for (Index run = 0; run < runs; ++run) {
    poll_interrupt();
    transform_run(run);
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
  const auto size = static_cast<std::size_t>(s.length / 2 + 1);
  std::vector<std::vector<double>> sums(static_cast<std::size_t>(runs_of(s)), std::vector<double>(size));
  for_each_segment<1>({x}, s, o, w, [&](Index run, Index, const auto& spectra) {
    auto& sum = sums[static_cast<std::size_t>(run)];
    for (std::size_t j = 0; j < size; ++j) sum[j] += std::norm(spectra[0][j]);
  });
  auto power = std::move(sums[0]);
  for (std::size_t run = 1; run < sums.size(); ++run)
    for (std::size_t j = 0; j < size; ++j) power[j] += sums[run][j];
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
  struct Sums {
    explicit Sums(std::size_t size) : xx(size), yy(size), xy(size) {}
    std::vector<double> xx, yy;
    std::vector<Complex> xy;
  };
  std::vector<Sums> sums(static_cast<std::size_t>(runs_of(s)), Sums(size));
  for_each_segment<2>({x, y}, s, o, w, [&](Index run, Index, const auto& spectra) {
    auto& sum = sums[static_cast<std::size_t>(run)];
    for (std::size_t j = 0; j < size; ++j) {
      const auto a = spectra[0][j], b = spectra[1][j];
      sum.xx[j] += std::norm(a);
      sum.yy[j] += std::norm(b);
      sum.xy[j] += std::conj(a) * b;
    }
  });
  auto& [xx, yy, xy] = sums[0];
  for (std::size_t run = 1; run < sums.size(); ++run)
    for (std::size_t j = 0; j < size; ++j) {
      xx[j] += sums[run].xx[j];
      yy[j] += sums[run].yy[j];
      xy[j] += sums[run].xy[j];
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
  std::vector<double> times(static_cast<std::size_t>(s.count));
  Array all(ElementType::float64, {s.count, size});
  double* const rows = all.mutable_data<double>();
  for_each_segment<1>({y}, s, o, w, [&](Index, Index k, const auto& spectra) {
    double* const row = rows + k * size;
    for (Index j = 0; j < size; ++j) {
      const bool is_both_sides = j > 0 && 2 * j != s.length;
      row[j] = std::norm(spectra[0][j]) * o.spacing / squares * (is_both_sides ? 2 : 1);
    }
    times[static_cast<std::size_t>(k)] =
        (static_cast<double>(k * s.step) + static_cast<double>(s.length - 1) / 2) * o.spacing;
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
