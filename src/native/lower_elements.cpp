// Elements of arrays.
#include "native/lowering.h"

namespace quill::native {

// Checks the description returned by a helper; properties that the type leaves open may have any value.
void Lowering::check_description(int code, Type expected, Reason reason) {
  const auto open = (expected.is_owned ? 0 : kOwnedCode) + (expected.has_unit_step ? 0 : kUnitStepCode);
  expected.is_owned = expected.has_unit_step = true;
  const int known = binary(Do::logical_or, VariableType::whole, code, whole_constant(open));
  guard(compare(Do::equal, known, whole_constant(array_code(expected))), reason);
}

bool Lowering::describe_base(int given, int count) {
  const int base = root_of(given);
  auto& type = type_of(base);
  if (type.form == Form::slice) return type.axes == count;
  if (type.form != Form::memory || is_constant(base)) return false;
  make_description(base, count);
  if (type.axes > 0) return type.axes == count;
  const auto seen = observed(this->seen(base));
  if (seen.form != Form::memory || seen.axes != count) return false;
  auto expected = array_type(seen.element, count, false);
  expected.has_label = seen.has_label;
  expected.has_unit_step = seen.has_unit_step;
  check_description(help(helpers_.describe, absolute(base)), expected, Reason::type);
  load_description(base, count);
  type = expected;
  return true;
}

int Lowering::find_element(int base, int subscripts, int count) {
  std::vector<Operand> at;
  for (int k = 0; k < count; ++k) {
    const auto subscript = integer_operand(subscripts + k);
    if (!subscript) return -1;
    at.push_back(*subscript);
  }
  int offset = -1;
  for (int k = 0; k < count; ++k) {
    const auto& v = variables(base);
    const int extent = v.extents[k], stride = v.strides[k];
    const auto& subscript = at[static_cast<std::size_t>(k)];
    const int from_0 = binary(Do::subtract, VariableType::whole, subscript.variable, whole_constant(1));
    if (!is_within(base, k, subscript)) {
      const int inside = make(VariableType::boolean);
      emit({.what = Do::less, .dst = inside, .x = from_0, .y = extent, .p = 1});
      guard(inside, Reason::value);
    }
    const bool is_adjacent = k == count - 1 && type_of(base).has_unit_step;
    const int part = is_adjacent ? from_0 : binary(Do::multiply, VariableType::whole, from_0, stride);
    offset = k == 0 ? part : binary(Do::add, VariableType::whole, offset, part);
  }
  return writes_ ? offset : 0;
}

Lowering::Operand Lowering::load_element(int base, int offset) {
  const auto element = type_of(base).element;
  Operand out{.form = Form::single, .element = element};
  if (element == ElementType::complex128) {
    // Real and imaginary part are adjacent float64 numbers.
    out = {.form = Form::complex};
    const int first = binary(Do::add, VariableType::whole, offset, offset);
    for (const int k : {0, 1}) {
      out.items.push_back(make(VariableType::number));
      emit({.what = Do::load,
            .dst = out.items.back(),
            .x = variables(base).pointer,
            .y = binary(Do::add, VariableType::whole, first, whole_constant(k)),
            .immediate = static_cast<std::int64_t>(ElementType::float64)});
    }
    return out;
  }
  if (element == ElementType::float64) out = number(-1);
  if (element == ElementType::float32) out = {.form = Form::real32};
  if (element == ElementType::boolean) out = boolean(-1);
  out.variable = make(out.form == Form::number || out.form == Form::real32 ? VariableType::number
                      : out.form == Form::boolean                          ? VariableType::boolean
                                                                           : VariableType::whole);
  emit({.what = Do::load,
        .dst = out.variable,
        .x = variables(base).pointer,
        .y = offset,
        .immediate = static_cast<std::int64_t>(element)});
  return out;
}

bool Lowering::store_element(int base, int offset, const Operand& given) {
  const auto element = type_of(base).element;
  int value = given.variable;
  switch (element) {
    case ElementType::float64:
    case ElementType::float32:
      if (given.form == Form::whole)
        value = as_number(given)->variable;
      else if (given.form != Form::number && given.form != Form::real32)
        return false;
      break;
    case ElementType::complex128: return store_complex(base, offset, given);
    case ElementType::boolean:
      if (given.form != Form::boolean) return false;
      break;
    case ElementType::int32:
    case ElementType::int64:
    case ElementType::uint8:
      if (given.form != Form::number && given.form != Form::whole && given.form != Form::single) return false;
      if (given.form == Form::single && given.element != element) return false;
      if (given.form != Form::single) {
        value = whole_of(given);
        const auto range = range_of(element);
        if (element != ElementType::int64)
          for (const auto& [what, bound] :
               {std::pair(Do::less_equal, range.most), std::pair(Do::greater_equal, range.least)})
            guard(compare(what, value, whole_constant(bound)), Reason::value);
      }
      break;
    default: return false;
  }
  has_changed_ = true;
  emit({.what = Do::store,
        .x = variables(base).pointer,
        .y = offset,
        .z = value,
        .immediate = static_cast<std::int64_t>(element)});
  return true;
}

bool Lowering::make_owned(int base) {
  auto& type = type_of(base);
  if (type.is_owned) return true;
  // Slices would refer to the previous storage.
  const auto lies_in = [&](const State& state, std::size_t at) {
    for (int r = 0; r < f_size_; ++r) {
      const auto& slice = state[static_cast<std::size_t>(r)];
      if (slice.form == Form::slice && slice.root == absolute(base) && flow().live[at].contains(r))
        return true;
    }
    return false;
  };
  if (lies_in(state_, at_) || (!has_changed_ && lies_in(safe_state_, safe_at_))) return false;
  auto owned = type;
  owned.is_owned = true;
  check_description(help(helpers_.own, absolute(base)), owned, Reason::value);
  load_description(base, type.axes);
  type.is_owned = true;
  return true;
}

void Lowering::prepare_bases(std::size_t head) {
  const int number = flow().loop_at(head);
  if (number < 0 || is_for_machine(at_)) return;
  const auto& loop = flow().loops[static_cast<std::size_t>(number)];
  for (auto at = loop.head; at < loop.end; ++at) {
    const auto& i = f().code[at];
    const bool is_written = i.op == Op::set_index || i.op == Op::update_index;
    const int base = is_written ? i.a : i.b;
    if ((!is_written && i.op != Op::index) || i.n < 1 || i.n > 3 || is_for_machine(at)) continue;
    if (!flow().live[head].contains(base) || type_of(base).form != Form::memory) continue;
    const auto seen = observed(this->seen(base));
    if (seen.form != Form::memory || seen.axes != i.n) continue;
    if (describe_base(base, i.n) && is_written) make_owned(base);
  }
}

bool Lowering::step_element(const Instruction& i) {
  if (i.n < 1 || i.n > 3) return false;
  switch (i.op) {
    case Op::index: {
      if (type_of(i.b).form == Form::vector || type_of(i.b).form == Form::tuple) return select_item(i);
      if (select_part(i)) return true;
      if (!describe_base(i.b, i.n)) return false;
      const int base = root_of(i.b);
      const int offset = find_element(base, i.c, i.n);
      if (offset < 0) return false;
      define(i.a, load_element(base, offset));
      return true;
    }
    case Op::set_index:
    case Op::update_index: {
      if (is_inlined()) return false;
      if (type_of(i.a).form == Form::slice || type_of(i.a).form == Form::view) own_slice(i.a);
      if (!describe_base(i.a, i.n)) return false;
      if (has_part(i.b, i.n)) return set_part(i);
      detach(i.a);
      const auto given = operand(i.c);
      if (!given || !make_owned(i.a)) return false;
      const int offset = find_element(i.a, i.b, i.n);
      if (offset < 0) return false;
      if (i.op == Op::set_index) return store_element(i.a, offset, *given);
      const auto op = static_cast<Op>(i.flag & ~kUpdateLiteral);
      if (!is_arithmetic(op) || (type_of(i.a).element == ElementType::float64 && op > Op::divide))
        return false;
      const auto value = combine(op, load_element(i.a, offset), *given,
                                 i.flag & kUpdateLiteral ? kRightLiteral : kNone, false);
      return value && store_element(i.a, offset, *value);
    }
    default: return false;
  }
}

}  // namespace quill::native
