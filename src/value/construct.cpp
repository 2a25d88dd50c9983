// Construction of arrays, and unpacking of values.
#include "value/construct.h"

#include <fmt/format.h>

#include <algorithm>

#include "array/axis_names.h"
#include "array/elementwise.h"
#include "array/index.h"
#include "array/rearrange.h"

namespace quill {

namespace {

Array as_row(const Value& item) {
  const auto a = to_array(item, "a bracket");
  return a.axes() == 0 ? a.with_shape({1}) : a;
}

bool one_family(std::span<const Value> items) {
  bool number = false, boolean = false, text = false;
  for (const auto& item : items) {
    if (!item.is_array_like()) return false;
    const auto type = element_type_of(item);
    if (shape_of(item).count() > 0 && size_of(shape_of(item)) == 0) continue;
    text = text || type == ElementType::text;
    boolean = boolean || type == ElementType::boolean;
    number = number || (is_numeric(type) && type != ElementType::boolean);
    if (type == ElementType::any) return false;
  }
  return text + boolean + number <= 1;
}

// Concatenates the items of a row: vectors to a vector, matrices side by side.
Array lay_row(std::span<const Value> items) {
  std::vector<Array> parts;
  int axes = 1;
  for (const auto& item : items) {
    parts.push_back(as_row(item));
    axes = std::max(axes, parts.back().axes());
  }
  if (axes == 1) return join(parts, 0);
  if (axes > 2)
    fail("brackets combine vectors and matrices, not arrays with more axes",
         "stack(a, b) or join(a, b, over: 1)");
  for (auto& part : parts) {
    if (part.axes() == 2) continue;
    if (part.size() != 1)
      fail(fmt::format("a vector of {} cannot be combined with a matrix", part.size()),
           "down(v) makes it a column, across(v) a row");
    part = part.with_shape({1, 1});
  }
  for (const auto& part : parts)
    if (part.extent(0) != parts[0].extent(0))
      fail(fmt::format("blocks of shapes {} and {} cannot be placed side by side: {} rows against {}",
                       text_of(parts[0].shape()), text_of(part.shape()), parts[0].extent(0), part.extent(0)));
  return join(parts, 1);
}

Array vector_of(std::span<const Value> numbers) {
  Array out(ElementType::float64, {static_cast<Index>(numbers.size())});
  double* to = out.mutable_data<double>();
  for (const auto& number : numbers) *to++ = number.number();
  return out;
}

// Integer type of a bracket whose other items are integer literals.
std::optional<ElementType> integers_beside_literals(std::span<const Value> items, const BracketForm& form) {
  std::optional<ElementType> type;
  bool literals = false;
  for (std::size_t k = 0; k < items.size(); ++k) {
    const auto& item = items[k];
    const auto element = element_type_of(item);
    if (is_integer(element))
      type = type ? common_type(*type, element) : element;
    else if (item.is_number() && is_whole(item.number()) && form.literal[k])
      literals = true;
    else
      return std::nullopt;
  }
  return literals ? type : std::nullopt;
}

}  // namespace

Value make_matrix(std::span<const Value> items, const BracketForm& form) {
  if (items.empty()) return Value::array(Array());
  std::vector<Value> plain;
  if (std::any_of(items.begin(), items.end(), [](const Value& v) { return v.is(Kind::library); })) {
    for (const auto& item : items) plain.push_back(numeric_value(item));
    items = plain;
  }
  const bool rows = form.is_matrix;
  if (!rows && std::all_of(items.begin(), items.end(), [](const Value& v) { return v.is_number(); }))
    return Value::array(vector_of(items));
  if (!one_family(items)) {
    if (rows)
      fail("rows of different kinds of values do not make a matrix",
           "filled(none, 2, 3) makes an array of any values");
    return Value::array(list_of(items));
  }
  std::vector<Value> typed;
  if (const auto type = integers_beside_literals(items, form)) {
    typed.assign(items.begin(), items.end());
    for (auto& item : typed)
      if (item.is_number()) item = Value::array(Array::single(item.number()).converted(*type));
    items = typed;
  }
  std::vector<Array> laid;
  std::size_t at = 0;
  for (const auto length : form.lengths) {
    const auto count = static_cast<std::size_t>(length);
    laid.push_back(lay_row(items.subspan(at, count)));
    at += count;
  }
  if (!rows) return Value::array(std::move(laid[0]));
  for (auto& row : laid)
    if (row.axes() == 1) row = row.with_shape({1, row.size()});
  for (std::size_t i = 0; i < laid.size(); ++i)
    if (laid[i].extent(1) != laid[0].extent(1))
      fail(fmt::format("rows of different lengths: row 1 has {} columns, row {} has {}", laid[0].extent(1),
                       i + 1, laid[i].extent(1)));
  return Value::array(join(laid, 0));
}

// Fast path for single elements of one type.
static std::optional<Array> vector_of_singles(std::span<const Value> items) {
  for (const auto& item : items)
    if (!item.is(Kind::array) || item.array().axes() != 0 || item.array().type() != items[0].array().type())
      return std::nullopt;
  Array out(items[0].array().type(), {std::ssize(items)});
  visit_type(out.type(), [&]<class T>(Tag<T>) {
    T* to = out.mutable_data<T>();
    for (const auto& item : items) *to++ = *item.array().data<T>();
  });
  return out;
}

Value collect(std::vector<Value> items, const std::optional<Shape>& grid) {
  if (items.empty()) return Value::array(grid ? Array(ElementType::float64, *grid) : Array());
  const auto shaped = [&](const Array& a) {
    if (!grid) return a;
    Shape shape = a.shape();
    shape.erase(0);
    shape.insert(0, (*grid)[1]);
    shape.insert(0, (*grid)[0]);
    return a.with_shape(shape);
  };
  for (auto& item : items)
    if (item.is(Kind::library)) item = numeric_value(item);
  const bool numbers = std::all_of(items.begin(), items.end(), [](const Value& v) { return v.is_number(); });
  if (numbers) { return Value::array(shaped(vector_of(items))); }
  if (!one_family(items)) return Value::array(shaped(list_of(items)));
  if (const auto singles = vector_of_singles(items))
    return Value::array(as_times_like(items[0].array(), shaped(*singles)));
  std::vector<Array> parts;
  for (const auto& item : items) {
    parts.push_back(to_array(item));
    if (!(parts.back().shape() == parts[0].shape()))
      fail(fmt::format("results of shapes {} and {} cannot make one array", text_of(parts[0].shape()),
                       text_of(parts.back().shape())),
           "list(…) can contain values of different shapes");
  }
  return Value::array(as_times_like(parts[0], shaped(stack(parts))));
}

namespace {

bool is_beyond_exact(const Value& end) {
  return end.is(Kind::array) && end.array().type() == ElementType::int64 &&
         std::fabs(*single_real(end)) >= kLargestExact;
}

// The range as an int64 array, if an end has that type and is not exact in float64.
std::optional<Array> whole_range(const Value& first, const Value& last, double step) {
  if (!is_beyond_exact(first) && !is_beyond_exact(last)) return std::nullopt;
  const auto a = single_whole(first), b = single_whole(last);
  if (!a || !b || !is_whole(step) || step == 0 || std::fabs(step) > kLargestExact) return std::nullopt;
  const auto by = static_cast<std::int64_t>(step);
  // The distance of two numbers of int64 fits into uint64.
  const bool rises = by > 0, is_empty = rises ? *b < *a : *b > *a;
  const auto distance = rises ? static_cast<std::uint64_t>(*b) - static_cast<std::uint64_t>(*a)
                              : static_cast<std::uint64_t>(*a) - static_cast<std::uint64_t>(*b);
  const auto steps = distance / static_cast<std::uint64_t>(rises ? by : -by);
  constexpr auto most = std::uint64_t{1} << 40;
  if (!is_empty && steps >= most) fail("this range has too many elements");
  Array out(ElementType::int64, {is_empty ? 0 : static_cast<Index>(steps) + 1});
  auto* to = out.mutable_data<std::int64_t>();
  for (Index k = 0; k < out.size(); ++k) to[k] = *a + k * by;
  return out;
}

}  // namespace

Value make_range(const Value& first, const Value& last, const Value* third, bool is_count) {
  const auto number = [](const Value& v, const char* what) {
    if (const auto x = single_real(v)) return *x;
    fail(fmt::format("{} of a range is a single number, not {}", what, kind_in_words(v)));
  };
  const double a = number(first, "the start"), b = number(last, "the end");
  if (is_time(first)) {
    // Ranges contain only numbers.
    auto times = to_array(make_range(Value(a), Value(b), third, is_count));
    times.label = to_array(first).label;
    return Value::array(std::move(times));
  }
  if (!is_count) {
    const double step = third ? number(*third, "the step") : 1;
    if (auto whole = whole_range(first, last, step)) return Value::array(std::move(*whole));
    return Value::range(a, b, step);
  }
  const double n = number(*third, "the count");
  if (!is_whole(n) || n < 0 || n > 1e15)
    fail(fmt::format("the count of a range must be an integer from 0, not {}", shortest(n)));
  return Value::range_count(a, b, static_cast<Index>(n));
}

std::optional<Value> element_at(const Array& array, Index offset) {
  if (has_axis_names(array)) return std::nullopt;
  switch (array.type()) {
    case ElementType::text: return Value::text(array.data<std::string>()[offset]);
    case ElementType::any: return element_value(array.data<Any>()[offset]);
    case ElementType::float64: {
      if (!holds_times(array)) return std::nullopt;
      auto time = Array::single(array.data<double>()[offset]);
      time.label = array.label;
      return Value::array(std::move(time));
    }
    default: return std::nullopt;
  }
}

Value element_of(const Array& array, Index k) {
  if (array.axes() == 1 && array.type() == ElementType::float64 && !holds_times(array))
    return {array.data<double>()[k * array.strides()[0]]};
  if (array.axes() == 1)
    if (auto element = element_at(array, k * array.strides()[0])) return *element;
  const Subscript s[] = {{Subscript::Kind::position, k, 1, 1, {}}, {Subscript::Kind::rest, 0, 1, 0, {}}};
  return Value::array(select(array, s));
}

std::vector<Value> unpacked(const Value& value, int count) {
  std::vector<Value> out;
  if (value.is(Kind::tuple))
    out = value.object<TupleObject>().items;
  else if (value.is(Kind::record))
    fail("a record is unpacked by field names",
         fmt::format("{0} = r.{0}", value.object<RecordObject>().fields.empty()
                                        ? "depth"
                                        : value.object<RecordObject>().fields[0].first));
  else if ((value.is(Kind::array) && value.array().axes() > 0) || value.is(Kind::range)) {
    const auto array = to_array(value);
    if (array.length() != count)
      fail(fmt::format("{} name{} for {} part{}", count, count == 1 ? "" : "s", array.length(),
                       array.length() == 1 ? "" : "s"),
           "`_` discards a part");
    for (Index k = 0; k < array.length(); ++k) out.push_back(element_of(array, k));
  } else
    fail(fmt::format("{} cannot be unpacked into {} names", kind_in_words(value), count));
  if (static_cast<int>(out.size()) != count)
    fail(fmt::format("{} name{} for {} part{}", count, count == 1 ? "" : "s", out.size(),
                     out.size() == 1 ? "" : "s"),
         "`_` discards a part");
  return out;
}

Value row_of(const RecordObject& table, Index k) {
  std::vector<std::pair<std::string, Value>> fields;
  for (const auto& [name, column] : table.fields)
    fields.emplace_back(name, column.is(Kind::range) ? Value(column.object<RangeObject>().at(k))
                                                     : element_of(column.array(), k));
  return Value::record(std::move(fields));
}

std::optional<Index> table_length(const Value& value) {
  if (!value.is(Kind::record)) return std::nullopt;
  const auto& fields = value.object<RecordObject>().fields;
  if (fields.empty()) return std::nullopt;
  for (const auto& [name, column] : fields)
    if (!column.is_array_like() || shape_of(column).count() != 1 ||
        shape_of(column)[0] != shape_of(fields[0].second)[0])
      return std::nullopt;
  return shape_of(fields[0].second)[0];
}

std::optional<std::vector<Value>> records_in(const Value& value) {
  if (!value.is(Kind::array) || value.array().type() != ElementType::any || value.array().axes() != 1 ||
      value.array().size() == 0)
    return std::nullopt;
  std::vector<Value> out;
  for (Index k = 0; k < value.array().length(); ++k) {
    out.push_back(element_of(value.array(), k));
    if (!out.back().is(Kind::record)) return std::nullopt;
    const auto &first = out[0].object<RecordObject>().fields,
               &fields = out.back().object<RecordObject>().fields;
    if (!std::equal(first.begin(), first.end(), fields.begin(), fields.end(),
                    [](const auto& a, const auto& b) { return a.first == b.first; }))
      return std::nullopt;
  }
  return out;
}

Value columns_of(std::span<const Value> records) {
  std::vector<std::pair<std::string, Value>> columns;
  for (const auto& [name, value] : records[0].object<RecordObject>().fields) {
    std::vector<Value> items;
    for (const auto& record : records) items.push_back(*record.object<RecordObject>().find(name));
    const bool plain = std::all_of(items.begin(), items.end(), [](const Value& v) {
      const auto number = numeric_value(v);
      return number.is_array_like() && shape_of(number).count() == 0;
    });
    // Values other than single ones are kept whole in a list.
    columns.emplace_back(name, plain ? collect(std::move(items)) : Value::array(list_of(items)));
  }
  return Value::record(std::move(columns));
}

}  // namespace quill
