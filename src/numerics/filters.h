// Digital filters: Butterworth filters in second-order sections, and finite impulse responses.
#pragma once

#include <complex>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "array/array.h"

namespace quill {

enum class PassKind : std::uint8_t { low, high, band, stop };

// One second-order section: y[n] = b0 x[n] + b1 x[n-1] + b2 x[n-2] - a1 y[n-1] - a2 y[n-2].
struct FilterSection {
  double b0 = 1, b1 = 0, b2 = 0, a1 = 0, a2 = 0;
};

struct Cutoff {
  double low = 0, high = 0;  // equal for low-pass and high-pass filters
};

class Filter {
 public:
  // Butterworth filter of this order by the bilinear transformation; the gain at the cutoff, in cycles per
  // unit of the spacing, is 1/√2. For band filters, `order` is that of the low-pass prototype. Throws Error
  // unless 0 < cutoff < 1/(2 spacing).
  static Filter butterworth(int order, Cutoff cutoff, PassKind kind, double spacing);
  // Finite impulse response by windowing (Hamming) of the ideal one; an odd number of symmetric weights.
  static Filter finite(Index length, Cutoff cutoff, PassKind kind, double spacing);

  const std::vector<FilterSection>& sections() const { return sections_; }
  const std::vector<double>& weights() const { return weights_; }  // of a finite filter
  bool is_finite() const { return !weights_.empty(); }
  double spacing() const { return spacing_; }
  // Complex gain of one forward pass at a frequency.
  std::complex<double> response(double frequency) const;
  // Applies the filter forward and backward, which gives zero phase and squares the gain; finite responses
  // once, centred. Ends are continued by reflection at the end point. `causal`: forward only, starting in the
  // steady state of the first sample.
  std::vector<double> applied(std::span<const double> y, bool causal) const;

 private:
  std::vector<double> passed(std::vector<double> y) const;

  std::vector<FilterSection> sections_;
  std::vector<double> weights_;
  double spacing_ = 1;
  Index settling_ = 0;  // samples until the step response has settled to 1e-8
};

// Local least squares polynomials in windows of odd length (A. Savitzky, M. Golay, Anal. Chem. 36, 1964); the
// ends use the polynomial of the first or last window. `derivative` differentiates the polynomial, per unit
// of the spacing.
std::vector<double> smoothed(std::span<const double> y, Index window, int degree, int derivative,
                             double spacing);
// Subtracts a least squares polynomial of that degree in the index.
std::vector<double> detrended(std::span<const double> y, int degree);

}  // namespace quill
