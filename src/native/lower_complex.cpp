// Complex numbers: two variables each.
#include <complex>

#include "array/scalar.h"
#include "native/lowering.h"

namespace quill::native {

std::optional<Lowering::Operand> Lowering::as_complex(const Operand& x) {
  if (x.form == Form::complex) return x;
  if (x.form != Form::number && x.form != Form::whole) return std::nullopt;
  return Operand{.form = Form::complex, .items = {as_number(x)->variable, number_constant(0)}};
}

std::optional<Lowering::Operand> Lowering::combine_complex(Op op, const Operand& left, const Operand& right) {
  const auto x = as_complex(left);
  if (op == Op::power && x && right.constant == 2.0) {
    // As the machine computes z^2: 1 times the square.
    const auto square = combine_complex(Op::multiply, *x, *x);
    return combine_complex(
        Op::multiply, {.form = Form::complex, .items = {number_constant(1), number_constant(0)}}, *square);
  }
  const auto y = as_complex(right);
  if (!x || !y) return std::nullopt;
  const auto by = [&](Do what, int p, int q) { return binary(what, VariableType::number, p, q); };
  const int a = x->items[0], b = x->items[1], c = y->items[0], d = y->items[1];
  switch (op) {
    case Op::add:
    case Op::subtract: {
      const auto what = op == Op::add ? Do::add : Do::subtract;
      return Operand{.form = Form::complex, .items = {by(what, a, c), by(what, b, d)}};
    }
    case Op::multiply: {
      const int re = by(Do::subtract, by(Do::multiply, a, c), by(Do::multiply, b, d));
      const int im = by(Do::add, by(Do::multiply, a, d), by(Do::multiply, b, c));
      // If both parts are nan, infinite factors may still give an infinite product: the machine decides.
      guard(binary(Do::logical_or, VariableType::boolean, compare(Do::equal, re, re),
                   compare(Do::equal, im, im)),
            Reason::value);
      return Operand{.form = Form::complex, .items = {re, im}};
    }
    case Op::divide:
    case Op::power:
      return Operand{
          .form = Form::complex,
          .items = result_of_helper(helpers_.of_complex, {a, b, c, d}, 2, op == Op::power ? 1 : 0)};
    case Op::equal:
    case Op::not_equal: {
      const int same =
          binary(Do::logical_and, VariableType::boolean, compare(Do::equal, a, c), compare(Do::equal, b, d));
      return boolean(op == Op::equal ? same : unary(Do::logical_not, VariableType::boolean, same));
    }
    default: return std::nullopt;
  }
}

std::optional<Lowering::Operand> Lowering::apply_complex(Unary function, const Operand& z) {
  const int re = z.items[0], im = z.items[1];
  switch (function) {
    case Unary::real: return number(re);
    case Unary::imag: return number(im);
    case Unary::conj:
      return Operand{.form = Form::complex, .items = {re, unary(Do::negate, VariableType::number, im)}};
    case Unary::abs: {
      const int v = make(VariableType::number);
      double (*const f)(double, double) = [](double x, double y) { return std::abs(Complex(x, y)); };
      emit({.what = Do::call_2, .dst = v, .x = re, .y = im, .immediate = reinterpret_cast<std::int64_t>(f)});
      return number(v);
    }
    case Unary::phase: {
      const int v = make(VariableType::number);
      double (*const f)(double, double) = [](double x, double y) { return std::arg(Complex(x, y)); };
      emit({.what = Do::call_2, .dst = v, .x = re, .y = im, .immediate = reinterpret_cast<std::int64_t>(f)});
      return number(v);
    }
    default:
      if (const auto f = scalar::complex_function(function))
        return Operand{
            .form = Form::complex,
            .items = result_of_helper(helpers_.of_complex, {re, im}, 2, reinterpret_cast<std::int64_t>(f))};
      return std::nullopt;
  }
}

bool Lowering::store_complex(int base, int offset, const Operand& given) {
  const auto z = as_complex(given);
  if (!z) return false;
  has_changed_ = true;
  const int first = binary(Do::add, VariableType::whole, offset, offset);
  for (const int k : {0, 1})
    emit({.what = Do::store,
          .x = variables(base).pointer,
          .y = binary(Do::add, VariableType::whole, first, whole_constant(k)),
          .z = z->items[static_cast<std::size_t>(k)],
          .immediate = static_cast<std::int64_t>(ElementType::float64)});
  return true;
}

}  // namespace quill::native
