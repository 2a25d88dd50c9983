#include "session/abstract_value.h"

#include <fmt/format.h>

#include <algorithm>

#include "array/rearrange.h"
#include "base/number.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "value/print.h"
#include "value/registry.h"

namespace quill {

using What = AbstractValue::Kind;

std::optional<Shape> AbstractValue::whole_shape() const {
  if (kind == What::number || kind == What::boolean) return Shape{};
  return kind == What::array ? shape : std::nullopt;
}

bool AbstractValue::operator==(const AbstractValue& other) const {
  return kind == other.kind && number == other.number && text == other.text && shape == other.shape &&
         are_booleans == other.are_booleans && items == other.items && names == other.names;
}

AbstractValue abstract_number(std::optional<double> number) {
  AbstractValue out;
  out.kind = What::number;
  out.number = number;
  return out;
}

AbstractValue abstract_array(std::optional<Shape> shape, bool are_booleans) {
  AbstractValue out;
  out.kind = What::array;
  out.shape = std::move(shape);
  out.are_booleans = are_booleans;
  return out;
}

AbstractValue abstract_value_of(const Value& value) {
  AbstractValue out;
  switch (value.kind()) {
    case quill::Kind::number: return abstract_number(value.number());
    case quill::Kind::boolean: out.kind = What::boolean; break;
    case quill::Kind::text:
      out.kind = What::text;
      out.text = value.text();
      break;
    case quill::Kind::range: return abstract_array(shape_of(value));
    case quill::Kind::array:
      if (value.array().axes() == 0) return abstract_number();
      return abstract_array(value.array().shape(), value.array().type() == ElementType::boolean);
    default: break;
  }
  return out;
}

AbstractValue joined(const AbstractValue& a, const AbstractValue& b) {
  if (a == b) return a;
  if (a.kind != b.kind) return {};
  AbstractValue out;
  out.kind = a.kind;
  if (a.kind == What::array) {
    if (a.shape == b.shape) out.shape = a.shape;
    out.are_booleans = a.are_booleans && b.are_booleans;
  }
  // Parts that may differ are not tracked.
  if (a.kind == What::tuple || a.kind == What::record || a.kind == What::function) return {};
  return out;
}

std::string in_words(const AbstractValue& known) {
  switch (known.kind) {
    case What::number: return known.number ? kind_in_words(Value(*known.number)) : "a number";
    case What::boolean: return "a boolean";
    case What::text: return known.text ? kind_in_words(Value::text(*known.text)) : "a text";
    case What::array: {
      const auto* elements = known.are_booleans ? "booleans" : "elements";
      if (!known.shape) return "an array";
      return known.shape->count() == 1 ? fmt::format("a vector of {} {}", (*known.shape)[0], elements)
                                       : fmt::format("an array of shape {}", text_of(*known.shape));
    }
    case What::tuple: return fmt::format("a tuple of {}", known.items.size());
    case What::record: return "a record";
    case What::dictionary: return "a dictionary";
    case What::function: return "a function";
    default: return "any value";
  }
}

namespace {

std::optional<Shape> shape_from(std::span<const AbstractValue> sizes) {
  Shape out;
  for (const auto& size : sizes) {
    if (!size.is(What::number) || !size.number || !is_whole(*size.number) || *size.number < 0 ||
        *size.number > 1e12)
      return std::nullopt;
    out.push_back(static_cast<Index>(*size.number));
  }
  return out;
}

bool is_one_of(std::string_view name, std::initializer_list<std::string_view> names) {
  return std::find(names.begin(), names.end(), name) != names.end();
}

// A single number or boolean for the shape of a single value, an array otherwise.
AbstractValue abstract_elements(const std::optional<Shape>& shape, bool are_booleans) {
  if (!shape || shape->count() > 0) return abstract_array(shape, are_booleans);
  AbstractValue out = abstract_number();
  if (are_booleans) out.kind = What::boolean;
  return out;
}

// Result for a first argument that is an array of known shape.
AbstractValue result_of_array(std::string_view name, const AbstractValue& a, std::size_t count) {
  const auto& shape = *a.shape;
  const int axes = shape.count();
  if (count == 1) {
    if (is_one_of(name, {"sum", "product", "mean", "median", "variance", "std", "argmin", "argmax"}))
      return abstract_number();
    if (is_one_of(name, {"min", "max"})) return abstract_elements(Shape{}, a.are_booleans);
    if (name == "length" && axes > 0) return abstract_number(static_cast<double>(shape[0]));
    if (name == "size") return abstract_number(static_cast<double>(size_of(shape)));
    if (name == "shape") return abstract_array(Shape{axes});
    if (is_one_of(name, {"reverse", "sort"})) return a;
    if (is_one_of(name, {"cumsum", "cumprod", "sort_order"})) return abstract_array(shape);
    if (name == "flatten") return abstract_array(Shape{size_of(shape)}, a.are_booleans);
    if (name == "across" && axes == 1) return abstract_array(Shape{1, shape[0]}, a.are_booleans);
    if (name == "down" && axes == 1) return abstract_array(Shape{shape[0], 1}, a.are_booleans);
  }
  if (name == "append" && count == 2 && axes == 1 && shape[0] > 0) return abstract_array(Shape{shape[0] + 1});
  return {};
}

}  // namespace

AbstractValue abstract_result(std::string_view builtin, std::span<const AbstractValue> arguments,
                              bool some_by_name) {
  const int at = builtins().find(std::string(builtin));
  if (at < 0 || some_by_name) return {};
  const auto& row = builtins().row(at);
  if (is_one_of(builtin, {"zeros", "ones", "random", "random_normal"})) {
    const auto shape = shape_from(arguments);
    if (!shape) return arguments.empty() ? abstract_number() : AbstractValue{};
    return shape->count() == 0 ? abstract_number() : abstract_array(shape);
  }
  if (builtin == "identity" && arguments.size() == 1)
    if (const auto n = shape_from(arguments)) return abstract_array(Shape{(*n)[0], (*n)[0]});
  if (arguments.empty()) return {};
  const auto& a = arguments[0];
  if (builtin == "reshape" && a.is(What::array) && a.shape)
    if (const auto shape = shape_from(arguments.subspan(1)); shape && size_of(*shape) == size_of(*a.shape))
      return abstract_array(shape);
  if (row.unary && arguments.size() == 1 && a.is(What::text))
    fail(fmt::format("{} takes numbers, not text", builtin));
  if (row.unary && arguments.size() == 1 && (a.is(What::number) || a.is(What::array)))
    return abstract_elements(a.whole_shape(), *row.unary >= Unary::is_nan);
  if (row.binary && arguments.size() == 2) {
    const auto x = a.whole_shape(), y = arguments[1].whole_shape();
    if (!x || !y) return {};
    return abstract_elements(broadcast_shapes(*x, *y), false);
  }
  if (a.is(What::array) && a.shape) return result_of_array(builtin, a, arguments.size());
  return {};
}

}  // namespace quill
