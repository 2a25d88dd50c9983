#include "numerics/probe.h"

#include <algorithm>
#include <cmath>

namespace quill {

namespace {

// Position of the maximum of the unimodal |f| between a and b, by golden section of the logarithms.
double top_between(const std::function<double(double)>& f, double a, double b) {
  constexpr double golden = 0.6180339887498949;
  double low = std::log(a), high = std::log(b);
  double p = high - golden * (high - low), q = low + golden * (high - low);
  const auto size = [&](double x) { return std::fabs(f(std::exp(x))); };
  double at_p = size(p), at_q = size(q);
  constexpr int rounds = 45;
  for (int k = 0; k < rounds; ++k)
    if (at_p > at_q) {
      high = q;
      q = p;
      at_q = at_p;
      p = high - golden * (high - low);
      at_p = size(p);
    } else {
      low = p;
      p = q;
      at_p = at_q;
      q = low + golden * (high - low);
      at_q = size(q);
    }
  return std::exp((low + high) / 2);
}

}  // namespace

HalfLineScale scale_of(const std::function<double(double)>& f) {
  constexpr int per_decade = 3, decades = 18, count = 2 * per_decade * decades + 1;
  std::vector<double> d(count), weight(count);
  for (int k = 0; k < count; ++k) {
    const auto i = static_cast<std::size_t>(k);
    d[i] = std::pow(10.0, static_cast<double>(k - per_decade * decades) / per_decade);
    weight[i] = std::fabs(f(d[i])) * d[i];
  }
  HalfLineScale out;
  const auto top = static_cast<std::size_t>(std::max_element(weight.begin(), weight.end()) - weight.begin());
  // Where nothing falls off there is no scale.
  if (weight[top] == 0 || !std::isfinite(weight[top]) || top + per_decade >= weight.size()) return out;
  out.size = d[top];
  constexpr double nothing = 1e-25;
  std::size_t last = weight.size() - 1;
  while (last > top && weight[last] <= nothing * weight[top]) --last;
  if (top > 0 && top + 1 < weight.size()) {
    const double beside = std::max(weight[top - 1], weight[top + 1]);
    constexpr double is_narrow = 0.1;
    if (beside < is_narrow * weight[top]) {
      const double peak = top_between(f, d[top - 1], d[top + 1]);
      const double height = std::fabs(f(peak));
      double width = peak / 2;
      while (width > 1e-12 * peak && std::fabs(f(peak + width)) < 0.3 * height) width /= 2;
      out.size = peak;
      for (const double reach : {-40, -10, -2, 2, 10, 40})
        if (peak + reach * width > 0) out.breaks.push_back(peak + reach * width);
    }
  }
  if (last + 2 < weight.size()) {
    out.end = d[last + 1];
    for (const double b : out.breaks) out.end = std::max(out.end, 2 * b);
  }
  return out;
}

}  // namespace quill
