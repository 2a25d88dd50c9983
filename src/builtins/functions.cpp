// Built-ins that apply a function step by step.
#include <fmt/format.h>

#include "base/interrupt.h"
#include "builtins/tables.h"
#include "value/construct.h"
#include "value/runtime.h"

namespace quill {

namespace functions_calls {
namespace {

// Elements along the first axis: numbers of a vector, rows of a matrix, items of a tuple.
class Elements {
 public:
  Elements(const Call& call, const Value& v) : value_(v) {
    if (v.is(Kind::tuple))
      count_ = static_cast<Index>(v.object<TupleObject>().items.size());
    else if (v.is_array_like() && !shape_of(v).empty())
      count_ = shape_of(v)[0];
    else
      fail(fmt::format("{}: elements must come from a vector, a matrix or a tuple, not from {}",
                       call.row.name, kind_in_words(v)));
  }
  Index count() const { return count_; }
  Value operator[](Index k) const {
    if (value_.is(Kind::tuple)) return value_.object<TupleObject>().items[static_cast<std::size_t>(k)];
    if (value_.is(Kind::range)) return {value_.object<RangeObject>().at(k)};
    return element_of(value_.array(), k);
  }

 private:
  Value value_;
  Index count_ = 0;
};

// result = f(result, next), of numbers; false if it has to be called otherwise.
bool call_direct(Call& call, DirectCall& direct, const Value& f, Value& result, const Value& next) {
  const double given[] = {result.number(), next.number()};
  double made = 0;
  if (!call.runtime.call_direct(direct, f, given, {&made, 1})) return false;
  result.set_number(made);
  return true;
}

// The running results of f(result, element); `each` gets every one of them, the last one is returned.
template <class F>
Value accumulated(Call& call, F each) {
  const auto& f = call.callable(0);
  const Elements elements(call, call.value(1));
  Value result = call.given(2) ? call.value(2) : Value();
  DirectCall direct{.sizes = {0, 0}};
  for (Index k = 0; k < elements.count(); ++k) {
    if (result.is(Kind::unset)) {
      result = elements[k];
    } else if (const auto next = elements[k];
               result.is_number() && next.is_number() && call_direct(call, direct, f, result, next)) {
    } else {
      const Value arguments[] = {std::move(result), elements[k]};
      result = call.runtime.call(f, arguments);
    }
    each(result);
  }
  return result;
}

Value scan_row(Call& call) {
  // Numbers as such, until something else comes.
  std::vector<double> numbers;
  std::vector<Value> results;
  accumulated(call, [&](const Value& result) {
    if (results.empty() && result.is_number()) {
      numbers.push_back(result.number());
      return;
    }
    for (const double number : numbers) results.emplace_back(number);
    numbers.clear();
    results.push_back(result);
  });
  return numbers.empty() ? collect(std::move(results)) : Value::array(Array::vector(numbers));
}

Value reduce_row(Call& call) {
  auto result = accumulated(call, [](const Value&) {});
  if (result.is(Kind::unset))
    call.fail_argument(1, "has no elements, and no `start` is given as the result", "reduce(f, v, start: 0)");
  return result;
}

Value zip_row(Call& call) {
  std::vector<Elements> columns;
  for (const auto& v : call.many()) {
    columns.emplace_back(call, v);
    if (columns.back().count() != columns[0].count())
      fail(fmt::format("zip requires arrays of equal length, and these have {} and {} elements",
                       columns[0].count(), columns.back().count()));
  }
  if (columns.empty()) fail("zip needs at least one array");
  std::vector<Value> rows;
  for (Index k = 0; k < columns[0].count(); ++k) {
    if (k % 4096 == 0) poll_interrupt();
    std::vector<Value> row;
    for (const auto& column : columns) row.push_back(column[k]);
    rows.push_back(Value::tuple(std::move(row)));
  }
  return Value::array(list_of(rows));
}

}  // namespace
}  // namespace functions_calls

std::vector<Builtin> function_rows() {
  using namespace functions_calls;
  const Parameter f =
      called_with(2, {"f", "function of two values: the result so far and the next element", ""});
  const Parameter v = {"v", "a vector, or an array whose rows are taken one by one", ""};
  const Parameter start = {
      "start", "result before the first element; default: the first element is the first result", "none"};
  return {
      {
          .name = "scan",
          .family = "functions",
          .summary = "Return all intermediate results of a function applied cumulatively to the elements.",
          .parameters = {f, v, start},
          .returns = "an array with one result for each element",
          .errors = "if the results have different shapes",
          .example = "scan(fn(level, inflow) = 0.5 * level + inflow, [8, 0, 4])",
          .output = "scan(fn(level, inflow) = 0.5 * level + inflow, [8, 0, 4]) : float64 3\n  8  4  6",
          .run = scan_row,
      },
      {
          .name = "reduce",
          .family = "functions",
          .summary = "Apply a function cumulatively to the elements and return the last result.",
          .parameters = {f, v, start},
          .returns = "any value",
          .errors = "if there are no elements and no start",
          .example = "reduce(fn(a, b) = a * 10 + b, [1, 2, 3])",
          .output = "reduce(fn(a, b) = a * 10 + b, [1, 2, 3]) = 123",
          .run = reduce_row,
      },
      {
          .name = "zip",
          .family = "functions",
          .summary = "Iterate over several arrays in parallel: for a, b in zip(u, v).",
          .parameters = {{"arrays", "arrays of equal length", "", true}},
          .returns = "a list of tuples (key, value)",
          .errors = "if the lengths differ",
          .example = "for name, depth in zip([\"inlet\", \"deep\"], [3, 38]) { print(\"{name} {depth}\") }",
          .output = "inlet 3\ndeep 38",
          .run = zip_row,
      },
  };
}

}  // namespace quill
