// Dictionaries, lists and records taken apart and put together.
#include <fmt/format.h>

#include <algorithm>

#include "array/index.h"
#include "array/order.h"
#include "array/rearrange.h"
#include "base/interrupt.h"
#include "base/text.h"
#include "builtins/table_rows.h"
#include "builtins/tables.h"
#include "value/construct.h"
#include "value/print.h"

namespace quill {

namespace collections_calls {
namespace {

std::string shown_key(const Value& key) {
  return key.is(Kind::text) ? fmt::format("\"{}\"", key.text()) : inline_text(key);
}

// Single numbers, texts or booleans as an array, anything else as a list.
Value as_array_or_list(std::vector<Value> items) {
  const bool plain = std::all_of(items.begin(), items.end(), [&](const Value& v) {
    const auto number = numeric_value(v);
    return number.is_array_like() && shape_of(number).count() == 0;
  });
  return plain ? collect(std::move(items)) : Value::array(list_of(items));
}

// The entries of a dictionary, or the fields of a record.
std::vector<std::pair<Value, Value>> entries_of(const Call& call) {
  const auto& d = call.value(0);
  if (d.is(Kind::dictionary)) return d.object<DictionaryObject>().entries;
  if (!d.is(Kind::record))
    call.fail_argument(0, fmt::format("must be a dictionary or a record, not {}", kind_in_words(d)));
  std::vector<std::pair<Value, Value>> out;
  for (const auto& [name, value] : d.object<RecordObject>().fields)
    out.emplace_back(Value::text(name), value);
  return out;
}

Value values_row(Call& call) {
  std::vector<Value> out;
  for (const auto& [key, value] : entries_of(call)) out.push_back(value);
  return as_array_or_list(std::move(out));
}

Value pairs_row(Call& call) {
  std::vector<Value> out;
  for (const auto& [key, value] : entries_of(call)) out.push_back(Value::tuple({key, value}));
  return Value::array(list_of(out));
}

// The keys that argument 1 names, each of which must be there.
std::vector<Value> wanted_keys(const Call& call) {
  const auto& given = call.value(1);
  std::vector<Value> keys;
  if (given.is_array_like() && shape_of(given).count() == 1) {
    const auto array = to_array(given);
    for (Index k = 0; k < array.length(); ++k) keys.push_back(element_of(array, k));
  } else {
    keys.push_back(given);
  }
  return keys;
}

Value without_keys(const Call& call) {
  const auto keys = wanted_keys(call);
  const auto entries = entries_of(call);
  for (const auto& key : keys)
    if (std::none_of(entries.begin(), entries.end(), [&](const auto& e) { return same(e.first, key); }))
      call.fail_argument(1, fmt::format("contains a key or name that does not exist: {}", shown_key(key)));
  const auto stays = [&](const Value& key) {
    return std::none_of(keys.begin(), keys.end(), [&](const Value& other) { return same(key, other); });
  };
  if (call.value(0).is(Kind::record)) {
    std::vector<std::pair<std::string, Value>> fields;
    for (const auto& [key, value] : entries)
      if (stays(key)) fields.emplace_back(key.text(), value);
    return Value::record(std::move(fields));
  }
  Value out(Kind::dictionary, new DictionaryObject);
  for (const auto& [key, value] : entries)
    if (stays(key)) out.object<DictionaryObject>().set(key, value);
  return out;
}

Array rows_of(const Array& a, std::vector<Index> places) {
  const std::vector<Subscript> s = {
      {Subscript::Kind::positions, 0, 1, static_cast<Index>(places.size()), std::move(places)},
      {Subscript::Kind::rest, 0, 1, 0, {}}};
  auto out = select(a, s);
  out.label = a.label;
  return out;
}

// 0-based indices of the elements that remain after deleting those given by argument 1, indices or a mask.
std::vector<Index> places_that_stay(const Call& call, Index count, int axes) {
  const auto which = call.array(1);
  std::vector<bool> goes(static_cast<std::size_t>(count), false);
  if (which.type() == ElementType::boolean) {
    if (which.axes() != 1 || which.size() != count)
      call.fail_argument(
          1, fmt::format("must have one boolean for each of the {} elements, not {}", count, which.size()));
    goes = which.to_vector<bool>();
  } else {
    for (const double p : call.reals(1).to_vector<double>())
      goes[static_cast<std::size_t>(checked_position(p, count, 0, axes))] = true;
  }
  std::vector<Index> stay;
  for (std::size_t k = 0; k < goes.size(); ++k)
    if (!goes[k]) stay.push_back(static_cast<Index>(k));
  return stay;
}

Value remove_row(Call& call) {
  const auto& from = call.value(0);
  const bool by_name = call.value(1).is(Kind::text) ||
                       (call.value(1).is(Kind::array) && call.value(1).array().type() == ElementType::text);
  if (from.is(Kind::dictionary) || (from.is(Kind::record) && (by_name || !table_length(from))))
    return without_keys(call);
  if (const auto* table = find_table(call, 0))
    return rows_at(*table, places_that_stay(call, length_of(*table), 1));
  const auto a = call.array(0);
  if (a.axes() == 0)
    call.fail_argument(0, "must be an array, a list, a dictionary, a record or a table, not a single value");
  return Value::array(rows_of(a, places_that_stay(call, a.length(), a.axes())));
}

Value insert_row(Call& call) {
  const auto a = call.array(0);
  if (a.axes() == 0) call.fail_argument(0, "must be an array or a list, not a single value");
  const auto at = call.whole(2);
  if (at < 1 || at > a.length() + 1)
    call.fail_argument(2, fmt::format("must be an index from 1 to {}, not {}", a.length() + 1, at));
  auto item = a;
  if (a.type() == ElementType::any) {
    item = list_of(std::span<const Value>(&call.value(1), 1));
  } else {
    item = call.array(1);
    Shape row = a.shape(), given = item.shape();
    row.erase(0);
    if (!(given == row))
      call.fail_argument(
          1, row.empty() ? fmt::format("must be a single element, not {}", kind_in_words(call.value(1)))
                         : fmt::format("must be a row of shape {}, not {}", text_of(row),
                                       kind_in_words(call.value(1))));
    given.insert(0, 1);
    item = item.with_shape(given);
  }
  std::vector<Index> before, behind;
  for (Index k = 0; k < a.length(); ++k) (k < at - 1 ? before : behind).push_back(k);
  const Array parts[] = {rows_of(a, before), item, rows_of(a, behind)};
  return Value::array(join(parts, 0));
}

Value set_difference_row(Call& call) {
  const auto a = call.array(0), b = call.array(1);
  auto there = member(a, b);
  auto not_there = apply(Unary::logical_not, there);
  return Value::array(unique(select_mask(a, not_there)));
}

bool is_wanted(Call& call, std::span<const Value> arguments) {
  const auto result = call.runtime.call(call.callable(0), arguments);
  if (!result.is(Kind::boolean))
    call.fail_argument(0, fmt::format("must return true or false, but returned {}", kind_in_words(result)));
  return result.boolean();
}

bool is_wanted(Call& call, DirectCall& direct, const Value& item) {
  if (item.is_number()) {
    double wanted = 0;
    if (call.runtime.call_direct(direct, call.callable(0), {&item.number(), 1}, {&wanted, 1}))
      return wanted != 0;
  }
  const Value arguments[] = {item};
  return is_wanted(call, arguments);
}

Value filter_row(Call& call) {
  call.callable(0);
  const auto& from = call.value(1);
  if (from.is(Kind::dictionary)) {
    Value out(Kind::dictionary, new DictionaryObject);
    for (const auto& [key, value] : from.object<DictionaryObject>().entries) {
      const Value arguments[] = {key, value};
      if (is_wanted(call, arguments)) out.object<DictionaryObject>().set(key, value);
    }
    return out;
  }
  const auto stay = [&](Index count, auto item) {
    std::vector<Index> out;
    DirectCall direct{.sizes = {0}, .result_size = -1};
    for (Index k = 0; k < count; ++k) {
      poll_interrupt_at(static_cast<std::size_t>(k));
      if (is_wanted(call, direct, item(k))) out.push_back(k);
    }
    return out;
  };
  if (const auto* table = find_table(call, 1))
    return rows_at(*table, stay(length_of(*table), [&](Index k) { return row_of(*table, k); }));
  const auto a = call.array(1);
  if (a.axes() == 0)
    call.fail_argument(1, "must be an array, a list, a dictionary or a table, not a single value");
  return Value::array(rows_of(a, stay(a.length(), [&](Index k) { return element_of(a, k); })));
}

}  // namespace
}  // namespace collections_calls

std::vector<Builtin> collection_rows() {
  using namespace collections_calls;
  const Parameter d = {"d", "a dictionary or a record", ""};
  return {
      {
          .name = "values",
          .family = "collections",
          .summary = "Return the values of a dictionary, or of the fields of a record, in order.",
          .parameters = {d},
          .returns = "a vector if all values are numbers, texts or booleans of one kind; otherwise a list",
          .example = "values({\"inlet\": 3, \"deep\": 38})",
          .output = "values({\"inlet\": 3, \"deep\": 38}) : float64 2\n   3  38",
          .run = values_row,
      },
      {
          .name = "pairs",
          .family = "collections",
          .summary = "Pair each key of a dictionary, or name of a record, with its value.",
          .parameters = {d},
          .returns = "a list of tuples (key, value)",
          .example = "for name, depth in pairs({\"inlet\": 3, \"deep\": 38}) { print(\"{name} {depth}\") }",
          .output = "inlet 3\ndeep 38",
          .run = pairs_row,
      },
      {
          .name = "remove",
          .family = "collections",
          .summary = "Return a copy without the given elements, keys, fields or rows.",
          .parameters = {{"a", "an array, a list, a dictionary, a record or a table", ""},
                         {"which",
                          "indices along the first axis, rows of a table, or a mask; for a dictionary or "
                          "record, one key or several",
                          ""}},
          .returns = "the remaining value",
          .errors = "if an index or key does not exist",
          .example = "remove([5, 6, 7], 2)\nremove({\"a\": 1, \"b\": 2}, \"a\")",
          .output =
              "remove([5, 6, 7], 2) : float64 2\n  5  7\nremove({\"a\": 1, \"b\": 2}, \"a\") : dictionary "
              "of 1\n  \"b\"  2",
          .run = remove_row,
      },
      {
          .name = "insert",
          .family = "collections",
          .summary = "Return a copy with one element, or one row, inserted.",
          .parameters = {{"a", "an array or a list", ""},
                         {"item", "an element, or a row", ""},
                         {"at", "index of the new element, from 1 to the length plus 1", ""}},
          .returns = "a new array",
          .errors = "if the item has another shape; if the index is out of range",
          .example = "insert([1, 2, 4], 3, 3)",
          .output = "insert([1, 2, 4], 3, 3) : float64 4\n  1  2  3  4",
          .run = insert_row,
      },
      {
          .name = "filter",
          .family = "collections",
          .summary = "Select the elements, or the rows of a table, for which a function is true.",
          .parameters = {{"f",
                          "function that returns true or false; it receives an element, a row of an array "
                          "with more axes, a table row as a record, or a key and a value of a dictionary",
                          ""},
                         {"v", "an array, a list, a dictionary or a table", ""}},
          .returns = "the selected part of v, in the same order",
          .errors = "if the function does not return a boolean",
          .example = "filter(fn(x) = x % 2 == 0, 1..7)",
          .output = "filter(fn(x) = x % 2 == 0, 1..7) : float64 3\n  2  4  6",
          .run = filter_row,
      },
      {
          .name = "set_difference",
          .family = "order and sets",
          .summary = "Return the distinct elements of one array that are not in another, in ascending order.",
          .parameters = {{"a", "an array", ""}, {"b", "an array", ""}},
          .returns = "a vector",
          .example = "set_difference([3, 1, 2, 3], [2])",
          .output = "set_difference([3, 1, 2, 3], [2]) : float64 2\n  1  3",
          .run = set_difference_row,
      },
  };
}

}  // namespace quill
