// Polynomials of one variable with real coefficients.
#pragma once

#include <string>
#include <vector>

#include "array/array.h"

namespace quill {

class Polynomial {
 public:
  // Highest power first; leading zeros fall away. Error for an empty list and for what is not finite.
  explicit Polynomial(std::vector<double> coefficients);

  const std::vector<double>& coefficients() const { return coefficients_; }
  Index degree() const { return static_cast<Index>(coefficients_.size()) - 1; }
  // At numbers of any shape, real or complex (W. G. Horner's scheme).
  Array at(const Array& x) const;
  Polynomial derivative() const;
  // The antiderivative that is 0 at 0.
  Polynomial integral() const;
  // All of them with their multiplicity: eigenvalues of the companion matrix, then two steps of Newton's
  // method. Real when all of them are real, complex otherwise, by real and imaginary part.
  Array roots() const;
  // "2*x^3 - x + 1"
  std::string text(int digits) const;

  friend Polynomial operator+(const Polynomial& a, const Polynomial& b);
  friend Polynomial operator*(const Polynomial& a, const Polynomial& b);

 private:
  std::vector<double> coefficients_;
};

}  // namespace quill
