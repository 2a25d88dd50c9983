// What attributes say of the numbers of a variable: the conventions for climate and forecast metadata
// (CF 1.10), for NetCDF and HDF5 alike.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "array/array.h"

namespace quill {

struct VariableNote {
  std::string name;  // of the variable, as it is shown
  std::string long_name, units;
  std::string calendar;               // of times; "" for the usual one
  std::vector<double> missing;        // values that stand for nothing
  std::optional<double> least, most;  // valid packed values
  std::optional<double> scale, offset;

  // All of it in one line, for a digest.
  std::string in_words() const;
  // The limits that attributes of these names have; `packed` turns what they hold into a stored number.
  void take_limits(const std::vector<double>& valid_range, const std::vector<double>& valid_min,
                   const std::vector<double>& valid_max, const std::function<double(double)>& packed);
};

// The name and unit of the numbers; null for those without. Of times the unit is that of their numbers.
LabelPtr label_of(const VariableNote& note);
// The type of numbers that may have gaps, whichever of them are read.
ElementType decoded_type(ElementType stored, const VariableNote& note);
// The numbers that an array stands for: nan for those that are missing, scaled and shifted, timestamps for
// times since a date. Integers without scale and without gaps stay what they are. Times of calendars that
// have other dates than timestamps stay numbers, with a warning.
Array decoded(Array array, const VariableNote& note,
              const std::function<void(std::string message, std::string hint)>& warn);

}  // namespace quill
