#include "twins.h"

#include <lapacke.h>

#include <boost/random/mersenne_twister.hpp>
#include <boost/random/normal_distribution.hpp>

#include <charconv>
#include <cmath>

namespace twins {

double scalar_loop(std::size_t n) {
  double s = 0;
  for (std::size_t k = 1; k <= n; ++k) s += std::fmod(static_cast<double>(k), 7.0) * 0.5;
  return s;
}

std::vector<double> solved(std::vector<double> a, std::vector<double> b, double& reciprocal_condition) {
  const auto n = static_cast<lapack_int>(b.size());
  std::vector<lapack_int> pivots(b.size());
  const double size = LAPACKE_dlange(LAPACK_COL_MAJOR, '1', n, n, a.data(), n);
  LAPACKE_dgesv(LAPACK_COL_MAJOR, n, 1, a.data(), n, pivots.data(), b.data(), n);
  LAPACKE_dgecon(LAPACK_COL_MAJOR, '1', n, a.data(), n, size, &reciprocal_condition);
  return b;
}

std::vector<std::vector<double>> table(std::string_view text, std::size_t columns) {
  std::vector<std::vector<double>> out(columns);
  const char* p = text.data() + text.find('\n') + 1;
  const char* end = text.data() + text.size();
  for (std::size_t column = 0; p < end; column = (column + 1) % out.size()) {
    double value = 0;
    p = std::from_chars(p, end, value).ptr + 1;
    out[column].push_back(value);
  }
  return out;
}

void normals(std::vector<double>& out) {
  boost::random::mt19937_64 engine(1);
  boost::random::normal_distribution<double> normal;
  for (double& x : out) x = normal(engine);
}

}  // namespace twins
