// Meaning of variable attributes by the conventions for climate and forecast metadata (CF 1.10), for NetCDF
// and HDF5.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "array/array.h"

namespace quill {

struct VariableNote {
  std::string name;  // of the variable, as displayed
  std::string long_name, units;
  std::string calendar;               // of times; "" for the standard one
  std::vector<double> missing;        // values that mark missing data
  std::optional<double> least, most;  // valid range of packed values
  std::optional<double> scale, offset;

  // All of it in one line, for digests.
  std::string in_words() const;
  // Takes the valid range from attributes; `packed` converts their values to stored numbers.
  void take_limits(const std::vector<double>& valid_range, const std::vector<double>& valid_min,
                   const std::vector<double>& valid_max, const std::function<double(double)>& packed);
};

// Name and unit of the numbers; null if there are none. For times the unit is that of the stored numbers.
LabelPtr label_of(const VariableNote& note);
// Type of the decoded numbers, given that some may be missing.
ElementType decoded_type(ElementType stored, const VariableNote& note);
// Decodes stored numbers: missing ones become nan, scale and offset are applied, times since a date become
// timestamps. Integers without scale and missing values keep their type. Times in calendars with other dates
// than timestamps remain numbers, with a warning.
Array decoded(Array array, const VariableNote& note,
              const std::function<void(std::string message, std::string hint)>& warn);

// Whether decode_in_place() gives the same as decoded(): real numbers that keep their type.
bool decodes_in_place(ElementType stored, const VariableNote& note);
// Makes missing numbers of that type nan. May be called by several threads.
void decode_in_place(void* numbers, ElementType type, Index size, const VariableNote& note);

}  // namespace quill
