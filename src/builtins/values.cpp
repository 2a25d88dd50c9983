// Types, comparison of whole values, records and dictionaries.
#include <fmt/format.h>

#include <cmath>

#include "array/elementwise.h"
#include "array/reduce.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "value/construct.h"
#include "value/print.h"

namespace quill {

namespace values_calls {
namespace {

Value type_row(Call& call) { return Value::text(type_name(call.value(0))); }

// Times become the seconds that they are counted in.
Value convert_row(Call& call, ElementType type) {
  auto out = call.numbers(0).converted(type);
  if (holds_times(out)) out.label.reset();
  return Value::array(std::move(out));
}

// Equal, or both finite and within the tolerance.
Value near_row(Call& call) {
  const auto without_overflow = [](const Array& x) {
    return x.type() == ElementType::complex128 ? x : x.converted(ElementType::float64);
  };
  const auto a = without_overflow(call.numbers(0)), b = without_overflow(call.numbers(1));
  const double relative = call.number_or(2, 1e-9), absolute = call.number_or(3, 0);
  const auto distance = apply(Unary::abs, apply(Binary::subtract, a, b));
  const auto size = apply(Binary::maximum, apply(Unary::abs, a), apply(Unary::abs, b));
  const auto allowed = apply(Binary::maximum, apply(Binary::multiply, size, relative), absolute);
  const auto equal = apply(Binary::equal, call.numbers(0), call.numbers(1));
  if (relative == 0 && absolute == 0) return Value::array(reduce(Reduction::all, equal));
  const auto finite = apply(Binary::logical_and, apply(Unary::is_finite, a), apply(Unary::is_finite, b));
  const auto within = apply(Binary::logical_and, finite, apply(Binary::less_equal, distance, allowed));
  const auto close = apply(Binary::logical_or, equal, within);
  return Value::array(reduce(Reduction::all, close));
}

Value with_row(Call& call) {
  const auto& r = call.value(0);
  if (!r.is(Kind::record)) call.fail_argument(0, fmt::format("must be a record, not {}", kind_in_words(r)));
  auto fields = r.object<RecordObject>().fields;
  const auto set = [&](const std::string& name, const Value& value) {
    for (auto& [field, old] : fields)
      if (field == name) {
        old = value;
        return;
      }
    fields.emplace_back(name, value);
  };
  // A name of its own would hide a field that is called so.
  for (const auto& more : call.many()) {
    if (!more.is(Kind::dictionary))
      fail(fmt::format("with: further fields must be in a dictionary, not {}", kind_in_words(more)),
           "with(r, {\"Wave height\": 0.4})");
    for (const auto& [key, value] : more.object<DictionaryObject>().entries) {
      if (!key.is(Kind::text))
        fail(fmt::format("with: names of fields must be texts, and a key here is {}", kind_in_words(key)));
      set(key.text(), value);
    }
  }
  for (const auto& [name, value] : call.value(2).object<RecordObject>().fields) set(name, value);
  return Value::record(std::move(fields));
}

const DictionaryObject& dictionary_of(const Call& call) {
  if (!call.value(0).is(Kind::dictionary))
    call.fail_argument(0, fmt::format("must be a dictionary, not {}", kind_in_words(call.value(0))));
  return call.value(0).object<DictionaryObject>();
}

Value keys_row(Call& call) {
  if (call.value(0).is(Kind::record)) {
    std::vector<std::string> names;
    for (const auto& [name, value] : call.value(0).object<RecordObject>().fields) names.push_back(name);
    return Value::array(Array::vector(names));
  }
  const auto& d = dictionary_of(call);
  std::vector<Value> keys;
  std::vector<std::string> texts;
  for (const auto& [key, value] : d.entries) {
    keys.push_back(key);
    if (key.is(Kind::text)) texts.push_back(key.text());
  }
  if (texts.size() == keys.size()) return Value::array(Array::vector(texts));
  if (!texts.empty()) return Value::array(list_of(keys));
  return collect(std::move(keys));
}

Value has_row(Call& call) {
  if (call.value(0).is(Kind::record))
    return Value::boolean(call.value(0).object<RecordObject>().find(call.text(1)) != nullptr);
  return Value::boolean(dictionary_of(call).find(call.value(1)) != nullptr);
}

Value get_row(Call& call) {
  const auto* found = dictionary_of(call).find(call.value(1));
  return found ? *found : call.given(2) ? call.value(2) : Value::none();
}

Builtin conversion_row(ElementType type, std::string_view summary, std::string_view errors,
                       std::string_view example, std::string_view output, Value (*run)(Call&)) {
  Builtin row{};
  row.name = name_of(type);
  row.family = "values";
  row.summary = summary;
  row.parameters = {{"x", "numbers or booleans", ""}};
  row.returns = "array of the shape of x";
  row.errors = errors;
  row.example = example;
  row.output = output;
  row.run = run;
  row.converts_to = type;
  return row;
}

constexpr std::string_view kNotWhole = "if a fraction, nan or a number outside the range cannot be converted";

}  // namespace
}  // namespace values_calls

std::vector<Builtin> value_rows() {
  using namespace values_calls;
  const Parameter any = {"x", "any value", ""};
  const Parameter d = {"d", "a dictionary", ""};
  return {
      {
          .name = "type",
          .family = "values",
          .summary = "Name of the type of a value; for an array, of its elements.",
          .parameters = {any},
          .returns = "a text",
          .example = "type([1, 2])",
          .output = "type([1, 2]) = \"float64\"",
          .run = type_row,
          .as_they_are = true,
      },
      conversion_row(ElementType::float64, "Convert to float64, the type of all literals.",
                     "if a number has an imaginary part", "float64([true, false])",
                     "float64([true, false]) : float64 2\n  1  0",
                     [](Call& c) { return convert_row(c, ElementType::float64); }),
      conversion_row(ElementType::float32, "Convert to float32: half the memory, seven digits.",
                     "if a number has an imaginary part",
                     "print(\"{float32(0.1)}, {float64(float32(0.1))}\")", "0.1, 0.10000000149011612",
                     [](Call& c) { return convert_row(c, ElementType::float32); }),
      conversion_row(ElementType::int32, "Convert to int32: integers from -2147483648 to 2147483647.",
                     kNotWhole, "int32([1, 2]) * 3", "int32([1, 2]) * 3 : int32 2\n  3  6",
                     [](Call& c) { return convert_row(c, ElementType::int32); }),
      conversion_row(ElementType::int64, "Convert to int64: integers up to about 9.2e18.", kNotWhole,
                     "int64(2)^62", "int64(2)^62 = 4611686018427387904",
                     [](Call& c) { return convert_row(c, ElementType::int64); }),
      conversion_row(ElementType::uint8, "Convert to uint8: integers from 0 to 255.", kNotWhole,
                     "a = uint8([200, 100])\na[2] - a[1]", "a[2] - a[1] = -100",
                     [](Call& c) { return convert_row(c, ElementType::uint8); }),
      conversion_row(ElementType::complex128, "Convert to complex128.", "", "complex128(2)",
                     "complex128(2) = 2 + 0i",
                     [](Call& c) { return convert_row(c, ElementType::complex128); }),
      conversion_row(ElementType::boolean, "Convert zeros and ones to booleans.",
                     "if a number is neither 0 nor 1", "bool([0, 1])",
                     "bool([0, 1]) : bool 2\n  false   true",
                     [](Call& c) { return convert_row(c, ElementType::boolean); }),
      {
          .name = "same",
          .family = "values",
          .summary = "Test whether two values are equal as a whole; nan equals nan.",
          .parameters = {{"a", "any value", ""}, {"b", "any value", ""}},
          .returns = "a boolean",
          .example = "same([1, nan], [1, nan])",
          .output = "same([1, nan], [1, nan]) = true",
          .run = [](Call& c) { return Value::boolean(same(c.value(0), c.value(1))); },
      },
      {
          .name = "near",
          .family = "values",
          .summary = "Test whether all numbers of two arrays agree within a tolerance.",
          .parameters = {{"a", "numbers", ""},
                         {"b", "numbers, broadcast with a", ""},
                         {"relative", "tolerance relative to the larger number", "1e-9"},
                         {"absolute", "absolute tolerance", "0"}},
          .returns = "a boolean",
          .errors = "if the shapes do not broadcast",
          .example = "near(0.1 + 0.2, 0.3)",
          .output = "near(0.1 + 0.2, 0.3) = true",
          .run = near_row,
      },
      {
          .name = "with",
          .family = "values",
          .summary = "Return a copy of a record or table with fields changed or added.",
          .parameters = {{"r", "a record", ""},
                         {"more", "dictionaries of new fields, for names that are not identifiers", "none",
                          true},
                         {"fields", "new fields by name", "", false, true}},
          .returns = "a record",
          .example = "r = (depth: 3.5, name: \"buoy\")\nprint(with(r, depth: 4).depth)\n"
                     "print(with(r, {\"Wave height\": 0.4})[\"Wave height\"])",
          .output = "4\n0.4",
          .run = with_row,
      },
      {
          .name = "keys",
          .family = "values",
          .summary = "Return the keys of a dictionary, or the field names of a record, in order.",
          .parameters = {{"d", "a dictionary or a record", ""}},
          .returns = "a vector",
          .example = "keys({\"a\": 1, \"b\": 2})",
          .output = "keys({\"a\": 1, \"b\": 2}) : text 2\n  \"a\"  \"b\"",
          .run = keys_row,
      },
      {
          .name = "has",
          .family = "values",
          .summary = "Test whether a dictionary has a key, or a record a field.",
          .parameters = {{"d", "a dictionary or a record", ""}, {"key", "a text or a number", ""}},
          .returns = "a boolean",
          .example = "has({\"a\": 1}, \"b\")",
          .output = "has({\"a\": 1}, \"b\") = false",
          .run = has_row,
      },
      {
          .name = "get",
          .family = "values",
          .summary = "Return the value for a key of a dictionary, or a default.",
          .parameters = {d,
                         {"key", "a text or a number", ""},
                         {"otherwise", "result if the key is missing", "none"}},
          .returns = "any value",
          .example = "get({\"a\": 1}, \"z\", 0)",
          .output = "get({\"a\": 1}, \"z\", 0) = 0",
          .run = get_row,
      },
  };
}

}  // namespace quill
