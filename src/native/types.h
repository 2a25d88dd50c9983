// Abstract value of a register at a point of the code.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "array/element.h"
#include "value/value.h"

namespace quill::native {

// Location of a register's value in native code.
enum class Form : std::uint8_t {
  nowhere,   // unused or unreachable
  number,    // in a variable, as float64
  whole,     // in a variable, as an integer of magnitude at most 2^53 representing the float64; not -0
  boolean,   // in a variable
  single,    // in a variable, one element of an integer array, with its type
  real32,    // in a variable, as float64, a single float32
  complex,   // in two variables, a single complex number
  vector,    // in variables, a float64 vector of a few elements
  tuple,     // in variables, a tuple of a few numbers and short vectors
  record,    // in variables, a record of the same
  function,  // no variable: the function is known
  closure,   // in variables, the captured numbers of a function whose code is known
  view,      // the array in another register without a copy, for example of the caller of an inlined function
  slice,     // in variables, the location of a part of the array in another register
  span,      // in variables, both ends of an integer range
  all,       // the subscript `..`
  memory     // in the frame, any value
};

using Names = std::vector<std::string>;

struct Type {
  Form form = Form::nowhere;
  ElementType element = ElementType::float64;  // of a single element, or of an array with known axes
  std::uint8_t axes =
      0;  // in memory: an array with so many axes, whose pointer, extents and strides are known
  bool has_label = false;      // of an array: has a name or unit
  bool is_owned = false;       // the register is the sole owner of the array and its storage
  bool counts = false;         // in memory: the state of an iteration over integers starts here
  bool is_stored = false;      // the frame has the same value
  bool may_hold = false;       // the frame may hold an object that must be released before it is overwritten
  bool has_unit_step = false;  // of an array: elements along the last axis are known to be adjacent
  std::int64_t low = 0, high = 0;  // range of a whole number
  // For a whole number: equals the variable of the loop whose state is in this register, plus `shift`.
  int counter = -1;
  std::int64_t shift = 0;
  std::uint8_t count = 0;                    // of the elements of a vector, tuple or record
  std::uint64_t parts = 0;                   // of a tuple or record, see part_size
  const Names* names = nullptr;              // of a record's fields; lists with the same names are the same
  int root = -1;                             // of a view or slice: the register of the array
  const FunctionObject* function = nullptr;  // of a function, also in memory, where it is known
  const Function* code = nullptr;            // of a closure
  bool operator==(const Type& other) const = default;
};

using State = std::vector<Type>;  // by register

// Integers up to this magnitude are exact in float64.
inline constexpr std::int64_t kMostWhole = std::int64_t{1} << 53;
// Numbers read from the frame are held as integers up to this magnitude, so that k + 1 needs no check.
inline constexpr std::int64_t kMostRead = std::int64_t{1} << 52;

// Bounds of loop variables, and of their sums with small numbers.
inline constexpr std::int64_t kMostCounted = kMostRead + 4;

inline bool is_plain_number(Form form) { return form == Form::number || form == Form::whole; }
inline Type number_type() { return {.form = Form::number}; }
inline Type boolean_type() { return {.form = Form::boolean}; }
inline Type whole_type(std::int64_t low = -kMostWhole, std::int64_t high = kMostWhole) {
  return {.form = Form::whole, .low = low, .high = high};
}
inline Type memory_type() { return {.form = Form::memory, .may_hold = true}; }
inline Type array_type(ElementType element, int axes, bool is_owned) {
  return {.form = Form::memory,
          .element = element,
          .axes = static_cast<std::uint8_t>(axes),
          .is_owned = is_owned,
          .may_hold = true};
}

// Part sizes of a tuple, 5 bits each, lowest first: 1 for a number, 1 + n for a vector of n elements; 0 ends
// the list.
inline int part_size(std::uint64_t part) { return static_cast<int>(part & 31); }

// Maximum count of numbers in a vector or tuple, and of parts of a tuple, that are held in variables.
inline constexpr int kMostItems = 16, kMostTupleParts = 12;

// Whether a number may be held as an integer: no fraction, not -0, magnitude at most kMostRead.
bool is_whole_number(double x);
// The type of a value in the frame.
Type observed(const Value& value);
// Whether both run the same program with the same captured values.
bool is_same_function(const FunctionObject& a, const FunctionObject& b);
// Type of a function that has captured a few numbers and nothing else; empty for other values.
std::optional<Type> observed_closure(const Value& value);
// Type of a short float64 vector, or a short tuple or record of numbers and such vectors; empty for other
// values.
std::optional<Type> observed_items(const Value& value);
// The values in a tuple or record, in order.
std::vector<Value> items_in(const Value& value);
// The only list with these names; it is never freed.
const Names* interned(const Names& names);
// Type of a register where two paths join.
Type merged(const Type& a, const Type& b);
// Number of variables that hold it.
int values_of(const Type& type);
// "number", "whole number", "float64 array, 2 axes", …
std::string describe(const Type& type);

}  // namespace quill::native
