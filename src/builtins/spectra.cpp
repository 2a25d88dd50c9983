// Spectra beyond the periodogram.
#include "numerics/spectra.h"

#include <fmt/format.h>

#include <cmath>

#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/sample_argument.h"
#include "builtins/spectrum_arguments.h"
#include "builtins/tables.h"
#include "numerics/linear_algebra.h"

namespace quill {

std::vector<double> spectrum_samples(const Call& call, std::size_t i) {
  const auto y = call.vector(i);
  refuse_not_finite(y, std::string(call.row.parameters[i].name).c_str());
  return y.to_vector<double>();
}

Window window_argument(const Call& call, std::size_t i) {
  const auto name = call.one_of(i);
  if (name == "rectangular") return Window::rectangular;
  if (name == "bartlett") return Window::bartlett;
  if (name == "hamming") return Window::hamming;
  if (name == "flat_top") return Window::flat_top;
  if (name == "kaiser") return Window::kaiser;
  return name == "blackman" ? Window::blackman : Window::hann;
}

SegmentOptions segment_options(const Call& call, std::size_t spacing, std::size_t window,
                               std::size_t detrend) {
  SegmentOptions o;
  o.spacing = call.number_or(spacing, 1);
  if (!(o.spacing > 0) || std::isinf(o.spacing)) call.fail_argument(spacing, "must be a positive number");
  o.window = window_argument(call, window);
  if (call.given(detrend) && !call.value(detrend).is(Kind::none))
    o.detrend = static_cast<int>(std::clamp<Index>(call.whole(detrend), -1, 1000));
  return o;
}

namespace spectrum_calls {
namespace {

constexpr std::string_view kFamily = "transforms";

Value cross_row(Call& call) {
  const auto x = spectrum_samples(call, 0), y = spectrum_samples(call, 1);
  if (x.size() != y.size())
    call.fail_argument(1, fmt::format("must have as many samples as `x`, {}; not {}", x.size(), y.size()));
  const auto o = segment_options(call, 2, 5, 6);
  const auto segments =
      segments_of(static_cast<Index>(x.size()), call.given(3) ? call.whole(3) : 8, call.number_or(4, 0.5));
  if (segments.count == 1)
    call.warn("the coherence of a single segment is 1 at every frequency",
              "segments: 8 averages over segments");
  const auto s = cross_spectrum(x, y, segments, o);
  return Value::record({{"frequency", Value::array(s.frequency)},
                        {"power_x", Value::array(s.power_x)},
                        {"power_y", Value::array(s.power_y)},
                        {"cross", Value::array(s.cross)},
                        {"coherence", Value::array(s.coherence)},
                        {"phase", Value::array(s.phase)},
                        {"degrees_of_freedom", Value(s.degrees_of_freedom)}});
}

Value spectrogram_row(Call& call) {
  const auto y = spectrum_samples(call, 0);
  const auto o = segment_options(call, 1, 4, 5);
  const auto n = static_cast<Index>(y.size());
  const auto length = call.given(2) ? call.whole(2) : std::min<Index>(256, std::max<Index>(2, n / 4));
  const auto s = spectrogram(y, segments_of_length(n, length, call.number_or(3, 0.5)), o);
  return Value::record({{"times", Value::array(s.times)},
                        {"frequency", Value::array(s.frequency)},
                        {"power", Value::array(s.power)}});
}

Value uneven_row(Call& call) {
  const auto [t, y] = pairs_argument(call, 0, 1, call.boolean_or(3, false));
  if (t.size() < 4) call.fail_argument(0, fmt::format("must have at least 4 samples, not {}", t.size()));
  std::vector<double> frequency;
  if (call.given(2) && !call.value(2).is(Kind::none)) {
    frequency = call.vector(2).to_vector<double>();
    for (const double f : frequency)
      if (!(f > 0) || std::isinf(f)) call.fail_argument(2, "must be positive numbers");
  } else {
    frequency = uneven_frequencies(t);
  }
  const auto s = uneven_spectrum(t, y, std::move(frequency));
  return Value::record({{"frequency", Value::array(Array::vector(s.frequency))},
                        {"power", Value::array(Array::vector(s.power))},
                        {"false_alarm", Value(s.false_alarm)}});
}

Value wavelet_row(Call& call) {
  const auto y = spectrum_samples(call, 0);
  const double spacing = call.number_or(1, 1);
  if (!(spacing > 0) || std::isinf(spacing)) call.fail_argument(1, "must be a positive number");
  auto period = call.given(2) && !call.value(2).is(Kind::none)
                    ? call.vector(2).to_vector<double>()
                    : wavelet_periods(static_cast<Index>(y.size()), spacing);
  const auto w = wavelet_power(y, spacing, std::move(period));
  std::vector<double> times(y.size());
  for (std::size_t k = 0; k < times.size(); ++k) times[k] = spacing * static_cast<double>(k);
  return Value::record({{"times", Value::array(Array::vector(times))},
                        {"period", Value::array(Array::vector(w.period))},
                        {"power", Value::array(w.power)},
                        {"influence", Value::array(Array::vector(w.influence))}});
}

Value cosine_row(Call& call, Array (*transform)(const Array&, int)) {
  const auto x = call.reals(0);
  if (x.axes() == 0) call.fail_argument(0, "must be an array, not a single number");
  return Value::array(transform(x, axis_argument(call, 1, x)));
}

}  // namespace
}  // namespace spectrum_calls

std::vector<Builtin> spectrum_rows() {
  using namespace spectrum_calls;
  const Parameter spacing = {"spacing", "sampling interval", "1"};
  const Parameter window = one_of({"window", "name of a window function", "\"hann\""}, choices::kWindows);
  const Parameter overlap = {
      "overlap", "share of its length that a segment has in common with the next, from 0 to below 1", "0.5"};
  const Parameter detrend = {
      "detrend", "degree of a polynomial that is subtracted from each segment; none: nothing", "none"};
  return {
      {
          .name = "cross_spectrum",
          .family = kFamily,
          .summary = "Cross spectrum of two series, with coherence and phase, averaged over segments.",
          .parameters = {{"x", "vector of real samples", ""},
                         {"y", "vector of the same length", ""},
                         spacing,
                         {"segments", "number of segments", "8"},
                         overlap,
                         window,
                         detrend},
          .returns = "a record: frequency, power_x, power_y, cross (complex), coherence (squared, 0 to 1), "
                     "phase (radians; "
                     "negative where y follows x), degrees_of_freedom",
          .errors = "if data are nan; if the lengths differ",
          .source = "P. D. Welch, IEEE Trans. Audio Electroacoust. 15, 1967",
          .example =
              "seed(7)\nx = random_normal(4096)\ny = 2*x\ns = cross_spectrum(x, y)\nmin(s.coherence) > 0.999",
          .output = "min(s.coherence) > 0.999 = true",
          .run = cross_row,
      },
      {
          .name = "spectrogram",
          .family = kFamily,
          .summary = "Power spectral density over time, segment by segment.",
          .parameters = {{"y", "vector of real samples", ""},
                         spacing,
                         {"length",
                          "number of samples of a segment; none: 256, or a quarter of fewer samples", "none"},
                         overlap,
                         window,
                         detrend},
          .returns = "a record: times (of the middle of each segment; the first sample is at 0), frequency, "
                     "power (one row "
                     "for each time)",
          .errors = "if data are nan",
          .source = "P. D. Welch, IEEE Trans. Audio Electroacoust. 15, 1967",
          .example = "t = 0..1023\ns = spectrogram(sin(2*pi*0.25*t), length: "
                     "64)\ns.frequency[argmax(s.power[1, ..])]",
          .output = "s.frequency[argmax(s.power[1, ..])] = 0.25",
          .run = spectrogram_row,
      },
      {
          .name = "uneven_spectrum",
          .family = kFamily,
          .summary = "Spectrum of samples at uneven times (Lomb–Scargle, with a mean that is fitted).",
          .parameters = {{"t", "vector of times", ""},
                         {"y", "vector of samples", ""},
                         {"frequency", "vector of frequencies; none: up to half the mean sampling rate",
                          "none"},
                         {"skip_nan", "whether samples that are nan are left out", "false"}},
          .returns = "a record: frequency, power (share of the variance that a sinusoid explains, 0 to 1), "
                     "false_alarm "
                     "(probability that noise has so high a peak, an upper bound)",
          .errors = "if data are nan",
          .source = "M. Zechmeister, M. Kürster, Astron. Astrophys. 496, 2009; R. V. Baluev, Mon. Not. R. "
                    "Astron. Soc. "
                    "385, 2008",
          .example = "seed(7)\nt = sort(100 * random(80))\ns = uneven_spectrum(t, "
                     "sin(2*pi*0.2*t))\nabs(s.frequency[argmax(s.power)] - 0.2) < 0.002",
          .output = "abs(s.frequency[argmax(s.power)] - 0.2) < 0.002 = true",
          .run = uneven_row,
      },
      {
          .name = "wavelet_power",
          .family = kFamily,
          .summary = "Power of Morlet wavelets over time and period.",
          .parameters = {{"y", "vector of real samples, of which the mean is subtracted", ""},
                         spacing,
                         {"periods",
                          "vector of periods; none: 12 to an octave from 2 samples to a third of the length",
                          "none"}},
          .returns = "a record: times (the first sample is at 0), period, power (one row for each period, "
                     "one column for each time; white "
                     "noise has its "
                     "variance everywhere), influence (for each time the longest period free from the ends)",
          .errors = "if data are nan; if a period is below two samples",
          .source = "C. Torrence, G. P. Compo, Bull. Am. Meteorol. Soc. 79, 1998; six oscillations",
          .example = "t = 0..255\nw = wavelet_power(sin(2*pi*t/16))\nw.period[argmax(w.power[.., 128])]",
          .output = "w.period[argmax(w.power[.., 128])] = 16",
          .run = wavelet_row,
      },
      {
          .name = "dct",
          .family = kFamily,
          .summary = "Discrete cosine transform (type II, orthonormal).",
          .parameters = {{"x", "real numbers", ""}, {"over", "axis", "1"}},
          .returns = "array of the shape of x with the same sum of squares",
          .errors = "if data are nan",
          .source = "N. Ahmed, T. Natarajan, K. R. Rao, IEEE Trans. Comput. 23, 1974; FFTW",
          .example = "dct([1, 1, 1, 1])",
          .output = "dct([1, 1, 1, 1]) : float64 4\n  2  0  0  0",
          .run = [](Call& c) { return cosine_row(c, cosine_transform); },
      },
      {
          .name = "idct",
          .family = kFamily,
          .summary = "Inverse of dct.",
          .parameters = {{"x", "real numbers", ""}, {"over", "axis", "1"}},
          .returns = "array of the shape of x",
          .errors = "if data are nan",
          .source = "FFTW",
          .example = "near(idct(dct([3, 1, 2])), [3, 1, 2])",
          .output = "near(idct(dct([3, 1, 2])), [3, 1, 2]) = true",
          .run = [](Call& c) { return cosine_row(c, inverse_cosine_transform); },
      },
  };
}

}  // namespace quill
