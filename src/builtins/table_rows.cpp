#include "builtins/table_rows.h"

#include <fmt/format.h>

#include <algorithm>

#include "array/rearrange.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "value/construct.h"

namespace quill {

namespace {

std::string names_of(const RecordObject& record) {
  std::vector<std::string> names;
  for (const auto& [name, value] : record.fields) names.push_back(name);
  return list_in_prose(names);
}

// Hint with the form of a row: append(t, (station: …, depth: …))
std::string form_of_row(const RecordObject& table) {
  std::string fields;
  for (const auto& [name, column] : table.fields)
    fields += fmt::format("{}{}: …", fields.empty() ? "" : ", ", name);
  return fmt::format("append(t, ({}))", fields);
}

// Column or field `name` of `other`; throws Error if `other` has other names than `first`.
const Value& field_for(const RecordObject& first, const RecordObject& other, const std::string& name,
                       const char* what) {
  const auto* found = other.find(name);
  if (found == nullptr || other.fields.size() != first.fields.size())
    fail(fmt::format("the table has columns {}, but {} has {}", names_of(first), what, names_of(other)),
         std::string_view(what) == "the row" ? form_of_row(first)
                                             : "columns(t, …) chooses columns, with(t, …) adds some");
  return *found;
}

void check_types(const Array& column, const Array& further, const std::string& name) {
  const auto a = column.type(), b = further.type();
  if (column.size() == 0 && a == ElementType::float64) return;  // open
  if (a != b && (a == ElementType::any || b == ElementType::any || is_numeric(a) != is_numeric(b)))
    fail(fmt::format("column {} contains {}, and the new rows contain {}", name, name_of(a), name_of(b)));
  if (is_integer(a) != is_integer(b) && is_numeric(a) && is_numeric(b) && a != ElementType::boolean &&
      b != ElementType::boolean)
    refuse_beyond_float64(is_integer(a) ? column : further,
                          fmt::format("column {} contains {} and {}", name, name_of(a), name_of(b)));
}

void append_item(Value& column, const Array& item) {
  if (!column.is(Kind::array)) column = Value::array(to_array(column));
  const bool is_open = column.array().size() == 0 && column.array().type() == ElementType::float64;
  const auto label = is_open && holds_times(item) ? item.label : column.array().label;
  if (is_open) column = Value(Kind::array, new ArrayObject(Array(item.type(), {0})));
  append(column.own_array(), item);
  column.own_array().label = label;
}

}  // namespace

const RecordObject* find_table(const Call& call, std::size_t i) {
  return call.value(i).is(Kind::record) ? &table_argument(call, i) : nullptr;
}

Value stacked_tables(std::span<const Value> tables) {
  const auto& first = tables[0].object<RecordObject>();
  std::vector<std::pair<std::string, Value>> fields;
  for (const auto& [name, column] : first.fields) {
    std::vector<Array> parts = {to_array(column)};
    for (std::size_t k = 1; k < tables.size(); ++k) {
      auto further = to_array(field_for(first, tables[k].object<RecordObject>(), name, "another table"));
      check_types(parts[0], further, name);
      if (parts[0].size() == 0 && parts[0].type() == ElementType::float64)
        parts[0] = std::move(further);
      else if (further.size() > 0)
        parts.push_back(std::move(further));
    }
    auto out = parts.size() == 1 ? parts[0] : join(parts, 0);
    out.label = parts[0].label;
    fields.emplace_back(name, Value::array(std::move(out)));
  }
  return Value::record(std::move(fields));
}

void append_table_row(Value& table, const Value& row) {
  if (!row.is(Kind::record))
    fail(fmt::format("a row of a table must be a record with its columns, not {}", kind_in_words(row)),
         table.is(Kind::record) ? form_of_row(table.object<RecordObject>()) : "");
  const auto& given = row.object<RecordObject>();
  const auto& before = table.object<RecordObject>();
  std::vector<Array> items;
  for (const auto& [name, column] : before.fields) {
    const auto& value = field_for(before, given, name, "the row");
    const bool is_list = element_type_of(column) == ElementType::any;
    auto item = is_list ? list_of(std::span(&value, 1)).with_shape({}) : to_array(value, "a row");
    if (item.axes() != 0)
      fail(fmt::format("fields of a row must be single values, but {} is {}", name, kind_in_words(value)),
           "join(a, b) appends the rows of a table");
    if (!is_list) check_types(to_array(column), item, name);
    items.push_back(std::move(item));
  }
  if (before.use_count() > 1) table = Value(Kind::record, new RecordObject(before));
  auto& fields = table.object<RecordObject>().fields;
  const auto count = length_of(table.object<RecordObject>());
  try {
    for (std::size_t k = 0; k < fields.size(); ++k) append_item(fields[k].second, items[k]);
  } catch (...) {
    // Out of memory: remove the new item from the columns that already have it.
    for (auto& [name, column] : fields)
      if (shape_of(column)[0] > count) {
        const auto& a = column.array();
        column = Value::array(a.view(a.offset(), {count}, a.strides()));
      }
    throw;
  }
}

Value different_rows(const RecordObject& table) {
  std::vector<std::string> names;
  for (const auto& [name, column] : table.fields) names.push_back(name);
  const auto groups = by_rank(row_ranks(table, names));
  std::vector<Index> indices;
  for (std::size_t r = 0; r + 1 < groups.starts.size(); ++r)
    indices.push_back(groups.indices[static_cast<std::size_t>(groups.starts[r])]);
  return rows_at(table, indices);
}

}  // namespace quill
