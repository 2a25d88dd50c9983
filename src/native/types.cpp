#include "native/types.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <mutex>
#include <set>

namespace quill::native {

bool is_whole_number(double x) {
  return std::fabs(x) <= static_cast<double>(kMostRead) && std::trunc(x) == x && !(x == 0 && std::signbit(x));
}

Type observed(const Value& value) {
  Type type = memory_type();
  if (value.is_number()) {
    type = is_whole_number(value.number()) ? whole_type(-kMostRead, kMostRead) : number_type();
  } else if (value.is(Kind::boolean)) {
    type = boolean_type();
  } else if (value.is(Kind::none)) {
    type.counts = true;
  } else if (value.is(Kind::function)) {
    type.function = &value.object<FunctionObject>();
  } else if (value.is(Kind::array)) {
    const auto& a = value.array();
    if (a.axes() == 0 && is_integer(a.type()) && !a.label)
      type = {.form = Form::single, .element = a.type(), .may_hold = true};
    else if (a.axes() == 0 && a.type() == ElementType::float32 && !a.label)
      type = {.form = Form::real32, .may_hold = true};
    else if (a.axes() == 0 && a.type() == ElementType::complex128 && !a.label)
      type = {.form = Form::complex, .may_hold = true, .count = 2};
    else if (a.axes() >= 1 && a.axes() <= 3 && is_numeric(a.type()) &&
             (!a.label || a.type() == ElementType::float64 || a.type() == ElementType::boolean) &&
             !holds_times(a))
      type =
          array_type(a.type(), a.axes(), value.object<ArrayObject>().use_count() == 1 && !a.shares_storage());
    type.has_label = type.axes > 0 && a.label != nullptr;
    type.has_unit_step = type.axes > 0 && a.strides()[a.axes() - 1] == 1;
  }
  type.is_stored = type.form != Form::memory;
  return type;
}

bool is_same_function(const FunctionObject& a, const FunctionObject& b) {
  if (&a == &b) return true;
  if (a.function != b.function || a.captured.size() != b.captured.size()) return false;
  for (std::size_t k = 0; k < a.captured.size(); ++k) {
    const auto &x = a.captured[k], &y = b.captured[k];
    const bool is_same_number =
        x.is_number() && y.is_number() &&
        std::bit_cast<std::uint64_t>(x.number()) == std::bit_cast<std::uint64_t>(y.number());
    const bool is_function = x.is(Kind::function) && y.is(Kind::function);
    const bool is_same_object = x.identity() != nullptr && x.identity() == y.identity();
    if (!is_same_number && !is_same_object &&
        !(is_function && is_same_function(x.object<FunctionObject>(), y.object<FunctionObject>())))
      return false;
  }
  return true;
}

std::optional<Type> observed_items(const Value& value) {
  if (value.is(Kind::array)) {
    const auto& a = value.array();
    if (a.axes() != 1 || a.type() != ElementType::float64 || a.label || a.length() < 1 ||
        a.length() > kMostItems)
      return std::nullopt;
    return Type{.form = Form::vector, .count = static_cast<std::uint8_t>(a.length())};
  }
  const auto items = items_in(value);
  if (items.empty() || items.size() > kMostTupleParts) return std::nullopt;
  Type tuple{.form = value.is(Kind::record) ? Form::record : Form::tuple};
  for (std::size_t k = 0; k < items.size(); ++k) {
    const auto vector = items[k].is(Kind::array) ? observed_items(items[k]) : std::nullopt;
    if (!vector && !items[k].is_number()) return std::nullopt;
    const int size = vector ? vector->count : 1;
    if (tuple.count + size > kMostItems) return std::nullopt;
    tuple.count = static_cast<std::uint8_t>(tuple.count + size);
    tuple.parts |= static_cast<std::uint64_t>(vector ? size + 1 : 1) << (5 * k);
  }
  if (value.is(Kind::record)) {
    Names names;
    for (const auto& [name, field] : value.object<RecordObject>().fields) names.push_back(name);
    tuple.names = interned(names);
  }
  return tuple;
}

std::vector<Value> items_in(const Value& value) {
  if (value.is(Kind::tuple)) return value.object<TupleObject>().items;
  std::vector<Value> out;
  if (value.is(Kind::record))
    for (const auto& [name, field] : value.object<RecordObject>().fields) out.push_back(field);
  return out;
}

const Names* interned(const Names& names) {
  static std::mutex mutex;
  static auto& lists = *new std::set<Names>;
  const std::lock_guard lock(mutex);
  return &*lists.insert(names).first;
}

std::optional<Type> observed_closure(const Value& value) {
  if (!value.is(Kind::function)) return std::nullopt;
  const auto& object = value.object<FunctionObject>();
  if (object.captured.empty() || object.captured.size() > kMostItems) return std::nullopt;
  for (const auto& each : object.captured)
    if (!each.is_number()) return std::nullopt;
  return Type{.form = Form::closure,
              .count = static_cast<std::uint8_t>(object.captured.size()),
              .code = object.function.get()};
}

Type merged(const Type& a, const Type& b) {
  if (a.form == Form::nowhere || b.form == Form::nowhere) {
    Type out = a.form == Form::nowhere ? b : a;
    out.may_hold = a.may_hold || b.may_hold;
    out.is_stored = false;
    if (a.form != b.form && out.form == Form::memory) out.axes = 0;
    return out;
  }
  Type out;
  const auto either = [&](Form x, Form y) {
    return (a.form == x && b.form == y) || (a.form == y && b.form == x);
  };
  if (a.form == b.form) {
    out = a;
    if (a.form == Form::whole && !(b.low >= a.low && b.high <= a.high)) {
      const bool is_counted =
          std::min(a.low, b.low) >= -kMostCounted && std::max(a.high, b.high) <= kMostCounted;
      out.high = is_counted ? kMostCounted : kMostWhole;
      out.low = -out.high;
    }
    if (a.form == Form::whole && (a.counter != b.counter || a.shift != b.shift)) {
      out.counter = -1;
      out.shift = 0;
    }
    out.has_unit_step = a.has_unit_step && b.has_unit_step;
    if (a.form == Form::single && a.element != b.element) out = memory_type();
    if (a.form == Form::slice && (a.element != b.element || a.axes != b.axes)) out = memory_type();
    const bool is_other = a.count != b.count || a.parts != b.parts || a.names != b.names ||
                          a.root != b.root || a.code != b.code ||
                          (a.form == Form::function && a.function != b.function);
    if (is_other) out = memory_type();
    if (a.form == Form::memory) {
      if (a.function != b.function) out.function = nullptr;
      if (a.axes != b.axes || a.element != b.element || a.has_label != b.has_label) out = memory_type();
      out.is_owned = out.axes > 0 && a.is_owned && b.is_owned;
      out.counts = a.counts && b.counts;
    }
  } else if (either(Form::number, Form::whole)) {
    out = number_type();
  } else {
    out = memory_type();
  }
  out.may_hold = out.form == Form::memory || a.may_hold || b.may_hold;
  out.is_stored = out.form != Form::memory && a.is_stored && b.is_stored;
  return out;
}

int values_of(const Type& type) {
  switch (type.form) {
    case Form::number:
    case Form::whole:
    case Form::boolean:
    case Form::single:
    case Form::real32: return 1;
    case Form::complex:
    case Form::vector:
    case Form::tuple:
    case Form::record:
    case Form::closure: return type.count;
    case Form::slice: return 1 + 2 * type.axes;
    case Form::span: return 2;
    default: return 0;
  }
}

std::string describe(const Type& type) {
  switch (type.form) {
    case Form::nowhere: return "unused";
    case Form::number: return "number";
    case Form::whole: return "whole number";
    case Form::boolean: return "boolean";
    case Form::single: return fmt::format("single {}", name_of(type.element));
    case Form::real32: return "single float32";
    case Form::complex: return "complex number";
    case Form::vector: return fmt::format("vector of {}", type.count);
    case Form::tuple: return fmt::format("tuple of {}", type.count);
    case Form::record: return fmt::format("record of {}", type.count);
    case Form::function:
    case Form::closure: return "function";
    case Form::span: return "range";
    case Form::all: return "..";
    case Form::slice:
      return fmt::format("part of r{}, {} ax{}", type.root, type.axes, type.axes == 1 ? "is" : "es");
    case Form::view: return fmt::format("array of r{}", type.root);
    case Form::memory:
      return type.axes == 0 ? std::string("value")
                            : fmt::format("{} array, {} ax{}{}", name_of(type.element), type.axes,
                                          type.axes == 1 ? "is" : "es", type.is_owned ? ", owned" : "");
  }
  return {};
}

}  // namespace quill::native
