// Text of values: in columns, in one line, or by a format specification.
#pragma once

#include <string>

#include "value/value.h"

namespace quill {

struct PrintOptions {
  int digits = 5;  // significant
  int width = 80;  // columns
  Index rows = 6;  // of a table
};

// Text in as many lines as needed, without a final line end: columns aligned at decimal points, large arrays
// abbreviated with …, arrays of more than two axes as matrices under headers like [1, .., ..].
std::string layout(const Value& value, const PrintOptions& options = {});
// Whether the value is shown as a table: several columns. A single vector is shown as a field instead.
bool is_shown_as_table(const Value& value);
// In one line, with the shortest digits that read back to the same numbers.
std::string inline_text(const Value& value);
// "6 - 2i" from the texts of the real part and of the absolute imaginary part.
std::string complex_text(Complex z, const std::string& re, const std::string& im_size);
// By a format specification as in std::format; applied to each element of arrays.
std::string formatted(const Value& value, const std::string& specification);
// The line after an assignment: "depth : float64 81×121, 0 … 38.2, 212 nan".
std::string card(const std::string& name, const Value& value);
// The part of a card after the name: type, shape, range.
std::string card_contents(const Value& value);
// A bare expression with its label, on one line if it fits.
std::string labelled(const std::string& label, const Value& value, const PrintOptions& options = {});

}  // namespace quill
