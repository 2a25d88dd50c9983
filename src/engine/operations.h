// What operators and subscripts mean for values of any kind; the machine handles plain numbers itself.
#pragma once

#include <optional>
#include <span>

#include "array/elementwise.h"
#include "compiler/program.h"
#include "value/construct.h"
#include "value/registry.h"

namespace quill {

// Ranges of more elements than this are worked on in pieces instead of becoming arrays.
constexpr Index kLongRange = 1 << 16;

class Machine;

// Gives the result of an elementwise operation the names of the axes of its operands; a warning where these
// disagree.
void name_axes(Runtime& runtime, Array& out, std::span<const Array* const> operands, const Node* node);
inline bool is_named(const Array* a) { return a != nullptr && a->label && !a->label->axes.empty(); }

// How an operand stands in the program; `flags` of operations hold these.
inline constexpr std::uint8_t kLiterals = kLeftLiteral | kRightLiteral;
// a op b. `node` is the binary, comparison or assignment node and `operand` the left one of its children, for
// the message when shapes or types do not fit.
Value operate(Machine& machine, Op op, const Value& a, const Value& b, std::uint8_t flags, const Node& node,
              int operand = 0);
// target = a op b, in the storage of an operand if that is the target or at its last use, and is not shared.
void operate_into(Machine& machine, Op op, Value& target, Value& a, Value& b, std::uint8_t flags,
                  const Node& node);
// target = a op b for + - * / of small float64 arrays of one shape and numbers, in place where that is
// possible; false for all else.
bool operate_small(Op op, Value& target, Value& a, Value& b, std::uint8_t last_use);
Value operate(Machine& machine, Op op, const Value& a, const Node& node);
// The warning that a function or power had no real result for some numbers.
void warn_domain(Runtime& machine, std::string_view what, const Node* node);
Value apply_function(Machine& machine, Unary function, const Value& a, const Node* node);

// base[subscripts]; the node is for hints. With `for_change`, positions that repeat are an error.
Value select(Machine& machine, const Value& base, std::span<const Value> subscripts, const Node& node,
             bool for_change);
// base[subscripts] op= value; node is the assignment. `literal`: the value is a number written in the text.
void update_elements(Machine& machine, Op op, Value& base, std::span<const Value> subscripts, Value& value,
                     bool literal, const Node& node);
// The view of the chosen elements; nothing for lists of positions and for conditions.
std::optional<Array> chosen_view(const Array& array, std::span<const Value> subscripts);
void set_elements(Value& base, std::span<const Value> subscripts, const Value& value);
// The same for a variable that may be a store or an alias: an alias writes through to its owner.
void set_shared_elements(Value& variable, std::span<const Value> subscripts, const Value& value);
// `variable` becomes an alias of the chosen part of `owner`, or of the whole; the owner, which is called
// `name`, becomes a store.
void make_alias(Value& variable, Value& owner, const std::string& name, bool whole,
                std::span<const Value> subscripts);
// The chosen elements combined with b where they lie; false when that takes more than one walk over strides.
// Nobody else may hold the storage.
bool update_in_place(Binary op, Array& array, std::span<const Value> subscripts, const Operand& b);
double extent_of(const Value& base, int code);
Value part_of(const Value& base, const std::string& name);

// Puts arguments by position and by name into the order of the parameters and calls the built-in. `form` is
// null when the call is not in the text.
Value call_builtin(Machine& machine, const Builtin& row, std::span<Value> arguments, const CallForm* form,
                   const Node* node);

// The single boolean of a condition.
bool condition_of(const Value& value);

}  // namespace quill
