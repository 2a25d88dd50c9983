// Parts of arrays, of which no value is made.
#include "compiler/operands.h"
#include "compiler/operations_table.h"
#include "fusion/single.h"
#include "native/lowering.h"

namespace quill::native {

namespace {

// Shorter rows are held in variables.
constexpr Index kMostInVariables = 8;
constexpr std::int64_t kMostOfSpan = std::int64_t{1} << 40;

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
  const auto form = type_of(given).form;
  if (form == Form::slice) return true;
  if ((form != Form::memory && form != Form::view) || is_constant(given)) return false;
  const int r = root_of(given);
  if (type_of(r).form == Form::slice) return true;
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
  define(to, {.form = Form::view, .root = absolute(from)});
  return true;
}

// Stores a view or slice as a value in its register.
void Lowering::store_part(int r) {
  const auto type = type_of(r);
  auto& root = state_[static_cast<std::size_t>(type.root)];
  if (type.form == Form::view && root.form != Form::slice) {
    help(helpers_.copy, absolute(r), type.root);
    root.is_owned = false;
    return;
  }
  const bool is_view = type.form == Form::view;
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
  const auto& held = type_of(r).form == Form::view ? type_at(type_of(r).root) : type_of(r);
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
  const int form = absolute(root);
  for (int at = 0; at < static_cast<int>(state_.size()); ++at) {
    const auto type = state_[static_cast<std::size_t>(at)];
    if ((type.form != Form::view && type.form != Form::slice) || type.root != form || at == form) continue;
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
  const auto from = integer_operand(i.b), to = integer_operand(i.b + 1);
  if (!from || !to) return false;
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
  type_of(r) = {.form = Form::span};
}

void Lowering::define_all(int r) {
  detach(r);
  note_change(r);
  release(r);
  type_of(r) = {.form = Form::all};
}

bool Lowering::has_part(int subscripts, int count) {
  bool has = false;
  for (int k = 0; k < count; ++k) {
    const auto form = type_of(subscripts + k).form;
    if (form == Form::span || form == Form::all) has = true;
  }
  return has;
}

// Locates a part of an array whose extents are known; empty if the machine has to select it.
std::optional<Lowering::Part> Lowering::find_part(int base, int subscripts, int count) {
  Part out{.element = type_of(base).element};
  const auto inmost = type_of(subscripts + count - 1).form;
  out.has_unit_step = type_of(base).has_unit_step && (inmost == Form::span || inmost == Form::all);
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
    const auto form = type_of(r).form;
    if (form == Form::all) {
      out.extents.push_back(v.extents[k]);
      out.strides.push_back(v.strides[k]);
      continue;
    }
    if (form == Form::span) {
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
    const auto x = integer_operand(r);
    if (!x) return std::nullopt;
    const int from_0 = binary(Do::subtract, VariableType::whole, x->variable, one);
    const int inside = make(VariableType::boolean);
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
  type_of(r) = {.form = Form::slice,
                .element = part.element,
                .axes = static_cast<std::uint8_t>(axes),
                .has_label = type_at(root).has_label,
                .has_unit_step = part.has_unit_step,
                .root = root};
}

bool Lowering::select_part(const Instruction& i) {
  if (is_for_machine(at_) || !has_part(i.c, i.n) || !describe_base(i.b, i.n)) return false;
  const int base = root_of(i.b);
  const int root = type_of(base).form == Form::slice ? type_of(base).root : absolute(base);
  if (absolute(i.a) == root || absolute(i.a) == absolute(base)) return false;
  if (select_vector(i, base)) return true;
  const auto part = find_part(base, i.c, i.n);
  if (!part) return false;
  define_slice(i.a, *part, root);
  return true;
}

// Selects a short row or column of a matrix, whose length was known when the loop became hot.
bool Lowering::select_vector(const Instruction& i, int base) {
  const auto& type = type_of(base);
  if (i.n != 2 || type.form != Form::memory || type.element != ElementType::float64 || type.has_label ||
      !seen(base).is(Kind::array))
    return false;
  const int axis = type_of(i.c).form == Form::all ? 0 : 1;
  if (type_of(i.c + axis).form != Form::all || type_of(i.c + 1 - axis).form == Form::all ||
      type_of(i.c + 1 - axis).form == Form::span)
    return false;
  const auto& a = seen(base).array();
  if (a.axes() != 2 || a.extent(axis) > kMostInVariables || a.extent(axis) < 1) return false;
  const auto part = find_part(base, i.c, i.n);
  if (!part) return false;
  guard(compare(Do::equal, part->extents[0], whole_constant(a.extent(axis))), Reason::type);
  Operand out{.form = Form::vector};
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
  if (type_of(base).form == Form::memory && type_of(base).axes == 0) {
    const int axes = observed(seen(base)).axes;
    if (axes <= axis || is_for_machine(at_) || !describe_base(base, axes)) return false;
  }
  const auto& type = type_of(base);
  if ((type.form != Form::memory && type.form != Form::slice) || axis >= type.axes) return false;
  make_description(base, type.axes);
  define(to, {.form = Form::whole, .variable = variables(base).extents[axis], .low = 0, .high = kMostRead});
  return true;
}

// Adds in the order of sum(): eight running sums of elements eight apart, which are added in pairs.
bool Lowering::sum_vector(const Instruction& i) {
  const auto x = elements(i.b);
  if (!x || x->form != Form::vector) return false;
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
  // The machine reports a sum that is not finite.
  const int difference = binary(Do::subtract, VariableType::number, sums[0], sums[0]);
  guard(compare(Do::equal, difference, number_constant(0)), Reason::value);
  define(i.a, number(sums[0]));
  return true;
}

}  // namespace quill::native
