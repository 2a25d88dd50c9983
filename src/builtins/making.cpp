// Making arrays.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/axis_names.h"
#include "array/elementwise.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "base/text.h"
#include "builtins/arguments.h"
#include "builtins/tables.h"
#include "value/construct.h"

namespace quill {

namespace making_calls {
namespace {

constexpr ElementType kTypes[] = {ElementType::float64, ElementType::float32, ElementType::int32,
                                  ElementType::int64,   ElementType::uint8,   ElementType::complex128,
                                  ElementType::boolean, ElementType::text,    ElementType::any};

bool is_type_name(std::string_view name) {
  return std::any_of(std::begin(kTypes), std::end(kTypes),
                     [&](ElementType type) { return name_of(type) == name; });
}

const Parameter kSizes = {"sizes", "one size for each axis, or one vector of sizes", "", true};
const Parameter kType = named({"type", "element type, by name", "\"float64\""}, is_type_name);
const Parameter kLike = {"like", "array whose shape and type are used instead of sizes", "none"};

ElementType type_argument(const Call& call, std::size_t i) {
  if (!call.given(i))
    return i + 1 < call.row.parameters.size() && call.given(i + 1) ? element_type_of(call.value(i + 1))
                                                                   : ElementType::float64;
  const auto name = call.text(i);
  std::vector<std::string> known;
  for (const auto type : kTypes) {
    if (name_of(type) == name) { return type; }
    known.emplace_back(name_of(type));
  }
  const auto near = nearest_name(name, known);
  call.fail_argument(i, fmt::format("must be an element type, not \"{}\"", name),
                     near.empty() ? "" : fmt::format("did you mean \"{}\"?", near));
}

Value constant_array(Call& call, double value) {
  const auto shape = shape_argument(call, 2);
  const auto type = type_argument(call, 1);
  if (!is_numeric(type))
    call.fail_argument(1, "must be a numeric type", "filled(value, …) takes any kind of value");
  return visit_numeric(
      type, [&]<class T>(Tag<T>) { return Value::array(Array::filled<T>(shape, static_cast<T>(value))); });
}

Value filled_row(Call& call) {
  const auto shape = shape_argument(call, 2);
  const auto& value = call.value(0);
  switch (value.kind()) {
    case Kind::number: return Value::array(Array::filled<double>(shape, value.number()));
    case Kind::boolean: return Value::array(Array::filled<bool>(shape, value.boolean()));
    case Kind::text: return Value::array(Array::filled<std::string>(shape, value.text()));
    case Kind::array:
      if (value.array().axes() == 0)
        return visit_numeric(value.array().type(), [&]<class T>(Tag<T>) {
          return Value::array(Array::filled<T>(shape, *value.array().data<T>()));
        });
      [[fallthrough]];
    default: return Value::array(Array::filled<Any>(shape, Any(new ValueContent(value))));
  }
}

Value identity_row(Call& call) {
  const auto n = call.whole(0);
  if (n < 0) call.fail_argument(0, fmt::format("must be a size from 0, not {}", n));
  size_of(Shape{n, n});
  const auto type = type_argument(call, 1);
  if (!is_numeric(type)) call.fail_argument(1, "must be a numeric type");
  return Value::array(identity(n).converted(type));
}

Value list_row(Call& call) { return Value::array(list_of(call.many())); }

}  // namespace
}  // namespace making_calls

Shape sizes_from(std::string_view name, std::span<const Value> given) {
  Shape shape;
  const auto add = [&](double size) {
    if (!is_whole(size) || size < 0 || size > 9e15)
      fail(fmt::format("{}: a size must be an integer from 0, not {}", name, shortest(size)));
    shape.push_back(static_cast<Index>(size));
  };
  if (given.size() == 1 && given[0].is_array_like() && shape_of(given[0]).count() == 1) {
    for (const double s : to_array(given[0]).converted(ElementType::float64).to_vector<double>()) add(s);
  } else
    for (const auto& v : given) {
      const auto n = single_real(v);
      if (!n) fail(fmt::format("{}: a size must be a number, not {}", name, kind_in_words(v)));
      add(*n);
    }
  size_of(shape);
  return shape;
}

Shape sizes_of(const Call& call) { return sizes_from(call.row.name, call.many()); }

Shape shape_argument(const Call& call, std::size_t like) {
  if (!call.given(like)) return sizes_of(call);
  if (!call.many().empty()) call.fail_argument(like, "gives the shape and cannot be combined with sizes");
  if (!call.value(like).is_array_like())
    call.fail_argument(like, fmt::format("must be an array, not {}", kind_in_words(call.value(like))));
  return shape_of(call.value(like));
}

int axis_of(const Value& value, int axes, std::span<const std::string> names) {
  if (value.is(Kind::text)) return axis_named(value.text(), names);
  const auto number = single_real(value);
  if (!number)
    fail(fmt::format("`over` names an axis by its number or its name, not {}", kind_in_words(value)));
  return checked_axis(*number, axes);
}

std::vector<int> axes_of(const Call& call, std::size_t i, int axes, std::span<const std::string> names) {
  const auto& value = call.value(i);
  if (!value.is_array_like() || shape_of(value).empty()) return {axis_of(value, axes, names)};
  const auto list = to_array(value);
  if (list.axes() != 1) call.fail_argument(i, "must be an axis or a vector of axes");
  std::vector<int> out;
  for (Index k = 0; k < list.length(); ++k) {
    out.push_back(axis_of(element_of(list, k), axes, names));
    if (std::count(out.begin(), out.end(), out.back()) > 1)
      call.fail_argument(i, fmt::format("names axis {} twice", out.back() + 1));
  }
  if (out.empty()) call.fail_argument(i, "must name at least one axis");
  return out;
}

int axis_argument(const Call& call, std::size_t i, const Array& a) {
  if (a.axes() == 0) call.fail_argument(0, "must be an array, not a single value");
  return call.given(i) ? axis_of(call.value(i), a.axes(), axis_names(a)) : 0;
}

std::vector<int> axes_argument(const Call& call, std::size_t i, const Array& a) {
  if (!call.given(i)) return {axis_argument(call, i, a)};
  if (a.axes() == 0) call.fail_argument(0, "must be an array, not a single value");
  return axes_of(call, i, a.axes(), axis_names(a));
}

std::vector<Builtin> making_rows() {
  using namespace making_calls;
  return {
      {
          .name = "zeros",
          .family = "making arrays",
          .summary = "Create an array of zeros.",
          .parameters = {kSizes, kType, kLike},
          .returns = "array of these sizes; without sizes, a number",
          .errors = "if a size is not an integer from 0",
          .example = "zeros(2, 3)",
          .output = "zeros(2, 3) : float64 2×3\n  0  0  0\n  0  0  0",
          .run = [](Call& c) { return constant_array(c, 0); },
      },
      {
          .name = "ones",
          .family = "making arrays",
          .summary = "Create an array of ones.",
          .parameters = {kSizes, kType, kLike},
          .returns = "array of these sizes",
          .errors = "if a size is not an integer from 0",
          .example = "ones(3)",
          .output = "ones(3) : float64 3\n  1  1  1",
          .run = [](Call& c) { return constant_array(c, 1); },
      },
      {
          .name = "filled",
          .family = "making arrays",
          .summary = "Create an array with the same value everywhere.",
          .parameters = {{"value", "value of every element; any kind", ""}, kSizes, kLike},
          .returns = "array of these sizes",
          .errors = "if a size is not an integer from 0",
          .example = "filled(2.5, 4)",
          .output = "filled(2.5, 4) : float64 4\n  2.5  2.5  2.5  2.5",
          .run = filled_row,
      },
      {
          .name = "identity",
          .family = "making arrays",
          .summary = "Create an identity matrix.",
          .parameters = {{"n", "number of rows and columns", ""}, kType},
          .returns = "an n×n matrix",
          .example = "identity(2)",
          .output = "identity(2) : float64 2×2\n  1  0\n  0  1",
          .run = identity_row,
      },
      {
          .name = "list",
          .family = "making arrays",
          .summary = "Create a list, which can contain values of any kind.",
          .parameters = {{"items", "values of any kind", "", true}},
          .returns = "a vector of type any",
          .example = "list(1, \"a\", [1, 2])",
          .output = "list(1, \"a\", [1, 2]) : any 3\n  1       \"a\"     [1, 2]",
          .run = list_row,
      },
  };
}

}  // namespace quill
