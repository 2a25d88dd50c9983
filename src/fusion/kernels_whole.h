// Integer arithmetic of blocks; part of kernels_impl.h. Overflow is reported; the operations then run one by
// one and give the error with its position.

// The truncated result, and whether it fits the type.
struct CheckedAdd {
  template <class T>
  static constexpr T of(T a, T b) {
    return a + b;
  }
  static bool fits(std::int64_t a, std::int64_t b, std::int64_t& out) {
    out = static_cast<std::int64_t>(static_cast<std::uint64_t>(a) + static_cast<std::uint64_t>(b));
    return ((a ^ out) & (b ^ out)) >= 0;
  }
};
struct CheckedSubtract {
  template <class T>
  static constexpr T of(T a, T b) {
    return a - b;
  }
  static bool fits(std::int64_t a, std::int64_t b, std::int64_t& out) {
    out = static_cast<std::int64_t>(static_cast<std::uint64_t>(a) - static_cast<std::uint64_t>(b));
    return ((a ^ b) & (a ^ out)) >= 0;
  }
};
struct CheckedMultiply {
  template <class T>
  static constexpr T of(T a, T b) {
    return a * b;
  }
  static bool fits(std::int64_t a, std::int64_t b, std::int64_t& out) {
    return !__builtin_mul_overflow(a, b, &out);
  }
};

template <class T, class F, Single single>
void combine_whole(const void* left, const void* right, const void*, void* result, Index n, bool* exceeded) {
  const T *a = static_cast<const T*>(left), *b = static_cast<const T*>(right);
  T* out = static_cast<T*>(result);
  const T one_a = *a, one_b = *b;
  bool over = false;
  QUILL_ELEMENTWISE
  for (Index i = 0; i < n; ++i) {
    T x = one_a, y = one_b;
    if constexpr (single != Single::left) x = a[i];
    if constexpr (single != Single::right) y = b[i];
    if constexpr (sizeof(T) == sizeof(std::int64_t)) {
      std::int64_t r = 0;
      over |= !F::fits(x, y, r);
      out[i] = r;
    } else {
      const std::int64_t r = F::of(static_cast<std::int64_t>(x), static_cast<std::int64_t>(y));
      out[i] = static_cast<T>(r);
      over |= static_cast<std::int64_t>(static_cast<T>(r)) != r;
    }
  }
  *exceeded |= over;
}

template <class T, class F>
Kernel combine_whole_as(Single single) {
  switch (single) {
    case Single::none: return combine_whole<T, F, Single::none>;
    case Single::left: return combine_whole<T, F, Single::left>;
    case Single::right: return combine_whole<T, F, Single::right>;
    default: return nullptr;
  }
}

template <class T>
Kernel whole_binary(Binary op, Single single) {
  switch (op) {
    case Binary::add: return combine_whole_as<T, CheckedAdd>(single);
    case Binary::subtract: return combine_whole_as<T, CheckedSubtract>(single);
    case Binary::multiply: return combine_whole_as<T, CheckedMultiply>(single);
    case Binary::minimum: return combine_as<T, T, scalar::Minimum>(single);
    case Binary::maximum: return combine_as<T, T, scalar::Maximum>(single);
    case Binary::equal: return combine_as<T, bool, scalar::Equal>(single);
    case Binary::not_equal: return combine_as<T, bool, scalar::NotEqual>(single);
    case Binary::less: return combine_as<T, bool, scalar::Less>(single);
    case Binary::less_equal: return combine_as<T, bool, scalar::LessEqual>(single);
    case Binary::greater: return combine_as<T, bool, scalar::Greater>(single);
    case Binary::greater_equal: return combine_as<T, bool, scalar::GreaterEqual>(single);
    default: return nullptr;
  }
}

Kernel whole_binary(Binary op, ElementType type, Single single) {
  switch (type) {
    case ElementType::int32: return whole_binary<std::int32_t>(op, single);
    case ElementType::int64: return whole_binary<std::int64_t>(op, single);
    case ElementType::uint8: return whole_binary<std::uint8_t>(op, single);
    default: return nullptr;
  }
}

template <class T, bool magnitude>
void opposite_whole(const void* operand, const void*, const void*, void* result, Index n, bool* exceeded) {
  const T* x = static_cast<const T*>(operand);
  T* out = static_cast<T*>(result);
  bool over = false;
  QUILL_ELEMENTWISE
  for (Index i = 0; i < n; ++i) {
    const T before = x[i];
    const bool turns = !magnitude || before < 0;
    over |= turns && before == std::numeric_limits<T>::min();
    using Unsigned = std::make_unsigned_t<T>;
    out[i] = turns ? static_cast<T>(Unsigned{0} - static_cast<Unsigned>(before)) : before;
  }
  *exceeded |= over;
}

Kernel whole_unary(Unary op, ElementType type) {
  const bool is_wide = type == ElementType::int64;
  if (type != ElementType::int32 && !is_wide) return nullptr;
  if (op == Unary::negate)
    return is_wide ? opposite_whole<std::int64_t, false> : opposite_whole<std::int32_t, false>;
  if (op == Unary::abs)
    return is_wide ? opposite_whole<std::int64_t, true> : opposite_whole<std::int32_t, true>;
  return nullptr;
}

// Numbers with integer values, such as integer literals beside integers.
template <class T>
void real_to_whole(const void* operand, const void*, const void*, void* result, Index n, bool* exceeded) {
  const double* x = static_cast<const double*>(operand);
  T* out = static_cast<T*>(result);
  for (Index i = 0; i < n; ++i) {
    const bool fits = x[i] == __builtin_trunc(x[i]) &&
                      x[i] >= static_cast<double>(std::numeric_limits<T>::min()) &&
                      x[i] < static_cast<double>(std::numeric_limits<T>::max() / 2 + 1) * 2;
    out[i] = fits ? static_cast<T>(x[i]) : T(0);
    *exceeded |= !fits;
  }
}

Kernel convert_to_whole(ElementType from, ElementType to) {
  if (from == ElementType::float64) {
    if (to == ElementType::int64) return real_to_whole<std::int64_t>;
    if (to == ElementType::int32) return real_to_whole<std::int32_t>;
    return to == ElementType::uint8 ? real_to_whole<std::uint8_t> : nullptr;
  }
  const bool is_byte = from == ElementType::uint8 || from == ElementType::boolean;
  if (to == ElementType::int64 && is_byte) return convert_each<std::uint8_t, std::int64_t>;
  if (to == ElementType::int64 && from == ElementType::int32) return convert_each<std::int32_t, std::int64_t>;
  if (to == ElementType::int32 && from == ElementType::uint8) return convert_each<std::uint8_t, std::int32_t>;
  return nullptr;
}
