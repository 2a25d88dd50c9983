// The compiled program: register code. A frame is a row of values: the names of the function, what it
// captured, its constants, then temporaries; an instruction names places in it.
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
  take,            // a = b, and b has no value any more
  check,           // error when a has no value
  get_global,      // a = module slot b, or the built-in c when that has no value (-1: none)
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
  range,               // a = b .. b+1 (third: b+2; c: 1 by, 2 count)
  tuple,               // a = made of n values from b
  record,              // with the names c
  dictionary,
  matrix,        // as the bracket c
  text,          // as the template c
  list_begin,    // a = a collector
  list_push,     // b goes into the collector a
  list_end,      // a becomes the array; c: from there rows and columns of the matrix, or -1
  index,         // a = b[n values from c]; flag: 1 it is going to be changed, 2 a part of it is
  set_index,     // a[n values from b] = c
  update_index,  // a[n values from b] op= c; the operation is in flag, with kUpdateLiteral
  extent,        // a = extent of axis c of b (packed, see axis_code)
  part,          // a = b.literals[c]
  call,          // a = b(n values from b+1) as the call c; flag: 1 some by name, 2 the result is assigned
  call_builtin,  // a = (n values from b) as the call c; flag: the first one was taken from a
  each,          // a = b(n values from b+1) elementwise
  closure,       // a = functions[b] with what it captures; c: -1, or the register of its siblings, member n
  self,          // a = the running function
  give_back,     // return a; -1: none
  unpack,        // n places from a = parts of b
  iterate,       // four places from a = iteration over b
  next,          // b = next value of the iteration a, or jump to c
  again,         // b = next value of the iteration a and jump to c, or go on
  show,          // a; flag: it is a call, which may have nothing to show
  card,          // a, called literals[b]
  expect,        // a, with the message in a+1 when flag is set, and what was seen on the way: expectations[c]
  section,       // literals[b]
  given,         // a = the input literals[c], described by literals[c+1], or b
  close_block,
  close_frame,   // of an animated figure; a is its value
  timed_begin,   // a = timing of the names in literals[c]; label in a+1, count of repetitions in a+2
  timed_end,     // once more from c, or reports the timing a; c < 0: the block is left early
  use,           // a = the names of the file literals[b]
  read_shared,   // a = what the variable b has, which may be a store or an alias
  write_shared,  // the variable a gets the value b; its aliases are detached
  set_shared,    // a[n values from b] = c, through to the owner
  fused,         // a = fused[b], and jump to c; or go on with its operations one by one. Registers that are
          // checked for an array first: n; with flag 1 also a, b and c of fused_more after it; with 2 the
          // region's variables
  fused_more,
  fused_set,   // the same into a[n values], whose subscripts are in the region
  make_alias,  // a becomes an alias of b[n values from c], or of b as a whole (flag); b is called register
               // c-1
};

// What is known of the operands of an operation. At its last use its storage can hold the result.
enum OperandFlag : std::uint8_t {
  kNone = 0,
  kLeftLastUse = 1,
  kRightLastUse = 2,
  // A number written in the text, which takes the type of integers beside it.
  kLeftLiteral = 4,
  kRightLiteral = 8,
  // Of a comparison, only whether it holds somewhere, or everywhere, is asked.
  kForAny = 16,
  kForAll = 32,
};

// In the flag of update_index: the value is a number written in the text.
inline constexpr std::uint8_t kUpdateLiteral = 0x80;

struct Instruction {
  Op op;
  std::uint8_t flag = 0;  // of an operation on two operands: what is known of them, see OperandFlag
  std::uint16_t n = 0;
  std::int32_t a = 0, b = 0, c = 0;
};

// Which axis `last` speaks of: counted from the front, or from the end behind a `...`.
inline int axis_code(int axis, bool from_end) { return axis * 2 + (from_end ? 1 : 0); }

// A text with expressions in it: pieces of it, and the formats of the values between them.
struct TextPart {
  bool is_hole = false;
  std::string text;  // of a hole, its format specification
};

// What a condition was made of, to be shown when it does not hold: nodes, and the registers with their
// values, which have none where the condition was decided before.
using Watched = std::vector<std::pair<const Node*, int>>;

struct FusedRegion;  // compiler/fused_region.h

// Different for each function that is compiled while the program runs.
std::uint32_t next_function_id();

struct Function : FunctionHead {
  const std::uint32_t id = next_function_id();
  std::vector<Instruction> code;
  std::vector<const Node*> nodes;  // for each instruction what it was made from, for places and hints alone
  // What instructions name by a number, beside registers.
  std::vector<Value> literals;
  std::vector<std::vector<std::string>> name_lists;  // fields of records
  std::vector<CallForm> calls;
  std::vector<std::vector<TextPart>> templates;
  std::vector<BracketForm> brackets;
  std::vector<Watched> expectations;
  std::vector<std::shared_ptr<FusedRegion>> fused;
  std::shared_ptr<const FusedRegion> body;        // its one expression, to be inlined where it is called
  std::vector<std::pair<int, double>> constants;  // register and number, set on entry
  std::vector<std::shared_ptr<const Function>> functions;
  std::vector<Binding> captures;  // where in the enclosing frame
  std::vector<std::string> captured_names;
  int first_local = 0;  // after the module's names, at top level
  int first_capture = 0;
  int frame_size = 0;
  std::shared_ptr<const Tree> tree;  // keeps the nodes alive
  const Node* definition = nullptr;  // that it was made from; none for a text
  std::vector<std::size_t> starts;   // of the statements of a text, when it is run one by one
  bool is_expression = false;        // its body is one expression
  struct Module* module = nullptr;
};

// Values at addresses that never change: room for many is set aside, and taken from the machine when it is
// used.
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
  // Error beyond the room there is.
  void resize(std::size_t size);

 private:
  static constexpr std::size_t kRoom = std::size_t{1} << 18;
  Value* first_ = nullptr;
  std::size_t size_ = 0;
};

// The top-level names of a text or session; slots keep their places for ever. A copy shares the values.
struct Module {
  std::vector<std::string> names;
  Slots slots;  // at least one for each name; the top level's frame while it runs
  std::map<std::string, int> places;
  // The slot of a name, which is new when there was none.
  int declare(const std::string& name);
  // Its value; null when it has none.
  const Value* find(const std::string& name) const;
  // Forgets all names but the first `count`.
  void forget_behind(std::size_t count);
};

// One instruction a line, for tests.
std::string dump(const Function& function);

}  // namespace quill
