// group: functions of the rows of a table that have equal keys.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "array/grouped.h"
#include "base/interrupt.h"
#include "builtins/columns.h"
#include "builtins/tables.h"
#include "compiler/program.h"
#include "language/tree.h"
#include "value/construct.h"

namespace quill {

namespace grouping_calls {
namespace {

using Fields = std::vector<std::pair<std::string, Value>>;

// Appends the fields that f returned for a group to the grouping columns.
void add_results(const Call& call, const Value& result, const std::vector<std::string>& by, Fields& fields) {
  if (!result.is(Kind::record)) {
    fields.emplace_back("value", result);
  } else {
    for (const auto& field : result.object<RecordObject>().fields) fields.push_back(field);
  }
  for (std::size_t k = by.size(); k < fields.size(); ++k)
    if (std::find(by.begin(), by.end(), fields[k].first) != by.end())
      call.fail_argument(0,
                         fmt::format("returns a field {0}, which is also a grouping column", fields[k].first),
                         "use another name; grouping columns are added automatically");
}

// A table without rows: its columns are those that f gives for no rows, or those of the group alone when f
// needs some.
Value group_of_nothing(Call& call, const RecordObject& table, const std::vector<std::string>& by) {
  const auto part = rows_at(table, {});
  Fields fields;
  for (const auto& name : by) fields.emplace_back(name, *part.object<RecordObject>().find(name));
  const auto count = fields.size();
  try {
    const Value arguments[] = {part};
    add_results(call, call.runtime.call(call.callable(0), arguments), by, fields);
  } catch (const Error& error) {
    if (error.kind != Error::Kind::mistake) throw;
    fields.resize(count);
  }
  for (auto k = count; k < fields.size(); ++k) {
    const auto type = fields[k].second.is_array_like() ? element_type_of(fields[k].second) : ElementType::any;
    fields[k].second = Value::array(Array(type, {0}));
  }
  return Value::record(std::move(fields));
}

// Whether the tree reads its variable `name` by fields alone, which are added to `columns`.
bool reads_by_fields(const Node& node, const std::string& name, std::vector<std::string>& columns) {
  if (node.kind == NodeKind::part) {
    if (node.base().kind != NodeKind::name || node.base().text != name)
      return reads_by_fields(node.base(), name, columns);
    columns.push_back(node.text);
    return true;
  }
  if (node.kind != NodeKind::parameter && node.text == name) return false;
  return std::all_of(node.kids.begin(), node.kids.end(),
                     [&](const auto& kid) { return !kid || reads_by_fields(*kid, name, columns); });
}

// Columns that a function of a table reads; all if its text does not determine them.
RecordObject columns_read(const Value& f, const RecordObject& table) {
  if (!f.is(Kind::function)) return table;
  const auto& called = f.object<FunctionObject>();
  std::vector<std::string> names;
  if (called.head.parameters.size() != 1 || called.function->definition == nullptr ||
      !reads_by_fields(*called.function->definition, called.head.parameters[0], names))
    return table;
  RecordObject out;
  for (const auto& field : table.fields)
    if (std::find(names.begin(), names.end(), field.first) != names.end()) out.fields.push_back(field);
  // A name that is no column is an error that lists them all.
  const bool are_columns =
      std::all_of(names.begin(), names.end(), [&](const auto& name) { return table.find(name) != nullptr; });
  return are_columns && !out.fields.empty() ? out : table;
}

// A reduction of a column, as a field of the result.
struct ColumnReduction {
  std::string field;
  std::string_view function;
  const Value* column;
};

// The reductions that a function returns as a record, if it does nothing else: fn(t) = (m: mean(t.x), n:
// length(t.x)).
std::vector<ColumnReduction> reductions_in(const Value& f, const RecordObject& table,
                                           const std::vector<std::string>& by) {
  if (!f.is(Kind::function)) return {};
  const auto& called = f.object<FunctionObject>();
  const auto* const definition = called.function->definition;
  if (called.head.parameters.size() != 1 || definition == nullptr || !definition->flag ||
      definition->body().kind != NodeKind::record)
    return {};
  std::vector<ColumnReduction> out;
  for (const auto& field : definition->body().kids) {
    const auto& one = field->argument_value();
    if (one.kind != NodeKind::call || one.argument_count() != 1 || !one.argument(0).text.empty()) return {};
    const auto& callee = one.callee();
    const auto& part = one.argument(0).argument_value();
    if (callee.kind != NodeKind::name || callee.binding.kind != Binding::Kind::builtin ||
        part.kind != NodeKind::part || part.base().kind != NodeKind::name ||
        part.base().text != called.head.parameters[0])
      return {};
    const std::string_view name = builtins().row(callee.binding.index).name;
    static constexpr std::array<std::string_view, 5> known = {"sum", "mean", "min", "max", "length"};
    const auto* const column = table.find(part.text);
    if (std::find(known.begin(), known.end(), name) == known.end() || column == nullptr ||
        std::find(by.begin(), by.end(), field->text) != by.end())
      return {};
    if (name != "length" && !(column->is(Kind::array) && column->array().type() == ElementType::float64 &&
                              !holds_times(column->array())))
      return {};
    out.push_back({field->text, name, column});
  }
  return out;
}

// The table of a group for each of these reductions, computed in one sweep over the rows for each one;
// nothing if that is slower, or a function has to warn.
std::optional<Value> reduced_groups(const std::vector<ColumnReduction>& reductions, const RecordObject& table,
                                    const std::vector<std::string>& by) {
  if (reductions.empty()) return std::nullopt;
  std::vector<Array> keys;
  for (const auto& name : by) keys.push_back(to_array(*table.find(name)));
  const auto groups = GroupedRows::by(keys);
  if (!groups) return std::nullopt;
  const auto sizes = groups->sizes();
  Fields fields;
  for (const auto& one : reductions) {
    std::vector<double> results(sizes.begin(), sizes.end());
    if (one.function == "min" || one.function == "max")
      results = groups->extremes(one.column->array(), one.function == "max");
    else if (one.function != "length")
      results = groups->sums(one.column->array());
    if (one.function == "mean")
      for (std::size_t k = 0; k < sizes.size(); ++k) results[k] /= static_cast<double>(sizes[k]);
    // With nan and overflow the functions themselves have something to report.
    if (!std::all_of(results.begin(), results.end(), [](double x) { return std::isfinite(x); }))
      return std::nullopt;
    fields.emplace_back(one.field, Value::array(Array::vector(results)));
  }
  RecordObject columns;
  for (const auto& name : by) columns.fields.emplace_back(name, *table.find(name));
  const auto firsts = rows_at(columns, groups->first_rows());
  Fields all;
  for (const auto& [name, column] : firsts.object<RecordObject>().fields) {
    std::vector<Value> items;
    const auto key = to_array(column);
    for (Index k = 0; k < key.size(); ++k) items.push_back(element_of(key, k));
    all.emplace_back(name, collect(std::move(items)));
  }
  for (auto& field : fields) all.push_back(std::move(field));
  return Value::record(std::move(all));
}

// The fields of a group: its grouping columns, then the results of f for its rows.
Fields fields_of_group(Call& call, const std::vector<std::string>& by,
                       const std::vector<Array>& group_columns, Index rank, const Value& part) {
  const Value arguments[] = {part};
  const auto result = call.runtime.call(call.callable(0), arguments);
  Fields fields;
  for (std::size_t c = 0; c < by.size(); ++c) fields.emplace_back(by[c], element_of(group_columns[c], rank));
  if (result.is(Kind::none)) call.fail_argument(0, "must return a record or a value, but returned none");
  add_results(call, result, by, fields);
  return fields;
}

}  // namespace
}  // namespace grouping_calls

Value group_row(Call& call) {
  using namespace grouping_calls;
  const auto& f = call.callable(0);
  const auto& table = table_argument(call, 1);
  const auto by = column_names(call, 2, table);
  if (auto reduced = reduced_groups(reductions_in(f, table, by), table, by)) return *std::move(reduced);
  const auto ranks = row_ranks(table, by);
  const auto groups = by_rank(ranks);
  // Rows of a group are contiguous, so that its columns are views.
  const auto together = rows_at(columns_read(f, table), groups.indices);
  std::vector<Index> first_rows;
  for (Index rank = 0; rank < ranks.count; ++rank)
    first_rows.push_back(
        groups.indices[static_cast<std::size_t>(groups.starts[static_cast<std::size_t>(rank)])]);
  RecordObject keys;
  for (const auto& name : by) keys.fields.emplace_back(name, *table.find(name));
  const auto firsts = rows_at(keys, first_rows);
  std::vector<Array> group_columns;
  for (const auto& [name, column] : firsts.object<RecordObject>().fields)
    group_columns.push_back(to_array(column));
  std::vector<Value> results;
  for (Index rank = 0; rank < ranks.count; ++rank) {
    poll_interrupt();
    const Index begin = groups.starts[static_cast<std::size_t>(rank)],
                end = groups.starts[static_cast<std::size_t>(rank) + 1];
    Fields columns;
    for (const auto& [name, column] : together.object<RecordObject>().fields) {
      const auto& whole = column.array();
      columns.emplace_back(name, Value::array(whole.view(whole.offset() + begin * whole.strides()[0],
                                                         {end - begin}, whole.strides())));
    }
    results.push_back(
        Value::record(fields_of_group(call, by, group_columns, rank, Value::record(std::move(columns)))));
    const auto &first = results[0].object<RecordObject>().fields,
               &here = results.back().object<RecordObject>().fields;
    if (!std::equal(first.begin(), first.end(), here.begin(), here.end(),
                    [](const auto& a, const auto& b) { return a.first == b.first; }))
      call.fail_argument(0, "must return records with the same fields for every group");
  }
  return results.empty() ? group_of_nothing(call, table, by) : columns_of(results);
}

}  // namespace quill
