// Registers and variables.
#include <algorithm>
#include <cmath>

#include "native/lowering.h"

namespace quill::native {

int Lowering::make(VariableType type) {
  if (!writes_) return -1;
  code_->variables.push_back(type);
  return static_cast<int>(code_->variables.size()) - 1;
}

int Lowering::number_variable(int r) {
  auto& v = variables(r).number;
  if (v < 0) v = make(VariableType::number);
  return v;
}
int Lowering::whole_variable(int r) {
  auto& v = variables(r).whole;
  if (v < 0) v = make(VariableType::whole);
  return v;
}
int Lowering::boolean_variable(int r) {
  auto& v = variables(r).boolean;
  if (v < 0) v = make(VariableType::boolean);
  return v;
}
std::vector<int> Lowering::item_variables(int r, int count) {
  auto& items = variables(r).items;
  if (static_cast<int>(items.size()) < count) items.resize(static_cast<std::size_t>(count), -1);
  for (int& v : items)
    if (v < 0) v = make(VariableType::number);
  return {items.begin(), items.begin() + count};
}
void Lowering::make_description(int r, int axes) {
  auto& v = variables(r);
  if (v.pointer < 0) v.pointer = make(VariableType::pointer);
  for (int k = 0; k < axes; ++k) {
    if (v.extents[k] < 0) v.extents[k] = make(VariableType::whole);
    if (v.strides[k] < 0) v.strides[k] = make(VariableType::whole);
  }
}

int Lowering::number_constant(double x) {
  const int v = make(VariableType::number);
  emit({.what = Do::constant, .dst = v, .number = x});
  return v;
}
int Lowering::whole_constant(std::int64_t x) {
  const int v = make(VariableType::whole);
  emit({.what = Do::constant, .dst = v, .immediate = x});
  return v;
}
int Lowering::binary(Do what, VariableType type, int x, int y) {
  const int v = make(type);
  emit({.what = what, .dst = v, .x = x, .y = y});
  return v;
}
int Lowering::unary(Do what, VariableType type, int x) { return binary(what, type, x, -1); }

void Lowering::spill(int r) {
  auto& type = type_of(r);
  if (type.is_stored || is_constant(r)) return;
  if (absolute(r) >= f_size_) {
    // Registers of an inlined function have no form in the frame.
    scope_->has_failed = true;
    return;
  }
  note_stored(r);
  const auto store = [&](int v) { emit({.what = Do::store_register, .x = v, .immediate = absolute(r)}); };
  switch (type.form) {
    case Form::nowhere:
    case Form::memory: return;
    case Form::view:
    case Form::slice:
      store_part(r);
      type.may_hold = true;
      break;
    case Form::span: {
      const auto& v = variables(r);
      emit({.what = Do::store_result, .x = v.extents[0], .immediate = 0});
      emit({.what = Do::store_result, .x = v.strides[0], .immediate = 1});
      check_helped(help(helpers_.store_span, absolute(r)));
      type.may_hold = true;
      break;
    }
    case Form::all: help(helpers_.store_all, absolute(r)); break;
    case Form::real32:
      emit({.what = Do::store_result, .x = number_variable(r), .immediate = 0});
      check_helped(help(helpers_.store_scalar, absolute(r), static_cast<int>(ElementType::float32)));
      type.may_hold = true;
      break;
    case Form::complex: {
      const auto parts = item_variables(r, 2);
      for (int k = 0; k < 2; ++k)
        emit({.what = Do::store_result, .x = parts[static_cast<std::size_t>(k)], .immediate = k});
      check_helped(help(helpers_.store_scalar, absolute(r), static_cast<int>(ElementType::complex128)));
      type.may_hold = true;
      break;
    }
    case Form::record: {
      const auto items = item_variables(r, type.count);
      for (int k = 0; k < type.count; ++k)
        emit({.what = Do::store_result, .x = items[static_cast<std::size_t>(k)], .immediate = k});
      emit({.what = Do::store_result,
            .x = whole_constant(static_cast<std::int64_t>(type.parts)),
            .immediate = kMostItems});
      check_helped(help(helpers_.store_record, absolute(r), 0,
                        whole_constant(reinterpret_cast<std::int64_t>(type.names))));
      type.may_hold = true;
      break;
    }
    case Form::vector:
    case Form::tuple: {
      const auto items = item_variables(r, type.count);
      for (int k = 0; k < type.count; ++k)
        emit({.what = Do::store_result, .x = items[static_cast<std::size_t>(k)], .immediate = k});
      check_helped(help(helpers_.store_items, absolute(r), type.count,
                        whole_constant(static_cast<std::int64_t>(type.parts))));
      type.may_hold = true;
      break;
    }
    case Form::closure: {
      const auto items = item_variables(r, type.count);
      for (int k = 0; k < type.count; ++k)
        emit({.what = Do::store_result, .x = items[static_cast<std::size_t>(k)], .immediate = k});
      check_helped(help(helpers_.store_closure, absolute(r), template_number(type.code)));
      type.may_hold = true;
      break;
    }
    case Form::function: {
      const auto kept = std::find_if(out_.kept.begin(), out_.kept.end(),
                                     [&](const Value& v) { return v.identity() == type.function; });
      help(helpers_.store_function, absolute(r), kept - out_.kept.begin());
      type.may_hold = true;
      break;
    }
    case Form::number: store(number_variable(r)); break;
    case Form::whole: store(unary(Do::to_number, VariableType::number, whole_variable(r))); break;
    case Form::boolean: store(boolean_variable(r)); break;
    case Form::single:
      check_helped(help(helpers_.store_single, absolute(r), static_cast<std::int64_t>(type.element),
                        whole_variable(r)));
      type.may_hold = true;
      break;
  }
  type.is_stored = true;
}

void Lowering::spill_all(std::size_t at) {
  const auto& live = flow().live[at];
  for (int r = 0; r < f().frame_size; ++r)
    if (mentioned_[static_cast<std::size_t>(r)] && live.contains(r)) spill(r);
}

int Lowering::kind_of(int r) {
  const int v = make(VariableType::whole);
  emit({.what = Do::load_kind, .dst = v, .immediate = absolute(r)});
  return v;
}

void Lowering::load_description(int r, int axes) {
  make_description(r, axes);
  load_description(variables(r), axes);
}

void Lowering::load_description(const Variables& v, int axes) {
  const auto load = [&](int dst, int result) {
    emit({.what = Do::load_result, .dst = dst, .immediate = result});
  };
  load(v.pointer, 0);
  for (int k = 0; k < axes; ++k) {
    load(v.extents[k], 1 + k);
    load(v.strides[k], 4 + k);
  }
}

// Loads the variables of a register from the frame, which holds a value of that type.
void Lowering::load_into(int r, const Type& type) {
  const auto load = [&](int dst) { emit({.what = Do::load_register, .dst = dst, .immediate = absolute(r)}); };
  switch (type.form) {
    case Form::nowhere: return;
    case Form::number: load(number_variable(r)); return;
    case Form::whole: {
      const int v = make(VariableType::number);
      load(v);
      emit({.what = Do::to_whole, .dst = whole_variable(r), .x = v});
      return;
    }
    case Form::boolean: load(boolean_variable(r)); return;
    case Form::single:
      help(helpers_.load_single, absolute(r));
      emit({.what = Do::load_result, .dst = whole_variable(r), .immediate = 0});
      return;
    case Form::real32:
      help(helpers_.load_scalar, absolute(r));
      emit({.what = Do::load_result, .dst = number_variable(r), .immediate = 0});
      return;
    case Form::complex: {
      help(helpers_.load_scalar, absolute(r));
      const auto parts = item_variables(r, 2);
      for (int k = 0; k < 2; ++k)
        emit({.what = Do::load_result, .dst = parts[static_cast<std::size_t>(k)], .immediate = k});
      return;
    }
    case Form::vector:
    case Form::record:
    case Form::tuple: {
      help(helpers_.load_items, absolute(r), type.count);
      const auto items = item_variables(r, type.count);
      for (int k = 0; k < type.count; ++k)
        emit({.what = Do::load_result, .dst = items[static_cast<std::size_t>(k)], .immediate = k});
      return;
    }
    case Form::closure: {
      help(helpers_.load_closure, absolute(r), template_number(type.code));
      const auto items = item_variables(r, type.count);
      for (int k = 0; k < type.count; ++k)
        emit({.what = Do::load_result, .dst = items[static_cast<std::size_t>(k)], .immediate = k});
      return;
    }
    case Form::function:
    case Form::view:
    case Form::slice:
    case Form::span:
    case Form::all: return;
    case Form::memory:
      if (type.axes == 0) return;
      help(helpers_.describe, absolute(r));
      load_description(r, type.axes);
      return;
  }
}

void Lowering::release(int r) {
  if (!type_of(r).may_hold || !writes_) return;
  const int held = label(), free = label();
  branch(compare(Do::greater_equal, kind_of(r), whole_constant(static_cast<int>(Kind::text))), held, free,
         -1);
  place_label(held);
  help(helpers_.release, absolute(r));
  place_label(free);
}

void Lowering::define(int r, const Operand& value) {
  detach(r);
  note_change(r);
  // Helpers that store objects release the previous content of the frame; plain stores do not.
  const bool is_object = value.form == Form::single || value.form == Form::real32 || !value.items.empty() ||
                         value.form == Form::function;
  if (!is_object) release(r);
  const bool may_hold = is_object && type_of(r).may_hold;
  const auto copy = [&](int dst) { emit({.what = Do::copy, .dst = dst, .x = value.variable}); };
  switch (value.form) {
    case Form::number:
      copy(number_variable(r));
      type_of(r) = number_type();
      return;
    case Form::whole:
      copy(whole_variable(r));
      type_of(r) = whole_type(value.low, value.high);
      type_of(r).counter = value.counter;
      type_of(r).shift = value.shift;
      return;
    case Form::boolean:
      copy(boolean_variable(r));
      type_of(r) = boolean_type();
      return;
    case Form::single:
      copy(whole_variable(r));
      type_of(r) = {.form = Form::single, .element = value.element, .may_hold = may_hold};
      return;
    case Form::real32:
      copy(number_variable(r));
      type_of(r) = {.form = Form::real32, .may_hold = may_hold};
      return;
    case Form::complex:
    case Form::vector:
    case Form::closure:
    case Form::record:
    case Form::tuple: {
      // The given variables may be those of the register, in another order.
      std::vector<int> given;
      for (const int v : value.items) given.push_back(unary(Do::copy, VariableType::number, v));
      const auto items = item_variables(r, static_cast<int>(given.size()));
      for (std::size_t k = 0; k < given.size(); ++k) emit({.what = Do::copy, .dst = items[k], .x = given[k]});
      type_of(r) = {.form = value.form,
                    .may_hold = may_hold,
                    .count = static_cast<std::uint8_t>(given.size()),
                    .parts = value.parts,
                    .names = value.names,
                    .code = value.code};
      return;
    }
    case Form::function:
      type_of(r) = {.form = Form::function, .may_hold = may_hold, .function = value.function};
      return;
    case Form::view: type_of(r) = {.form = Form::view, .root = value.root}; return;
    default: return;
  }
}

void Lowering::define_memory(int r, Type type) {
  detach(r);
  note_stored(r);
  note_change(r);
  type_of(r) = type;
}

std::optional<Lowering::Operand> Lowering::operand(int r) {
  if (const auto found = constants_.find(absolute(r)); found != constants_.end()) {
    const double x = found->second;
    Operand out{.form = Form::number, .constant = x};
    if (is_whole_number(x)) {
      out.form = Form::whole;
      out.low = out.high = static_cast<std::int64_t>(x);
      out.variable = whole_constant(out.low);
    } else {
      out.variable = number_constant(x);
    }
    return out;
  }
  auto& type = type_of(r);
  switch (type.form) {
    case Form::number: return number(number_variable(r));
    case Form::whole:
      return Operand{.form = Form::whole,
                     .variable = whole_variable(r),
                     .low = type.low,
                     .high = type.high,
                     .counter = type.counter,
                     .shift = type.shift};
    case Form::boolean: return boolean(boolean_variable(r));
    case Form::single:
      return Operand{.form = Form::single, .element = type.element, .variable = whole_variable(r)};
    case Form::real32: return Operand{.form = Form::real32, .variable = number_variable(r)};
    case Form::complex:
    case Form::vector:
    case Form::closure:
    case Form::record:
    case Form::tuple:
      return Operand{.form = type.form,
                     .items = item_variables(r, type.count),
                     .parts = type.parts,
                     .names = type.names,
                     .code = type.code};
    case Form::function: return Operand{.form = Form::function, .function = type.function};
    case Form::nowhere:
    case Form::slice:
    case Form::span:
    case Form::all:
    case Form::view: return std::nullopt;
    default: break;
  }
  if (absolute(r) >= f_size_) return std::nullopt;
  // In memory: expect the type that it had when the loop became hot, or a number if it had no value yet.
  auto seen = observed(this->seen(r));
  if (this->seen(r).is(Kind::unset)) seen = number_type();
  if (type.axes > 0 || type.counts || type.function ||
      (seen.form != Form::number && seen.form != Form::whole && seen.form != Form::boolean))
    return std::nullopt;
  const bool is_boolean = seen.form == Form::boolean;
  guard(compare(Do::equal, kind_of(r), whole_constant(is_boolean ? kKindTruth : kKindNumber)), Reason::type);
  type = is_boolean ? boolean_type() : number_type();
  type.is_stored = true;
  load_into(r, type);
  return is_boolean ? boolean(boolean_variable(r)) : number(number_variable(r));
}

std::optional<Lowering::Operand> Lowering::as_number(const Operand& x) {
  if (x.form == Form::number) return x;
  if (x.form == Form::real32) return number(x.variable);
  if (x.form != Form::whole && x.form != Form::single) return std::nullopt;
  if (x.form == Form::single && x.element == ElementType::int64)
    for (const auto& [what, bound] :
         {std::pair(Do::less_equal, kMostWhole), std::pair(Do::greater_equal, -kMostWhole)})
      guard(compare(what, x.variable, whole_constant(bound)), Reason::value);
  Operand out = number(unary(Do::to_number, VariableType::number, x.variable));
  out.constant = x.constant;
  return out;
}

int Lowering::root_of(int r) { return type_of(r).form == Form::view ? type_of(r).root - scope_->offset : r; }

std::optional<Lowering::Operand> Lowering::elements(int given) {
  const int r = root_of(given);
  const auto& type = type_of(r);
  if (type.form != Form::memory || type.counts || type.function || is_constant(r)) return operand(r);
  const auto items = observed_items(seen(r));
  if (!items || items->form != Form::vector) return operand(r);
  guard(compare(Do::not_equal, help(helpers_.load_items, absolute(r), items->count), whole_constant(0)),
        Reason::type);
  Operand out{.form = Form::vector};
  for (int k = 0; k < items->count; ++k) {
    out.items.push_back(make(VariableType::number));
    emit({.what = Do::load_result, .dst = out.items.back(), .immediate = k});
  }
  return out;
}

int Lowering::whole_of(const Operand& x) {
  if (x.form == Form::whole) return x.variable;
  const double most = static_cast<double>(kMostRead);
  guard(compare(Do::less_equal, unary(Do::absolute, VariableType::number, x.variable), number_constant(most)),
        Reason::whole);
  const int whole = unary(Do::to_whole, VariableType::whole, x.variable);
  // The bits are compared: -0 is not a whole number here.
  const int back = unary(Do::bits, VariableType::whole, unary(Do::to_number, VariableType::number, whole));
  guard(compare(Do::equal, back, unary(Do::bits, VariableType::whole, x.variable)), Reason::whole);
  return whole;
}

std::optional<Lowering::Operand> Lowering::integer_operand(int r) {
  const auto x = operand(r);
  if (!x) return std::nullopt;
  switch (x->form) {
    case Form::whole: return x;
    case Form::number:
    case Form::real32:
      return Operand{.form = Form::whole,
                     .variable = whole_of(number(x->variable)),
                     .low = -kMostRead,
                     .high = kMostRead};
    case Form::single: {
      const auto range = range_of(x->element);
      Operand out{.form = Form::whole, .variable = x->variable, .low = range.least, .high = range.most};
      if (x->element != ElementType::int64) return out;
      guard(compare(Do::less_equal, x->variable, whole_constant(kMostRead)), Reason::value);
      guard(compare(Do::greater_equal, x->variable, whole_constant(-kMostRead)), Reason::value);
      out.low = -kMostRead;
      out.high = kMostRead;
      return out;
    }
    default: return std::nullopt;
  }
}

std::optional<int> Lowering::condition(int r) {
  const auto x = operand(r);
  if (!x || x->form != Form::boolean) return std::nullopt;
  return x->variable;
}

}  // namespace quill::native
