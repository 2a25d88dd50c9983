// Shapes and rearrangement of arrays.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "array/elementwise.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/table_rows.h"
#include "builtins/tables.h"
#include "value/construct.h"

namespace quill {

namespace shapes_calls {
namespace {

Value across_row(Call& call) { return Value::array(across(call.array(0))); }
Value down_row(Call& call) { return Value::array(down(call.array(0))); }

Value reshape_row(Call& call) {
  const auto a = call.array(0);
  std::vector<Index> extents;
  const auto add = [&](const Value& v) {
    if (v.is(Kind::builtin) && v.object<BuiltinObject>().row->name == "auto") return extents.push_back(-1);
    const auto n = single_real(v);
    if (!n || !is_whole(*n) || *n < 0 || *n > 1e15)
      fail(fmt::format("reshape: a size must be an integer from 0 or auto, not {}", kind_in_words(v)));
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

Value auto_row(Call&) { fail("`auto` is a size that reshape computes", "reshape(a, 10, auto)"); }

std::vector<Array> parts_of(const Call& call) {
  std::vector<Array> parts;
  for (const auto& v : call.many()) parts.push_back(to_array(v, call.row.name));
  if (parts.empty()) fail(fmt::format("{} requires at least one array", call.row.name));
  return parts;
}

// Two tables where their columns agree.
Value join_tables(Call& call) {
  const auto tables = call.many();
  for (const auto& table : tables)
    if (!table.is(Kind::record))
      fail(fmt::format("join takes tables or arrays, not a table and {}", kind_in_words(table)));
  if (call.given(1)) call.fail_argument(1, "requires arrays; tables are joined by columns");
  for (std::size_t k = 0; k < tables.size(); ++k)
    if (!table_length(tables[k]))
      fail(fmt::format("join takes tables (records of columns of equal length), and the {} record is not one",
                       k == 0                   ? "first"
                       : k + 1 == tables.size() ? "last"
                                                : "second or a later"));
  if (tables.size() == 1) return tables[0];
  if (tables.size() > 2) {
    if (call.given(2)) fail(fmt::format("two tables are joined by a column, not {}", tables.size()));
    return stacked_tables(tables);
  }
  const auto &left = tables[0].object<RecordObject>(), &right = tables[1].object<RecordObject>();
  if (!call.given(2)) {
    const bool are_alike = left.fields.size() == right.fields.size() &&
                           std::all_of(left.fields.begin(), left.fields.end(),
                                       [&](const auto& field) { return right.find(field.first) != nullptr; });
    if (are_alike) return stacked_tables(tables);
    const auto common = std::find_if(left.fields.begin(), left.fields.end(),
                                     [&](const auto& field) { return right.find(field.first) != nullptr; });
    fail("without `by`, join takes tables with the same columns",
         common == left.fields.end() ? "" : fmt::format("join(a, b, by: \"{}\")", common->first));
  }
  const auto by = column_names(call, 2, left);
  column_names(call, 2, right);
  return joined_tables(left, right, by, call.one_of(3));
}

Value join_row(Call& call) {
  if (std::any_of(call.many().begin(), call.many().end(), [](const Value& v) { return v.is(Kind::record); }))
    return join_tables(call);
  for (const std::size_t k : {std::size_t{2}, std::size_t{3}})
    if (call.given(k)) call.fail_argument(k, "requires tables, and these are arrays");
  const auto parts = parts_of(call);
  if (parts[0].axes() == 0)
    fail("join takes vectors, matrices and so on, not single values", "[a, b] makes a vector of them");
  return Value::array(join(parts, axis_argument(call, 1, parts[0])));
}

Value stack_row(Call& call) { return Value::array(stack(parts_of(call))); }

Value reverse_row(Call& call) {
  if (const auto* table = find_table(call, 0)) {
    if (call.given(1)) call.fail_argument(1, "requires arrays, and this is a table");
    std::vector<Index> places(static_cast<std::size_t>(length_of(*table)));
    std::iota(places.rbegin(), places.rend(), Index{0});
    return rows_at(*table, places);
  }
  const auto a = call.array(0);
  return Value::array(reversed(a, axis_argument(call, 1, a)));
}

// A single value counts as a vector of one.
Value repeat_row(Call& call) {
  auto a = call.array(0);
  if (a.axes() == 0) a = a.with_shape({1});
  const auto n = call.whole(1);
  if (n < 0) call.fail_argument(1, fmt::format("must be an integer from 0, not {}", n));
  return Value::array(repeated(a, n, axis_argument(call, 2, a)));
}

Value rotate_row(Call& call) {
  const auto a = call.array(0);
  return Value::array(rotated(a, call.whole(1), axis_argument(call, 2, a)));
}

Value split_row(Call& call) {
  if (call.value(0).is(Kind::text))
    call.fail_argument(0, "must be an array, not a text",
                       "split_text(t, \",\") splits a text at a separator");
  const auto a = call.array(0);
  const int axis = axis_argument(call, 2, a);
  const Index extent = a.extent(axis);
  std::vector<Index> lengths;
  if (shape_of(call.value(1)).empty()) {
    const auto parts = call.whole(1);
    if (parts < 1) call.fail_argument(1, fmt::format("must be an integer from 1, not {}", parts));
    if (extent % parts != 0)
      call.fail_argument(
          1, fmt::format("is {}, and {} elements cannot be split into that many equal parts", parts, extent),
          "a vector gives the length of each part: split(a, [2, 3])");
    lengths.assign(static_cast<std::size_t>(parts), extent / parts);
  } else {
    Index sum = 0;
    for (const double length : call.vector(1).to_vector<double>()) {
      if (!is_whole(length) || length < 0 || length > 9e15)
        call.fail_argument(1, fmt::format("must contain lengths, integers from 0, not {}", shortest(length)));
      lengths.push_back(static_cast<Index>(length));
      sum += lengths.back();
    }
    if (sum != extent)
      call.fail_argument(
          1, fmt::format("contains lengths with the sum {}, and the axis has {} elements", sum, extent));
  }
  std::vector<Value> parts;
  Index first = 0;
  for (const Index length : lengths) {
    std::vector<Subscript> s;
    for (int i = 0; i < a.axes(); ++i) s.push_back(everything(a.extent(i)));
    s[static_cast<std::size_t>(axis)] = {Subscript::Kind::run, first, 1, length, {}};
    parts.push_back(Value::array(select(a, s)));
    first += length;
  }
  return Value::array(list_of(parts));
}

Value permute_axes_row(Call& call) {
  const auto a = call.array(0);
  std::vector<int> order;
  std::vector<bool> seen(static_cast<std::size_t>(a.axes()));
  const auto bad = [&] {
    call.fail_argument(1, fmt::format("must name each of the axes 1..{} once", a.axes()),
                       "permute_axes(a, [3, 1, 2])");
  };
  for (const double p : call.vector(1).to_vector<double>()) {
    if (!is_whole(p) || p < 1 || p > a.axes() || seen[static_cast<std::size_t>(p) - 1]) bad();
    seen[static_cast<std::size_t>(p) - 1] = true;
    order.push_back(static_cast<int>(p) - 1);
  }
  if (static_cast<int>(order.size()) != a.axes()) bad();
  return Value::array(a.permuted(order));
}

Value adjoint_row(Call& call) {
  const auto a = call.numbers(0);
  if (a.axes() < 2)
    call.fail_argument(0, "must be a matrix, or an array with more axes",
                       "conj(v) conjugates a vector; across(v) and down(v) make it a matrix");
  return Value::array(a.type() == ElementType::complex128 ? apply(Unary::conj, a.transposed())
                                                          : a.transposed());
}

Value append_row(Call& call) {
  if (find_table(call, 0)) {
    append_table_row(call.changeable(0), call.value(1));
    return std::move(call.changeable(0));
  }
  auto& a = call.changeable_array(0);
  const auto& item = call.value(1);
  const auto type = a.array().type();
  const bool is_open = type == ElementType::float64 && a.array().axes() == 1 && a.array().size() == 0;
  if (type == ElementType::any || (is_open && !item.is_array_like())) {
    const Value one[] = {item};
    if (is_open)
      a = Value::array(list_of(one));
    else
      append(a.own_array(), list_of(one).with_shape({}));
    return std::move(a);
  }
  if (!item.is_array_like())
    call.fail_argument(1, fmt::format("is {}, and the array contains {}", kind_in_words(item), name_of(type)),
                       "a list can contain anything: v = list()");
  const auto label = is_time(item) && (is_open || is_time(a)) ? item.array().label : nullptr;
  append(a.own_array(), call.array(1));
  a.own_array().label = label;
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
  if (const auto rows = table_length(v)) return {static_cast<double>(*rows)};
  const auto shape = shape_of(v);
  if (!v.is_array_like())
    call.fail_argument(
        0, fmt::format("must be an array, a tuple, a dictionary or a table, not {}", kind_in_words(v)));
  return {shape.empty() ? 1.0 : static_cast<double>(shape[0])};
}

Value size_row(Call& call) {
  if (!call.value(0).is_array_like())
    call.fail_argument(0, fmt::format("must be an array, not {}", kind_in_words(call.value(0))));
  return {static_cast<double>(size_of(shape_of(call.value(0))))};
}

}  // namespace
}  // namespace shapes_calls

std::vector<Builtin> shape_rows() {
  using namespace shapes_calls;
  const Parameter a = {"a", "an array", ""};
  return {
      {
          .name = "across",
          .family = "shapes",
          .summary = "Arrange a vector as one row, across the columns of a grid.",
          .parameters = {{"v", "a vector, or a matrix with one row or one column", ""}},
          .returns = "a 1×n matrix; nothing is copied",
          .example = "across([1, 2, 3]) + down([10, 20])",
          .output = "across([1, 2, 3]) + down([10, 20]) : float64 2×3\n  11  12  13\n  21  22  23",
          .run = across_row,
      },
      {
          .name = "down",
          .family = "shapes",
          .summary = "Arrange a vector as one column, down the rows of a grid.",
          .parameters = {{"v", "a vector, or a matrix with one row or one column", ""}},
          .returns = "an n×1 matrix; nothing is copied",
          .example = "shape(down([1, 2, 3]))",
          .output = "shape(down([1, 2, 3])) : float64 2\n  3  1",
          .run = down_row,
      },
      {
          .name = "reshape",
          .family = "shapes",
          .summary = "Arrange the elements, in row order, in an array of other sizes.",
          .parameters = {a, {"sizes", "one size for each axis; one of them may be auto", "", true}},
          .returns = "array of these sizes",
          .errors = "if the sizes do not hold the elements; the message lists shapes that do",
          .example = "reshape(1..6, 2, auto)",
          .output = "reshape(1..6, 2, auto) : float64 2×3\n  1  2  3\n  4  5  6",
          .run = reshape_row,
      },
      {
          .name = "auto",
          .family = "shapes",
          .summary = "In reshape, the size that follows from the others.",
          .returns = "a constant for reshape only",
          .example = "shape(reshape(1..12, auto, 4))",
          .output = "shape(reshape(1..12, auto, 4)) : float64 2\n  3  4",
          .run = auto_row,
      },
      {
          .name = "flatten",
          .family = "shapes",
          .summary = "Arrange all elements, in row order, as a vector.",
          .parameters = {a},
          .returns = "a vector",
          .example = "flatten([1, 2 | 3, 4])",
          .output = "flatten([1, 2 | 3, 4]) : float64 4\n  1  2  3  4",
          .run = [](Call& c) { return Value::array(flattened(c.array(0))); },
      },
      {
          .name = "join",
          .family = "shapes",
          .summary = "Concatenate arrays along an axis, append tables with the same columns, or join two "
                     "tables on a column.",
          .parameters =
              {{"arrays", "arrays whose other sizes are equal, or tables", "", true},
               {"over", "axis", "1"},
               {"by", "column that both tables have, or a vector of names", "none"},
               one_of({"keep",
                       "rows without a match that are kept: of neither table (\"both\" must have it), of the "
                       "\"left\" one, or \"all\"; missing values are nan, an empty text or none",
                       "\"both\""},
                      choices::kKept)},
          .returns = "an array, or a table",
          .errors = "if the other sizes differ; if other columns have the same name in both tables",
          .example = "join([1, 2], [3])\na = (cast: [1, 2, 3], depth: [3, 38, 9])\n"
                     "wind = (cast: [3, 1], wind: [2.5, 4])\njoin(a, wind, by: \"cast\")\n"
                     "more = (cast: [4], depth: [12])\nlength(join(a, more))",
          .output =
              "join([1, 2], [3]) : float64 3\n  1  2  3\n"
              "join(a, wind, by: … : table of 2 rows: cast float64, depth float64, wind float64\n"
              "  cast  depth  wind\n     1      3   4.0\n     3      9   2.5\nlength(join(a, more)) = 4",
          .run = join_row,
      },
      {
          .name = "stack",
          .family = "shapes",
          .summary = "Stack arrays of equal shape along a new first axis.",
          .parameters = {{"arrays", "arrays of equal shape", "", true}},
          .returns = "array with one more axis",
          .errors = "if the shapes do not match",
          .example = "stack([1, 2], [3, 4])",
          .output = "stack([1, 2], [3, 4]) : float64 2×2\n  1  2\n  3  4",
          .run = stack_row,
      },
      {
          .name = "reverse",
          .family = "shapes",
          .summary = "Reverse the order of the elements along an axis, or of the rows of a table.",
          .parameters = {{"a", "an array, or a table", ""}, {"over", "axis", "1"}},
          .returns = "array of the shape of a; or a table",
          .example = "reverse(1..4)",
          .output = "reverse(1..4) : float64 4\n  4  3  2  1",
          .run = reverse_row,
      },
      {
          .name = "rotate",
          .family = "shapes",
          .summary = "Shift elements along an axis cyclically.",
          .parameters = {a,
                         {"by", "number of elements; negative shifts are towards the start", ""},
                         {"over", "axis", "1"}},
          .returns = "array of the shape of a",
          .example = "rotate(1..5, 2)",
          .output = "rotate(1..5, 2) : float64 5\n  4  5  1  2  3",
          .run = rotate_row,
      },
      {
          .name = "repeat",
          .family = "shapes",
          .summary = "Concatenate copies of an array along an axis.",
          .parameters = {a, {"n", "number of copies", ""}, {"over", "axis", "1"}},
          .returns = "array n times as long along the axis",
          .example = "repeat([1, 2], 3)",
          .output = "repeat([1, 2], 3) : float64 6\n  1  2  1  2  1  2",
          .run = repeat_row,
      },
      {
          .name = "split",
          .family = "shapes",
          .summary = "Split an array into parts along an axis.",
          .parameters = {a,
                         {"parts", "number of equal parts, or a vector with the length of each part", ""},
                         {"over", "axis", "1"}},
          .returns = "a list of arrays",
          .errors = "if the lengths of the parts do not add up to the axis",
          .example = "a, b = split(1..6, [2, 4])\nb",
          .output = "b : float64 4\n  3  4  5  6",
          .run = split_row,
      },
      {
          .name = "permute_axes",
          .family = "shapes",
          .summary = "Permute the axes of an array.",
          .parameters = {a, {"order", "for each axis of the result, the axis of a, counted from 1", ""}},
          .returns = "array; nothing is copied",
          .errors = "if the order does not name each axis once",
          .example = "shape(permute_axes(zeros(2, 3, 4), [3, 1, 2]))",
          .output = "shape(permute_axes(zeros(2, 3, 4), [3, 1, 2])) : float64 3\n  4  2  3",
          .run = permute_axes_row,
      },
      {
          .name = "adjoint",
          .family = "shapes",
          .summary = "Conjugate transpose of a matrix.",
          .parameters = {{"a", "a matrix, or an array with more axes, whose last two are swapped", ""}},
          .returns = "an array",
          .errors = "if a is a vector",
          .example = "adjoint([1i, 2 | 3, 4i])",
          .output = "adjoint([1i, 2 | 3, 4i]) : complex128 2×2\n  0 - 1i  3 - 0i\n  2 - 0i  0 - 4i",
          .run = adjoint_row,
      },
      {
          .name = "append",
          .family = "shapes",
          .summary = "Return an array with one more element, or a matrix or table with one more row.",
          .parameters = {{"a", "an array, or a table", ""},
                         {"item", "an element, or a row; for a table, a record with its columns", ""}},
          .returns = "a new array or table; a itself is unchanged",
          .errors = "if the item has another shape; if the record has other fields",
          .example = "v = append([1, 2], 3)\nv\nt = append((cast: [1], depth: [3]), (cast: 2, depth: 38))\nt",
          .output = "v : float64 3\n  1  2  3\n"
                    "t : table of 2 rows: cast float64, depth float64\n"
                    "  cast  depth\n     1      3\n     2     38",
          .run = append_row,
          .as_they_are = false,
          .changes_first = true,
      },
      {
          .name = "shape",
          .family = "shapes",
          .summary = "Return the sizes of the axes.",
          .parameters = {{"a", "any value", ""}},
          .returns = "a vector; empty for a single value",
          .example = "shape(zeros(6, 8))",
          .output = "shape(zeros(6, 8)) : float64 2\n  6  8",
          .run = shape_row,
      },
      {
          .name = "length",
          .family = "shapes",
          .summary = "Return the length of the first axis, the number of items of a tuple or dictionary, or "
                     "of rows of a table.",
          .parameters = {{"a", "an array, a tuple, a dictionary or a table", ""}},
          .returns = "a number",
          .example = "length(zeros(6, 8))",
          .output = "length(zeros(6, 8)) = 6",
          .run = length_row,
      },
      {
          .name = "size",
          .family = "shapes",
          .summary = "Return the number of elements.",
          .parameters = {a},
          .returns = "a number",
          .example = "size(zeros(6, 8))",
          .output = "size(zeros(6, 8)) = 48",
          .run = size_row,
      },
      {
          .name = "axes",
          .family = "shapes",
          .summary = "Return the number of axes.",
          .parameters = {{"a", "any value", ""}},
          .returns = "a number; 0 for a single value",
          .example = "axes(zeros(6, 8))",
          .output = "axes(zeros(6, 8)) = 2",
          .run = [](Call& c) { return Value(static_cast<double>(shape_of(c.value(0)).count())); },
      },
  };
}

}  // namespace quill
