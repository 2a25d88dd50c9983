// Spectra of series: averaged, cross, time-dependent, of unevenly sampled data, wavelets.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "array/array.h"
#include "numerics/transforms.h"

namespace quill {

// Division of a series into overlapping segments.
struct Segments {
  Index length = 0;
  Index step = 0;
  Index count = 0;
};
// At most this many segments with at least this overlap (a fraction of the length); the lengths of long
// segments have no prime factors above 7.
Segments segments_of(Index n, Index count, double overlap);
// Segments of this length.
Segments segments_of_length(Index n, Index length, double overlap);

struct SegmentOptions {
  double spacing = 1;
  Window window = Window::hann;
  std::optional<int> detrend;  // degree of the polynomial subtracted from each segment
};

// Welch's average of one-sided power densities of segments, with degrees of freedom (P. D. Welch, IEEE Trans.
// Audio Electroacoust. 15, 1967).
struct AveragedSpectrum {
  Array frequency, power;
  double degrees_of_freedom = 2;
};
AveragedSpectrum averaged_spectrum(std::span<const double> x, const Segments& segments,
                                   const SegmentOptions& options);

struct CrossSpectrum {
  Array frequency, power_x, power_y;
  Array cross;      // complex: conj(X) Y
  Array coherence;  // squared, from 0 to 1
  Array phase;      // of y relative to x, in radians
  double degrees_of_freedom = 2;
};
CrossSpectrum cross_spectrum(std::span<const double> x, std::span<const double> y, const Segments& segments,
                             const SegmentOptions& options);

// The power density of each segment; rows are segments.
struct Spectrogram {
  Array times;  // middle of each segment; the first sample is at 0
  Array frequency, power;
};
Spectrogram spectrogram(std::span<const double> y, const Segments& segments, const SegmentOptions& options);

// Normalised power (0 to 1) of unevenly sampled data: fraction of the variance explained by a sinusoid plus a
// constant (M. Zechmeister, M. Kürster, Astron. Astrophys. 496, 2009).
struct UnevenSpectrum {
  std::vector<double> frequency, power;
  // Upper bound of the probability that noise has a peak as high as the highest one (R. V. Baluev, Mon. Not.
  // R. Astron. Soc. 385, 2008).
  double false_alarm = 1;
};
UnevenSpectrum uneven_spectrum(std::span<const double> t, std::span<const double> y,
                               std::vector<double> frequency);
// From 1/(5 T), in such steps, up to half of the mean sampling rate.
std::vector<double> uneven_frequencies(std::span<const double> t);

// Power of Morlet wavelets with six oscillations (C. Torrence, G. P. Compo, Bull. Am. Meteorol. Soc. 79,
// 1998), normalised so that white noise has its variance at every period.
struct WaveletPower {
  std::vector<double> period;
  Array power;                    // rows are periods, columns times
  std::vector<double> influence;  // for each time, the longest period not influenced by the ends
};
WaveletPower wavelet_power(std::span<const double> y, double spacing, std::vector<double> period);
// From two samples, in steps of a twelfth of an octave, up to a third of the length.
std::vector<double> wavelet_periods(Index n, double spacing);

// Discrete cosine transform (type II), orthonormal, along an axis, and its inverse.
Array cosine_transform(const Array& x, int axis);
Array inverse_cosine_transform(const Array& x, int axis);

}  // namespace quill
