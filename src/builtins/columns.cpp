// Tables.
#include "builtins/columns.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/elementwise.h"
#include "array/index.h"
#include "array/ranks.h"
#include "array/rearrange.h"
#include "base/interrupt.h"
#include "base/number.h"
#include "base/text.h"
#include "builtins/table_rows.h"
#include "builtins/tables.h"
#include "value/construct.h"

namespace quill {

const RecordObject& table_argument(const Call& call, std::size_t i) {
  const auto& value = call.value(i);
  if (!value.is(Kind::record))
    call.fail_argument(
        i, fmt::format("must be a table (a record of columns of equal length), not {}", kind_in_words(value)),
        "(depth: [1, 2], name: [\"inlet\", \"deep\"])");
  const auto& table = value.object<RecordObject>();
  if (table.fields.empty()) call.fail_argument(i, "must be a table, and this record has no fields");
  for (const auto& [name, column] : table.fields) {
    if (!column.is_array_like() || shape_of(column).count() != 1)
      call.fail_argument(
          i, fmt::format("must be a table of vectors, but its field {} is {}", name, kind_in_words(column)));
    if (shape_of(column)[0] != length_of(table))
      call.fail_argument(
          i, fmt::format("must be a table of columns of equal length, but {} has {} rows and {} has {}",
                         table.fields[0].first, length_of(table), name, shape_of(column)[0]));
  }
  return table;
}

void refuse_beyond_float64(const Array& column, const std::string& reason) {
  for (const auto x : column.converted(ElementType::int64).to_vector<std::int64_t>())
    if (x > static_cast<std::int64_t>(kLargestExact) || x < -static_cast<std::int64_t>(kLargestExact))
      fail(fmt::format("{}, and its integer {} has more digits than float64 holds", reason, x),
           "text keeps all digits: text(t.id)");
}

Index length_of(const RecordObject& table) { return shape_of(table.fields[0].second)[0]; }

namespace columns_calls {
namespace {

const Value& column_of(const Call& call, std::size_t i, const RecordObject& table, const std::string& name) {
  if (const auto* found = table.find(name)) return *found;
  std::vector<std::string> known;
  for (const auto& [field, column] : table.fields) known.push_back(field);
  const auto near = nearest_name(name, known);
  call.fail_argument(i, fmt::format("names a column that does not exist: \"{}\"", name),
                     near.empty() ? fmt::format("the columns are {}", list_in_prose(known))
                                  : fmt::format("did you mean \"{}\"?", near));
}

// The ranks of the rows by these columns.
Ranks row_ranks(const std::vector<Array>& columns, bool is_descending = false) {
  std::vector<Ranks> all;
  for (const auto& column : columns)
    all.push_back(is_descending ? descending(distinct_ranks(column)) : distinct_ranks(column));
  return distinct_ranks(all);
}

std::vector<Array> arrays_of(const RecordObject& table, const std::vector<std::string>& names) {
  std::vector<Array> out;
  for (const auto& name : names) out.push_back(to_array(*table.find(name)));
  return out;
}

// One element more, for rows without a value: nan among numbers, an empty text, none in lists.
// Error where that would change a number.
Array with_missing(const Array& column, const std::string& name) {
  if (is_integer(column.type()))
    refuse_beyond_float64(column, fmt::format("column {} has rows without a match", name));
  const auto type = is_numeric(column.type()) && column.type() != ElementType::complex128 &&
                            column.type() != ElementType::float32
                        ? ElementType::float64
                        : column.type();
  auto out = column.converted(type).copied();
  const auto label = column.label;
  const auto none = Value::none();
  if (type == ElementType::text)
    append(out, Array::filled<std::string>({}, ""));
  else if (type == ElementType::any)
    append(out, list_of(std::span<const Value>(&none, 1)).with_shape({}));
  else if (out.size() == 0)
    out = Array::filled<double>({1}, NAN);
  else
    append(out, Array::single(NAN));
  out.label = label;
  return out;
}

Array taken(const Array& column, const std::vector<Index>& indices, const std::string& name) {
  const bool misses = std::find(indices.begin(), indices.end(), -1) != indices.end();
  const auto from = misses ? with_missing(column, name) : column;
  auto at = indices;
  std::replace(at.begin(), at.end(), Index{-1}, from.size() - 1);
  const std::vector<Subscript> s = {
      {Subscript::Kind::positions, 0, 1, static_cast<Index>(at.size()), std::move(at)}};
  auto out = select(from, s);
  out.label = column.label;
  return out;
}

}  // namespace
}  // namespace columns_calls

std::vector<std::string> column_names(const Call& call, std::size_t i, const RecordObject& table) {
  const auto given = call.array(i);
  if (given.type() != ElementType::text)
    call.fail_argument(i, fmt::format("must name columns by text, not by {}", kind_in_words(call.value(i))),
                       fmt::format("\"{}\"", table.fields[0].first));
  auto names = given.to_vector<std::string>();
  if (names.empty()) call.fail_argument(i, "must name at least one column");
  for (const auto& name : names) {
    columns_calls::column_of(call, i, table, name);
    if (std::count(names.begin(), names.end(), name) > 1)
      call.fail_argument(i, fmt::format("names column {} twice", name));
  }
  return names;
}

Ranks row_ranks(const RecordObject& table, const std::vector<std::string>& names) {
  return columns_calls::row_ranks(columns_calls::arrays_of(table, names));
}

Value rows_at(const RecordObject& table, const std::vector<Index>& indices) {
  std::vector<std::pair<std::string, Value>> fields;
  for (const auto& [name, column] : table.fields)
    fields.emplace_back(name, Value::array(columns_calls::taken(to_array(column), indices, name)));
  return Value::record(std::move(fields));
}

// Descending order keeps rows without a key last.
Value sorted_table(const Call& call, const RecordObject& table, std::size_t i, bool descending) {
  const auto columns = columns_calls::arrays_of(table, column_names(call, i, table));
  return rows_at(table, by_rank(columns_calls::row_ranks(columns, descending)).indices);
}

Value joined_tables(const RecordObject& left, const RecordObject& right, const std::vector<std::string>& by,
                    const std::string& keep) {
  for (const auto& [name, column] : right.fields)
    if (left.find(name) != nullptr && std::find(by.begin(), by.end(), name) == by.end())
      fail(fmt::format("both tables have a column {}, which is not among the columns to join by", name),
           fmt::format("join by it as well, or select columns of one table: columns(b, [\"{}\"])", by[0]));
  std::vector<Array> both;
  for (const auto& name : by) {
    const Array parts[] = {to_array(*left.find(name)), to_array(*right.find(name))};
    if (is_numeric(parts[0].type()) != is_numeric(parts[1].type()))
      fail(fmt::format("column {} contains {} in one table and {} in the other", name,
                       name_of(parts[0].type()), name_of(parts[1].type())));
    for (int side = 0; side < 2; ++side)
      if (is_integer(parts[side].type()) && is_numeric(parts[1 - side].type()) &&
          !is_integer(parts[1 - side].type()))
        refuse_beyond_float64(parts[side], fmt::format("column {} is float64 in one of the tables", name));
    both.push_back(join(parts, 0));
    both.back().label = parts[0].label;
  }
  const auto ranks = columns_calls::row_ranks(both);
  const auto count = static_cast<std::size_t>(length_of(left));
  // The rows of the right table by rank.
  const auto partners =
      by_rank({{ranks.of.begin() + static_cast<Index>(count), ranks.of.end()}, ranks.count});
  std::vector<Index> from_left, from_right, from_keys;
  std::vector<bool> has_partner(ranks.of.size() - count, false);
  const auto add = [&](Index l, Index r, std::size_t key) {
    from_left.push_back(l);
    from_right.push_back(r);
    from_keys.push_back(static_cast<Index>(key));
  };
  for (std::size_t k = 0; k < count; ++k) {
    poll_interrupt_at(k);
    const auto rank = static_cast<std::size_t>(ranks.of[k]);
    const Index first = partners.starts[rank], last = partners.starts[rank + 1];
    if (first == last && keep != "both") add(static_cast<Index>(k), -1, k);
    for (Index p = first; p < last; ++p) {
      const Index r = partners.indices[static_cast<std::size_t>(p)];
      add(static_cast<Index>(k), r, k);
      has_partner[static_cast<std::size_t>(r)] = true;
    }
  }
  if (keep == "all")
    for (std::size_t r = 0; r < has_partner.size(); ++r)
      if (!has_partner[r]) add(-1, static_cast<Index>(r), count + r);
  std::vector<std::pair<std::string, Value>> fields;
  for (const auto& [name, column] : left.fields) {
    const auto key = std::find(by.begin(), by.end(), name);
    fields.emplace_back(
        name,
        Value::array(key == by.end() ? columns_calls::taken(to_array(column), from_left, name)
                                     : columns_calls::taken(both[static_cast<std::size_t>(key - by.begin())],
                                                            from_keys, name)));
  }
  for (const auto& [name, column] : right.fields)
    if (std::find(by.begin(), by.end(), name) == by.end())
      fields.emplace_back(name, Value::array(columns_calls::taken(to_array(column), from_right, name)));
  return Value::record(std::move(fields));
}

namespace columns_calls {
namespace {

Value rows_row(Call& call) {
  const auto& table = table_argument(call, 0);
  const auto count = length_of(table);
  const auto& which = call.value(1);
  if (const auto single = single_real(which)) {
    const auto at = checked_position(*single, count, 0, 1);
    return row_of(table, at);
  }
  const auto chosen = call.array(1);
  std::vector<Index> indices;
  if (chosen.type() == ElementType::boolean) {
    if (chosen.axes() != 1 || chosen.size() != count)
      call.fail_argument(
          1, fmt::format("must have one boolean for each of the {} rows, not {}", count, chosen.size()));
    const auto mask = chosen.to_vector<bool>();
    for (std::size_t k = 0; k < mask.size(); ++k)
      if (mask[k]) indices.push_back(static_cast<Index>(k));
  } else {
    for (const double position : call.vector(1).to_vector<double>())
      indices.push_back(checked_position(position, count, 0, 1));
  }
  return rows_at(table, indices);
}

Value table_row(Call& call) {
  const auto& value = call.value(0);
  if (table_length(value)) return value;
  const auto records = records_in(value);
  if (!records)
    call.fail_argument(
        0, fmt::format("must be a list of records with the same fields, not {}", kind_in_words(value)),
        "[(station: \"inlet\", depth: 3.5), (station: \"deep\", depth: 38.2)]");
  return columns_of(*records);
}

Value columns_row(Call& call) {
  const auto& table = table_argument(call, 0);
  std::vector<std::pair<std::string, Value>> fields;
  for (const auto& name : column_names(call, 1, table)) fields.emplace_back(name, *table.find(name));
  return Value::record(std::move(fields));
}

}  // namespace
}  // namespace columns_calls

std::vector<Builtin> column_rows() {
  using namespace columns_calls;
  const Parameter table = {"t", "a table (a record of columns of equal length)", ""};
  return {
      {
          .name = "rows",
          .family = "tables",
          .summary = "Select rows of a table by index or by a mask; one index gives one row.",
          .parameters = {table, {"which", "indices, a boolean for each row, or one index", ""}},
          .returns = "a table with the same columns; for a single index, a record of single values",
          .errors = "if an index is out of range; if the mask has another length",
          .example =
              "t = (station: [\"inlet\", \"deep\", \"shore\"], depth: [3, 38, 1])\nrows(t, t.depth < 10)",
          .output = "rows(t, t.depth < 10) : table of 2 rows: station text, depth float64\n  station  "
                    "depth\n  inlet        3\n"
                    "  shore        1",
          .run = rows_row,
      },
      {
          .name = "table",
          .family = "tables",
          .summary = "Convert a list of records with the same fields to a table.",
          .parameters = {{"list", "records with the same fields, in the same order", ""}},
          .returns = "a table with a row for each record",
          .errors = "if v is not a list of records; if the records have different fields",
          .example =
              "cast = [(station: \"inlet\", depth: 3.5), (station: \"deep\", depth: 38.2)]\ntable(cast)",
          .output = "table(cast) : table of 2 rows: station text, depth float64\n  station  depth\n  inlet   "
                    "   3.5\n"
                    "  deep      38.2",
          .run = table_row,
      },
      {
          .name = "columns",
          .family = "tables",
          .summary = "Select columns of a table, in the given order.",
          .parameters = {table, {"names", "name of a column, or a vector of names", ""}},
          .returns = "a table with the same rows",
          .errors = "if a column does not exist",
          .example = "t = (time: [1, 2], depth: [3, 38], note: [\"\", \"wind\"])\nkeys(columns(t, [\"note\", "
                     "\"depth\"]))",
          .output = "keys(columns(t, [\"note\", \"depth\"])) : text 2\n  \"note\"   \"depth\"",
          .run = columns_row,
      },
      {
          .name = "group",
          .family = "tables",
          .summary = "Apply a function to each group of rows with equal values in a column.",
          .parameters =
              {called_with(
                   1,
                   {"f", "function of a table (the rows of one group) that returns a record or a value", ""}),
               table,
               {"by", "name of the grouping column, or a vector of names", ""}},
          .returns = "a table with one row for each group: the columns `by` in ascending order, then the "
                     "fields of the records (`value` if f does not return a record)",
          .errors =
              "if the records have different fields; if a grouping column contains lists or complex numbers",
          .example = "t = (station: [\"inlet\", \"deep\", \"inlet\"], depth: [3, 38, 4])\n"
                     "fn of_station(part) = (casts: length(part.depth), depth: mean(part.depth))\n"
                     "group(of_station, t, by: \"station\")",
          .output = "group(of_station,… : table of 2 rows: station text, casts float64, depth float64\n"
                    "  station  casts  depth\n  deep         1   38.0\n  inlet        2    3.5",
          .run = group_row,
      },
  };
}

}  // namespace quill
