// Abstract values for `check`: the kind of a value and, if the program text determines them, its number,
// text, shape or parts.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "value/value.h"

namespace quill {

struct AbstractValue {
  enum class Kind : std::uint8_t {
    anything,
    nothing,  // result of a call that returns none
    number,   // a single one
    boolean,  // a single one
    text,     // a single one
    array,
    tuple,
    record,
    dictionary,
    function
  };
  Kind kind = Kind::anything;
  std::optional<double> number;
  std::optional<std::string> text;
  std::optional<Shape> shape;        // of arrays, if known
  bool are_booleans = false;         // of arrays: the elements are certainly booleans
  std::vector<AbstractValue> items;  // of tuples and records
  std::vector<std::string> names;    // of records

  bool is(Kind k) const { return kind == k; }
  // Shape of an array or single value, if known.
  std::optional<Shape> whole_shape() const;
  bool operator==(const AbstractValue& other) const;
};

AbstractValue abstract_number(std::optional<double> number = std::nullopt);
AbstractValue abstract_array(std::optional<Shape> shape = std::nullopt, bool are_booleans = false);
// Abstraction of an actual value.
AbstractValue abstract_value_of(const Value& value);
// Least abstract value that covers both.
AbstractValue joined(const AbstractValue& a, const AbstractValue& b);
// "the number 3", "a vector of 2 numbers", as in messages.
std::string in_words(const AbstractValue& known);

// Result of a call of a built-in with positional arguments. Throws Error if the call certainly fails.
AbstractValue abstract_result(std::string_view builtin, std::span<const AbstractValue> arguments,
                              bool some_by_name);

}  // namespace quill
