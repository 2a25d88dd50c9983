// Parts of arrays, of which no value is made, and operations on small arrays, which a helper evaluates.
#include "compiler/operands.h"
#include "compiler/operations_table.h"
#include "fusion/single.h"
#include "native/lowering.h"

namespace quill::native {

namespace {

// Rows of so many numbers are held in variables.
constexpr Index kMostInVariables = 8;
constexpr std::int64_t kMostOfSpan = std::int64_t{1} << 40;

bool is_plain_number(Place place) { return place == Place::number || place == Place::whole; }

// Whether the last step gives booleans, if it can be told; other types are found out when it runs.
ElementType type_of_result(const fusion::Expression& expression) {
  if (expression.reduction || expression.steps.empty()) return ElementType::float64;
  const auto& last = expression.steps.back();
  const bool is_truth = (last.kind == fusion::StepKind::unary &&
                         (last.unary >= Unary::is_nan || last.unary == Unary::logical_not)) ||
                        (last.kind == fusion::StepKind::binary && last.binary >= Binary::equal &&
                         last.binary <= Binary::logical_or);
  return is_truth ? ElementType::boolean : ElementType::float64;
}

}  // namespace

bool Lowering::is_live_after(int r) const {
  if (goes_to_) return flow().live[*goes_to_].contains(r);
  for (const auto next : successors(f(), at_))
    if (next < f().code.size() && flow().live[next].contains(r)) return true;
  return false;
}

// Whether a register has an array that is not short enough to be held in variables.
bool Lowering::is_array(int given) {
  if (is_for_machine(at_)) return false;
  const auto place = type_of(given).place;
  if (place == Place::slice) return true;
  if ((place != Place::memory && place != Place::view) || is_constant(given)) return false;
  const int r = root_of(given);
  if (type_of(r).place == Place::slice) return true;
  if (observed_items(seen(r))) return false;
  return type_of(r).axes > 0 || (!type_of(r).function && observed(seen(r)).axes > 0);
}

// An assignment of an array to another name, or its use as an argument.
bool Lowering::make_view(int to, int from) {
  auto& type = type_of(from);
  if (to == from || is_for_machine(at_)) return false;
  const auto seen = observed(this->seen(from));
  if (type.axes == 0 && (type.counts || type.function || seen.axes == 0 || !describe_base(from, seen.axes)))
    return false;
  define(to, {.place = Place::view, .root = absolute(from)});
  return true;
}

// Stores a view or slice as a value in its register.
void Lowering::store_part(int r) {
  const auto type = type_of(r);
  auto& root = state_[static_cast<std::size_t>(type.root)];
  if (type.place == Place::view && root.place != Place::slice) {
    help(helpers_.copy, absolute(r), type.root);
    root.is_owned = false;
    return;
  }
  const bool is_view = type.place == Place::view;
  const auto& v = is_view ? variables_[static_cast<std::size_t>(type.root)] : variables(r);
  const int axes = is_view ? root.axes : type.axes, array = is_view ? root.root : type.root;
  emit({.what = Do::store_result, .x = v.pointer, .immediate = 0});
  for (int k = 0; k < axes; ++k) {
    emit({.what = Do::store_result, .x = v.extents[k], .immediate = 1 + 2 * k});
    emit({.what = Do::store_result, .x = v.strides[k], .immediate = 2 + 2 * k});
  }
  check_helped(help(helpers_.store_slice, absolute(r), array, whole_constant(axes)));
  state_[static_cast<std::size_t>(array)].is_owned = false;
}

// Makes a view or slice a value whose elements can be changed.
void Lowering::own_slice(int r) {
  const auto& held = type_of(r).place == Place::view ? type_at(type_of(r).root) : type_of(r);
  auto type = array_type(held.element, held.axes, false);
  type.has_label = held.has_label;
  type.has_unit_step = held.has_unit_step;
  spill(r);
  has_changed_ = true;
  if (type.axes == 0) {
    type_of(r) = memory_type();
    return;
  }
  type_of(r) = type;
  help(helpers_.describe, absolute(r));
  load_description(r, type.axes);
}

void Lowering::detach(int root) {
  const int place = absolute(root);
  for (int at = 0; at < static_cast<int>(state_.size()); ++at) {
    const auto type = state_[static_cast<std::size_t>(at)];
    if ((type.place != Place::view && type.place != Place::slice) || type.root != place || at == place)
      continue;
    const int r = at - scope_->offset;
    if (r >= 0 && r < f().frame_size && !is_live_after(r)) continue;
    if (is_inlined()) {
      scope_->has_failed = true;
      return;
    }
    own_slice(r);
  }
}

// A range of integers of which no value is made.
bool Lowering::make_span(const Instruction& i) {
  const auto from = operand(i.b), to = operand(i.b + 1);
  if (!from || !to || from->place != Place::whole || to->place != Place::whole) return false;
  for (const auto* end : {&*from, &*to}) {
    if (end->low < -kMostOfSpan)
      guard(compare(Do::greater_equal, end->variable, whole_constant(-kMostOfSpan)), Reason::value);
    if (end->high > kMostOfSpan)
      guard(compare(Do::less_equal, end->variable, whole_constant(kMostOfSpan)), Reason::value);
  }
  define_span(i.a, from->variable, to->variable);
  return true;
}

void Lowering::define_span(int r, int from, int to) {
  const int first = unary(Do::copy, VariableType::whole, from);
  const int last = unary(Do::copy, VariableType::whole, to);
  detach(r);
  note_change(r);
  release(r);
  make_description(r, 1);
  emit({.what = Do::copy, .dst = variables(r).extents[0], .x = first});
  emit({.what = Do::copy, .dst = variables(r).strides[0], .x = last});
  type_of(r) = {.place = Place::span};
}

void Lowering::define_all(int r) {
  detach(r);
  note_change(r);
  release(r);
  type_of(r) = {.place = Place::all};
}

bool Lowering::has_part(int subscripts, int count) {
  bool has = false;
  for (int k = 0; k < count; ++k) {
    const auto place = type_of(subscripts + k).place;
    if (place == Place::span || place == Place::all) has = true;
  }
  return has;
}

// The part of an array with a known description; empty where the machine has to select.
std::optional<Lowering::Part> Lowering::find_part(int base, int subscripts, int count) {
  Part out{.element = type_of(base).element};
  const auto inmost = type_of(subscripts + count - 1).place;
  out.has_unit_step = type_of(base).has_unit_step && (inmost == Place::span || inmost == Place::all);
  const auto v = variables(base);
  int offset = -1;
  const auto add = [&](int position, int axis) {
    const int part = binary(Do::multiply, VariableType::whole, position, v.strides[axis]);
    offset = offset == -1 && out.pointer == -1 ? part : binary(Do::add, VariableType::whole, offset, part);
    out.pointer = 0;  // an offset is known
  };
  const int one = whole_constant(1);
  for (int k = 0; k < count; ++k) {
    const int r = subscripts + k;
    const auto place = type_of(r).place;
    if (place == Place::all) {
      out.extents.push_back(v.extents[k]);
      out.strides.push_back(v.strides[k]);
      continue;
    }
    if (place == Place::span) {
      const int first = variables(r).extents[0], last = variables(r).strides[0];
      guard(compare(Do::greater_equal, first, one), Reason::value);
      guard(compare(Do::less_equal, first, last), Reason::value);
      guard(compare(Do::less_equal, last, v.extents[k]), Reason::value);
      const int from_0 = binary(Do::subtract, VariableType::whole, first, one);
      add(from_0, k);
      out.extents.push_back(binary(Do::subtract, VariableType::whole, last, from_0));
      out.strides.push_back(v.strides[k]);
      continue;
    }
    const auto x = operand(r);
    if (!x || !is_plain_number(x->place)) return std::nullopt;
    const int from_0 = binary(Do::subtract, VariableType::whole, whole_of(*x), one);
    const int inside = make(VariableType::truth);
    emit({.what = Do::less, .dst = inside, .x = from_0, .y = v.extents[k], .p = 1});
    guard(inside, Reason::value);
    add(from_0, k);
  }
  const bool is_moved = out.pointer == 0;
  out.pointer = make(VariableType::pointer);
  if (is_moved)
    emit({.what = Do::address,
          .dst = out.pointer,
          .x = v.pointer,
          .y = offset,
          .immediate = static_cast<std::int64_t>(out.element)});
  else
    emit({.what = Do::copy, .dst = out.pointer, .x = v.pointer});
  return out;
}

void Lowering::define_slice(int r, const Part& part, int root) {
  detach(r);
  note_change(r);
  release(r);
  const int axes = static_cast<int>(part.extents.size());
  // The given variables may be those of the register.
  Part copy = part;
  for (auto* list : {&copy.extents, &copy.strides})
    for (int& v : *list) v = unary(Do::copy, VariableType::whole, v);
  make_description(r, axes);
  const auto& v = variables(r);
  emit({.what = Do::copy, .dst = v.pointer, .x = part.pointer});
  for (int k = 0; k < axes; ++k) {
    emit({.what = Do::copy, .dst = v.extents[k], .x = copy.extents[static_cast<std::size_t>(k)]});
    emit({.what = Do::copy, .dst = v.strides[k], .x = copy.strides[static_cast<std::size_t>(k)]});
  }
  type_of(r) = {.place = Place::slice,
                .element = part.element,
                .axes = static_cast<std::uint8_t>(axes),
                .has_label = type_at(root).has_label,
                .has_unit_step = part.has_unit_step,
                .root = root};
}

bool Lowering::select_part(const Instruction& i) {
  if (is_for_machine(at_) || !has_part(i.c, i.n) || !describe_base(i.b, i.n)) return false;
  const int base = root_of(i.b);
  const int root = type_of(base).place == Place::slice ? type_of(base).root : absolute(base);
  if (absolute(i.a) == root || absolute(i.a) == absolute(base)) return false;
  if (select_vector(i, base)) return true;
  const auto part = find_part(base, i.c, i.n);
  if (!part) return false;
  define_slice(i.a, *part, root);
  return true;
}

// A short row or column of a matrix, whose length was seen.
bool Lowering::select_vector(const Instruction& i, int base) {
  const auto& type = type_of(base);
  if (i.n != 2 || type.place != Place::memory || type.element != ElementType::float64 || type.has_label ||
      !seen(base).is(Kind::array))
    return false;
  const int axis = type_of(i.c).place == Place::all ? 0 : 1;
  if (type_of(i.c + axis).place != Place::all || type_of(i.c + 1 - axis).place == Place::all ||
      type_of(i.c + 1 - axis).place == Place::span)
    return false;
  const auto& a = seen(base).array();
  if (a.axes() != 2 || a.extent(axis) > kMostInVariables || a.extent(axis) < 1) return false;
  const auto part = find_part(base, i.c, i.n);
  if (!part) return false;
  guard(compare(Do::equal, part->extents[0], whole_constant(a.extent(axis))), Reason::type);
  Operand out{.place = Place::vector};
  int offset = whole_constant(0);
  for (Index k = 0; k < a.extent(axis); ++k) {
    if (k > 0) offset = binary(Do::add, VariableType::whole, offset, part->strides[0]);
    out.items.push_back(make(VariableType::number));
    emit({.what = Do::load,
          .dst = out.items.back(),
          .x = part->pointer,
          .y = offset,
          .immediate = static_cast<std::int64_t>(ElementType::float64)});
  }
  define(i.a, out);
  return true;
}

bool Lowering::take_extent(int to, int array, int axis) {
  const int base = root_of(array);
  if (type_of(base).place == Place::memory && type_of(base).axes == 0) {
    const int axes = observed(seen(base)).axes;
    if (axes <= axis || is_for_machine(at_) || !describe_base(base, axes)) return false;
  }
  const auto& type = type_of(base);
  if ((type.place != Place::memory && type.place != Place::slice) || axis >= type.axes) return false;
  make_description(base, type.axes);
  define(to, {.place = Place::whole, .variable = variables(base).extents[axis], .low = 0, .high = kMostRead});
  return true;
}

// In the order in which sums add: eight running sums, of elements eight apart, that are added in pairs.
bool Lowering::sum_vector(const Instruction& i) {
  const auto x = elements(i.b);
  if (!x || x->place != Place::vector) return false;
  constexpr std::size_t lanes = 8;
  std::vector<int> sums(lanes);
  for (std::size_t lane = 0; lane < lanes; ++lane) {
    sums[lane] = number_constant(0);
    for (auto k = lane; k < x->items.size(); k += lanes)
      sums[lane] = binary(Do::add, VariableType::number, sums[lane], x->items[k]);
  }
  for (auto count = lanes; count > 1; count /= 2)
    for (std::size_t k = 0; k < count / 2; ++k)
      sums[k] = binary(Do::add, VariableType::number, sums[2 * k], sums[2 * k + 1]);
  // What nan leads to is reported by the machine.
  const int difference = binary(Do::subtract, VariableType::number, sums[0], sums[0]);
  guard(compare(Do::equal, difference, number_constant(0)), Reason::value);
  define(i.a, number(sums[0]));
  return true;
}

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
  const auto put = [&](int place, int variable) {
    emit({.what = Do::store_result, .x = variable, .immediate = place});
  };
  const int slot = kFirstPart + kPartSize * k;
  const auto put_number = [&](const Operand& x) {
    put(slot, whole_constant(0));
    put(slot + 1, as_number(x)->variable);
    return 0;
  };
  if (is_constant(given) || is_plain_number(type_of(given).place)) return put_number(*operand(given));
  const int r = root_of(given);
  if (type_of(r).place == Place::memory && type_of(r).axes == 0) {
    const auto seen = observed(this->seen(r));
    if (seen.axes > 0) {
      if (!describe_base(r, seen.axes)) return -1;
    } else {
      const auto x = operand(r);
      return x && is_plain_number(x->place) ? put_number(*x) : -1;
    }
  }
  const auto& type = type_of(r);
  if (type.place == Place::vector) {
    put(slot, whole_constant(-type.count));
    const auto items = item_variables(r, type.count);
    for (int item = 0; item < type.count; ++item)
      put(kFirstVector + kMostItems * k + item, items[static_cast<std::size_t>(item)]);
    return 1;
  }
  if ((type.place != Place::memory && type.place != Place::slice) || type.axes == 0 ||
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
  // Only with a new array can it fail, for want of memory.
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
    const auto place = type_of(r).place;
    if (!is_plain_number(place) && place != Place::vector) return false;
    has_vector = has_vector || place == Place::vector;
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
    if (input.from != FusedRead::From::place && input.from != FusedRead::From::number) return false;
    if (input.chosen) return false;
    if (input.from == FusedRead::From::place) operands.push_back(input.place);
    parts.literals.push_back(input.literal);
  }
  std::optional<Part> target;
  if (is_set) {
    const int base = i.a;
    if (type_of(base).place == Place::slice || type_of(base).place == Place::view || is_constant(base) ||
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
      given = give_operand(count, input.place);
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
    evaluate(-1, count, std::move(parts));
    const int x = make(VariableType::number);
    emit({.what = Do::load_result, .dst = x, .immediate = 0});
    define(i.a, number(x));
    return true;
  }
  evaluate_to(i.a, axes, count, std::move(parts));
  return true;
}

// The same of a vector that is held in variables.
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
  if (!is_constant(i.c) && type_of(i.c).place == Place::vector) return set_vector(i, *target);
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
