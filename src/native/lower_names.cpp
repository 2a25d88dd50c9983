// Literals, and names of the module.
#include "native/lowering.h"

namespace quill::native {

bool Lowering::load_literal(const Instruction& i) {
  const auto& value = f().literals[static_cast<std::size_t>(i.b)];
  if (observed(value).form == Form::complex) {
    const auto z = value.array().at<Complex>({});
    define(i.a, {.form = Form::complex, .items = {number_constant(z.real()), number_constant(z.imag())}});
    return true;
  }
  if (const auto items = observed_items(value); items && items->form == Form::vector) {
    define(i.a, constant_items(value, *items));
    return true;
  }
  if (value.is_open(Open::everything)) {
    define_all(i.a);
    return true;
  }
  if (value.is(Kind::none) && is_inlined()) {
    detach(i.a);
    type_of(i.a) = {};
    return true;
  }
  if ((value.is(Kind::text) || value.is(Kind::none)) && !is_inlined()) {
    note_change(i.a);
    help(helpers_.load_value, absolute(i.a), 0, whole_constant(reinterpret_cast<std::int64_t>(&value)));
    define_memory(i.a);
    return true;
  }
  if (!value.is(Kind::boolean) && !value.is_number()) return false;
  if (value.is_number()) {
    define(i.a, number(number_constant(value.number())));
    return true;
  }
  const int v = make(VariableType::boolean);
  emit({.what = Do::constant, .dst = v, .immediate = value.boolean() ? 1 : 0});
  define(i.a, boolean(v));
  return true;
}

// A value of the module, or a constant of the language if the name has no value.
bool Lowering::load_global(const Instruction& i) {
  // A name of the text with this loop may be held in a variable; its slot is then not up to date. If it is
  // not, the loop may change the slot.
  const bool is_of_top = is_top_ && f().module == root_.f->module;
  const bool may_change = is_of_top && is_changed_in_loop(i.b);
  if (is_of_top && mentioned_[static_cast<std::size_t>(i.b)]) {
    if (body_) return load_function_of_top(i);
    const int r = i.b - scope_->offset;
    if (type_of(r).form == Form::memory && type_of(r).axes > 0) {
      define(i.a, {.form = Form::view, .root = i.b});
      return true;
    }
    if (type_of(r).form != Form::memory) {
      const auto x = operand(r);
      if (x) define(i.a, *x);
      return x.has_value();
    }
  }
  const auto& slot = f().module->slots[static_cast<std::size_t>(i.b)];
  const int kind = make(VariableType::whole);
  const auto address = reinterpret_cast<std::int64_t>(&slot);
  const auto check_kind = [&](Kind expected) {
    emit({.what = Do::load_kind, .dst = kind, .p = 1, .immediate = address});
    guard(compare(Do::equal, kind, whole_constant(static_cast<int>(expected))), Reason::type);
  };
  if (slot.is_number()) {
    if (!body_ && !may_change) {
      define(i.a, number(fixed_number(slot)));
      return true;
    }
    check_kind(Kind::number);
    const int v = make(VariableType::number);
    emit({.what = Do::load_register, .dst = v, .p = 1, .immediate = address});
    define(i.a, number(v));
    return true;
  }
  // Such values are not changed in place while the code refers to them.
  const auto hold = [&] {
    keep(slot);
    if (writes_ && frame_ && !may_change) out_.fixed_objects.emplace_back(&slot, slot.identity());
    if (frame_ && !may_change) return;  // checked where the code is entered
    check_kind(slot.kind());
    const int held = make(VariableType::whole);
    emit({.what = Do::load_register, .dst = held, .p = 1, .immediate = address});
    guard(compare(Do::equal, held, whole_constant(reinterpret_cast<std::int64_t>(slot.identity()))),
          Reason::type);
  };
  if (slot.is(Kind::function)) {
    hold();
    define(i.a, {.form = Form::function, .function = &slot.object<FunctionObject>()});
    return true;
  }
  const bool is_callee = is_inlined() || body_ != nullptr;
  if (const auto items = observed_items(slot); items && (is_callee || items->form != Form::vector)) {
    hold();
    define(i.a, constant_items(slot, *items));
    return true;
  }
  if (is_callee && load_fixed_array(i.a, slot, may_change)) return true;
  if (!slot.is(Kind::unset) || i.c < 0 || !registry_.row(i.c).constant) return false;
  check_kind(Kind::unset);
  define(i.a, number(number_constant(*registry_.row(i.c).constant)));
  return true;
}

// An array of the module, or a captured one: described where the code is entered, or at each use in a body
// and if the loop may change it.
bool Lowering::load_fixed_array(int r, const Value& slot, bool may_change) {
  const auto seen = observed(slot);
  if (seen.axes == 0) return false;
  auto type = array_type(seen.element, seen.axes, false);
  type.has_label = seen.has_label;
  type.has_unit_step = seen.has_unit_step;
  if (body_ || may_change) {
    const int address = whole_constant(reinterpret_cast<std::int64_t>(&slot));
    check_description(help(helpers_.describe_value, 0, 0, address), type, Reason::type);
    load_description(r, type.axes);
    define_memory(r, type);
    return true;
  }
  auto& global = fixed_values_[&slot];
  if (global.pointer < 0) {
    global.pointer = make(VariableType::pointer);
    for (int k = 0; k < type.axes; ++k) {
      global.extents[k] = make(VariableType::whole);
      global.strides[k] = make(VariableType::whole);
    }
    if (writes_) out_.fixed_values.emplace_back(&slot, type);
  }
  make_description(r, type.axes);
  const auto copy = [&](int dst, int from) { emit({.what = Do::copy, .dst = dst, .x = from}); };
  const auto& v = variables(r);
  copy(v.pointer, global.pointer);
  for (int k = 0; k < type.axes; ++k) {
    copy(v.extents[k], global.extents[k]);
    copy(v.strides[k], global.strides[k]);
  }
  define_memory(r, type);
  return true;
}

// The same for a number of the module.
int Lowering::fixed_number(const Value& slot) {
  int& v = fixed_values_[&slot].number;
  if (v < 0 && writes_) {
    v = make(VariableType::number);
    out_.fixed_values.emplace_back(&slot, number_type());
  }
  return v;
}

void Lowering::load_fixed_values() {
  for (const auto& [slot, type] : out_.fixed_values) {
    const auto& v = fixed_values_.at(slot);
    const auto address = reinterpret_cast<std::int64_t>(slot);
    if (type.form == Form::number) {
      emit({.what = Do::load_register, .dst = v.number, .p = 1, .immediate = address});
      continue;
    }
    help(helpers_.describe_value, 0, 0, whole_constant(address));
    load_description(v, type.axes);
  }
}

// A short vector, tuple or record as constants.
Lowering::Operand Lowering::constant_items(const Value& value, const Type& type) {
  Operand out{.form = type.form, .parts = type.parts, .names = type.names};
  const auto add = [&](const Value& item) {
    if (item.is_number()) return out.items.push_back(number_constant(item.number()));
    for (Index k = 0; k < item.array().length(); ++k)
      out.items.push_back(number_constant(item.array().at<double>({k})));
  };
  if (type.form == Form::vector)
    add(value);
  else
    for (const auto& item : items_in(value)) add(item);
  return out;
}

}  // namespace quill::native
