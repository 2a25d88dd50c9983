#include "twins.h"

#include <cmath>

namespace twins {

void expression(const std::vector<double>& a, const std::vector<double>& b, std::vector<double>& out) {
  for (std::size_t i = 0; i < a.size(); ++i) out[i] = (a[i] + b[i]) * 0.5 - a[i] * a[i] / (b[i] + 2);
}

void elementary(const std::vector<double>& a, const std::vector<double>& b, std::vector<double>& out) {
  for (std::size_t i = 0; i < a.size(); ++i) out[i] = std::sin(a[i]) * std::exp(-b[i]);
}

double sum(const std::vector<double>& a) {
  double lanes[8] = {};
  std::size_t i = 0;
  for (; i + 8 <= a.size(); i += 8)
    for (std::size_t k = 0; k < 8; ++k) lanes[k] += a[i + k];
  double total = 0;
  for (; i < a.size(); ++i) total += a[i];
  for (const double lane : lanes) total += lane;
  return total;
}

double scalar_loop(std::size_t n) {
  double s = 0;
  for (std::size_t k = 1; k <= n; ++k) s += std::fmod(static_cast<double>(k), 7.0) * 0.5;
  return s;
}

}  // namespace twins
