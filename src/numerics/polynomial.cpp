#include "numerics/polynomial.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/elementwise.h"
#include "numerics/matrices.h"

namespace quill {

Polynomial::Polynomial(std::vector<double> coefficients) : coefficients_(std::move(coefficients)) {
  if (coefficients_.empty()) fail("a polynomial needs at least one coefficient");
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

namespace {

// Sizes of the roots, smallest first: the slopes of the lower hull of the logarithms of the coefficients,
// lowest power first (D. A. Bini, Numer. Algorithms 13, 1996). As powers of two, which may be beyond the
// range of numbers.
std::vector<double> root_sizes(const std::vector<double>& c) {
  const auto n = c.size() - 1;
  std::vector<std::size_t> hull;
  const auto height = [&](std::size_t k) { return std::log2(std::fabs(c[n - k])); };
  for (std::size_t k = 0; k <= n; ++k) {
    if (c[n - k] == 0) continue;
    const auto slope = [&](std::size_t a, std::size_t b) {
      return (height(b) - height(a)) / static_cast<double>(b - a);
    };
    while (hull.size() >= 2 && slope(hull[hull.size() - 2], hull.back()) <= slope(hull.back(), k))
      hull.pop_back();
    hull.push_back(k);
  }
  std::vector<double> out;
  for (std::size_t j = 0; j + 1 < hull.size(); ++j) {
    const double size = (height(hull[j]) - height(hull[j + 1])) / static_cast<double>(hull[j + 1] - hull[j]);
    out.insert(out.end(), hull[j + 1] - hull[j], size);
  }
  return out;
}

// p(z) / p'(z) for z = u 2^e, in units of 2^e; the coefficients are scaled to where the largest term is
// about 1.
Complex newton_step(const std::vector<double>& c, Complex u, double e) {
  const auto n = c.size() - 1;
  double most = -INFINITY;
  for (std::size_t k = 0; k <= n; ++k)
    if (c[k] != 0) most = std::max(most, std::log2(std::fabs(c[k])) + e * static_cast<double>(n - k));
  Complex value = 0, rise = 0;
  for (std::size_t k = 0; k <= n; ++k) {
    const double size =
        c[k] == 0 ? 0 : std::exp2(std::log2(std::fabs(c[k])) + e * static_cast<double>(n - k) - most);
    rise = rise * u + value;
    value = value * u + std::copysign(size, c[k]);
  }
  return value / rise;
}

// All roots at once (O. Aberth, Math. Comput. 27, 1973), each scaled separately, for polynomials whose roots
// differ too much in size for one matrix.
std::vector<Complex> roots_of_all_sizes(const std::vector<double>& c, const std::vector<double>& sizes) {
  const auto n = sizes.size();
  std::vector<Complex> u(n);
  for (std::size_t k = 0; k < n; ++k) u[k] = std::polar(1.0, 2.4 * static_cast<double>(k) + 0.7);
  const auto whole = [&](std::size_t k) { return u[k] * std::exp2(sizes[k]); };
  constexpr int most = 200;
  for (int round = 0; round < most; ++round) {
    double largest = 0;
    for (std::size_t k = 0; k < n; ++k) {
      const auto step = newton_step(c, u[k], sizes[k]);
      if (!std::isfinite(step.real()) || !std::isfinite(step.imag()) || step == Complex(0)) continue;
      Complex others = 0;
      for (std::size_t j = 0; j < n; ++j)
        if (j != k) {
          const Complex apart = u[k] - u[j] * std::exp2(sizes[j] - sizes[k]);
          if (apart != Complex(0)) others += 1.0 / apart;
        }
      const auto change = step / (1.0 - step * others);
      if (!std::isfinite(change.real()) || !std::isfinite(change.imag())) continue;
      u[k] -= change;
      largest = std::max(largest, std::abs(change) / std::abs(u[k]));
    }
    if (largest < 4e-16) break;
  }
  std::vector<Complex> out;
  for (std::size_t k = 0; k < n; ++k) {
    auto z = whole(k);
    // Roots that are real up to rounding are made real.
    if (std::fabs(z.imag()) < 1e-14 * std::abs(z)) z = z.real();
    out.push_back(z);
  }
  return out;
}

}  // namespace

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
  const auto sizes = root_sizes(c);
  constexpr double very_different = 27, far_off = 60;  // powers of two
  if (n > 0 && (sizes.back() - sizes.front() > very_different ||
                std::max(std::fabs(sizes.back()), std::fabs(sizes.front())) > far_off)) {
    for (const auto z : roots_of_all_sizes(c, sizes)) found.push_back(z);
  } else if (n > 0) {
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
        // For clustered roots Newton's step is noise.
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
