// Digital filters: Butterworth designs in sections of second order, and weights of finite length.
#pragma once

#include <complex>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "array/array.h"

namespace quill {

enum class PassKind : std::uint8_t { low, high, band, stop };

// One section: y[n] = b0 x[n] + b1 x[n-1] + b2 x[n-2] - a1 y[n-1] - a2 y[n-2].
struct FilterSection {
  double b0 = 1, b1 = 0, b2 = 0, a1 = 0, a2 = 0;
};

struct Cutoff {
  double low = 0, high = 0;  // equal for low and high pass
};

class Filter {
 public:
  // Butterworth's filter of this order by the bilinear transformation: the gain at the cutoff, in cycles per
  // unit of the spacing, is 1/√2. For bands, `order` is that of the low-pass prototype. Error unless 0 <
  // cutoff < 1/(2 spacing).
  static Filter butterworth(int order, Cutoff cutoff, PassKind kind, double spacing);
  // Weights of a windowed ideal response, an odd number of them, symmetric (Hamming's window).
  static Filter finite(Index length, Cutoff cutoff, PassKind kind, double spacing);

  const std::vector<FilterSection>& sections() const { return sections_; }
  const std::vector<double>& weights() const { return weights_; }  // of a finite filter
  bool is_finite() const { return !weights_.empty(); }
  double spacing() const { return spacing_; }
  // The complex gain of a single forward filtering at a frequency.
  std::complex<double> response(double frequency) const;
  // Forward and backward, which leaves no delay and squares the gain; finite weights once, centred. The ends
  // are continued by reflection at the end point. With `causal` forward alone, from the steady state of the
  // first sample.
  std::vector<double> applied(std::span<const double> y, bool causal) const;

 private:
  std::vector<double> passed(std::vector<double> y) const;

  std::vector<FilterSection> sections_;
  std::vector<double> weights_;
  double spacing_ = 1;
  Index settling_ = 0;  // samples until the response to a step has decayed to 1e-8
};

// Local polynomials by least squares through windows of an odd length (A. Savitzky, M. Golay, Anal. Chem. 36,
// 1964); at the ends the polynomial of the first and last window. `derivative` differentiates the polynomial,
// per unit of the spacing.
std::vector<double> smoothed(std::span<const double> y, Index window, int degree, int derivative,
                             double spacing);
// A polynomial of that degree in the position, fitted by least squares, taken off.
std::vector<double> detrended(std::span<const double> y, int degree);

}  // namespace quill
