// Typed linear code, the input of the shared object that compiles it to machine code (src/native_code). Each
// variable has a type and may be assigned several times; a step is about one machine instruction.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace quill::native {

enum class VariableType : std::uint8_t { number, whole, boolean, pointer };

enum class Do : std::uint8_t {
  // dst = a constant: `number`, or `immediate`
  constant,
  copy,  // dst = x
  add,   // dst = x op y, of two numbers or two whole numbers without a check
  subtract,
  multiply,
  divide,
  remainder,     // of whole numbers, as C++ has it; y is not 0
  remainder_31,  // of whole numbers from 0 to 2^31-1; y is not 0
  negate,
  // dst = x op y in an integer type of `immediate` bits, negative for unsigned ones; z = whether it overflows
  add_checked,
  subtract_checked,
  multiply_checked,
  // dst (a boolean) = x op y; of whole numbers with p = 1 as unsigned ones
  equal,
  not_equal,
  less,
  less_equal,
  greater,
  greater_equal,
  logical_and,
  logical_or,
  logical_not,
  square_root,  // exact functions of a number
  floor,
  ceil,
  truncate,
  round,
  absolute,
  multiply_add,    // dst = x*y + z of numbers, rounded once
  call_1,          // dst = the function at the address `immediate` of the number x
  call_2,          // … of the numbers x and y
  to_number,       // of a whole number
  to_whole,        // of a number within 63 bits, truncated
  bits,            // of a number, as a whole number
  narrow,          // of a number, rounded to float32
  select,          // dst = x ? y : z
  address,         // dst = the address of element y of the array at x; `immediate`: its ElementType
  load,            // dst = element y of the array at x; `immediate`: its ElementType
  store,           // element y of the array at x = z
  load_kind,       // dst = the kind of the register `immediate`, or with p = 1 of the value at that address
  load_register,   // dst = the number, boolean or address in it
  store_register,  // the same way back, with its kind; without x the register gets the kind q
  load_result,     // dst = result `immediate` of the last helper
  store_result,    // that result = x, for the next helper
  help,            // dst = helper at the address `immediate` of (run, p, q, x or 0)
  poll,            // dst = whether an interrupt, a memory check or a report of progress is requested
  label,           // `immediate` is its number
  jump,            // to label p
  branch,          // x: to label p, otherwise q; `immediate` 1: p is likely, -1: q is
  leave,           // the result is x
  load_depth,      // dst = Run::depth
  save,            // Run::saved[immediate] = x; without x Run::exit = p
  // dst = the status of body p, called with the variables of list q; list `immediate`: its results
  call_body,
  give  // in a body: the status x and the variables of list p, of those in `results` none with p = -1
};

struct Step {
  Do what;
  int dst = -1, x = -1, y = -1, z = -1;
  int p = 0, q = 0;
  std::int64_t immediate = 0;
  double number = 0;
};

struct Code {
  std::vector<VariableType> variables;
  std::vector<Step> steps;
  std::vector<int> entries;  // label of each entry point
  int labels = 0;
  std::vector<std::vector<int>> lists{};  // of variables
  // Functions that the code calls, possibly recursively: pure functions of numbers and array elements.
  std::vector<Code> bodies{};
  // For a body.
  std::vector<int> parameters{};  // variables
  std::vector<VariableType> results{};
};

// The argument of machine code. Its layout is known to src/native_code.
struct Run {
  void* registers = nullptr;  // 16 bytes each: a byte of kind, 7 unused, 8 of the value
  const int* attention = nullptr;
  std::int64_t depth = 0;         // how many further calls of bodies may be nested
  std::int64_t exit = 0;          // exit taken, see Lowered::exits
  std::int64_t* saved = nullptr;  // variables saved at the exit
  // The results of the last helper, or further arguments of the next one; numbers are stored by their bits.
  // The entries after the first 16 are described at Parts.
  std::int64_t results[216];
};
inline constexpr std::uint8_t kKindNone = 1, kKindNumber = 3, kKindTruth = 4;

using Entry = std::int64_t (*)(Run* run, std::int64_t entry);
using Helper = std::int64_t (*)(Run* run, std::int64_t p, std::int64_t q, std::int64_t x);

// The functions of the shared object. `make` returns null if it fails; code stays valid until it is released.
struct Maker {
  void* (*make)(const Code& code, Entry* entry);
  void (*release)(void* made);
};
inline constexpr const char* kMakerSymbol = "eager_quill_native_1";

// One step a line, for tests.
std::string dump(const Code& code);

}  // namespace quill::native
