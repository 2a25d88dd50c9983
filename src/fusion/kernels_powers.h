// Powers and remainders of blocks; part of kernels_impl.h.

#if QUILL_WIDTH > 1

using mathematics::is_own_power;

// Integer powers among others are computed one by one.
QUILL_VECTOR powers_of(QUILL_VECTOR x, QUILL_VECTOR y, bool& exceeded) {
  double exponents[QUILL_WIDTH];
  QUILL_STORE(exponents, y);
  auto made = QUILL_FUNCTION(pow, u10)(x, y);
  bool some_own = false;
  for (const double e : exponents) some_own |= is_own_power(e);
  if (some_own) {
    double numbers[QUILL_WIDTH], out[QUILL_WIDTH];
    QUILL_STORE(numbers, x);
    QUILL_STORE(out, made);
    for (int k = 0; k < QUILL_WIDTH; ++k)
      if (is_own_power(exponents[k])) out[k] = mathematics::power(numbers[k], exponents[k]);
    made = QUILL_LOAD(out);
  }
  const auto left = (made != made) & (x == x) & (y == y);
  for (int k = 0; k < QUILL_WIDTH; ++k) exceeded |= left[k] != 0;
  return made;
}

template <Single single>
void powers(const void* left, const void* right, const void*, void* result, Index n, bool* exceeded) {
  const double *a = static_cast<const double*>(left), *b = static_cast<const double*>(right);
  double* out = static_cast<double*>(result);
  const QUILL_VECTOR one_a = all_of(*a), one_b = all_of(*b);
  for (Index i = 0; i < n; i += QUILL_WIDTH) {
    const auto count = static_cast<int>(std::min<Index>(n - i, QUILL_WIDTH));
    const auto load = [&](const double* from) {
      return count == QUILL_WIDTH ? QUILL_LOAD(from + i) : load_some(from + i, count);
    };
    const QUILL_VECTOR x = single == Single::left ? one_a : load(a),
                       y = single == Single::right ? one_b : load(b);
    const auto made = powers_of(x, y, *exceeded);
    if (count == QUILL_WIDTH)
      QUILL_STORE(out + i, made);
    else
      store_some(out + i, count, made);
  }
}

constexpr Index kSome = 64;

// Double-double numbers, as in array/mathematics.cpp.
struct Doubles2 {
  double high[kSome], low[kSome];

  void multiply(const Doubles2& by, Index n) {
    QUILL_ELEMENTWISE
    for (Index i = 0; i < n; ++i) {
      const double p = high[i] * by.high[i];
      const double rest =
          __builtin_fma(high[i], by.high[i], -p) + (high[i] * by.low[i] + low[i] * by.high[i]);
      const double sum = p + rest;
      low[i] = rest - (sum - p);
      high[i] = sum;
    }
  }
};

void some_whole_powers(const double* x, int power, double* out, Index n) {
  Doubles2 square, made;
  std::copy_n(x, n, square.high);
  std::fill_n(square.low, n, 0.0);
  bool begun = false;
  for (int left = std::abs(power);; square.multiply(square, n)) {
    if (left % 2) {
      if (begun)
        made.multiply(square, n);
      else
        made = square;
      begun = true;
    }
    left /= 2;
    if (left == 0) break;
  }
  if (power < 0) {
    QUILL_ELEMENTWISE
    for (Index i = 0; i < n; ++i) {
      const double inverse = 1 / made.high[i];
      square.high[i] = inverse + inverse * (__builtin_fma(-made.high[i], inverse, 1) - made.low[i] * inverse);
    }
  }
  bool beyond = false;
  for (Index i = 0; i < n; ++i) {
    const double size = __builtin_fabs(made.high[i]);
    beyond |= !(size >= mathematics::kLeastProduct && size <= mathematics::kMostProduct);
  }
  const double* const all = power < 0 ? square.high : made.high;
  for (Index i = 0; i < n; ++i) out[i] = beyond ? mathematics::power(x[i], power) : all[i];
}

void roots(const double* x, double* out, Index n, bool* exceeded) {
  bool all_positive = true;
  for (Index i = 0; i < n; ++i) all_positive &= x[i] > 0;
  if (all_positive) {
    QUILL_ELEMENTWISE
    for (Index i = 0; i < n; ++i) out[i] = __builtin_sqrt(x[i]);
    return;
  }
  for (Index i = 0; i < n; ++i) {
    *exceeded |= x[i] < 0 && x[i] >= -std::numeric_limits<double>::max();
    out[i] = mathematics::power(x[i], 0.5);
  }
}

void power_of_single(const void* a, const void* exponent, const void* c, void* out, Index n, bool* exceeded) {
  const double y = *static_cast<const double*>(exponent);
  if (y == 2) return combine<double, double, scalar::Multiply, Single::none>(a, a, c, out, n, exceeded);
  if (!is_own_power(y)) return powers<Single::right>(a, exponent, c, out, n, exceeded);
  const double* x = static_cast<const double*>(a);
  double* to = static_cast<double*>(out);
  if (y == 0.5) return roots(x, to, n, exceeded);
  for (Index i = 0; i < n; i += kSome)
    some_whole_powers(x + i, static_cast<int>(y), to + i, std::min(kSome, n - i));
}

// As remainder_of_any(): fmod() is exact, and so is this, although its quotient may be one too large.
void remainders(const void* left, const void* right, const void*, void* result, Index n, Single single) {
  const double *a = static_cast<const double*>(left), *b = static_cast<const double*>(right);
  double* out = static_cast<double*>(result);
  for (Index from = 0; from < n; from += kSome) {
    const Index count = std::min(kSome, n - from);
    double x[kSome], y[kSome], made[kSome];
    for (Index i = 0; i < count; ++i) x[i] = single == Single::left ? *a : a[from + i];
    for (Index i = 0; i < count; ++i) y[i] = single == Single::right ? *b : b[from + i];
    bool beyond = false;
    QUILL_ELEMENTWISE
    for (Index i = 0; i < count; ++i) {
      const double quotient = __builtin_trunc(x[i] / y[i]);
      beyond |= !(__builtin_fabs(quotient) < 0x1p52 && __builtin_fabs(y[i]) < HUGE_VAL);
      double rest = __builtin_fma(-quotient, y[i], x[i]);
      const bool is_over = (rest < 0 && x[i] > 0) || (rest > 0 && x[i] < 0);
      rest += is_over ? __builtin_copysign(y[i], x[i]) : 0.0;
      const double floored = rest + ((rest < 0) != (y[i] < 0) ? y[i] : 0.0);
      made[i] = rest != 0 ? floored : __builtin_copysign(0.0, y[i]);
    }
    for (Index i = 0; i < count; ++i) out[from + i] = beyond ? remainder_of(x[i], y[i]) : made[i];
  }
}
template <Single single>
void remainders_as(const void* a, const void* b, const void* c, void* out, Index n, bool*) {
  remainders(a, b, c, out, n, single);
}

Kernel function_of_two(Binary op, Single single) {
  if (single == Single::both) return nullptr;
  if (op == Binary::power)
    return single == Single::right  ? power_of_single
           : single == Single::left ? powers<Single::left>
                                    : powers<Single::none>;
  if (op == Binary::remainder)
    return single == Single::right  ? remainders_as<Single::right>
           : single == Single::left ? remainders_as<Single::left>
                                    : remainders_as<Single::none>;
  return generic_binary(op, single);
}

#else

Kernel function_of_two(Binary op, Single single) { return generic_binary(op, single); }

#endif
