// Fourier transforms and signals.
#include <fmt/format.h>

#include "array/rearrange.h"
#include "array/reduce.h"
#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/spectrum_arguments.h"
#include "builtins/tables.h"
#include "numerics/transforms.h"

namespace quill {

namespace transforms_calls {
namespace {

constexpr std::string_view kFamily = "transforms";
constexpr std::string_view kLibrary = "FFTW (M. Frigo, S. G. Johnson, Proc. IEEE 93, 2005)";

Value fft_row(Call& call, Direction direction) {
  const auto x = call.numbers(0);
  const auto axes = axes_argument(call, 1, x);
  return Value::array(direction == Direction::forward ? fourier(x, axes, direction)
                                                      : inverse_fourier(x, axes));
}

Value fft2_row(Call& call, Direction direction) {
  const auto x = call.numbers(0);
  if (x.axes() < 2)
    call.fail_argument(0, fmt::format("must have at least two axes, not {}", kind_in_words(call.value(0))));
  const int axes[] = {x.axes() - 1, x.axes() - 2};
  return Value::array(direction == Direction::forward ? fourier(x, axes, direction)
                                                      : inverse_fourier(x, axes));
}

Value real_fft_row(Call& call) {
  const auto x = call.numbers(0);
  return Value::array(real_fourier(x, axis_argument(call, 1, x)));
}

Value real_ifft_row(Call& call) {
  const auto half = call.numbers(0);
  const int axis = axis_argument(call, 2, half);
  const Index n = call.given(1) ? call.whole(1) : 2 * (half.extent(axis) - 1);
  return Value::array(inverse_real_fourier(half, n, axis));
}

Value fft_shift_row(Call& call) {
  const auto x = call.array(0);
  if (call.given(1)) {
    const int axis = axis_argument(call, 1, x);
    return Value::array(rotated(x, x.extent(axis) / 2, axis));
  }
  auto out = x;
  for (int axis = 0; axis < x.axes(); ++axis) out = rotated(out, x.extent(axis) / 2, axis);
  return Value::array(out);
}

Overlap overlap_of(const Call& call, std::size_t i) {
  const auto name = call.one_of(i);
  return name == "same" ? Overlap::same : name == "valid" ? Overlap::valid : Overlap::full;
}

Value power_spectrum_row(Call& call) {
  const auto x = call.vector(0);
  const bool two_sided = call.one_of(3) == "two";
  const bool is_averaged = call.given(4) || call.given(5) || call.given(6);
  if (!is_averaged) {
    const auto result = power_spectrum(x, call.number_or(1, 1), window_argument(call, 2), two_sided);
    return Value::record(
        {{"frequency", Value::array(result.frequency)}, {"power", Value::array(result.power)}});
  }
  if (two_sided) call.fail_argument(3, "must be \"one\" for a spectrum of segments");
  const auto samples = spectrum_samples(call, 0);
  const auto segments = segments_of(x.size(), call.given(4) ? call.whole(4) : 8, call.number_or(5, 0.5));
  const auto s = averaged_spectrum(samples, segments, segment_options(call, 1, 2, 6));
  return Value::record({{"frequency", Value::array(s.frequency)},
                        {"power", Value::array(s.power)},
                        {"degrees_of_freedom", Value(s.degrees_of_freedom)}});
}

Value convolve_row(Call& call) {
  const auto a = call.numbers(0), b = call.numbers(1);
  if (a.axes() == 2 && b.axes() == 2) return Value::array(convolve_matrices(a, b, overlap_of(call, 2)));
  return Value::array(convolve(a, b, overlap_of(call, 2)));
}

}  // namespace
}  // namespace transforms_calls

std::vector<Builtin> transform_rows() {
  using namespace transforms_calls;
  const Parameter x = {"x", "numbers, real or complex", ""};
  const Parameter over = {"over", "axis", "1"};
  const Parameter over_several = {"over", "axis, or a vector of axes", "1"};
  const Parameter overlap = one_of(
      {"overlap",
       "length of the result: \"full\", \"same\" (the length of a) or \"valid\" (complete overlap only)",
       "\"full\""},
      choices::kOverlaps);
  constexpr std::string_view windows =
      "\"rectangular\", \"bartlett\", \"hann\", \"hamming\", \"blackman\", \"flat_top\" or \"kaiser\" (β = "
      "8.6)";
  return {
      {
          .name = "fft",
          .family = kFamily,
          .summary = "Discrete Fourier transform along one or several axes, of any length.",
          .parameters = {x, over_several},
          .returns = "complex array of the shape of x; element k, from 0, is the sum of x[j] exp(-2πi jk/n)",
          .errors = "if data are nan; if an axis is empty",
          .source = kLibrary,
          .example = "fft([2, 0, 1, 3])",
          .output = "fft([2, 0, 1, 3]) : complex128 4\n  6 + 0i  1 + 3i  0 + 0i  1 - 3i",
          .run = [](Call& c) { return fft_row(c, Direction::forward); },
      },
      {
          .name = "ifft",
          .family = kFamily,
          .summary = "Inverse discrete Fourier transform.",
          .parameters = {x, over_several},
          .returns = "array of the shape of x; real if the spectrum is conjugate-symmetric within rounding",
          .errors = "if data are nan; if an axis is empty",
          .source = kLibrary,
          .example = "ifft(fft([2, 0, 1, 3]))",
          .output = "ifft(fft([2, 0, 1, 3])) : float64 4\n  2  0  1  3",
          .run = [](Call& c) { return fft_row(c, Direction::backward); },
      },
      {
          .name = "fft2",
          .family = kFamily,
          .summary = "Discrete Fourier transform along the last two axes.",
          .parameters = {{"x", "matrix, or an array with more axes", ""}},
          .returns = "complex array of the shape of x",
          .errors = "if data are nan; if an axis is empty",
          .source = kLibrary,
          .example = "fft2([1, 2 | 3, 4])",
          .output = "fft2([1, 2 | 3, 4]) : complex128 2×2\n  10 + 0i  -2 + 0i\n  -4 + 0i   0 + 0i",
          .run = [](Call& c) { return fft2_row(c, Direction::forward); },
      },
      {
          .name = "ifft2",
          .family = kFamily,
          .summary = "Inverse of fft2.",
          .parameters = {{"x", "matrix, or an array with more axes", ""}},
          .returns = "array of the shape of x; real if the spectrum is conjugate-symmetric within rounding",
          .errors = "if data are nan; if an axis is empty",
          .source = kLibrary,
          .example = "ifft2(fft2([1, 2 | 3, 4]))",
          .output = "ifft2(fft2([1, 2 | 3, 4])) : float64 2×2\n  1  2\n  3  4",
          .run = [](Call& c) { return fft2_row(c, Direction::backward); },
      },
      {
          .name = "real_fft",
          .family = kFamily,
          .summary = "Discrete Fourier transform of real numbers: the frequencies from 0 to n/2.",
          .parameters = {{"x", "real numbers", ""}, over},
          .returns = "n/2 + 1 complex numbers along the axis",
          .errors = "if x is complex; if data are nan",
          .source = kLibrary,
          .example = "real_fft([2, 0, 1, 3])",
          .output = "real_fft([2, 0, 1, 3]) : complex128 3\n  6 + 0i  1 + 3i  0 + 0i",
          .run = real_fft_row,
      },
      {
          .name = "real_ifft",
          .family = kFamily,
          .summary = "Inverse of real_fft.",
          .parameters = {{"x", "spectrum as returned by real_fft", ""},
                         {"n", "number of real values; none: the even one", "none"},
                         over},
          .returns = "n real numbers along the axis",
          .errors = "if the length of the spectrum does not match n",
          .source = kLibrary,
          .example = "near(real_ifft(real_fft([2, 0, 1]), 3), [2, 0, 1], absolute: 1e-15)",
          .output = "near(real_ifft(real_fft([2, 0, 1]), 3), [2, 0, 1], absolute: 1e-15) = true",
          .run = real_ifft_row,
      },
      {
          .name = "frequencies",
          .family = kFamily,
          .summary = "Frequencies of a discrete Fourier transform, in its order.",
          .parameters = {{"n", "number of points", ""}, {"spacing", "sampling interval", "1"}},
          .returns = "a vector, in the inverse unit of the spacing; negative frequencies in the second half",
          .example = "frequencies(4, 0.5)",
          .output = "frequencies(4, 0.5) : float64 4\n   0.0   0.5  -1.0  -0.5",
          .run = [](Call& c) { return Value::array(fourier_frequencies(c.whole(0), c.number_or(1, 1))); },
      },
      {
          .name = "fft_shift",
          .family = kFamily,
          .summary = "Move the frequency 0 to the middle of a spectrum.",
          .parameters = {{"x", "an array", ""}, {"over", "axis; none: all", "none"}},
          .returns = "array of the shape of x",
          .example = "fft_shift(frequencies(4))",
          .output = "fft_shift(frequencies(4)) : float64 4\n  -0.50  -0.25   0.00   0.25",
          .run = fft_shift_row,
      },
      {
          .name = "convolve",
          .family = kFamily,
          .summary = "Convolution of two vectors, or of two matrices along both axes.",
          .parameters = {{"a", "vector or matrix", ""}, {"b", "vector or matrix", ""}, overlap},
          .returns =
              "a vector, or a matrix; for \"full\", of length(a) + length(b) - 1 elements along each axis",
          .errors = "if a vector is empty; if data are nan",
          .source = "direct sums for short vectors, Fourier transforms for long ones",
          .example = "convolve([1, 2, 3], [1, 1])",
          .output = "convolve([1, 2, 3], [1, 1]) : float64 4\n  1  3  5  3",
          .run = convolve_row,
      },
      {
          .name = "correlate",
          .family = kFamily,
          .summary = "Cross-correlation of two vectors.",
          .parameters = {{"a", "a vector", ""}, {"b", "vector, conjugated", ""}, overlap},
          .returns = "a vector; for \"full\", from the largest negative to the largest positive lag",
          .errors = "if a vector is empty; if data are nan",
          .source = "direct sums for short vectors, Fourier transforms for long ones",
          .example = "correlate([0, 1, 2], [1, 2], overlap: \"valid\")",
          .output = "correlate([0, 1, 2], [1, 2], overlap: \"valid\") : float64 2\n  2  5",
          .run =
              [](Call& c) { return Value::array(correlate(c.numbers(0), c.numbers(1), overlap_of(c, 2))); },
      },
      {
          .name = "window",
          .family = kFamily,
          .summary = "Window function.",
          .parameters = {one_of({"name", windows, ""}, choices::kWindows),
                         {"n", "number of weights", ""},
                         {"periodic", "whether the window is periodic, as required for Fourier transforms",
                          "false"}},
          .returns = "a vector of weights from 0 to 1",
          .source = "F. J. Harris, Proc. IEEE 66, 1978",
          .example = "window(\"hann\", 5)",
          .output = "window(\"hann\", 5) : float64 5\n  0.0  0.5  1.0  0.5  0.0",
          .run =
              [](Call& c) {
                return Value::array(
                    window_weights(window_argument(c, 0), c.whole(1), c.boolean_or(2, false)));
              },
      },
      {
          .name = "power_spectrum",
          .family = kFamily,
          .summary = "Power spectral density of a series of samples.",
          .parameters = {{"x", "vector of real samples", ""},
                         {"spacing", "sampling interval", "1"},
                         one_of({"window", windows, "\"hann\""}, choices::kWindows),
                         one_of({"sides",
                                 "\"one\" (frequencies from 0) or \"two\" (also negative frequencies, in the "
                                 "order of fft)",
                                 "\"one\""},
                                choices::kSpectra),
                         {"segments",
                          "number of overlapping segments to average (Welch); none: the whole series",
                          "none"},
                         {"overlap", "share of its length that a segment has in common with the next", "0.5"},
                         {"detrend",
                          "degree of a polynomial that is subtracted from each segment; none: nothing",
                          "none"}},
          .returns = "a record: frequency, power, of segments also degrees_of_freedom; the sum of power "
                     "times the frequency step is the mean "
                     "square of the "
                     "samples",
          .errors = "nan",
          .source = "modified periodogram (P. D. Welch, IEEE Trans. Audio Electroacoust. 15, 1967)",
          .example = "t = 0..1 by 1/64\ns = power_spectrum(sin(2*pi*8*t[..64]), spacing: "
                     "1/64)\ns.frequency[argmax(s.power)]",
          .output = "s.frequency[argmax(s.power)] = 8",
          .run = power_spectrum_row,
      },
  };
}

}  // namespace quill
