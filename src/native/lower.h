// Lowers the instructions of a loop or function to typed linear code, by the types of its registers.
#pragma once

#include <memory>
#include <set>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "compiler/flow.h"
#include "compiler/fused_region.h"
#include "native/code.h"
#include "native/types.h"
#include "value/registry.h"

namespace quill::native {

// Why native code returned to the machine.
enum class Reason : std::uint8_t {
  left,       // the loop ended, or a statement that the machine executes
  attention,  // a poll: an interrupt, a memory check or a report of progress is requested
  returned,   // the function returned; its result is in the register of the return instruction
  type,       // a value has another type than the code assumes
  whole,      // a number that the code holds as an integer has a fraction or exceeds 2^53
  value,      // an index out of range, a domain, an overflow: the machine executes it and reports
  error       // a helper caught an exception, which is rethrown
};
struct Left {
  std::size_t at;  // the instruction at which the machine resumes
  Reason reason;
  std::size_t cause;  // the instruction that could not be executed: `at` or a later one
};
inline std::int64_t packed(std::size_t at, Reason reason, std::size_t cause) {
  return static_cast<std::int64_t>((cause << 32) | (at << 4) | static_cast<std::size_t>(reason));
}
inline Left unpacked(std::int64_t result) {
  const auto bits = static_cast<std::size_t>(result);
  return {(bits & 0xffffffff) >> 4, static_cast<Reason>(bits & 15), bits >> 32};
}

// Observations of earlier native code of a function, by instruction.
struct Experience {
  std::set<std::size_t> machine;    // operand types change: the machine executes it
  std::set<std::size_t> not_whole;  // its result is not always a whole number
};

// Functions called by native code; unless stated otherwise, each returns 0 if it caught an exception.
struct Helpers {
  Helper execute;   // executes instruction p
  Helper fused;     // evaluates the region at p; 2 if its operations have to be executed one by one
  Helper advance;   // advances the iteration of instruction p; 2 at its end
  Helper describe;  // results = pointer, extents and strides of the array in register p; its array_code or -1
  Helper describe_value;  // the same of the value at the address x
  Helper load_value;      // register p = the value at the address x
  Helper equal_texts;     // whether registers p and q contain the same text; 2 if one contains no text
  Helper own;             // makes register p the only holder of its array and storage, then as describe
  Helper release;         // clears register p
  Helper copy;            // register p = q
  Helper take;            // moves register q to p
  Helper store_single;    // register p = element x of type q
  Helper load_single;     // result 0 = the element in register p
  // register p = the results, as a record with the names at x and the parts in result kMostItems
  Helper store_record;
  Helper store_items;   // register p = the results, as a vector of q elements, or as a tuple with the parts x
  Helper load_items;    // the elements in register p as results; 0 unless there are q of them
  Helper store_scalar;  // register p = the results, as a single element of type q: float32 or complex128
  Helper load_scalar;   // results = the number, or both parts, of the single element in register p
  Helper store_function;  // register p = element q of Lowered::kept
  Helper store_closure;   // register p = element q of Lowered::codes, with the results as captured numbers
  Helper load_closure;    // results = what the closure in register p has captured; 0 unless its code is q
  Helper store_slice;  // register p = the part of the array in register q with the description in the results
  Helper store_span;   // register p = the range of integers between the first two results
  Helper store_all;    // register p = ..
  // Evaluates the operation x (of type Parts) of q operands, see Parts: to a new array in register p, with
  // its description as results; with p = -1 to a number, result 0; with p = -2 into the part after the
  // operands. 2 if another way is needed; nothing has happened then.
  Helper evaluate;
  Helper draw;        // result 0 = a random number of the built-in in row p of the registry
  Helper draw_whole;  // the same of a random integer between the numbers in the results; 2 if it fails
  // results = the built-in's OfNumbers::run at the address x of the first p results; 0 if the row has to run
  Helper of_numbers;
  // results = the function at the address x of the complex number in the results; with p = 4 numbers the
  // quotient of two complex numbers, or their power unless x is 0; 0 if a part is nan
  Helper of_complex;
  Helper tick = nullptr;  // for tests: called at each check; 0 makes the check fail
};
// Type of an array encoded as a number.
inline constexpr std::int64_t kOwnedCode = 256, kUnitStepCode = 1024;
inline std::int64_t array_code(const Type& type) {
  return static_cast<std::int64_t>(type.element) + std::int64_t{type.axes} * 16 +
         (type.is_owned ? kOwnedCode : 0) + (type.has_label ? 512 : 0) +
         (type.has_unit_step ? kUnitStepCode : 0);
}

// An operation on small arrays, numbers and parts of arrays. Operand k is described from result kFirstPart +
// kPartSize * k on: its axes, 0 for a number and -n for a vector of n numbers; the number or the address;
// extents; strides. The numbers of a vector are at kFirstVector + kMostItems * k.
struct Parts {
  fusion::Fused* fused = nullptr;           // none: the operand is copied
  std::vector<bool> literals;               // which operands are literals
  FusedRegion* region = nullptr;            // the region it belongs to
  ElementType type = ElementType::float64;  // of the result
};
inline constexpr int kMostParts = 8, kFirstPart = 16, kPartSize = 8;
inline constexpr int kFirstVector = kFirstPart + (kMostParts + 1) * kPartSize;

// A head of a loop at which native code may be entered, and the types that registers must have there.
struct EntryPoint {
  std::size_t head = 0;
  std::vector<std::pair<int, Type>> required;
  std::vector<int> unused;  // registers that are not live: cleared on entry
};

// State at an exit: registers that the machine needs, whose values are in Run::saved.
struct Saved {
  int index;  // the register
  Type type;
  int first;          // index of its first value
  int function = -1;  // of a function or closure: its number in kept or codes
};
struct Exit {
  std::vector<Saved> saved;
};

struct Lowered {
  Code code;
  std::size_t begin = 0, end = 0;  // range of instructions
  std::vector<EntryPoint> entries;
  // Numbers and arrays of the module, or captured by functions that are kept, and the types they must have;
  // other values of the module that must be the same objects. Checked where the code is entered.
  std::vector<std::pair<const Value*, Type>> fixed_values{};
  std::vector<std::pair<const Value*, const void*>> fixed_objects{};
  std::vector<std::size_t> by_machine;  // instructions left to the machine
  std::vector<int> stored;              // registers that the code may write in the frame
  std::vector<Exit> exits;
  int most_saved = 0;                                  // number of values saved at an exit
  std::vector<Value> kept;                             // the functions that the code is specialised for
  std::vector<std::shared_ptr<const Function>> codes;  // of closures
  std::vector<std::unique_ptr<Parts>> parts;
  std::string types;  // of the registers at the head of each block, for the dump
};

// Instead of a loop head: the whole function.
inline constexpr std::size_t kWholeFunction = static_cast<std::size_t>(-1);

// Lowers the outermost loop around `head`. Types are taken from the values in `frame` when the machine has
// just reached `head`; with kWholeFunction, when it has stored the arguments.
Lowered lower(const Function& function, const Flow& flow, std::size_t head, const Value* frame,
              const Registry& registry, const Experience& experience, const Helpers& helpers);

// Lowers a function without side effects for calls with numbers: captured values and arguments are
// concatenated, and the result is left in Run::results. The code returns 0, or the Reason why the machine has
// to execute the call. Empty if the function does more than that.
std::optional<Lowered> lower_direct(const Function& function, const Flow& flow, const Type& called,
                                    const std::vector<Type>& parameters, const Type& result,
                                    const Registry& registry, const Experience& experience,
                                    const Helpers& helpers);

// Whether a value has the type; ownership of arrays is not checked.
bool fits(const Type& type, const Value& value);

}  // namespace quill::native
