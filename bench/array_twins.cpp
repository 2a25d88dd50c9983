#include "array_twins.h"

#include <immintrin.h>
#include <sleef.h>

#include <algorithm>
#include <cmath>

namespace twins {

void bell(const double* x, double* out, std::size_t n) {
  std::size_t i = 0;
#if defined(__AVX512F__)
  const __m512d three = _mm512_set1_pd(3), half = _mm512_set1_pd(0.5), zero = _mm512_setzero_pd();
  for (; i + 8 <= n; i += 8) {
    const __m512d v = _mm512_loadu_pd(x + i);
    const __m512d e = Sleef_expd8_u10avx512f(_mm512_sub_pd(zero, _mm512_mul_pd(v, v)));
    const __m512d c = Sleef_cosd8_u10avx512f(_mm512_mul_pd(three, v));
    _mm512_storeu_pd(out + i, _mm512_add_pd(_mm512_mul_pd(e, c), _mm512_mul_pd(half, v)));
  }
#elif defined(__AVX2__)
  const __m256d three = _mm256_set1_pd(3), half = _mm256_set1_pd(0.5), zero = _mm256_setzero_pd();
  for (; i + 4 <= n; i += 4) {
    const __m256d v = _mm256_loadu_pd(x + i);
    const __m256d e = Sleef_expd4_u10avx2(_mm256_sub_pd(zero, _mm256_mul_pd(v, v)));
    const __m256d c = Sleef_cosd4_u10avx2(_mm256_mul_pd(three, v));
    _mm256_storeu_pd(out + i, _mm256_add_pd(_mm256_mul_pd(e, c), _mm256_mul_pd(half, v)));
  }
#endif
  for (; i < n; ++i) out[i] = std::exp(-x[i] * x[i]) * std::cos(3 * x[i]) + 0.5 * x[i];
}

void combination(double a, const double* x, double b, const double* z, double c, double* out, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) out[i] = a * x[i] + b * z[i] - c;
}

void line(double a, const double* x, double b, double* out, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) out[i] = a * x[i] + b;
}

double squared_distance(const double* a, const double* b, std::size_t n) {
  double lanes[16] = {};
  std::size_t i = 0;
  for (; i + 16 <= n; i += 16)
    for (std::size_t k = 0; k < 16; ++k) lanes[k] += (a[i + k] - b[i + k]) * (a[i + k] - b[i + k]);
  double total = 0;
  for (; i < n; ++i) total += (a[i] - b[i]) * (a[i] - b[i]);
  for (const double lane : lanes) total += lane;
  return total;
}

double largest_magnitude(const double* a, std::size_t n) {
  double lanes[16] = {};
  std::size_t i = 0;
  for (; i + 16 <= n; i += 16)
    for (std::size_t k = 0; k < 16; ++k) {
      const double x = std::fabs(a[i + k]);
      lanes[k] = x > lanes[k] ? x : lanes[k];
    }
  double most = 0;
  for (; i < n; ++i) most = std::max(most, std::fabs(a[i]));
  for (const double lane : lanes) most = std::max(most, lane);
  return most;
}

std::size_t count_positive(const double* a, std::size_t n) {
  std::size_t count = 0;
  for (std::size_t i = 0; i < n; ++i) count += a[i] > 0;
  return count;
}

double mean_of_positive(const double* a, std::size_t n) {
  double lanes[8] = {};
  std::size_t counts[8] = {}, i = 0;
  for (; i + 8 <= n; i += 8)
    for (std::size_t k = 0; k < 8; ++k) {
      lanes[k] += a[i + k] > 0 ? a[i + k] : 0;
      counts[k] += a[i + k] > 0;
    }
  double total = 0;
  std::size_t count = 0;
  for (; i < n; ++i)
    if (a[i] > 0) {
      total += a[i];
      ++count;
    }
  for (std::size_t k = 0; k < 8; ++k) {
    total += lanes[k];
    count += counts[k];
  }
  return total / static_cast<double>(count);
}

void relax(double* u, std::size_t n) {
  for (const auto& [row, column] : {std::pair<std::size_t, std::size_t>{1, 1}, {2, 2}, {1, 2}, {2, 1}})
    for (std::size_t i = row; i + 1 < n; i += 2)
      for (std::size_t j = column; j + 1 < n; j += 2)
        u[i * n + j] = 0.25 * (u[(i - 1) * n + j] + u[(i + 1) * n + j] + u[i * n + j - 1] + u[i * n + j + 1]);
}

void outer(const double* v, const double* w, double* out, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t j = 0; j < n; ++j) out[i * n + j] = v[i] * w[j];
}

void transpose(const double* a, double* out, std::size_t n) {
  constexpr std::size_t block = 32;
  for (std::size_t i = 0; i < n; i += block)
    for (std::size_t j = 0; j < n; j += block)
      for (std::size_t k = i; k < std::min(n, i + block); ++k)
        for (std::size_t l = j; l < std::min(n, j + block); ++l) out[l * n + k] = a[k * n + l];
}

void sum_rows(const double* a, double* out, std::size_t n) {
  std::fill(out, out + n, 0.0);
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t j = 0; j < n; ++j) out[j] += a[i * n + j];
}

void sum_columns(const double* a, double* out, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) {
    double lanes[8] = {};
    std::size_t j = 0;
    for (; j + 8 <= n; j += 8)
      for (std::size_t k = 0; k < 8; ++k) lanes[k] += a[i * n + j + k];
    double total = 0;
    for (; j < n; ++j) total += a[i * n + j];
    for (const double lane : lanes) total += lane;
    out[i] = total;
  }
}

std::size_t keep_positive(const double* a, double* out, std::size_t n) {
  std::size_t count = 0;
  for (std::size_t i = 0; i < n; ++i) {
    out[count] = a[i];
    count += a[i] > 0;
  }
  return count;
}

void zero_where(double* a, const bool* mask, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) a[i] = mask[i] ? 0 : a[i];
}

void running_sum(const double* a, double* out, std::size_t n) {
  double total = 0;
  for (std::size_t i = 0; i < n; ++i) out[i] = total += a[i];
}

void reversed(const double* a, double* out, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) out[i] = a[n - 1 - i];
}

}  // namespace twins
