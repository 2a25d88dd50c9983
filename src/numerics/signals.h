// Series of samples: peaks, zero crossings, envelopes, lags, moving reductions.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "array/array.h"

namespace quill {

struct PeakLimits {
  double prominence = 0;  // minimum height above the higher of the two saddles
  double height = -1e308;
  Index distance = 1;  // minimum distance in samples; of two closer peaks the lower one is dropped
};
struct Peak {
  double position = 0;  // from 1; the middle of a plateau
  double height = 0;
  double prominence = 0;
  double width = 0;  // at half prominence, in samples
};
// Local maxima inside of a series, ordered by position.
std::vector<Peak> peaks(std::span<const double> y, const PeakLimits& limits);

// Where the polyline through points with increasing x crosses 0.
std::vector<double> zero_crossings(std::span<const double> x, std::span<const double> y);

// y + i H(y), whose absolute value is the envelope (D. Gabor, 1946), by Fourier transforms.
Array analytic_signal(const Array& y);

// Removes jumps larger than half a period.
std::vector<double> unwrapped(std::span<const double> phase, double period);

// Correlation of x[k] and y[k + lag] over the pairs that exist, ignoring pairs with nan. Positive lag: y
// follows x.
struct LagCorrelation {
  std::vector<double> coefficient;
  std::vector<double> pairs;
  // p values with the effective number of independent pairs, reduced by the autocorrelation of both (C. S.
  // Bretherton et al., J. Climate 12, 1999).
  std::vector<double> p;
};
LagCorrelation lag_correlation(std::span<const double> x, std::span<const double> y,
                               std::span<const Index> lags);
// Autocorrelation for lags 0 … count, divided by n and the total variance.
std::vector<double> autocorrelation(std::span<const double> y, Index count);

enum class Ends : std::uint8_t { shrink, nan, mirror };
enum class Moving : std::uint8_t { sum, mean, minimum, maximum, median, variance, std, count };
// Reduction over a window around each element, in linear time. `skip_nan` ignores nan; otherwise a window
// with nan gives nan. Sums use double-double arithmetic and restart after peaks.
std::vector<double> moving(Moving op, std::span<const double> y, Index window, Ends ends, bool skip_nan);
// The same for any function: f is called with the elements of each window.
std::vector<double> moving(const std::function<double(std::span<const double>)>& f, std::span<const double> y,
                           Index window, Ends ends, bool skip_nan);

}  // namespace quill
