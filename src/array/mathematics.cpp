#include "array/mathematics.h"

#include "base/processor.h"

// The library's header declares them only to code that is compiled for such processors alone.
#define QUILL_ROW(name, sleef, bound, beyond, library) \
  extern "C" double Sleef_finz_##sleef##d1_##bound##purecfma(double);
QUILL_VECTOR_FUNCTIONS(QUILL_ROW)
#undef QUILL_ROW
extern "C" double Sleef_finz_powd1_u10purecfma(double, double);

namespace quill::mathematics {

namespace {

// nan at its poles, 0 and the negative integers.
double gamma_of_library(double x) {
  return x <= 0 && std::trunc(x) == x && std::isfinite(x) ? std::numeric_limits<double>::quiet_NaN()
                                                          : std::tgamma(x);
}
double log_gamma_of_library(double x) {
  int sign = 0;
  return ::lgamma_r(x, &sign);
}

}  // namespace

#define QUILL_ROW(name, sleef, bound, beyond, library)  \
  double name(double x) {                               \
    if ((beyond) || !has_avx2()) [[unlikely]]           \
      return library;                                   \
    return Sleef_finz_##sleef##d1_##bound##purecfma(x); \
  }
QUILL_VECTOR_FUNCTIONS(QUILL_ROW)
#undef QUILL_ROW

namespace {

// A double-double number: the second part is below the last digit of the first.
struct Double2 {
  double high, low;
};

// The kernels calculate the same, a block at a time (kernels_powers.h).

// T. J. Dekker, Numerische Mathematik 18, 1971.
__attribute__((target("fma"))) Double2 product(Double2 a, Double2 b) {
  const double p = a.high * b.high;
  const double rest = __builtin_fma(a.high, b.high, -p) + (a.high * b.low + a.low * b.high);
  const double high = p + rest;
  return {high, rest - (high - p)};
}

// nan where it would lose digits.
__attribute__((target("fma"))) double whole_power(double x, int n) {
  Double2 square = {x, 0}, out = {1, 0};
  bool begun = false;
  for (int left = std::abs(n);; square = product(square, square)) {
    if (left % 2) {
      out = begun ? product(out, square) : square;
      begun = true;
    }
    left /= 2;
    if (left == 0) break;
  }
  const double size = std::fabs(out.high);
  if (!(size >= kLeastProduct && size <= kMostProduct)) return std::numeric_limits<double>::quiet_NaN();
  if (n > 0) return out.high;
  const double inverse = 1 / out.high;
  return inverse + inverse * (__builtin_fma(-out.high, inverse, 1) - out.low * inverse);
}

}  // namespace

double power(double x, double y) {
  if (y == 2) return x * x;
  if (y == 1) return x;
  if (y == 0.5 && x > 0) return std::sqrt(x);
  if (!has_avx2()) [[unlikely]]
    return std::pow(x, y);
  if (is_small_whole(y)) {
    const double product = whole_power(x, static_cast<int>(y));
    if (!std::isnan(product)) return product;
  }
  return Sleef_finz_powd1_u10purecfma(x, y);
}

}  // namespace quill::mathematics
