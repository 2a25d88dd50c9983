// Fourier transforms of any length along any axis, and methods based on them. FFTW; plans are estimated, not
// measured, so that equal inputs give equal bits in every run.
#pragma once

#include <memory>
#include <span>
#include <string_view>

#include "array/array.h"

namespace quill {

enum class Direction : std::uint8_t { forward, backward };

// X[k] = Σ x[j] exp(-2πi jk/n) along each of the axes (from 0); backward with + and divided by n. Complex, in
// the shape of x. Throws Error with the position of the first nan.
Array fourier(const Array& x, std::span<const int> axes, Direction direction);
// Backward; real if the spectrum is conjugate-symmetric up to rounding.
Array inverse_fourier(const Array& spectrum, std::span<const int> axes);
// The first n/2 + 1 frequencies of real data; the others are their conjugates.
Array real_fourier(const Array& x, int axis);
// The n real numbers with such a half spectrum.
Array inverse_real_fourier(const Array& half, Index n, int axis);

// real_fourier for many segments of n numbers; thread-safe.
class RealTransform {
 public:
  explicit RealTransform(Index n);
  ~RealTransform();
  RealTransform(const RealTransform&) = delete;
  RealTransform& operator=(const RealTransform&) = delete;
  // Buffers of one transform: n samples, n/2 + 1 frequencies.
  struct Work {
    struct Free {
      void operator()(void* p) const;
    };
    std::unique_ptr<double[], Free> samples;
    std::unique_ptr<Complex[], Free> half;
  };
  Work work() const;
  void operator()(Work& work) const;

 private:
  Index n_;
  void* plan_;
};

// Frequencies of a transform of n points, in its order: 0, 1, … , -1 over n · spacing.
Array fourier_frequencies(Index n, double spacing);

enum class Overlap : std::uint8_t { full, same, valid };
// Σ a[j] b[k - j] of two vectors: full overlap range, centred in the length of a, or only complete overlap.
// Direct sums for short vectors, transforms for long ones.
Array convolve(const Array& a, const Array& b, Overlap overlap);
// The same for matrices in two axes: `same` has the shape of a.
Array convolve_matrices(const Array& a, const Array& b, Overlap overlap);
// Σ a[j + k] conj(b[j]): a against b at all shifts.
Array correlate(const Array& a, const Array& b, Overlap overlap);

enum class Window : std::uint8_t { rectangular, bartlett, hann, hamming, blackman, flat_top, kaiser };
// n symmetric weights, or one period of them. Kaiser's window has the shape parameter 8.6, with side lobes as
// low as Blackman's.
Array window_weights(Window window, Index n, bool periodic);

// One-sided power density of real samples: its sum times the frequency step is their mean square, corrected
// for the window.
struct PowerSpectrum {
  Array frequency, power;
};
PowerSpectrum power_spectrum(const Array& x, double spacing, Window window, bool two_sided = false);

}  // namespace quill
