// Series of samples: peaks, crossings, envelopes, lags, moving reductions.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "array/array.h"

namespace quill {

struct PeakLimits {
  double prominence = 0;  // at least so far above the higher of the two saddles
  double height = -1e308;
  Index distance = 1;  // positions apart; of two that are nearer the lower one is left out
};
struct Peak {
  double position = 0;  // from 1; the middle of a flat top
  double height = 0;
  double prominence = 0;
  double width = 0;  // at half of the prominence, in positions
};
// Local maxima inside of a series, in rising order of position.
std::vector<Peak> peaks(std::span<const double> y, const PeakLimits& limits);

// Where a broken line through points with rising x crosses 0.
std::vector<double> zero_crossings(std::span<const double> x, std::span<const double> y);

// y + i H(y), whose absolute value is the envelope (D. Gabor, 1946), by Fourier transforms.
Array analytic_signal(const Array& y);

// Jumps by more than half a period taken out.
std::vector<double> unwrapped(std::span<const double> phase, double period);

// Correlation coefficients of x[k] and y[k + lag], over the pairs that both have; pairs with nan are left
// out. A positive lag: y follows x.
struct LagCorrelation {
  std::vector<double> coefficient;
  std::vector<double> pairs;
  // p values with the number of independent pairs reduced by the autocorrelation of both (C. S. Bretherton et
  // al., J. Climate 12, 1999).
  std::vector<double> p;
};
LagCorrelation lag_correlation(std::span<const double> x, std::span<const double> y,
                               std::span<const Index> lags);
// Autocorrelation for lags 0 … count, in the form that divides by n and the variance of all.
std::vector<double> autocorrelation(std::span<const double> y, Index count);

enum class Ends : std::uint8_t { shrink, nan, mirror };
enum class Moving : std::uint8_t { sum, mean, minimum, maximum, median, variance, std, count };
// A reduction of the elements in a window around each element, in linear time. With `skip_nan` those that are
// nan do not count; without, a window with nan gives nan. Sums of twice the digits, begun again behind peaks.
std::vector<double> moving(Moving op, std::span<const double> y, Index window, Ends ends, bool skip_nan);
// The window of any function: f is called with the elements of each.
std::vector<double> moving(const std::function<double(std::span<const double>)>& f, std::span<const double> y,
                           Index window, Ends ends, bool skip_nan);

}  // namespace quill
