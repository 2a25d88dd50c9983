// Operations on small arrays and parts of arrays, which a helper evaluates.
#include "compiler/operations_table.h"
#include "fusion/single.h"
#include "native/lowering.h"

namespace quill::native {

namespace {

// Boolean if that is certain; other types are determined at run time.
ElementType type_of_elements(const fusion::Expression& expression) {
  if (expression.steps.empty()) return ElementType::float64;
  const auto& last = expression.steps.back();
  const bool is_boolean = (last.kind == fusion::StepKind::unary &&
                           (last.unary >= Unary::is_nan || last.unary == Unary::logical_not)) ||
                          (last.kind == fusion::StepKind::binary && last.binary >= Binary::equal &&
                           last.binary <= Binary::logical_or);
  return is_boolean ? ElementType::boolean : ElementType::float64;
}

// The same of the result: sums of booleans are counts. `any` for reductions that the machine has to do.
ElementType type_of_result(const fusion::Expression& expression) {
  const auto elements = type_of_elements(expression);
  if (!expression.reduction || expression.divides)
    return expression.reduction ? ElementType::float64 : elements;
  if (elements == ElementType::float64) return elements;
  switch (*expression.reduction) {
    case Reduction::sum: return ElementType::int64;
    case Reduction::any:
    case Reduction::all: return ElementType::boolean;
    default: return ElementType::any;
  }
}

}  // namespace

void Lowering::give_part(int k, const Part& part) {
  const auto put = [&](int offset, int variable) {
    emit({.what = Do::store_result, .x = variable, .immediate = kFirstPart + kPartSize * k + offset});
  };
  put(0, whole_constant(static_cast<std::int64_t>(part.extents.size())));
  put(1, part.pointer);
  for (std::size_t axis = 0; axis < part.extents.size(); ++axis) {
    put(2 + static_cast<int>(axis), part.extents[axis]);
    put(5 + static_cast<int>(axis), part.strides[axis]);
  }
}

int Lowering::give_operand(int k, int given) {
  const auto put = [&](int form, int variable) {
    emit({.what = Do::store_result, .x = variable, .immediate = form});
  };
  const int slot = kFirstPart + kPartSize * k;
  const auto put_number = [&](const Operand& x) {
    put(slot, whole_constant(0));
    put(slot + 1, as_number(x)->variable);
    return 0;
  };
  if (is_constant(given) || is_plain_number(type_of(given).form)) return put_number(*operand(given));
  const int r = root_of(given);
  if (type_of(r).form == Form::memory && type_of(r).axes == 0) {
    const auto seen = observed(this->seen(r));
    if (seen.axes > 0) {
      if (!describe_base(r, seen.axes)) return -1;
    } else {
      const auto x = operand(r);
      return x && is_plain_number(x->form) ? put_number(*x) : -1;
    }
  }
  const auto& type = type_of(r);
  if (type.form == Form::vector) {
    put(slot, whole_constant(-type.count));
    const auto items = item_variables(r, type.count);
    for (int item = 0; item < type.count; ++item)
      put(kFirstVector + kMostItems * k + item, items[static_cast<std::size_t>(item)]);
    return 1;
  }
  if ((type.form != Form::memory && type.form != Form::slice) || type.axes == 0 ||
      type.element != ElementType::float64)
    return -1;
  make_description(r, type.axes);
  const auto& v = variables(r);
  give_part(k, {.pointer = v.pointer,
                .extents = {v.extents, v.extents + type.axes},
                .strides = {v.strides, v.strides + type.axes}});
  return type.axes;
}

void Lowering::evaluate(int to, int count, Parts parts) {
  int address = -1;
  if (writes_) {
    out_.parts.push_back(std::make_unique<Parts>(std::move(parts)));
    address = whole_constant(reinterpret_cast<std::int64_t>(out_.parts.back().get()));
  }
  const int result = help(helpers_.evaluate, to, count, address);
  // Only the allocation of a new array can fail.
  if (to >= 0) check_helped(result);
  guard(compare(Do::equal, result, whole_constant(1)), Reason::value);
}

void Lowering::evaluate_to(int r, int axes, int count, Parts parts) {
  detach(r);
  const auto type = parts.type;
  evaluate(absolute(r), count, std::move(parts));
  has_changed_ = true;
  auto made = array_type(type, axes, true);
  made.has_unit_step = true;
  define_memory(r, made);
  load_description(r, axes);
}

// An operation on arrays in registers b and, of two operands, c.
bool Lowering::evaluate_operation(const Instruction& i, fusion::Fused& fused, int count) {
  if (is_inlined() || is_for_machine(at_)) return false;
  int axes = 0;
  for (int k = 0; k < count; ++k) {
    const int given = give_operand(k, k == 0 ? i.b : i.c);
    if (given < 0) return false;
    if (given > 0 && axes > 0 && given != axes) return false;
    axes = std::max(axes, given);
  }
  if (axes == 0) return false;
  const bool is_function = i.op == Op::apply || i.op == Op::call_builtin;
  evaluate_to(i.a, axes, count,
              {.fused = &fused,
               .literals = {!is_function && (i.flag & kLeftLiteral) != 0,
                            !is_function && (i.flag & kRightLiteral) != 0},
               .type = type_of_result(fused.expression())});
  return true;
}

// Whether elements of an array may be changed by an operation on these operands.
bool Lowering::may_evaluate_into(int base, const std::vector<int>& operands) {
  detach(base);
  if (type_of(base).is_owned) return true;
  for (const int r : operands)
    if (!is_constant(r) &&
        (absolute(root_of(r)) == absolute(base) || type_of(root_of(r)).root == absolute(base)))
      return false;
  return make_owned(base);
}

// Whether all operands are numbers and short vectors that are held in variables.
bool Lowering::is_of_variables(const FusedRegion& region) {
  bool has_vector = false;
  for (const int r : region.variables) {
    if (is_constant(r)) continue;
    const auto form = type_of(r).form;
    if (!is_plain_number(form) && form != Form::vector) return false;
    has_vector = has_vector || form == Form::vector;
  }
  return has_vector;
}

bool Lowering::evaluate_region(const Instruction& i, FusedRegion& region) {
  const bool is_set = i.op == Op::fused_set;
  if (!region.calls.empty() || !region.loops.empty() || !region.elements.empty() || region.condition ||
      region.over >= 0 || region.fused.expression().selected >= 0 || region.inputs.size() >= kMostParts)
    return false;
  const bool reduces = region.fused.expression().reduction.has_value();
  if ((is_set && reduces) || (is_inlined() && !reduces)) return false;
  Parts parts{.fused = &region.fused,
              .literals = {},
              .region = &region,
              .type = type_of_result(region.fused.expression())};
  std::vector<int> operands;
  for (const auto& input : region.inputs) {
    if (input.from != FusedRead::From::local && input.from != FusedRead::From::number) return false;
    if (input.chosen) return false;
    if (input.from == FusedRead::From::local) operands.push_back(input.index);
    parts.literals.push_back(input.literal);
  }
  std::optional<Part> target;
  if (is_set) {
    const int base = i.a;
    if (type_of(base).form == Form::slice || type_of(base).form == Form::view || is_constant(base) ||
        !has_part(region.first_subscript, i.n) || !describe_base(base, i.n) ||
        type_of(base).element != ElementType::float64 || !may_evaluate_into(base, operands))
      return false;
    target = find_part(base, region.first_subscript, i.n);
    if (!target) return false;
  }
  int axes = 0, count = 0;
  for (const auto& input : region.inputs) {
    int given = 0;
    if (input.from == FusedRead::From::number) {
      const int slot = kFirstPart + kPartSize * count;
      emit({.what = Do::store_result, .x = whole_constant(0), .immediate = slot});
      emit({.what = Do::store_result, .x = number_constant(input.number), .immediate = slot + 1});
    } else {
      given = give_operand(count, input.index);
    }
    ++count;
    if (given < 0 || (given > 0 && axes > 0 && given != axes)) return false;
    axes = std::max(axes, given);
  }
  if (target) {
    if (region.updates) {
      give_part(count++, *target);
      parts.literals.push_back(false);
    }
    give_part(count, *target);
    evaluate(-2, count, std::move(parts));
    has_changed_ = true;
    return true;
  }
  if (axes == 0) return false;
  if (reduces) {
    const auto type = parts.type;
    if (type == ElementType::any) return false;
    evaluate(-1, count, std::move(parts));
    const int x = make(VariableType::number);
    emit({.what = Do::load_result, .dst = x, .immediate = 0});
    if (type == ElementType::float64)
      define(i.a, number(x));
    else if (type == ElementType::boolean)
      define(i.a, boolean(compare(Do::not_equal, x, number_constant(0))));
    else
      define(
          i.a,
          {.form = Form::single, .element = type, .variable = unary(Do::to_whole, VariableType::whole, x)});
    return true;
  }
  evaluate_to(i.a, axes, count, std::move(parts));
  return true;
}

// Assigns a vector that is held in variables to a part of an array.
bool Lowering::set_vector(const Instruction& i, const Part& target) {
  const auto given = operand(i.c);
  if (target.extents.size() != 1) return false;
  guard(compare(Do::equal, target.extents[0], whole_constant(static_cast<std::int64_t>(given->items.size()))),
        Reason::value);
  std::vector<int> values, offsets;
  int offset = whole_constant(0);
  for (std::size_t k = 0; k < given->items.size(); ++k) {
    if (k > 0) offset = binary(Do::add, VariableType::whole, offset, target.strides[0]);
    offsets.push_back(offset);
    Operand value = number(given->items[k]);
    if (i.op == Op::update_index) {
      const auto op = static_cast<Op>(i.flag & ~kUpdateLiteral);
      const int held = make(VariableType::number);
      emit({.what = Do::load,
            .dst = held,
            .x = target.pointer,
            .y = offset,
            .immediate = static_cast<std::int64_t>(ElementType::float64)});
      const auto combined = is_arithmetic(op) ? combine_numbers(op, number(held), value) : std::nullopt;
      if (!combined) return false;
      value = *combined;
    }
    values.push_back(value.variable);
  }
  for (std::size_t k = 0; k < values.size(); ++k)
    emit({.what = Do::store,
          .x = target.pointer,
          .y = offsets[k],
          .z = values[k],
          .immediate = static_cast<std::int64_t>(ElementType::float64)});
  has_changed_ = true;
  return true;
}

// base[part] = value, or base[part] op= value.
bool Lowering::set_part(const Instruction& i) {
  const int base = i.a;
  if (is_for_machine(at_) || type_of(base).element != ElementType::float64 || !may_evaluate_into(base, {i.c}))
    return false;
  const auto target = find_part(base, i.b, i.n);
  if (!target) return false;
  if (!is_constant(i.c) && type_of(i.c).form == Form::vector) return set_vector(i, *target);
  Parts parts{.literals = {false, false}};
  int count = 0;
  if (i.op == Op::update_index) {
    const auto op = static_cast<Op>(i.flag & ~kUpdateLiteral);
    if (!is_arithmetic(op)) return false;
    parts.fused = &fusion::single_operation(binary_of(op));
    parts.literals[1] = (i.flag & kUpdateLiteral) != 0;
    give_part(count++, *target);
  }
  if (give_operand(count++, i.c) < 0) return false;
  give_part(count, *target);
  evaluate(-2, count, std::move(parts));
  has_changed_ = true;
  return true;
}

}  // namespace quill::native
