// Polynomials of one variable with real coefficients.
#pragma once

#include <string>
#include <vector>

#include "array/array.h"

namespace quill {

class Polynomial {
 public:
  // Highest power first; leading zeros are removed. Throws Error for an empty list, nan and infinities.
  explicit Polynomial(std::vector<double> coefficients);

  const std::vector<double>& coefficients() const { return coefficients_; }
  Index degree() const { return static_cast<Index>(coefficients_.size()) - 1; }
  // Values at real or complex numbers of any shape (Horner's scheme).
  Array at(const Array& x) const;
  Polynomial derivative() const;
  // The antiderivative that is 0 at 0.
  Polynomial integral() const;
  // All roots with multiplicity: eigenvalues of the companion matrix, then two steps of Newton's method. Real
  // if all roots are, else complex, ordered by real and imaginary part.
  Array roots() const;
  // "2*x^3 - x + 1"
  std::string text(int digits) const;

  friend Polynomial operator+(const Polynomial& a, const Polynomial& b);
  friend Polynomial operator*(const Polynomial& a, const Polynomial& b);

 private:
  std::vector<double> coefficients_;
};

}  // namespace quill
