// Operators, functions and values.
#include <cmath>

#include "array/scalar.h"
#include "compiler/operands.h"
#include "compiler/operations_table.h"
#include "fusion/single.h"
#include "native/lowering.h"

namespace quill::native {

namespace {

struct FunctionOfTwo {
  double (*f)(double, double);
  bool limited;
};
FunctionOfTwo function_of_two(Binary op) {
  switch (op) {
#define QUILL_CASE(name, functor, text, limited) \
  case Binary::name: return {[](double x, double y) { return scalar::functor{}(x, y); }, limited};
    QUILL_FUNCTIONS_OF_TWO(QUILL_CASE)
#undef QUILL_CASE
    default: return {nullptr, false};
  }
}

}  // namespace

std::optional<Lowering::Operand> Lowering::apply(Unary function, const Operand& given) {
  if (given.form == Form::complex) return apply_complex(function, given);
  if (function == Unary::abs && given.form == Form::real32)
    return Operand{.form = Form::real32,
                   .variable = unary(Do::absolute, VariableType::number, given.variable)};
  if (function == Unary::abs && given.form == Form::single) {
    const auto minus = negated(given);
    if (!minus) return std::nullopt;
    const int is_negative = compare(Do::less, given.variable, whole_constant(0));
    return select_single(is_negative, *minus, given);
  }
  if (given.form != Form::number && given.form != Form::whole) return std::nullopt;
  if (given.form == Form::whole) {
    switch (function) {
      case Unary::floor:
      case Unary::ceil:
      case Unary::round:
      case Unary::truncate:
      case Unary::real:
      case Unary::conj: return given;
      case Unary::abs: {
        const int minus = binary(Do::subtract, VariableType::whole, whole_constant(0), given.variable);
        const int v = make(VariableType::whole);
        emit({.what = Do::select,
              .dst = v,
              .x = compare(Do::less, given.variable, whole_constant(0)),
              .y = minus,
              .z = given.variable});
        return Operand{.form = Form::whole,
                       .variable = v,
                       .low = 0,
                       .high = std::max(std::abs(given.low), std::abs(given.high))};
      }
      default: break;
    }
  }
  const auto x = as_number(given);
  const auto by = [&](Do what) { return number(unary(what, VariableType::number, x->variable)); };
  switch (function) {
    case Unary::floor: return by(Do::floor);
    case Unary::ceil: return by(Do::ceil);
    case Unary::round: return by(Do::round);
    case Unary::truncate: return by(Do::truncate);
    case Unary::abs: return by(Do::absolute);
    case Unary::is_nan:
      return boolean(
          unary(Do::logical_not, VariableType::boolean, compare(Do::equal, x->variable, x->variable)));
    default: break;
  }
  if (function >= Unary::is_nan || function == Unary::logical_not) return std::nullopt;
  const auto real = scalar::real_function(function);
  Operand out = number(-1);
  if (function == Unary::sqrt) {
    out = by(Do::square_root);
  } else {
    out = number(make(VariableType::number));
    emit({.what = Do::call_1,
          .dst = out.variable,
          .x = x->variable,
          .immediate = reinterpret_cast<std::int64_t>(real.f)});
  }
  // Of nan where none was given, the machine warns.
  const int fine = compare(Do::equal, out.variable, out.variable);
  const int given_nan =
      unary(Do::logical_not, VariableType::boolean, compare(Do::equal, x->variable, x->variable));
  guard(binary(Do::logical_or, VariableType::boolean, fine, given_nan), Reason::value);
  return out;
}

// x if the condition holds, otherwise y: elements of one integer type.
Lowering::Operand Lowering::select_single(int condition, const Operand& x, const Operand& y) {
  const int v = make(VariableType::whole);
  emit({.what = Do::select, .dst = v, .x = condition, .y = x.variable, .z = y.variable});
  return {.form = Form::single, .element = x.element, .variable = v};
}

// -x of an element of an integer or float32 array; of unsigned ones the machine finds the type.
std::optional<Lowering::Operand> Lowering::negated(const Operand& x) {
  if (x.form == Form::real32)
    return Operand{.form = Form::real32, .variable = unary(Do::negate, VariableType::number, x.variable)};
  if (x.form != Form::single || x.element == ElementType::uint8) return std::nullopt;
  Operand zero{.form = Form::single, .element = x.element, .variable = whole_constant(0)};
  return combine_singles(Op::subtract, zero, x);
}

std::optional<Lowering::Operand> Lowering::apply_two(Binary function, const Operand& left,
                                                     const Operand& right) {
  const auto is_plain = [](const Operand& v) { return v.form == Form::number || v.form == Form::whole; };
  if (left.form == Form::single && right.form == Form::single && left.element == right.element &&
      (function == Binary::minimum || function == Binary::maximum)) {
    const auto order = function == Binary::minimum ? Do::less : Do::greater;
    return select_single(compare(order, left.variable, right.variable), left, right);
  }
  if (!is_plain(left) || !is_plain(right)) return std::nullopt;
  const bool is_least = function == Binary::minimum;
  if (left.form == Form::whole && right.form == Form::whole && (is_least || function == Binary::maximum)) {
    const int v = make(VariableType::whole);
    emit({.what = Do::select,
          .dst = v,
          .x = compare(is_least ? Do::less : Do::greater, left.variable, right.variable),
          .y = left.variable,
          .z = right.variable});
    const auto both = [&](std::int64_t a, std::int64_t b) {
      return is_least ? std::min(a, b) : std::max(a, b);
    };
    return Operand{.form = Form::whole,
                   .variable = v,
                   .low = both(left.low, right.low),
                   .high = both(left.high, right.high)};
  }
  const auto x = as_number(left), y = as_number(right);
  const auto [f, limited] = function_of_two(function);
  if (!x || !y || f == nullptr || limited) return std::nullopt;
  const int v = make(VariableType::number);
  if (is_least || function == Binary::maximum) {
    const int nan =
        unary(Do::logical_not, VariableType::boolean, compare(Do::equal, x->variable, x->variable));
    const int first = binary(Do::logical_or, VariableType::boolean, nan,
                             compare(is_least ? Do::less : Do::greater, x->variable, y->variable));
    emit({.what = Do::select, .dst = v, .x = first, .y = x->variable, .z = y->variable});
  } else {
    emit({.what = Do::call_2,
          .dst = v,
          .x = x->variable,
          .y = y->variable,
          .immediate = reinterpret_cast<std::int64_t>(f)});
  }
  return number(v);
}

bool Lowering::move(const Instruction& i) {
  // A view of the very register that is assigned to becomes a value first.
  if (type_of(i.b).form == Form::view && type_of(i.b).root == absolute(i.a)) {
    if (is_inlined()) return false;
    own_slice(i.b);
  }
  if (type_of(i.b).form == Form::memory && !is_constant(i.b)) {
    if (const auto known = known_function(i.b)) {
      define(i.a, *known);
      return true;
    }
    if (is_inlined()) return false;
    if (make_view(i.a, i.b)) return true;
    help(helpers_.copy, i.a, i.b);
    type_of(i.b).is_owned = false;
    auto type = memory_type();
    type.counts = type_of(i.b).counts;
    define_memory(i.a, type);
    return true;
  }
  if (type_of(i.b).form == Form::view) {
    define(i.a, {.form = Form::view, .root = type_of(i.b).root});
    return true;
  }
  if (type_of(i.b).form == Form::span) {
    define_span(i.a, variables(i.b).extents[0], variables(i.b).strides[0]);
    return true;
  }
  if (type_of(i.b).form == Form::all) {
    define_all(i.a);
    return true;
  }
  if (type_of(i.b).form == Form::slice) {
    define(i.a, {.form = Form::view, .root = absolute(i.b)});
    return true;
  }
  const auto x = operand(i.b);
  if (!x) return false;
  define(i.a, *x);
  return true;
}

bool Lowering::take(const Instruction& i) {
  if (is_inlined()) return false;
  detach(i.b);
  if (const auto x = type_of(i.b).form == Form::memory ? std::nullopt : operand(i.b)) {
    define(i.a, *x);
    release(i.b);
    emit({.what = Do::store_register, .q = static_cast<int>(Kind::unset), .immediate = i.b});
    define_memory(i.b);
    type_of(i.b).may_hold = false;
    return true;
  }
  spill(i.b);
  note_change(i.b);
  help(helpers_.take, i.a, i.b);
  define_memory(i.a);
  define_memory(i.b);
  return true;
}

bool Lowering::negate(const Instruction& i) {
  const auto x = elements(i.b);
  if (x && (x->form == Form::vector || x->form == Form::complex)) {
    Operand out{.form = x->form};
    for (const int v : x->items) out.items.push_back(unary(Do::negate, VariableType::number, v));
    define(i.a, out);
    return true;
  }
  if (x && (x->form == Form::single || x->form == Form::real32)) {
    const auto out = negated(*x);
    if (out) define(i.a, *out);
    return out.has_value();
  }
  if (!x || (x->form != Form::number && x->form != Form::whole)) return false;
  if (x->form == Form::whole && !experience_.not_whole.contains(cause_)) {
    const int zero = whole_constant(0);
    if (x->low <= 0 && x->high >= 0) guard(compare(Do::not_equal, x->variable, zero), Reason::whole);
    define(i.a, {.form = Form::whole,
                 .variable = binary(Do::subtract, VariableType::whole, zero, x->variable),
                 .low = -x->high,
                 .high = -x->low});
    return true;
  }
  define(i.a, number(unary(Do::negate, VariableType::number, as_number(*x)->variable)));
  return true;
}

bool Lowering::check_set(const Instruction& i) {
  auto& type = type_of(i.a);
  if (type.form == Form::nowhere && is_inlined()) return false;
  if (type.form == Form::memory && type.axes == 0 && !type.counts && !type.function)
    guard(compare(Do::not_equal, kind_of(i.a), whole_constant(static_cast<int>(Kind::unset))), Reason::value);
  return true;
}

bool Lowering::step_value(const Instruction& i) {
  switch (i.op) {
    case Op::load: return load_literal(i);
    case Op::get_global:
    case Op::global_early: return load_global(i);
    case Op::global_once: return has_kept(i.a) || load_global(i);
    case Op::move: return move(i);
    case Op::take: return take(i);
    case Op::check: return check_set(i);
    case Op::negate: return negate(i);
    case Op::logical_not: {
      const auto x = condition(i.b);
      if (!x) return false;
      define(i.a, boolean(unary(Do::logical_not, VariableType::boolean, *x)));
      return true;
    }
    case Op::apply: {
      if (is_array(i.b)) return evaluate_operation(i, fusion::single_operation(static_cast<Unary>(i.c)), 1);
      const auto x = operand(i.b);
      const auto out = x ? apply(static_cast<Unary>(i.c), *x) : std::nullopt;
      if (out) define(i.a, *out);
      return out.has_value();
    }
    case Op::call_builtin: return call_builtin(i);
    case Op::extent: {
      const int base = root_of(i.b);
      const auto& type = type_of(base);
      if (type.form == Form::vector && i.c == 0) {
        define(i.a, {.form = Form::whole,
                     .variable = whole_constant(type.count),
                     .low = type.count,
                     .high = type.count});
        return true;
      }
      return i.c % 2 == 0 && take_extent(i.a, i.b, i.c / 2);
    }
    default: break;
  }
  if (!(is_arithmetic(i.op) || is_comparison(i.op) || i.op == Op::logical_and || i.op == Op::logical_or))
    return false;
  if ((is_array(i.b) || is_array(i.c)) && i.op != Op::logical_and && i.op != Op::logical_or)
    return evaluate_operation(i, fusion::single_operation(binary_of(i.op)), 2);
  if (compare_texts(i)) return true;
  const auto x = elements(i.b);
  const auto y = x ? elements(i.c) : std::nullopt;
  if (!y) return false;
  const bool seen_whole = seen(i.a).is_number() && is_whole_number(seen(i.a).number());
  const auto out = combine(i.op, *x, *y, i.flag, seen_whole);
  if (out) define(i.a, *out);
  return out.has_value();
}

// Compares texts, if both registers contained texts when the loop became hot.
bool Lowering::compare_texts(const Instruction& i) {
  if ((i.op != Op::equal && i.op != Op::not_equal) || is_inlined() || is_for_machine(at_)) return false;
  for (const int r : {i.b, i.c})
    if (type_of(r).form != Form::memory || is_constant(r) || !seen(r).is(Kind::text)) return false;
  const int same = help(helpers_.equal_texts, absolute(i.b), absolute(i.c));
  guard(compare(Do::not_equal, same, whole_constant(2)), Reason::type);
  define(i.a, boolean(compare(Do::equal, same, whole_constant(i.op == Op::equal ? 1 : 0))));
  return true;
}

bool Lowering::step(const Instruction& i) {
  const bool is_executable = jump_target(i) < 0 && i.op != Op::move && i.op != Op::take;
  if (is_executable && is_for_machine(at_)) return false;
  return step_flow(i) || step_loop(i) || step_element(i) || step_items(i) || step_value(i);
}

}  // namespace quill::native
