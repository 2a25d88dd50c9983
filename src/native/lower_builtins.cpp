// Calls of built-ins.
#include <cmath>

#include "fusion/single.h"
#include "native/lowering.h"

namespace quill::native {

// A random number. Drawing cannot be undone, so the machine does it for functions that are inlined, which may
// be called again from their begin.
bool Lowering::draw(const Instruction& i, const CallForm& form) {
  const auto& row = registry_.row(form.row);
  if (is_inlined()) return false;
  if (row.draw && i.n == 0) {
    help(helpers_.draw, form.row);
    const int x = make(VariableType::number);
    emit({.what = Do::load_result, .dst = x, .immediate = 0});
    has_changed_ = true;
    define(i.a, number(x));
    return true;
  }
  if (!row.draw_whole || i.n != 2 || form.parameters != std::vector<int>{0, 1}) return false;
  for (int k = 0; k < 2; ++k) {
    const auto end = operand(i.b + k);
    if (!end || (end->form != Form::number && end->form != Form::whole)) return false;
    emit({.what = Do::store_result, .x = as_number(*end)->variable, .immediate = k});
  }
  guard(compare(Do::equal, help(helpers_.draw_whole, form.row), whole_constant(1)), Reason::value);
  const int x = make(VariableType::whole);
  emit({.what = Do::load_result, .dst = x, .immediate = 0});
  has_changed_ = true;
  define(i.a, {.form = Form::single, .element = ElementType::int64, .variable = x});
  return true;
}

// Calls the fast path of a built-in for numbers and short vectors.
bool Lowering::call_of_numbers(const Instruction& i, const CallForm& form, const OfNumbers& fast) {
  if (static_cast<std::size_t>(i.n) != fast.sizes.size()) return false;
  std::vector<int> given;
  for (int k = 0; k < i.n; ++k) {
    const auto size = fast.sizes[static_cast<std::size_t>(k)];
    if (form.parameters[static_cast<std::size_t>(k)] != k) return false;
    const auto x = elements(i.b + k);
    if (!x) return false;
    if (size == 1) {
      if (!is_plain_number(x->form)) return false;
      given.push_back(as_number(*x)->variable);
    } else {
      if (x->form != Form::vector || (size > 0 && x->items.size() != static_cast<std::size_t>(size)))
        return false;
      given.insert(given.end(), x->items.begin(), x->items.end());
    }
  }
  if (given.size() > kMostItems) return false;
  const auto out = result_of_helper(helpers_.of_numbers, given, std::max(fast.result, 1),
                                    reinterpret_cast<std::int64_t>(fast.run));
  if (fast.result == 1)
    define(i.a, number(out[0]));
  else if (fast.result == 0)
    define(i.a, boolean(compare(Do::not_equal, out[0], number_constant(0))));
  else
    define(i.a, {.form = Form::vector, .items = out});
  return true;
}

// The numbers that a helper computes of others and a constant; where it returns 0 the machine goes on.
std::vector<int> Lowering::result_of_helper(Helper helper, const std::vector<int>& given, int count,
                                            std::int64_t constant) {
  for (std::size_t k = 0; k < given.size(); ++k)
    emit({.what = Do::store_result, .x = given[k], .immediate = static_cast<std::int64_t>(k)});
  const int done = help(helper, static_cast<std::int64_t>(given.size()), 0, whole_constant(constant));
  guard(compare(Do::not_equal, done, whole_constant(0)), Reason::value);
  std::vector<int> out;
  for (int k = 0; k < count; ++k) {
    out.push_back(make(VariableType::number));
    emit({.what = Do::load_result, .dst = out.back(), .immediate = k});
  }
  return out;
}

// Conversions between element types; where a value does not fit the machine reports it.
std::optional<Lowering::Operand> Lowering::converted(ElementType to, const Operand& x) {
  if (!is_plain_number(x.form) && x.form != Form::single && x.form != Form::real32) return std::nullopt;
  if (is_integer(to)) {
    const auto range = range_of(to);
    const bool is_whole = x.form == Form::whole;
    const int v = is_whole || x.form == Form::single ? x.variable : whole_of(number(x.variable));
    if (range.bits != 64 && (!is_whole || x.low < range.least))
      guard(compare(Do::greater_equal, v, whole_constant(range.least)), Reason::value);
    if (range.bits != 64 && (!is_whole || x.high > range.most))
      guard(compare(Do::less_equal, v, whole_constant(range.most)), Reason::value);
    return Operand{.form = Form::single, .element = to, .variable = v};
  }
  if (to != ElementType::float64 && to != ElementType::float32) return std::nullopt;
  if (x.form == Form::real32) {
    auto out = x;
    out.form = to == ElementType::float32 ? Form::real32 : Form::number;
    return out;
  }
  if (to == ElementType::float64 && x.form != Form::single) return x;
  if (x.form == Form::single && x.element == ElementType::int64 && to == ElementType::float32)
    return std::nullopt;  // rounded twice
  const int v = x.form == Form::single ? unary(Do::to_number, VariableType::number, x.variable)
                                       : as_number(x)->variable;
  if (to == ElementType::float64) return number(v);
  return Operand{.form = Form::real32, .variable = unary(Do::narrow, VariableType::number, v)};
}

bool Lowering::call_builtin(const Instruction& i) {
  const auto& form = f().calls[static_cast<std::size_t>(i.c)];
  const auto& row = registry_.row(form.row);
  if (i.flag || !form.is_bound) return false;
  if (row.draw || row.draw_whole) return draw(i, form);
  if (row.name == "length" && i.n == 1 && is_array(i.b)) return take_extent(i.a, i.b, 0);
  if (row.name == "length" && i.n == 1)
    if (const auto x = elements(i.b); x && x->form == Form::vector) {
      const auto count = std::ssize(x->items);
      define(i.a, {.form = Form::whole, .variable = whole_constant(count), .low = count, .high = count});
      return true;
    }
  if (row.unary && i.n == 1 && is_array(i.b))
    return evaluate_operation(i, fusion::single_operation(*row.unary), 1);
  if (row.name == "sum" && i.n == 1 && form.parameters == std::vector<int>{0} && sum_vector(i)) return true;
  if (row.of_numbers && call_of_numbers(i, form, *row.of_numbers)) return true;
  std::optional<Operand> out;
  if (row.converts_to && i.n == 1) {
    const auto x = operand(i.b);
    if (x) out = converted(*row.converts_to, *x);
  } else if (row.unary && i.n == 1) {
    const auto x = operand(i.b);
    if (x) out = apply(*row.unary, *x);
  } else if (row.binary && i.n == 2 && form.parameters == std::vector<int>{0, 1}) {
    const auto x = operand(i.b), y = operand(i.b + 1);
    if (x && y) out = apply_two(*row.binary, *x, *y);
  } else if (row.binary && i.n > 2 && (row.name == "min" || row.name == "max") && !form.some_by_name()) {
    out = operand(i.b);
    for (int k = 1; k < i.n && out; ++k) {
      const auto next = operand(i.b + k);
      out = next ? apply_two(*row.binary, *out, *next) : std::nullopt;
    }
  } else if (row.name == "complex" && i.n == 2 && form.parameters == std::vector<int>{0, 1}) {
    const auto x = operand(i.b), y = operand(i.b + 1);
    const auto is_plain = [](const Operand& v) { return v.form == Form::number || v.form == Form::whole; };
    if (x && y && is_plain(*x) && is_plain(*y))
      out = Operand{.form = Form::complex, .items = {as_number(*x)->variable, as_number(*y)->variable}};
  }
  if (out) define(i.a, *out);
  return out.has_value();
}

}  // namespace quill::native
