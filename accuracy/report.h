// A page of tables that tell how far results can be trusted.
#pragma once

#include <cmath>
#include <cstdint>
#include <string>
#include <vector>

namespace accuracy {

struct Table {
  std::string title, text;
  std::vector<std::string> head;
  std::vector<std::vector<std::string>> rows;
};

Table functions();
Table functions_of_two();
Table special_functions();
Table factorisations();
Table certified();
Table orders();
Table tolerances();
Table claims();

// Numbers from 0 to 1, the same in every run: the page must not change by itself.
class Points {
 public:
  double next() {
    state_ = state_ * 6364136223846793005ULL + 1442695040888963407ULL;
    return static_cast<double>(state_ >> 11) * 0x1p-53;
  }
  double between(double a, double b) { return a + (b - a) * next(); }
  // With logarithms spread alike.
  double spread(double smallest, double largest) {
    return std::exp(between(std::log(smallest), std::log(largest)));
  }

 private:
  std::uint64_t state_ = 20240607;
};

struct Range {
  double from, to;
  bool is_spread;  // by its logarithm
  bool both;       // of both signs
};
std::vector<double> points_of(const std::vector<Range>& ranges, int count, Points& random);
// "± 1e-300 … 1 by magnitude"
std::string text_of(const std::vector<Range>& ranges);

// The distance to the next number.
inline double unit_at(double x) {
  x = std::fabs(x);
  return x < 0x1p-1022 ? 0x1p-1074 : std::nextafter(x, INFINITY) - x;
}

// In units of the last place of the exact value.
template <class Exact>
double in_ulp(double value, const Exact& exact) {
  const auto nearest = static_cast<double>(exact);
  if (!std::isfinite(value) || !std::isfinite(nearest)) return value == nearest ? 0 : INFINITY;
  return static_cast<double>(Exact(abs(Exact(value) - exact) / unit_at(nearest)));
}

}  // namespace accuracy
