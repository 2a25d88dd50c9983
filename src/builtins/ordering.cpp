// Order, sets and positions.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/index.h"
#include "array/order.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "builtins/arguments.h"
#include "builtins/table_rows.h"
#include "builtins/tables.h"

namespace quill {

namespace ordering_calls {
namespace {

// Of a vector the positions; of more axes one row of positions for each true element.
Value positions_row(Call& call) {
  auto mask = call.array(0);
  if (mask.size() == 0 && is_numeric(mask.type())) mask = mask.converted(ElementType::boolean);
  if (mask.type() != ElementType::boolean || mask.axes() == 0)
    call.fail_argument(0, fmt::format("must be an array of booleans, not {}", kind_in_words(call.value(0))),
                       "positions(v > 2)");
  const auto values = mask.to_vector<bool>();
  std::vector<double> out;
  Index count = 0;
  for (std::size_t k = 0; k < values.size(); ++k) {
    if (!values[k]) continue;
    ++count;
    auto left = static_cast<Index>(k);
    const auto first = out.size();
    for (int axis = mask.axes() - 1; axis >= 0; --axis) {
      out.insert(out.begin() + static_cast<std::ptrdiff_t>(first),
                 static_cast<double>(left % mask.extent(axis) + 1));
      left /= mask.extent(axis);
    }
  }
  const auto all = Array::vector(out);
  return Value::array(mask.axes() == 1 ? all : all.with_shape({count, mask.axes()}));
}

Value sort_row(Call& call) {
  if (call.value(0).is(Kind::record)) {
    const auto& table = table_argument(call, 0);
    if (call.given(1)) call.fail_argument(1, "requires an array; a table is sorted by its columns");
    if (!call.given(3))
      call.fail_argument(0, "must be an array; a table is sorted by a column",
                         fmt::format("sort(t, by: \"{}\")", table.fields[0].first));
    return sorted_table(call, table, 3, call.boolean_or(2, false));
  }
  if (call.given(3)) call.fail_argument(3, "requires a table; an array is sorted by its own elements");
  const auto a = call.array(0);
  return Value::array(sorted(a, axis_argument(call, 1, a), call.boolean_or(2, false)));
}

Value sort_order_row(Call& call) {
  const auto a = call.array(0);
  return Value::array(sort_order(a, axis_argument(call, 1, a), call.boolean_or(2, false)));
}

Value locate_row(Call& call) {
  const auto v = call.array(0);
  if (v.axes() != 1)
    call.fail_argument(0, fmt::format("must be a vector, not {}", kind_in_words(call.value(0))));
  return Value::array(locate(v, call.array(1)));
}

Value union_row(Call& call) {
  const Array both[] = {flattened(call.array(0)), flattened(call.array(1))};
  return Value::array(unique(join(both, 0)));
}

Value intersection_row(Call& call) {
  const auto a = call.array(0);
  return Value::array(unique(select_mask(a, member(a, call.array(1)))));
}

Value bin_sums_row(Call& call) {
  const auto positions = call.ordered(0);
  auto values = call.given(1) ? call.numbers(1) : Array::filled<Index>({}, 1);
  if (values.axes() > 0 && !(values.shape() == positions.shape()))
    call.fail_argument(1, fmt::format("must have the shape of the indices, {}, or be a single number; not {}",
                                      text_of(positions.shape()), text_of(values.shape())));
  Index size = 0;
  if (call.given(2)) {
    size = call.whole(2);
    if (size < 0 || size > (Index{1} << 40))
      call.fail_argument(2, fmt::format("must be a size from 0, not {}", size));
  } else if (positions.size() > 0) {
    const double most = *reduce(Reduction::maximum, positions.converted(ElementType::float64)).data<double>();
    if (!(most >= 1 && most < 1e12))
      call.fail_argument(0, fmt::format("must contain indices from 1, not {}", shortest(most)));
    size = static_cast<Index>(most);
  }
  return Value::array(bin_sums(positions, values, size));
}

constexpr std::string_view kOrdered = "numbers, texts or booleans";

}  // namespace
}  // namespace ordering_calls

std::vector<Builtin> ordering_rows() {
  using namespace ordering_calls;
  const Parameter over = {"over", "axis", "1"};
  const Parameter descending = {"descending", "whether to sort in descending order", "false"};
  return {
      {
          .name = "positions",
          .family = "order and sets",
          .summary = "Find the indices at which a condition is true.",
          .parameters = {{"mask", "booleans", ""}},
          .returns = "a vector of indices; with several axes, one row of indices for each true element",
          .example = "positions([5, 1, 7] > 4)\npositions([5, 1 | 2, 7] > 4)",
          .output = "positions([5, 1, 7] > 4) : float64 2\n  1  3\npositions([5, 1 | 2, 7] > 4) : float64 "
                    "2×2\n  1  1\n  "
                    "2  2",
          .run = positions_row,
      },
      {
          .name = "sort",
          .family = "order and sets",
          .summary =
              "Sort elements along an axis, or the rows of a table, in ascending order; nan comes last.",
          .parameters = {{"a", "numbers, texts, booleans; or a table", ""},
                         over,
                         descending,
                         {"by", "column of a table to sort by, or a vector of names", "none"}},
          .returns = "array of the shape of a; or a table",
          .errors = "if a contains complex numbers or lists",
          .source = "stable merge sort",
          .example = "sort([3, 1, 2])\nsort([\"perch\", \"char\"], descending: true)",
          .output = "sort([3, 1, 2]) : float64 3\n  1  2  3\nsort([\"perch\", \"char\"], descending: true) : "
                    "text 2\n  "
                    "\"perch\"  "
                    "\"char\"",
          .run = sort_row,
      },
      {
          .name = "sort_order",
          .family = "order and sets",
          .summary = "Return the indices that sort an array: a[sort_order(a)] is sorted.",
          .parameters = {{"a", kOrdered, ""}, over, descending},
          .returns = "indices, of the shape of a",
          .errors = "if a contains complex numbers or lists",
          .source = "stable merge sort",
          .example =
              "depth = [12, 3, 7]\nname = [\"deep\", \"shallow\", \"middle\"]\nname[sort_order(depth)]",
          .output = "name[sort_order(depth)] : text 3\n  \"shallow\"  \"middle\"   \"deep\"",
          .run = sort_order_row,
      },
      {
          .name = "unique",
          .family = "order and sets",
          .summary = "Return the distinct elements, or the distinct rows of a table, in ascending order.",
          .parameters = {{"a", "numbers, texts, booleans; or a table", ""}},
          .returns = "a vector; a table",
          .errors = "if a contains complex numbers or lists",
          .example = "unique([3, 1, 3, 2, 1])",
          .output = "unique([3, 1, 3, 2, 1]) : float64 3\n  1  2  3",
          .run =
              [](Call& c) {
                const auto* table = find_table(c, 0);
                return table ? different_rows(*table) : Value::array(unique(c.array(0)));
              },
      },
      {
          .name = "locate",
          .family = "order and sets",
          .summary = "Locate numbers in an increasing vector: the index of the last element not greater than "
                     "each, or 0.",
          .parameters = {{"v", "vector of increasing elements", ""}, {"x", "numbers to locate", ""}},
          .returns = "indices, of the shape of x",
          .errors = "if the elements are not increasing",
          .source = "bisection",
          .example = "locate([0, 10, 20], [5, 20, -1])",
          .output = "locate([0, 10, 20], [5, 20, -1]) : float64 3\n  1  3  0",
          .run = locate_row,
      },
      {
          .name = "member",
          .family = "order and sets",
          .summary = "Test which elements belong to a set.",
          .parameters = {{"a", kOrdered, ""}, {"set", "elements of the set", ""}},
          .returns = "booleans, of the shape of a",
          .example = "member([1, 5, 2], [2, 1])",
          .output = "member([1, 5, 2], [2, 1]) : bool 3\n   true  false   true",
          .run = [](Call& c) { return Value::array(member(c.array(0), c.array(1))); },
          .of_numbers = OfNumbers{{1, 0},
                                  0,
                                  [](std::span<const double> given, double* result) {
                                    const auto set = given.subspan(1);
                                    *result = std::find(set.begin(), set.end(), given[0]) != set.end();
                                    return !std::isnan(given[0]);
                                  }},
      },
      {
          .name = "union",
          .family = "order and sets",
          .summary = "Return the distinct elements of two arrays together, in ascending order.",
          .parameters = {{"a", kOrdered, ""}, {"b", kOrdered, ""}},
          .returns = "a vector",
          .example = "union([3, 1], [2, 3])",
          .output = "union([3, 1], [2, 3]) : float64 3\n  1  2  3",
          .run = union_row,
      },
      {
          .name = "intersection",
          .family = "order and sets",
          .summary = "Return the distinct elements that two arrays have in common, in ascending order.",
          .parameters = {{"a", kOrdered, ""}, {"b", kOrdered, ""}},
          .returns = "a vector",
          .example = "intersection([3, 1, 2], [2, 3, 4])",
          .output = "intersection([3, 1, 2], [2, 3, 4]) : float64 2\n  2  3",
          .run = intersection_row,
      },
      {
          .name = "bin_sums",
          .family = "order and sets",
          .summary = "Add up the values that belong to the same index.",
          .parameters = {{"positions", "indices from 1", ""},
                         {"values", "values to add, in the shape of the indices, or a single number", "1"},
                         {"size", "length of the result", "none"}},
          .returns = "a vector; without size, as long as the largest index",
          .errors = "if an index is outside 1..size",
          .example = "bin_sums([1, 3, 1], [10, 20, 30])\nbin_sums([1, 3, 1])",
          .output = "bin_sums([1, 3, 1], [10, 20, 30]) : float64 3\n  40   0  20\nbin_sums([1, 3, 1]) : "
                    "int64 3\n  2  0  "
                    "1",
          .run = bin_sums_row,
      },
  };
}

}  // namespace quill
