// Built-ins that apply a function step by step.
#include <fmt/format.h>

#include "array/index.h"
#include "builtins/tables.h"
#include "engine/machine.h"
#include "engine/operations.h"

namespace quill {

namespace {

// The elements along the first axis: numbers of a vector, rows of a matrix, items of a tuple.
std::vector<Value> elements_of(const Call& call, const Value& v) {
  if (v.is(Kind::tuple)) return v.object<TupleObject>().items;
  const auto count = v.is_array_like() && !shape_of(v).empty() ? shape_of(v)[0] : -1;
  if (count < 0)
    fail(fmt::format("{}: elements are taken from a vector, a matrix or a tuple, not from {}", call.row.name,
                     kind_in_words(v)));
  return unpacked(v, static_cast<int>(count));
}

// The running results of f(result, element), the last one being the accumulation of all.
std::vector<Value> accumulated(Call& call) {
  const auto& f = call.callable(0);
  auto elements = elements_of(call, call.value(1));
  std::vector<Value> out;
  for (auto& element : elements) {
    if (out.empty() && !call.given(2)) {
      out.push_back(std::move(element));
      continue;
    }
    const Value arguments[] = {out.empty() ? call.value(2) : out.back(), std::move(element)};
    out.push_back(call.machine.call(f, arguments));
  }
  return out;
}

Value scan_row(Call& call) { return collect(accumulated(call), -1); }

Value reduce_row(Call& call) {
  auto all = accumulated(call);
  if (!all.empty()) return std::move(all.back());
  if (!call.given(2))
    call.fail_argument(1, "has no elements, and there is no `start` that could be the result",
                       "reduce(f, v, start: 0)");
  return call.value(2);
}

Value zip_row(Call& call) {
  std::vector<std::vector<Value>> columns;
  for (const auto& v : call.many()) {
    columns.push_back(elements_of(call, v));
    if (columns.back().size() != columns[0].size())
      fail(fmt::format("zip goes through arrays of one length, and these have {} and {} elements",
                       columns[0].size(), columns.back().size()));
  }
  if (columns.empty()) fail("zip needs at least one array");
  std::vector<Value> rows;
  for (std::size_t k = 0; k < columns[0].size(); ++k) {
    std::vector<Value> row;
    for (auto& column : columns) row.push_back(std::move(column[k]));
    rows.push_back(Value::tuple(std::move(row)));
  }
  return Value::array(list_of(rows));
}

}  // namespace

std::vector<Builtin> function_rows() {
  const Parameter f = {"f", "a function of two values: the result so far, and the next element", ""};
  const Parameter v = {"v", "a vector, or an array whose rows are taken one by one", ""};
  const Parameter start = {"start",
                           "the result before the first element; without it, the first element is the first "
                           "result",
                           "none"};
  return {
      {"scan",
       "functions",
       "General accumulation: all results of f, step by step.",
       {f, v, start},
       "an array with one result for each element",
       "results of different shapes",
       "",
       "scan(fn(level, inflow) = 0.5 * level + inflow, [8, 0, 4])",
       "scan(fn(level, inflow) = 0.5 * level + inflow, [8, 0, 4]) : float64 3\n  8  4  6",
       scan_row},
      {"reduce",
       "functions",
       "General accumulation: the last result of f.",
       {f, v, start},
       "a value",
       "no elements and no start",
       "",
       "reduce(fn(a, b) = a * 10 + b, [1, 2, 3])",
       "reduce(fn(a, b) = a * 10 + b, [1, 2, 3]) = 123",
       reduce_row},
      {"zip",
       "functions",
       "Goes through several arrays side by side: for a, b in zip(u, v).",
       {{"arrays", "arrays of one length", "", true}},
       "a list of tuples",
       "lengths that differ",
       "",
       "for name, depth in zip([\"inlet\", \"deep\"], [3, 38]) { print(\"{name} {depth}\") }",
       "inlet 3\ndeep 38",
       zip_row},
  };
}

}  // namespace quill
