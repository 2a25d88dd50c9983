// Fourier transforms of any length along any axis, and what is built on them. FFTW; plans are estimated, so
// that the same input gives the same bits in every run.
#pragma once

#include <memory>
#include <span>
#include <string_view>

#include "array/array.h"

namespace quill {

enum class Direction : std::uint8_t { forward, backward };

// X[k] = Σ x[j] exp(-2πi jk/n) along each of the axes (from 0), or with + and divided by n backward. Complex,
// in the shape of x; nan is refused with its place.
Array fourier(const Array& x, std::span<const int> axes, Direction direction);
// Backward, as reals where the spectrum is conjugate-symmetric within rounding.
Array inverse_fourier(const Array& spectrum, std::span<const int> axes);
// The first n/2 + 1 frequencies of real numbers; the others are their conjugates.
Array real_fourier(const Array& x, int axis);
// The n real numbers of such a half spectrum.
Array inverse_real_fourier(const Array& half, Index n, int axis);

// real_fourier of n numbers again and again, for spectra of segments; several threads may use it at once.
class RealTransform {
 public:
  explicit RealTransform(Index n);
  ~RealTransform();
  RealTransform(const RealTransform&) = delete;
  RealTransform& operator=(const RealTransform&) = delete;
  // The n samples and the n/2 + 1 frequencies of one transform.
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

// The frequencies of a transform of n points, in its order: 0, 1, … , -1 over n · spacing.
Array fourier_frequencies(Index n, double spacing);

enum class Overlap : std::uint8_t { full, same, valid };
// Σ a[j] b[k - j] of two vectors: wherever they overlap, in the length of a around the middle, or where one
// lies within the other. By sums for short vectors, by transforms for long ones.
Array convolve(const Array& a, const Array& b, Overlap overlap);
// The same in two axes, of matrices: `same` has the shape of a.
Array convolve_matrices(const Array& a, const Array& b, Overlap overlap);
// Σ a[j + k] conj(b[j]): b against a at all shifts.
Array correlate(const Array& a, const Array& b, Overlap overlap);

enum class Window : std::uint8_t { rectangular, bartlett, hann, hamming, blackman, flat_top, kaiser };
// n weights, symmetric with their ends, or one period of them. Kaiser's has the shape parameter 8.6, with
// side lobes as low as Blackman's.
Array window_weights(Window window, Index n, bool periodic);

// One-sided power density of real samples: its sum times the frequency step is their mean square (weighted by
// the window, which is made up for).
struct PowerSpectrum {
  Array frequency, power;
};
PowerSpectrum power_spectrum(const Array& x, double spacing, Window window, bool two_sided = false);

}  // namespace quill
