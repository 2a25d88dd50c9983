// What is known of a value before a program runs: its kind, and the number, the text, the shape or the parts
// where the text says them.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "language/tree.h"
#include "value/value.h"

namespace quill {

struct Known {
  enum class Kind : std::uint8_t {
    anything,
    nothing,  // what a call without a result gives
    number,   // a single one
    truth,    // a single one
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
  std::optional<Shape> shape;      // of arrays
  bool are_truths = false;         // of arrays: its elements are truth values, surely
  std::vector<Known> items;        // of tuples and records
  std::vector<std::string> names;  // of records
  const Node* function = nullptr;  // of the text

  bool is(Kind k) const { return kind == k; }
  // The shape, with that of single values.
  std::optional<Shape> whole_shape() const;
  bool operator==(const Known& other) const;
};

Known known_number(std::optional<double> number = std::nullopt);
Known known_array(std::optional<Shape> shape = std::nullopt, bool are_truths = false);
// What is known of a value that is there.
Known known_of(const Value& value);
// What is known of a value that is one of both.
Known joined(const Known& a, const Known& b);
// "the number 3", "a vector of 2 numbers", as in messages.
std::string in_words(const Known& known);

// What a call of a built-in gives; `arguments` are those by position. Errors of shapes are thrown.
Known known_result(std::string_view builtin, std::span<const Known> arguments, bool some_by_name);

}  // namespace quill
