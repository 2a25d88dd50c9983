// Making arrays and laying them out anew.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/elementwise.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "base/text.h"
#include "builtins/sizes.h"
#include "builtins/tables.h"

namespace quill {

namespace {

const Parameter kSizes = {"sizes", "one size for each axis, or one vector of sizes", "", true};
const Parameter kType = {"type", "the element type, by name", "\"float64\""};

ElementType type_argument(const Call& call, std::size_t i) {
  if (!call.given(i)) return ElementType::float64;
  const auto name = call.text(i);
  std::vector<std::string> known;
  for (const auto type : {ElementType::float64, ElementType::float32, ElementType::int32, ElementType::int64,
                          ElementType::uint8, ElementType::complex128, ElementType::boolean,
                          ElementType::text, ElementType::any}) {
    if (name_of(type) == name) { return type; }
    known.emplace_back(name_of(type));
  }
  const auto near = nearest_name(name, known);
  call.fail_argument(i, fmt::format("is an element type, and \"{}\" is not", name),
                     near.empty() ? "" : fmt::format("did you mean \"{}\"?", near));
}

Value constant_array(Call& call, double value) {
  const auto shape = sizes_of(call);
  const auto type = type_argument(call, 1);
  if (!is_numeric(type))
    call.fail_argument(1, "is a type of numbers here", "filled(value, …) takes every kind of value");
  return Value::array(Array::filled<double>(shape, value).converted(type));
}

Value filled_row(Call& call) {
  const auto shape = sizes_of(call);
  const auto& value = call.value(0);
  switch (value.kind()) {
    case Kind::number: return Value::array(Array::filled<double>(shape, value.number()));
    case Kind::truth: return Value::array(Array::filled<bool>(shape, value.truth()));
    case Kind::text: return Value::array(Array::filled<std::string>(shape, value.text()));
    case Kind::array:
      if (value.array().axes() == 0 && value.array().type() == ElementType::complex128)
        return Value::array(Array::filled<Complex>(shape, *value.array().data<Complex>()));
      [[fallthrough]];
    default: return Value::array(Array::filled<Any>(shape, Any(new ValueContent(value))));
  }
}

Value identity_row(Call& call) {
  const auto n = call.whole(0);
  if (n < 0) call.fail_argument(0, fmt::format("is a size from 0, not {}", n));
  size_of(Shape{n, n});
  return Value::array(identity(n));
}

Value list_row(Call& call) { return Value::array(list_of(call.many())); }

}  // namespace

Shape sizes_of(const Call& call) {
  const auto given = call.many();
  Shape shape;
  const auto add = [&](double size) {
    if (!is_whole(size) || size < 0 || size > 9e15)
      fail(fmt::format("{}: a size is a whole number from 0, not {}", call.row.name, shortest(size)));
    shape.push_back(static_cast<Index>(size));
  };
  if (given.size() == 1 && given[0].is_array_like() && shape_of(given[0]).count() == 1) {
    for (const double s : to_array(given[0]).converted(ElementType::float64).to_vector<double>()) add(s);
  } else
    for (const auto& v : given) {
      const auto n = single_real(v);
      if (!n) fail(fmt::format("{}: a size is a number, not {}", call.row.name, kind_in_words(v)));
      add(*n);
    }
  size_of(shape);
  return shape;
}

std::vector<Builtin> making_rows() {
  return {
      {"zeros",
       "making arrays",
       "An array of zeros.",
       {kSizes, kType},
       "an array of these sizes; a number without sizes",
       "sizes that are not whole numbers from 0",
       "",
       "zeros(2, 3)",
       "zeros(2, 3) : float64 2×3\n  0  0  0\n  0  0  0",
       [](Call& c) { return constant_array(c, 0); }},
      {"ones",
       "making arrays",
       "An array of ones.",
       {kSizes, kType},
       "an array of these sizes",
       "sizes that are not whole numbers from 0",
       "",
       "ones(3)",
       "ones(3) : float64 3\n  1  1  1",
       [](Call& c) { return constant_array(c, 1); }},
      {"filled",
       "making arrays",
       "An array with the same value everywhere; any value at all.",
       {{"value", "what every element is", ""}, kSizes},
       "an array of these sizes",
       "sizes that are not whole numbers from 0",
       "",
       "filled(2.5, 4)",
       "filled(2.5, 4) : float64 4\n  2.5  2.5  2.5  2.5",
       filled_row},
      {"identity",
       "making arrays",
       "The identity matrix.",
       {{"n", "its size", ""}},
       "an n×n matrix",
       "",
       "",
       "identity(2)",
       "identity(2) : float64 2×2\n  1  0\n  0  1",
       identity_row},
      {"list",
       "making arrays",
       "A vector of anything.",
       {{"items", "values of any kind", "", true}},
       "a vector of type any",
       "",
       "",
       "list(1, \"a\", [1, 2])",
       "list(1, \"a\", [1, 2]) : any 3\n  1       \"a\"     [1, 2]",
       list_row},
  };
}

namespace {

Array turnable(const Call& call, std::size_t i) { return call.array(i); }

Value across_row(Call& call) { return Value::array(across(turnable(call, 0))); }
Value down_row(Call& call) { return Value::array(down(turnable(call, 0))); }

Value reshape_row(Call& call) {
  const auto a = call.array(0);
  std::vector<Index> extents;
  const auto add = [&](const Value& v) {
    if (v.is(Kind::builtin) && v.object<BuiltinObject>().row->name == "auto") return extents.push_back(-1);
    const auto n = single_real(v);
    if (!n || !is_whole(*n) || *n < 0 || *n > 1e15)
      fail(fmt::format("reshape: a size is a whole number from 0 or auto, not {}", kind_in_words(v)));
    extents.push_back(static_cast<Index>(*n));
  };
  const auto given = call.many();
  if (given.size() == 1 && given[0].is(Kind::array) && given[0].array().axes() == 1) {
    for (const double s : to_array(given[0]).converted(ElementType::float64).to_vector<double>())
      add(Value(s));
  } else
    for (const auto& v : given) add(v);
  return Value::array(reshape(a, extents));
}

Value auto_row(Call&) { fail("`auto` stands for a size that reshape works out", "reshape(a, 10, auto)"); }

std::vector<Array> parts_of(const Call& call) {
  std::vector<Array> parts;
  for (const auto& v : call.many()) parts.push_back(to_array(v, call.row.name));
  if (parts.empty()) fail(fmt::format("{} needs at least one array", call.row.name));
  return parts;
}

Value join_row(Call& call) {
  const auto parts = parts_of(call);
  if (parts[0].axes() == 0)
    fail("join takes vectors, matrices and so on, not single values", "[a, b] makes a vector of them");
  return Value::array(join(parts, call.given(1) ? checked_axis(call.number(1), parts[0].axes()) : 0));
}

Value stack_row(Call& call) { return Value::array(stack(parts_of(call))); }

Value reverse_row(Call& call) {
  const auto a = call.array(0);
  if (a.axes() == 0) call.fail_argument(0, "is an array with axes, not a single value");
  return Value::array(reversed(a, call.given(1) ? checked_axis(call.number(1), a.axes()) : 0));
}

Value append_row(Call& call) {
  auto& a = call.changeable_array(0);
  if (a.array().type() == ElementType::any) {
    const Value one[] = {call.value(1)};
    append(a.own_array(), list_of(one).with_shape({}));
  } else {
    append(a.own_array(), call.array(1));
  }
  return std::move(a);
}

Value shape_row(Call& call) {
  std::vector<double> extents;
  for (const auto e : shape_of(call.value(0))) extents.push_back(static_cast<double>(e));
  return Value::array(Array::vector(extents));
}

Value length_row(Call& call) {
  const auto& v = call.value(0);
  if (v.is(Kind::tuple)) return {static_cast<double>(v.object<TupleObject>().items.size())};
  if (v.is(Kind::dictionary)) return {static_cast<double>(v.object<DictionaryObject>().entries.size())};
  const auto shape = shape_of(v);
  if (!v.is_array_like())
    call.fail_argument(0, fmt::format("is an array, a tuple or a dictionary, not {}", kind_in_words(v)));
  return {shape.empty() ? 1.0 : static_cast<double>(shape[0])};
}

Value size_row(Call& call) {
  if (!call.value(0).is_array_like())
    call.fail_argument(0, fmt::format("is an array, not {}", kind_in_words(call.value(0))));
  return {static_cast<double>(size_of(shape_of(call.value(0))))};
}

Value positions_row(Call& call) {
  const auto mask = call.array(0);
  if (mask.type() != ElementType::boolean || mask.axes() != 1)
    call.fail_argument(0, fmt::format("is a vector of truth values, not {}", kind_in_words(call.value(0))),
                       "positions(v > 2)");
  std::vector<double> out;
  const auto values = mask.to_vector<bool>();
  for (std::size_t k = 0; k < values.size(); ++k)
    if (values[k]) out.push_back(static_cast<double>(k + 1));
  return Value::array(Array::vector(out));
}

Value sort_row(Call& call) {
  const auto a = call.array(0);
  if (a.axes() != 1)
    call.fail_argument(0, fmt::format("is a vector, not an array of shape {}", text_of(a.shape())));
  auto out = a.copied();
  if (a.type() == ElementType::text) {
    auto* p = out.mutable_data<std::string>();
    std::stable_sort(p, p + out.size());
  } else if (a.type() == ElementType::float64) {
    auto* p = out.mutable_data<double>();
    std::stable_sort(p, p + out.size(), [](double x, double y) {
      return std::isnan(x) ? false : std::isnan(y) ? true : x < y;
    });
  } else if (a.type() == ElementType::boolean) {
    auto* p = out.mutable_data<bool>();
    std::stable_sort(p, p + out.size());
  } else
    call.fail_argument(0, fmt::format("holds {}, which have no order", name_of(a.type())));
  return Value::array(call.truth_or(1, false) ? reversed(out, 0) : out);
}

}  // namespace

std::vector<Builtin> shape_rows() {
  const Parameter a = {"a", "an array", ""};
  return {
      {"across",
       "shapes",
       "A vector laid out as one row, so that it runs across the columns of a grid.",
       {{"v", "a vector, or a matrix of one row or column", ""}},
       "a 1×n matrix; nothing is copied",
       "",
       "",
       "across([1, 2, 3]) + down([10, 20])",
       "across([1, 2, 3]) + down([10, 20]) : float64 2×3\n  11  12  13\n  21  22  23",
       across_row},
      {"down",
       "shapes",
       "A vector laid out as one column, so that it runs down the rows of a grid.",
       {{"v", "a vector, or a matrix of one row or column", ""}},
       "an n×1 matrix; nothing is copied",
       "",
       "",
       "shape(down([1, 2, 3]))",
       "shape(down([1, 2, 3])) : float64 2\n  3  1",
       down_row},
      {"reshape",
       "shapes",
       "The same elements in row order with other sizes.",
       {a, {"sizes", "one for each axis; one of them may be auto", "", true}},
       "an array of these sizes",
       "sizes that do not hold the elements: shapes that do are named",
       "",
       "reshape(1..6, 2, auto)",
       "reshape(1..6, 2, auto) : float64 2×3\n  1  2  3\n  4  5  6",
       reshape_row},
      {"auto",
       "shapes",
       "In reshape, the size that follows from the others.",
       {},
       "a word that only reshape takes",
       "",
       "",
       "shape(reshape(1..12, auto, 4))",
       "shape(reshape(1..12, auto, 4)) : float64 2\n  3  4",
       auto_row},
      {"flatten",
       "shapes",
       "All elements in row order as a vector.",
       {a},
       "a vector",
       "",
       "",
       "flatten([1, 2 | 3, 4])",
       "flatten([1, 2 | 3, 4]) : float64 4\n  1  2  3  4",
       [](Call& c) { return Value::array(flattened(c.array(0))); }},
      {"join",
       "shapes",
       "Arrays end to end along an axis.",
       {{"arrays", "arrays whose other extents agree", "", true}, {"over", "the axis", "1"}},
       "one array",
       "extents that differ",
       "",
       "join([1, 2], [3])",
       "join([1, 2], [3]) : float64 3\n  1  2  3",
       join_row},
      {"stack",
       "shapes",
       "Arrays of one shape on a new first axis.",
       {{"arrays", "arrays of equal shape", "", true}},
       "one array with one more axis",
       "shapes that differ",
       "",
       "stack([1, 2], [3, 4])",
       "stack([1, 2], [3, 4]) : float64 2×2\n  1  2\n  3  4",
       stack_row},
      {"reverse",
       "shapes",
       "The elements along an axis in the opposite order.",
       {a, {"over", "the axis", "1"}},
       "an array of the shape of a",
       "",
       "",
       "reverse(1..4)",
       "reverse(1..4) : float64 4\n  4  3  2  1",
       reverse_row},
      {"append",
       "shapes",
       "The array with one more element, or one more row for a matrix.",
       {a, {"item", "an element, or a row", ""}},
       "a new array; a itself does not change",
       "an item of another shape",
       "",
       "v = append([1, 2], 3)\nv",
       "v : float64 3\n  1  2  3",
       append_row,
       {},
       {},
       true},
      {"shape",
       "shapes",
       "The sizes of the axes.",
       {{"a", "a value", ""}},
       "a vector, empty for a single value",
       "",
       "",
       "shape(zeros(6, 8))",
       "shape(zeros(6, 8)) : float64 2\n  6  8",
       shape_row},
      {"length",
       "shapes",
       "The extent of the first axis; the count of items of a tuple or dictionary.",
       {{"a", "an array, a tuple or a dictionary", ""}},
       "a number",
       "",
       "",
       "length(zeros(6, 8))",
       "length(zeros(6, 8)) = 6",
       length_row},
      {"size",
       "shapes",
       "The count of elements.",
       {a},
       "a number",
       "",
       "",
       "size(zeros(6, 8))",
       "size(zeros(6, 8)) = 48",
       size_row},
      {"axes",
       "shapes",
       "The count of axes.",
       {{"a", "a value", ""}},
       "a number, 0 for a single value",
       "",
       "",
       "axes(zeros(6, 8))",
       "axes(zeros(6, 8)) = 2",
       [](Call& c) { return Value(static_cast<double>(shape_of(c.value(0)).count())); }},
      {"positions",
       "choosing",
       "The positions at which a condition is true.",
       {{"mask", "a vector of truth values", ""}},
       "a vector of positions",
       "",
       "",
       "positions([5, 1, 7] > 4)",
       "positions([5, 1, 7] > 4) : float64 2\n  1  3",
       positions_row},
      {"sort",
       "choosing",
       "The elements in rising order; nan stands last.",
       {{"a", "a vector of numbers, texts or truth values", ""},
        {"falling", "whether the largest comes first", "false"}},
       "a vector",
       "complex numbers",
       "",
       "sort([3, 1, 2])",
       "sort([3, 1, 2]) : float64 3\n  1  2  3",
       sort_row},
      {"outer",
       "linear algebra",
       "The products of all pairs of elements of two vectors.",
       {{"a", "a vector", ""}, {"b", "a vector", ""}},
       "a matrix: a runs down, b across",
       "",
       "",
       "outer([1, 2], [10, 20])",
       "outer([1, 2], [10, 20]) : float64 2×2\n  10  20\n  20  40",
       [](Call& c) {
         const auto x = c.vector(0), y = c.vector(1);
         return Value::array(apply(Binary::multiply, down(x), across(y)));
       }},
  };
}

}  // namespace quill
