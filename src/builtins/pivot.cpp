// Tables of results by two columns, as matrices.
#include <fmt/format.h>

#include <limits>

#include "array/index.h"
#include "array/ranks.h"
#include "base/interrupt.h"
#include "builtins/columns.h"
#include "builtins/tables.h"
#include "value/construct.h"
#include "value/print.h"

namespace quill {

namespace pivot_calls {

namespace {

struct Axis {
  std::string name;
  Ranks ranks;
  Array values;  // distinct ones in ascending order
};

Array elements_at(const Array& column, std::vector<Index> positions) {
  Subscript chosen;
  chosen.kind = Subscript::Kind::positions;
  chosen.count = static_cast<Index>(positions.size());
  chosen.positions = std::move(positions);
  auto out = select(column, std::span(&chosen, 1)).compact();
  out.label = column.label;
  return out;
}

Axis axis_of(const Call& call, std::size_t i, const RecordObject& table) {
  const auto names = column_names(call, i, table);
  if (names.size() != 1) call.fail_argument(i, "must be the name of one column");
  Axis out{names[0], row_ranks(table, names), {}};
  std::vector<Index> firsts(static_cast<std::size_t>(out.ranks.count), -1);
  for (std::size_t r = 0; r < out.ranks.of.size(); ++r)
    if (auto& first = firsts[static_cast<std::size_t>(out.ranks.of[r])]; first < 0)
      first = static_cast<Index>(r);
  out.values = elements_at(to_array(*table.find(out.name)), std::move(firsts));
  return out;
}

std::string cell_in_words(const Axis& rows, const Axis& columns, Index row, Index column) {
  const auto text = [](const Axis& axis, Index k) {
    return fmt::format("{} {}", axis.name,
                       inline_text(Value::array(elements_at(axis.values, {k}).with_shape({}))));
  };
  return text(rows, row) + " and " + text(columns, column);
}

double result_for(Call& call, const Value& f, const Array& values) {
  const Value arguments[] = {Value::array(values)};
  const auto result = numeric_value(call.runtime.call(f, arguments));
  const auto number = single_real(result);
  if (!number)
    call.fail_argument(
        4, fmt::format("must return a number for each cell, but returned {}", kind_in_words(result)));
  return *number;
}

Value pivot_row(Call& call) {
  const auto& table = table_argument(call, 0);
  const auto rows = axis_of(call, 1, table), columns = axis_of(call, 2, table);
  const auto names = column_names(call, 3, table);
  if (names.size() != 1) call.fail_argument(3, "must be the name of one column");
  if (rows.name == columns.name || rows.name == names[0] || columns.name == names[0])
    fail("pivot: `rows`, `columns` and `values` must be three different columns");
  const auto column = to_array(*table.find(names[0]));
  if (!is_numeric(column.type()) || column.type() == ElementType::complex128)
    call.fail_argument(3, fmt::format("must be a column of real numbers, and {} contains {}", names[0],
                                      name_of(column.type())));
  const auto numbers = column.converted(ElementType::float64).compact();
  const auto* f = call.given(4) ? &call.callable(4) : nullptr;

  Ranks cells;
  cells.count = *checked_product(rows.ranks.count, columns.ranks.count);
  for (std::size_t r = 0; r < rows.ranks.of.size(); ++r)
    cells.of.push_back(rows.ranks.of[r] * columns.ranks.count + columns.ranks.of[r]);
  const auto by_cell = by_rank(cells);
  auto out = Array::filled<double>({rows.ranks.count, columns.ranks.count},
                                   std::numeric_limits<double>::quiet_NaN());
  auto* const to = out.mutable_data<double>();
  for (Index cell = 0; cell < cells.count; ++cell) {
    poll_interrupt_at(static_cast<std::size_t>(cell));
    const Index begin = by_cell.starts[static_cast<std::size_t>(cell)],
                end = by_cell.starts[static_cast<std::size_t>(cell) + 1];
    if (begin == end) continue;
    if (f) {
      to[cell] = result_for(
          call, *f, elements_at(numbers, {by_cell.indices.begin() + begin, by_cell.indices.begin() + end}));
    } else if (end - begin > 1) {
      fail(fmt::format("{} rows have {}", end - begin,
                       cell_in_words(rows, columns, cell / columns.ranks.count, cell % columns.ranks.count)),
           fmt::format("pivot(t, rows: \"{}\", columns: \"{}\", values: \"{}\", f: mean)", rows.name,
                       columns.name, names[0]));
    } else {
      to[cell] = numbers.data<double>()[by_cell.indices[static_cast<std::size_t>(begin)]];
    }
  }
  out.label = column.label;
  return Value::record({{rows.name, Value::array(rows.values)},
                        {columns.name, Value::array(columns.values)},
                        {names[0], Value::array(out)}});
}

}  // namespace

}  // namespace pivot_calls

std::vector<Builtin> pivot_rows() {
  return {{
      .name = "pivot",
      .family = "tables",
      .summary = "Arrange one column of a table as a matrix over two other columns.",
      .parameters = {{"t", "a table (a record of columns of equal length)", ""},
                     {"rows", "name of the column whose distinct values are the rows", ""},
                     {"columns", "name of the column whose distinct values are the columns", ""},
                     {"values", "name of the column of numbers", ""},
                     called_with(
                         1,
                         {"f", "function of a vector, such as mean: for cells with several rows of the table",
                          "none"})},
      .returns = "a record with the distinct values of `rows` and of `columns`, in ascending order, and the "
                 "matrix of "
                 "`values`, under the names of the columns; nan where the table has no row",
      .errors = "if several rows belong to one cell and there is no f",
      .example = "t = (rate: [0.1, 0.1, 0.2, 0.2], n: [10, 20, 10, 20], peak: [3.5, 3.7, 1.8, 1.9])\n"
                 "p = pivot(t, rows: \"rate\", columns: \"n\", values: \"peak\")\n"
                 "p.peak",
      .output = "p.peak : float64 2×2\n  3.5  3.7\n  1.8  1.9",
      .run = pivot_calls::pivot_row,
  }};
}

}  // namespace quill
