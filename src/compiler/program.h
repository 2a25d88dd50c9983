// Compiled programs: register code. A frame holds the names of a function, its captures, its constants, then
// temporaries; instructions refer to these by number.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "language/tree.h"
#include "value/construct.h"
#include "value/registry.h"
#include "value/value.h"

namespace quill {

enum class Op : std::uint8_t {
  load,            // a = literals[b]
  move,            // a = b
  take,            // a = b; b loses its value
  check,           // error if a has no value
  get_global,      // a = module slot b, or the built-in c if that has no value (-1: none)
  global_early,    // a = module slot b; a loses its value if that has none
  global_once,     // get_global if a has no value
  matrix_product,  // a = b op c
#define QUILL_NAME(name, ...) name,
  QUILL_ELEMENTWISE_OPERATORS(QUILL_NAME)  // a = b op c
#undef QUILL_NAME
  negate,
  logical_not,
  transpose,   // a = op b
  apply,       // a = Unary(c) of b
  jump,        // to a
  jump_false,  // to a when the single boolean b is false
  jump_set,    // to a when b has a value
  jump_if_known_false,
  jump_if_known_true,  // to a when b is a single boolean that decides
  range,               // a = b .. b+1 (third: b+2; c: 1 step, 2 count)
  tuple,               // a = tuple of n values from b
  record,              // with the names c
  dictionary,
  matrix,        // in the form of bracket c
  text,          // by template c
  list_begin,    // a = a new collector
  list_push,     // adds b to collector a
  list_end,      // a becomes the array; c: register of rows and columns of the matrix, or -1
  index,         // a = b[n values from c]; flag: 1 to be modified, 2 a part of it
  set_index,     // a[n values from b] = c
  update_index,  // a[n values from b] op= c; flag: the operation, with kUpdateLiteral
  extent,        // a = extent of axis c of b (packed, see axis_code)
  part,          // a = b.literals[c]
  part_early,    // the same if b is a record with that field; otherwise a loses its value
  part_once,     // a = b.literals[c] if a has no value
  call,          // a = b(n values from b+1) with form c; flag: 1 named arguments, 2 the result is assigned
  call_builtin,  // a = (n values from b) with form c; flag: the first one was taken from a
  each,          // a = b(n values from b+1) elementwise
  closure,       // a = functions[b] with its captures; c: -1, or the register of its siblings, member n
  self,          // a = the running function
  return_value,  // return a; -1: none
  unpack,        // n registers from a = parts of b
  iterate,       // four registers from a = iteration over b
  next,          // b = next value of the iteration a, or jump to c at its end
  loop_next,     // b = next value of the iteration a and jump to c, or fall through at its end
  show,          // shows a; flag: a call, which may have no result
  card,          // shows the card of a, named literals[b]
  expect,        // a, with the message in a+1 if flag is set; compared values: expectations[c]
  section,       // literals[b]
  given,         // a = input literals[c], described by literals[c+1], default b
  close_block,
  close_frame,   // of an animated figure, named by a
  timed_begin,   // a = timing of the names in literals[c]; label in a+1, repetitions in a+2
  timed_end,     // repeats from c, or reports the timing a; c < 0: the block is left early
  use,           // a = the names of the file literals[b]
  read_shared,   // a = value of variable b, which may be a store or an alias
  write_shared,  // variable a = b; detaches its aliases
  set_shared,    // a[n values from b] = c, written to the owner
  fused,         // a = fused[b] and jump to c; or fall through to its separate operations. Registers that are
          // checked for an array first: n; with flag 1 also a, b and c of fused_more after it; with 2 the
          // region's variables
  fused_more,
  fused_set,   // the same into a[n values], whose subscripts are in the region
  make_alias,  // a becomes an alias of b[n values from c], or of all of b (flag); name of b: register
               // c-1
};

// Properties of the operands of an operation. The storage of an operand at its last use can hold the result.
enum OperandFlag : std::uint8_t {
  kNone = 0,
  kLeftLastUse = 1,
  kRightLastUse = 2,
  // A number literal, which takes the type of integers beside it.
  kLeftLiteral = 4,
  kRightLiteral = 8,
  // Of a comparison, only whether any or all elements are true is used.
  kForAny = 16,
  kForAll = 32,
};

// In the flag of update_index: the value is a number literal.
inline constexpr std::uint8_t kUpdateLiteral = 0x80;

struct Instruction {
  Op op;
  std::uint8_t flag = 0;  // for binary operations: see OperandFlag
  std::uint16_t n = 0;
  std::int32_t a = 0, b = 0, c = 0;
};

// The axis that `last` refers to: counted from the front, or from the end after a `...`.
inline int axis_code(int axis, bool from_end) { return axis * 2 + (from_end ? 1 : 0); }

// Template of a text with holes: literal pieces, and formats of the values between them.
struct TextPart {
  bool is_hole = false;
  std::string text;  // for a hole, its format specification
};

// Parts of a condition, to be shown when it fails: nodes and the registers of their values, which are unset
// if the condition was decided earlier.
using Watched = std::vector<std::pair<const Node*, int>>;

struct FusedRegion;  // compiler/fused_region.h

// A new number for each function compiled in this process.
std::uint32_t next_function_id();

struct Function : FunctionHead {
  const std::uint32_t id = next_function_id();
  std::vector<Instruction> code;
  std::vector<const Node*> nodes;  // source node of each instruction, for locations and hints
  // Tables that instructions refer to by number.
  std::vector<Value> literals;
  std::vector<std::vector<std::string>> name_lists;  // fields of records
  std::vector<CallForm> calls;
  std::vector<std::vector<TextPart>> templates;
  std::vector<BracketForm> brackets;
  std::vector<Watched> expectations;
  std::vector<std::shared_ptr<FusedRegion>> fused;
  std::shared_ptr<const FusedRegion> body;        // its only expression, for inlining
  std::vector<std::pair<int, double>> constants;  // register and number, set on entry
  std::vector<std::shared_ptr<const Function>> functions;
  std::vector<Binding> captures;  // registers of the enclosing frame
  std::vector<std::string> captured_names;
  int first_local = 0;  // after the module's names, at top level
  int first_capture = 0;
  int frame_size = 0;
  std::shared_ptr<const Tree> tree;  // keeps the nodes alive
  const Node* definition = nullptr;  // source of the function; null for a text
  std::vector<std::size_t> starts;   // statements of a text that runs statement by statement
  bool is_expression = false;        // the body is one expression
  struct Module* module = nullptr;
};

// Values at stable addresses: reserves address space for the maximum and commits it as needed.
class Slots {
 public:
  Slots();
  ~Slots();
  Slots(const Slots& other);
  Slots& operator=(const Slots& other);
  Value& operator[](std::size_t k) { return first_[k]; }
  const Value& operator[](std::size_t k) const { return first_[k]; }
  Value* data() { return first_; }
  const Value* data() const { return first_; }
  std::size_t size() const { return size_; }
  bool empty() const { return size_ == 0; }
  // Throws Error if the reserved space is exhausted.
  void resize(std::size_t size);

 private:
  static constexpr std::size_t kRoom = std::size_t{1} << 18;
  Value* first_ = nullptr;
  std::size_t size_ = 0;
};

// Top-level names of a text or session; slots are never reused. Copies share values.
struct Module {
  std::vector<std::string> names;
  Slots slots;  // at least one for each name; the frame of the top level while it runs
  std::map<std::string, int> slot_of;
  // The slot of a name; adds it if necessary.
  int declare(const std::string& name);
  // Value of the name; null if it has none.
  const Value* find(const std::string& name) const;
  // Removes all names but the first `count`.
  void forget_after(std::size_t count);
};

// One instruction a line; for tests.
std::string dump(const Function& function);

}  // namespace quill
