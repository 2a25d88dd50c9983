#include "numerics/polynomial.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/elementwise.h"
#include "numerics/matrices.h"

namespace quill {

Polynomial::Polynomial(std::vector<double> coefficients) : coefficients_(std::move(coefficients)) {
  if (coefficients_.empty()) fail("a polynomial has at least one coefficient");
  for (std::size_t k = 0; k < coefficients_.size(); ++k)
    if (!std::isfinite(coefficients_[k]))
      fail(fmt::format("coefficient {} of a polynomial is not finite", k + 1));
  const auto first =
      std::find_if(coefficients_.begin(), coefficients_.end() - 1, [](double c) { return c != 0; });
  coefficients_.erase(coefficients_.begin(), first);
}

Array Polynomial::at(const Array& x) const {
  Array out = Array::filled<double>(x.shape(), coefficients_[0]);
  for (std::size_t k = 1; k < coefficients_.size(); ++k)
    out = apply(Binary::add, apply(Binary::multiply, out, x), coefficients_[k]);
  if (coefficients_.size() == 1 && x.type() == ElementType::complex128) return out.converted(x.type());
  return out;
}

Polynomial Polynomial::derivative() const {
  std::vector<double> out;
  for (std::size_t k = 0; k + 1 < coefficients_.size(); ++k)
    out.push_back(coefficients_[k] * static_cast<double>(coefficients_.size() - 1 - k));
  if (out.empty()) out.push_back(0);
  return Polynomial(std::move(out));
}

Polynomial Polynomial::integral() const {
  std::vector<double> out;
  for (std::size_t k = 0; k < coefficients_.size(); ++k)
    out.push_back(coefficients_[k] / static_cast<double>(coefficients_.size() - k));
  out.push_back(0);
  return Polynomial(std::move(out));
}

Array Polynomial::roots() const {
  // Roots at 0 are taken off as they are.
  auto c = coefficients_;
  Index zeros = 0;
  while (c.size() > 1 && c.back() == 0) {
    c.pop_back();
    ++zeros;
  }
  const auto n = static_cast<Index>(c.size()) - 1;
  std::vector<Complex> found(static_cast<std::size_t>(zeros));
  if (n > 0) {
    Array companion = Array::filled<double>({n, n}, 0.0);
    double* m = companion.mutable_data<double>();
    for (Index k = 0; k < n; ++k) m[k] = -c[static_cast<std::size_t>(k) + 1] / c[0];
    for (Index k = 1; k < n; ++k) m[k * n + k - 1] = 1;
    const auto slope = derivative();
    for (auto z : eigenvalues(companion).converted(ElementType::complex128).to_vector<Complex>()) {
      for (int round = 0; round < 2; ++round) {
        const auto value = at(Array::of<Complex>({}, std::span(&z, 1))).data<Complex>()[0];
        const auto rise = slope.at(Array::of<Complex>({}, std::span(&z, 1))).data<Complex>()[0];
        const auto next = z - value / rise;
        if (!std::isfinite(next.real()) || !std::isfinite(next.imag())) break;
        // At roots that lie together Newton's step is noise.
        if (std::abs(next - z) > 1e-6 * std::abs(z)) break;
        z = next;
      }
      found.push_back(z);
    }
  }
  const bool are_real = std::all_of(found.begin(), found.end(), [](Complex z) { return z.imag() == 0; });
  std::sort(found.begin(), found.end(), [](Complex a, Complex b) {
    return a.real() != b.real() ? a.real() < b.real() : a.imag() < b.imag();
  });
  const auto out = Array::of<Complex>({static_cast<Index>(found.size())}, found);
  return are_real ? out.converted(ElementType::float64) : out;
}

std::string Polynomial::text(int digits) const {
  std::string out;
  for (std::size_t k = 0; k < coefficients_.size(); ++k) {
    const double c = coefficients_[k];
    const auto power = coefficients_.size() - 1 - k;
    if (c == 0 && coefficients_.size() > 1) continue;
    out += out.empty() ? (c < 0 ? "-" : "") : (c < 0 ? " - " : " + ");
    const double size = std::fabs(c);
    if (size != 1 || power == 0) out += with_digits(size, digits) + (power > 0 ? "*" : "");
    if (power > 0) out += power == 1 ? "x" : fmt::format("x^{}", power);
  }
  return out;
}

Polynomial operator+(const Polynomial& a, const Polynomial& b) {
  if (a.coefficients_.size() < b.coefficients_.size()) return b + a;
  auto out = a.coefficients_;
  const auto lead = out.size() - b.coefficients_.size();
  for (std::size_t k = 0; k < b.coefficients_.size(); ++k) out[lead + k] += b.coefficients_[k];
  return Polynomial(std::move(out));
}

Polynomial operator*(const Polynomial& a, const Polynomial& b) {
  std::vector<double> out(a.coefficients_.size() + b.coefficients_.size() - 1, 0.0);
  for (std::size_t i = 0; i < a.coefficients_.size(); ++i)
    for (std::size_t j = 0; j < b.coefficients_.size(); ++j)
      out[i + j] += a.coefficients_[i] * b.coefficients_[j];
  return Polynomial(std::move(out));
}

}  // namespace quill
