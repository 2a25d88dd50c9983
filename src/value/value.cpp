#include "value/value.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/interrupt.h"
#include "base/number.h"
#include "value/print.h"
#include "value/registry.h"

namespace quill {

Value Value::text(std::string text) { return {Kind::text, new TextObject(std::move(text))}; }

Value Value::array(Array array) {
  if (array.axes() == 0) switch (array.type()) {
      case ElementType::float64:
        if (holds_times(array)) break;  // a plain number would lose the time unit
        return {*array.data<double>()};
      case ElementType::boolean: return boolean(*array.data<bool>());
      case ElementType::text: return text(*array.data<std::string>());
      case ElementType::any: return element_value(*array.data<Any>());
      default: break;
    }
  return {Kind::array, new ArrayObject(std::move(array))};
}

namespace {

constexpr double kMostElements = 9e15;  // in a range, which has no stored elements

}  // namespace

Value Value::range(double first, double last, double step) {
  if (std::isnan(first) || std::isnan(last) || std::isnan(step))
    fail("an end or the step of this range is nan");
  if (step == 0) fail("the step of a range cannot be 0");
  if (std::isinf(first) || std::isinf(last) || std::isinf(step))
    fail("the ends and the step of a range must be finite");
  const double steps = (last - first) / step;
  if (steps > kMostElements) fail("this range has too many elements");
  const double largest = std::max(std::fabs(first), std::fabs(last));
  if (steps >= 1 && std::fabs(step) < largest - std::nextafter(largest, 0))
    fail(fmt::format("the step {} is smaller than the spacing of float64 numbers near {}", shortest(step),
                     shortest(largest)),
         "int64(a)..int64(b) makes a range of large integers");
  auto* range = new RangeObject;
  Value out(Kind::range, range);
  range->first = first;
  range->step = step;
  range->end = last;
  if (steps >= -1e-9) {
    const double nearest = std::round(steps);
    range->from_both_ends = std::fabs(steps - nearest) <= 1e-9 && nearest >= 0;
    range->count = static_cast<Index>(range->from_both_ends ? nearest : std::floor(steps)) + 1;
  }
  range->last = range->from_both_ends ? last : first + static_cast<double>(range->count - 1) * step;
  return out;
}

Value Value::range_count(double first, double last, Index count) {
  if (!std::isfinite(first) || !std::isfinite(last)) fail("the ends of a range must be finite");
  if (count < 0) fail(fmt::format("a range cannot have {} points", count));
  if (count == 1 && first != last) fail("a range of one point cannot have two different ends");
  auto* range = new RangeObject;
  Value out(Kind::range, range);
  range->first = first;
  range->last = range->end = last;
  range->count = count;
  range->step = count > 1 ? (last - first) / static_cast<double>(count - 1) : 1;
  range->from_both_ends = true;
  return out;
}

double RangeObject::at(Index k) const {
  if (!from_both_ends || count < 2) return first + static_cast<double>(k) * step;
  if (step == 1) return first + static_cast<double>(k);
  if (k == count - 1) return last;
  // Weighted from both ends, so that 0..1 by 0.1 contains exactly 0.3.
  const auto m = static_cast<double>(count - 1), i = static_cast<double>(k);
  const double weighted = (first * (m - i) + last * i) / m;
  return std::isfinite(weighted) ? weighted : first + i * (last / m - first / m);
}

bool RangeObject::is_of_integers() const {
  // With larger steps, ends beside the grid may count as lying on it; with larger products, weighting rounds.
  return is_whole(first) && is_whole(step) && std::fabs(step) <= kLargestStep &&
         std::max(std::fabs(first), std::fabs(end)) * static_cast<double>(count) <= kLargestExact;
}

Array RangeObject::to_array() const { return piece(0, count); }

Array RangeObject::piece(Index start, Index size) const {
  Array out(ElementType::float64, {size});
  double* to = out.mutable_data<double>();
  // The same arithmetic as at(), with checks moved out of the loop.
  const bool weighted = from_both_ends && count > 1 && step != 1 &&
                        std::isfinite((std::fabs(first) + std::fabs(last)) * static_cast<double>(count));
  constexpr Index block = 1 << 16;
  for (Index from = 0; from < size; from += block) {
    poll_interrupt();
    const Index end = std::min(size, from + block);
    if (weighted) {
      const auto m = static_cast<double>(count - 1);
      for (Index k = from; k < end; ++k) {
        const auto i = static_cast<double>(start + k);
        to[k] = (first * (m - i) + last * i) / m;
      }
    } else
      for (Index k = from; k < end; ++k) to[k] = at(start + k);
  }
  if (weighted && size > 0 && start + size == count) to[size - 1] = last;
  return out;
}

int ArrayObject::depth_of_elements() {
  if (array.type() != ElementType::any) return 0;
  // A sole owner may have modified elements since.
  if (depth == kUnknown) {
    depth = 0;
    for (const auto& element : array.to_vector<Any>())
      if (element) depth = std::max(depth, static_cast<const ValueContent&>(*element).depth);
  }
  return depth;
}

int depth_inside(std::span<const Value> held) {
  int deepest = 0;
  for (const auto& value : held) {
    if (value.is(Kind::array))
      deepest = std::max(deepest, value.object<ArrayObject>().depth_of_elements());
    else if (const auto* object = value.identity())
      deepest = std::max(deepest, object->depth);
  }
  if (deepest >= kDeepest)
    fail(fmt::format("values are nested more than {} levels deep", kDeepest),
         "list(…) and append put values side by side");
  return deepest + 1;
}

Value Value::tuple(std::vector<Value> items) {
  const int depth = depth_inside(items);
  auto* object = new TupleObject;
  object->items = std::move(items);
  object->depth = depth;
  return {Kind::tuple, object};
}

Value Value::record(std::vector<std::pair<std::string, Value>> fields) {
  int depth = 1;
  for (const auto& [name, value] : fields) depth = std::max(depth, depth_inside(value));
  auto* object = new RecordObject;
  object->fields = std::move(fields);
  object->depth = depth;
  return {Kind::record, object};
}

Value Value::builtin(const Builtin& row) {
  auto* object = new BuiltinObject;
  object->row = &row;
  return {Kind::builtin, object};
}

const std::string& Value::text() const { return object<TextObject>().text; }

Array& Value::own_array() {
  if (object_->use_count() > 1) *this = Value(Kind::array, new ArrayObject(array()));
  auto& object = this->object<ArrayObject>();
  object.forget_depth();
  return object.array;
}

const Value* RecordObject::find(const std::string& name) const {
  for (const auto& [field, value] : fields)
    if (field == name) return &value;
  return nullptr;
}

namespace {

// Equal numbers of all types have the same text.
std::string key_text(const Value& key) {
  if (key.is(Kind::text)) return "t" + key.text();
  if (const auto whole = single_whole(key)) return fmt::format("n{}", *whole);
  if (const auto number = single_real(key); number && !std::isnan(*number)) return "n" + shortest(*number);
  fail(fmt::format("the keys of a dictionary must be texts or numbers, not {}", kind_in_words(key)));
}

}  // namespace

const Value* DictionaryObject::find(const Value& key) const {
  const auto found = lookup.find(key_text(key));
  return found == lookup.end() ? nullptr : &entries[found->second].second;
}

void DictionaryObject::set(const Value& key, Value value) {
  depth = std::max(depth, depth_inside(value));
  const auto [place, is_new] = lookup.emplace(key_text(key), entries.size());
  if (is_new)
    entries.emplace_back(numeric_value(key), std::move(value));
  else
    entries[place->second].second = std::move(value);
}

Value plain_value(const Value& variable) {
  if (variable.is(Kind::store)) return variable.object<StoreObject>().current;
  if (!variable.is(Kind::alias)) return variable;
  const auto& alias = variable.object<AliasObject>();
  return Value::array(select(alias.store->current.array(), alias.selection));
}

Value LibraryObject::call(Runtime&, std::span<Value>) const {
  fail(fmt::format("{} cannot be called", type_name()));
}
std::optional<Value> LibraryObject::part(const std::string&) const { return std::nullopt; }

bool ValueContent::equals(const AnyContent& other) const {
  return same(value, static_cast<const ValueContent&>(other).value);
}

Value numeric_value(const Value& value) {
  if (!value.is(Kind::library)) return value;
  const auto number = value.object<LibraryObject>().numeric();
  return number ? *number : value;
}

std::optional<std::int64_t> single_whole(const Value& value) {
  if (value.is(Kind::array) && value.array().axes() == 0 && value.array().type() == ElementType::int64)
    return *value.array().data<std::int64_t>();
  const auto number = single_real(value);
  if (!number || !is_whole(*number) || *number < -kEndOfInt64 || *number >= kEndOfInt64) return std::nullopt;
  return static_cast<std::int64_t>(*number);
}

std::optional<double> single_real(const Value& value) {
  if (value.is(Kind::library)) {
    const auto number = value.object<LibraryObject>().numeric();
    return number ? single_real(*number) : std::nullopt;
  }
  if (value.is_number()) return value.number();
  if (!value.is(Kind::array) || value.array().axes() != 0) return std::nullopt;
  const auto& a = value.array();
  switch (a.type()) {
    case ElementType::float64: return *a.data<double>();
    case ElementType::float32: return *a.data<float>();
    case ElementType::int32: return *a.data<std::int32_t>();
    case ElementType::int64: return static_cast<double>(*a.data<std::int64_t>());
    case ElementType::uint8: return *a.data<std::uint8_t>();
    default: return std::nullopt;
  }
}

Array to_array(const Value& value, std::string_view what) {
  switch (value.kind()) {
    case Kind::number: return Array::single(value.number());
    case Kind::boolean: return Array::filled<bool>({}, value.boolean());
    case Kind::text: return Array::filled<std::string>({}, value.text());
    case Kind::array: return value.array();
    case Kind::range: return value.object<RangeObject>().to_array();
    default: fail(fmt::format("{} takes an array, not {}", what, kind_in_words(value)));
  }
}

Array list_of(std::span<const Value> values) {
  Array out(ElementType::any, {static_cast<Index>(values.size())});
  Any* to = out.mutable_data<Any>();
  for (const auto& value : values) *to++ = Any(new ValueContent(value));
  return out;
}

Value element_value(const Any& element) {
  return element ? static_cast<const ValueContent&>(*element).value : Value::none();
}

Shape shape_of(const Value& value) {
  if (value.is(Kind::array)) return value.array().shape();
  if (value.is(Kind::range)) return {value.object<RangeObject>().count};
  return {};
}

ElementType element_type_of(const Value& value) {
  switch (value.kind()) {
    case Kind::boolean: return ElementType::boolean;
    case Kind::text: return ElementType::text;
    case Kind::array: return value.array().type();
    default: return ElementType::float64;
  }
}

std::string type_name(const Value& value) {
  switch (value.kind()) {
    case Kind::unset: return "unset";
    case Kind::none: return "none";
    case Kind::open: return "open subscript";
    case Kind::number:
    case Kind::boolean:
    case Kind::text:
    case Kind::array: return std::string(name_of(element_type_of(value)));
    case Kind::range: return "range";
    case Kind::tuple: return "tuple";
    case Kind::record: return "record";
    case Kind::dictionary: return "dictionary";
    case Kind::store:
    case Kind::alias: return type_name(plain_value(value));
    case Kind::function: return "function";
    case Kind::builtin: return "built-in";
    case Kind::library: return value.object<LibraryObject>().type_name();
  }
  return "";
}

std::string kind_in_words(const Value& value) {
  switch (value.kind()) {
    case Kind::none: return "none";
    case Kind::number: return fmt::format("the number {}", shortest(value.number()));
    case Kind::boolean: return value.boolean() ? "the boolean true" : "the boolean false";
    case Kind::text:
      return value.text().size() <= 20 ? fmt::format("the text \"{}\"", value.text()) : "a text";
    case Kind::array: {
      const auto& a = value.array();
      if (a.axes() == 0)
        return fmt::format("the {} {}", holds_times(a) ? "time" : name_of(a.type()), inline_text(value));
      return fmt::format("{} of {} {}",
                         a.axes() == 1   ? "a vector"
                         : a.axes() == 2 ? "a matrix"
                                         : "an array",
                         text_of(a.shape()), name_of(a.type()));
    }
    case Kind::range: return fmt::format("a range of {}", value.object<RangeObject>().count);
    case Kind::function:
    case Kind::builtin: return "a function";
    default: {
      const auto name = type_name(value);
      return fmt::format("{} {}", name.find_first_of("aeiou") == 0 ? "an" : "a", name);
    }
  }
}

namespace {

template <class T>
bool same_elements(const Array& a, const Array& b) {
  const auto x = a.to_vector<T>(), y = b.to_vector<T>();
  for (std::size_t i = 0; i < x.size(); ++i) {
    if constexpr (std::is_same_v<T, Any>) {
      if (!same(element_value(x[i]), element_value(y[i]))) return false;
    } else {
      if (!(x[i] == y[i]) && (x[i] == x[i] || y[i] == y[i])) return false;
    }
  }
  return true;
}

}  // namespace

namespace {

// Compares integers exactly with other numbers.
bool same_as_whole(const Array& whole, const Array& other) {
  const auto x = whole.converted(ElementType::int64).to_vector<std::int64_t>();
  const auto y = other.converted(ElementType::complex128).to_vector<Complex>();
  constexpr double end = 9223372036854775808.0;
  for (std::size_t k = 0; k < x.size(); ++k)
    if (y[k].imag() != 0 || !(y[k].real() >= -end && y[k].real() < end) ||
        std::trunc(y[k].real()) != y[k].real() || static_cast<std::int64_t>(y[k].real()) != x[k])
      return false;
  return true;
}

}  // namespace

bool same(const Value& a, const Value& b) {
  // Shared parts are compared once: otherwise the time could grow exponentially.
  if (a.identity() != nullptr && a.identity() == b.identity()) return true;
  if (a.is_array_like() && b.is_array_like()) {
    const auto x = to_array(a), y = to_array(b);
    if (!(x.shape() == y.shape()) || is_numeric(x.type()) != is_numeric(y.type())) return false;
    if (is_numeric(x.type()) && x.type() != y.type() && is_integer(x.type()) && is_integer(y.type()))
      return same_elements<std::int64_t>(x.converted(ElementType::int64), y.converted(ElementType::int64));
    if (is_numeric(x.type()) && is_integer(x.type()) && !is_integer(y.type()) &&
        y.type() != ElementType::boolean)
      return same_as_whole(x, y);
    if (is_numeric(x.type()) && is_integer(y.type()) && !is_integer(x.type()) &&
        x.type() != ElementType::boolean)
      return same_as_whole(y, x);
    if (is_numeric(x.type()) && x.type() != y.type())
      return same_elements<Complex>(x.converted(ElementType::complex128),
                                    y.converted(ElementType::complex128));
    if (x.type() != y.type()) return false;
    return visit_type(x.type(), [&]<class T>(Tag<T>) { return same_elements<T>(x, y); });
  }
  if (a.kind() != b.kind()) return false;
  switch (a.kind()) {
    case Kind::unset:
    case Kind::none: return true;
    case Kind::open: return a.number() == b.number();
    case Kind::library:
      if (const auto equal = a.object<LibraryObject>().equals(b)) return *equal;
      return a.identity() == b.identity();
    case Kind::tuple: {
      const auto &x = a.object<TupleObject>().items, &y = b.object<TupleObject>().items;
      if (x.size() != y.size()) return false;
      for (std::size_t i = 0; i < x.size(); ++i)
        if (!same(x[i], y[i])) return false;
      return true;
    }
    case Kind::record: {
      const auto &x = a.object<RecordObject>(), &y = b.object<RecordObject>();
      if (x.fields.size() != y.fields.size()) return false;
      for (const auto& [name, value] : x.fields) {
        const auto* other = y.find(name);
        if (!other || !same(value, *other)) return false;
      }
      return true;
    }
    case Kind::dictionary: {
      const auto &x = a.object<DictionaryObject>(), &y = b.object<DictionaryObject>();
      if (x.entries.size() != y.entries.size()) return false;
      for (const auto& [key, value] : x.entries) {
        const auto* other = y.find(key);
        if (!other || !same(value, *other)) return false;
      }
      return true;
    }
    case Kind::builtin: return a.object<BuiltinObject>().row == b.object<BuiltinObject>().row;
    default: return a.identity() == b.identity();
  }
}

}  // namespace quill
