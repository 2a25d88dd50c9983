// Arithmetic on numbers, whole numbers and single elements.
#include <cmath>

#include "array/mathematics.h"
#include "array/scalar.h"
#include "base/number.h"
#include "base/processor.h"
#include "compiler/operations_table.h"
#include "native/lowering.h"

namespace quill::native {

namespace {

constexpr std::int64_t kMostShift = 1 << 20;
constexpr double kMostMultiplied = 16;  // the largest exponent of a power by products

Do comparison_of(Op op) {
  switch (op) {
    case Op::equal: return Do::equal;
    case Op::not_equal: return Do::not_equal;
    case Op::less: return Do::less;
    case Op::less_equal: return Do::less_equal;
    case Op::greater: return Do::greater;
    default: return Do::greater_equal;
  }
}

// The machine's own functions, called by address: the same bits.
double remainder_of_numbers(double x, double y) { return scalar::Remainder{}(x, y); }
double power_of_numbers(double x, double y) { return scalar::Power{}(x, y); }

}  // namespace

// An integer with these bounds, checked if they exceed 2^53.
Lowering::Operand Lowering::checked(int variable, std::int64_t low, std::int64_t high) {
  if (low < -kMostWhole || high > kMostWhole) {
    // One comparison for both ends.
    const int shifted = binary(Do::add, VariableType::whole, variable, whole_constant(kMostWhole));
    const int inside = make(VariableType::boolean);
    emit({.what = Do::less_equal, .dst = inside, .x = shifted, .y = whole_constant(2 * kMostWhole), .p = 1});
    guard(inside, Reason::whole);
    low = std::max(low, -kMostWhole);
    high = std::min(high, kMostWhole);
  }
  return {.form = Form::whole, .variable = variable, .low = low, .high = high};
}

std::optional<Lowering::Operand> Lowering::combine_whole(Op op, const Operand& x, const Operand& y,
                                                         bool seen_whole) {
  const auto whole = [&](Do what) { return binary(what, VariableType::whole, x.variable, y.variable); };
  switch (op) {
    case Op::add:
    case Op::subtract: {
      const bool is_sum = op == Op::add;
      auto out = is_sum ? checked(whole(Do::add), x.low + y.low, x.high + y.high)
                        : checked(whole(Do::subtract), x.low - y.high, x.high - y.low);
      // The variable of a loop plus a small number.
      const bool is_shifted = x.counter >= 0 && y.low == y.high;
      const auto& counting = is_shifted || !is_sum ? x : y;
      const auto& other = is_shifted || !is_sum ? y : x;
      if (counting.counter >= 0 && other.low == other.high && std::abs(other.low) <= kMostShift) {
        out.counter = counting.counter;
        out.shift = counting.shift + (is_sum ? other.low : -other.low);
        if (std::abs(out.shift) > kMostShift) out.counter = -1;
      }
      return out;
    }
    case Op::multiply: {
      // -0 where a factor is 0 and the other negative.
      const auto largest = [](const Operand& v) {
        return std::max(std::fabs(static_cast<double>(v.low)), std::fabs(static_cast<double>(v.high)));
      };
      const double most = largest(x) * largest(y);
      int product = 0;
      if (most >= 0x1p62) {
        product = make(VariableType::whole);
        const int overflow = make(VariableType::boolean);
        emit({.what = Do::multiply_checked,
              .dst = product,
              .x = x.variable,
              .y = y.variable,
              .z = overflow,
              .immediate = 64});
        guard(unary(Do::logical_not, VariableType::boolean, overflow), Reason::whole);
      } else {
        product = whole(Do::multiply);
      }
      if ((x.low < 0 && y.low <= 0 && y.high >= 0) || (y.low < 0 && x.low <= 0 && x.high >= 0)) {
        const int zero = whole_constant(0);
        const int is_zero = compare(Do::equal, product, zero);
        const int negative = binary(Do::logical_or, VariableType::boolean,
                                    compare(Do::less, x.variable, zero), compare(Do::less, y.variable, zero));
        guard(unary(Do::logical_not, VariableType::boolean,
                    binary(Do::logical_and, VariableType::boolean, is_zero, negative)),
              Reason::whole);
      }
      if (most >= 0x1p62) return checked(product, -2 * kMostWhole, 2 * kMostWhole);
      const auto ends = {x.low * y.low, x.low * y.high, x.high * y.low, x.high * y.high};
      return checked(product, std::min(ends), std::max(ends));
    }
    case Op::remainder: {
      // Of a positive divisor: from 0 up to it, exactly as for float64.
      const int zero = whole_constant(0);
      if (y.low <= 0) guard(compare(Do::greater, y.variable, zero), Reason::whole);
      const std::int64_t small = (std::int64_t{1} << 31) - 1;
      const int out = make(VariableType::whole);
      const auto by = [&](Do what) { emit({.what = what, .dst = out, .x = x.variable, .y = y.variable}); };
      const Operand result{
          .form = Form::whole, .variable = out, .low = 0, .high = std::max<std::int64_t>(y.high - 1, 0)};
      if (x.low >= 0 && x.high <= small && y.high <= small) {
        by(Do::remainder_31);
        return result;
      }
      if (y.low == y.high) {  // LLVM replaces the division by a constant
        by(Do::remainder);
        if (x.low < 0)
          emit({.what = Do::select,
                .dst = out,
                .x = compare(Do::less, out, zero),
                .y = binary(Do::add, VariableType::whole, out, y.variable),
                .z = out});
        return result;
      }
      const int is_small = label(), is_large = label(), end = label();
      const int either = binary(Do::logical_or, VariableType::whole, x.variable, y.variable);
      const int fits = make(VariableType::boolean);
      emit({.what = Do::less_equal, .dst = fits, .x = either, .y = whole_constant(small), .p = 1});
      branch(fits, is_small, is_large, 1);
      place_label(is_small);
      by(Do::remainder_31);
      jump(end);
      place_label(is_large);
      by(Do::remainder);
      emit({.what = Do::select,
            .dst = out,
            .x = compare(Do::less, out, zero),
            .y = binary(Do::add, VariableType::whole, out, y.variable),
            .z = out});
      jump(end);
      place_label(end);
      return result;
    }
    case Op::divide: {
      if (!seen_whole) return std::nullopt;
      const int zero = whole_constant(0);
      if (y.low <= 0 && y.high >= 0) guard(compare(Do::not_equal, y.variable, zero), Reason::whole);
      guard(compare(Do::equal, whole(Do::remainder), zero), Reason::whole);
      // 0 by a negative number is -0.
      if (y.low < 0)
        guard(binary(Do::logical_or, VariableType::boolean, compare(Do::not_equal, x.variable, zero),
                     compare(Do::greater, y.variable, zero)),
              Reason::whole);
      const auto most = std::max(std::abs(x.low), std::abs(x.high));
      return Operand{.form = Form::whole, .variable = whole(Do::divide), .low = -most, .high = most};
    }
    default: return std::nullopt;
  }
}

// The steps of mathematics::power() for an integer exponent: products in double-double numbers. `otherwise`
// emits the call for values where they would lose digits.
int Lowering::multiplied_power(int x, int n, const std::function<void(int out)>& otherwise) {
  const auto one = [&](Do what, int a, int b) { return binary(what, VariableType::number, a, b); };
  const auto multiply_add = [&](int a, int b, int c) {
    const int v = make(VariableType::number);
    emit({.what = Do::multiply_add, .dst = v, .x = a, .y = b, .z = c});
    return v;
  };
  struct Double2 {
    int high, low;  // variables; no `low` if it is 0
  };
  const auto product = [&](const Double2& a, const Double2& b) {
    const int p = one(Do::multiply, a.high, b.high);
    int rest = multiply_add(a.high, b.high, unary(Do::negate, VariableType::number, p));
    const int left = b.low < 0 ? -1 : one(Do::multiply, a.high, b.low);
    const int right = a.low < 0 ? -1 : one(Do::multiply, a.low, b.high);
    const int both = left < 0 ? right : right < 0 ? left : one(Do::add, left, right);
    if (both >= 0) rest = one(Do::add, rest, both);
    const int high = one(Do::add, p, rest);
    return Double2{high, one(Do::subtract, rest, one(Do::subtract, high, p))};
  };
  Double2 square{x, -1}, made{-1, -1};
  for (int left = std::abs(n);; square = product(square, square)) {
    if (left % 2 == 1) made = made.high < 0 ? square : product(made, square);
    left /= 2;
    if (left == 0) break;
  }
  const int out = make(VariableType::number);
  if (n > 0) {
    emit({.what = Do::copy, .dst = out, .x = made.high});
  } else {
    const int inverse = one(Do::divide, number_constant(1), made.high);
    int rest = multiply_add(unary(Do::negate, VariableType::number, made.high), inverse, number_constant(1));
    if (made.low >= 0) rest = one(Do::subtract, rest, one(Do::multiply, made.low, inverse));
    emit({.what = Do::copy, .dst = out, .x = one(Do::add, inverse, one(Do::multiply, inverse, rest))});
  }
  const int size = unary(Do::absolute, VariableType::number, made.high);
  const int fits = binary(Do::logical_and, VariableType::boolean,
                          compare(Do::greater_equal, size, number_constant(mathematics::kLeastProduct)),
                          compare(Do::less_equal, size, number_constant(mathematics::kMostProduct)));
  const int beyond = label(), end = label();
  branch(fits, end, beyond, 1);
  place_label(beyond);
  otherwise(out);
  jump(end);
  place_label(end);
  return out;
}

std::optional<Lowering::Operand> Lowering::combine_numbers(Op op, const Operand& left, const Operand& right) {
  const auto x = as_number(left), y = as_number(right);
  if (!x || !y) return std::nullopt;
  if (is_comparison(op)) return boolean(compare(comparison_of(op), x->variable, y->variable));
  const auto by = [&](Do what) {
    return number(binary(what, VariableType::number, x->variable, y->variable));
  };
  const auto by_function = [&](double (*f)(double, double)) {
    const int v = make(VariableType::number);
    emit({.what = Do::call_2,
          .dst = v,
          .x = x->variable,
          .y = y->variable,
          .immediate = reinterpret_cast<std::int64_t>(f)});
    return v;
  };
  switch (op) {
    case Op::add: return by(Do::add);
    case Op::subtract: return by(Do::subtract);
    case Op::multiply: return by(Do::multiply);
    case Op::divide: return by(Do::divide);
    case Op::remainder: return number(by_function(remainder_of_numbers));
    case Op::power: {
      if (y->constant == 2.0)
        return number(binary(Do::multiply, VariableType::number, x->variable, x->variable));
      if (y->constant && std::fabs(*y->constant) <= kMostMultiplied && is_whole(*y->constant) && has_avx2() &&
          *y->constant != 0)
        return number(multiplied_power(x->variable, static_cast<int>(*y->constant), [&](int out) {
          const int v = by_function(power_of_numbers);
          guard(binary(Do::logical_or, VariableType::boolean, compare(Do::equal, v, v),
                       compare(Do::not_equal, x->variable, x->variable)),
                Reason::value);
          emit({.what = Do::copy, .dst = out, .x = v});
        }));
      const int v = by_function(power_of_numbers);
      // Without a real result the machine warns.
      const auto is_number = [&](int z) { return compare(Do::equal, z, z); };
      const auto is_nan = [&](int z) { return unary(Do::logical_not, VariableType::boolean, is_number(z)); };
      const int given =
          binary(Do::logical_or, VariableType::boolean, is_nan(x->variable), is_nan(y->variable));
      guard(binary(Do::logical_or, VariableType::boolean, is_number(v), given), Reason::value);
      return number(v);
    }
    default: return std::nullopt;
  }
}

// Two elements of one integer type.
std::optional<Lowering::Operand> Lowering::combine_singles(Op op, const Operand& x, const Operand& y) {
  if (is_comparison(op)) return boolean(compare(comparison_of(op), x.variable, y.variable));
  const auto range = range_of(x.element);
  const auto by = [&](Do what) {
    const int v = make(VariableType::whole), overflow = make(VariableType::boolean);
    emit({.what = what, .dst = v, .x = x.variable, .y = y.variable, .z = overflow, .immediate = range.bits});
    guard(unary(Do::logical_not, VariableType::boolean, overflow), Reason::value);
    return Operand{.form = Form::single, .element = x.element, .variable = v};
  };
  switch (op) {
    case Op::add: return by(Do::add_checked);
    case Op::subtract:
      if (range.bits < 0) return std::nullopt;
      return by(Do::subtract_checked);
    case Op::multiply: return by(Do::multiply_checked);
    case Op::divide: {
      const int a = unary(Do::to_number, VariableType::number, x.variable);
      const int b = unary(Do::to_number, VariableType::number, y.variable);
      return number(binary(Do::divide, VariableType::number, a, b));
    }
    case Op::remainder: {
      const int zero = whole_constant(0);
      guard(compare(Do::greater, y.variable, zero), Reason::value);
      const int r = binary(Do::remainder, VariableType::whole, x.variable, y.variable);
      const int v = make(VariableType::whole);
      emit({.what = Do::select,
            .dst = v,
            .x = compare(Do::less, r, zero),
            .y = binary(Do::add, VariableType::whole, r, y.variable),
            .z = r});
      return Operand{.form = Form::single, .element = x.element, .variable = v};
    }
    default: return std::nullopt;
  }
}

std::optional<Lowering::Operand> Lowering::combine(Op op, const Operand& x, const Operand& y,
                                                   std::uint8_t flags, bool seen_whole) {
  if (x.form == Form::boolean || y.form == Form::boolean) {
    if (x.form != y.form || (op != Op::logical_and && op != Op::logical_or)) return std::nullopt;
    return boolean(binary(op == Op::logical_and ? Do::logical_and : Do::logical_or, VariableType::boolean,
                          x.variable, y.variable));
  }
  if (!is_arithmetic(op) && !is_comparison(op)) return std::nullopt;
  if (x.form == Form::vector || y.form == Form::vector) return combine_vectors(op, x, y);
  const auto is_plain = [](const Operand& v) {
    return v.form == Form::number || v.form == Form::whole || v.form == Form::single ||
           v.form == Form::real32;
  };
  if (x.form == Form::complex || y.form == Form::complex) return combine_complex(op, x, y);
  if (!is_plain(x) || !is_plain(y)) return std::nullopt;
  if (x.form == Form::real32 || y.form == Form::real32) {
    if (op == Op::power || op == Op::remainder) return std::nullopt;
    auto out = combine_numbers(op, x, y);
    // Rounding to float64 first does not change the float32 result: float64 has more than twice the digits.
    if (out && x.form == y.form && out->form == Form::number)
      return Operand{.form = Form::real32,
                     .variable = unary(Do::narrow, VariableType::number, out->variable)};
    return out;
  }
  const bool left = x.form == Form::single, right = y.form == Form::single;
  if (left && right) return x.element == y.element ? combine_singles(op, x, y) : std::nullopt;
  if (left || right) {
    // A literal integer takes the type of the element beside it.
    const auto& other = left ? y : x;
    if (flags & (left ? kRightLiteral : kLeftLiteral)) {
      if (!other.constant) return std::nullopt;
      const auto range = range_of((left ? x : y).element);
      if (std::trunc(*other.constant) == *other.constant) {
        if (other.form != Form::whole || other.low < range.least || other.low > range.most)
          return std::nullopt;
        Operand same = other;
        same.form = Form::single;
        same.element = (left ? x : y).element;
        return left ? combine_singles(op, x, same) : combine_singles(op, same, y);
      }
    }
    if (op == Op::power) return std::nullopt;
    return combine_numbers(op, x, y);
  }
  if (x.form == Form::whole && y.form == Form::whole) {
    if (is_comparison(op)) return boolean(compare(comparison_of(op), x.variable, y.variable));
    const bool is_square = op == Op::power && y.constant == 2.0;
    if (!experience_.not_whole.contains(cause_))
      if (auto out = combine_whole(is_square ? Op::multiply : op, x, is_square ? x : y, seen_whole))
        return out;
  }
  return combine_numbers(op, x, y);
}

}  // namespace quill::native
