// Operators and subscripts for values of any kind; the machine handles plain numbers itself.
#pragma once

#include <optional>
#include <span>

#include "array/elementwise.h"
#include "compiler/program.h"
#include "value/construct.h"
#include "value/registry.h"

namespace quill {

// Longer ranges are processed in pieces instead of being converted to arrays.
constexpr Index kLongRange = 1 << 16;

class Machine;

// Gives the result of an elementwise operation the axis names of its operands; warns if they disagree.
void name_axes(Runtime& runtime, Array& out, std::span<const Array* const> operands, const Node* node);
inline bool is_named(const Array* a) { return a != nullptr && a->label && !a->label->axes.empty(); }

// How an operand is written in the program; stored in the flags of operations.
inline constexpr std::uint8_t kLiterals = kLeftLiteral | kRightLiteral;
// a op b. `node` is the binary, comparison or assignment node and `operand` the index of its left operand,
// for error messages.
Value operate(Machine& machine, Op op, const Value& a, const Value& b, std::uint8_t flags, const Node& node,
              int operand = 0);
// target = a op b, in the storage of an operand that is the target or at its last use, if it is unshared.
void operate_into(Machine& machine, Op op, Value& target, Value& a, Value& b, std::uint8_t flags,
                  const Node& node);
// target = a op b for + - * / of small float64 arrays of equal shape and numbers, in place if possible; false
// for other cases.
bool operate_small(Op op, Value& target, Value& a, Value& b, std::uint8_t last_use);
Value operate(Machine& machine, Op op, const Value& a, const Node& node);
// Warns that a function or power has no real result for some arguments.
void warn_domain(Runtime& machine, std::string_view what, const Node* node);
Value apply_function(Machine& machine, Unary function, const Value& a, const Node* node);

// base[subscripts]; the node is for hints. `for_change`: repeated positions are an error.
Value select(Machine& machine, const Value& base, std::span<const Value> subscripts, const Node& node,
             bool for_change);
// base[subscripts] op= value; node is the assignment. `literal`: the value is a number literal.
void update_elements(Machine& machine, Op op, Value& base, std::span<const Value> subscripts, Value& value,
                     bool literal, const Node& node);
// View of the selected elements; nothing for lists of positions and conditions.
std::optional<Array> chosen_view(const Array& array, std::span<const Value> subscripts);
void set_elements(Value& base, std::span<const Value> subscripts, const Value& value);
// The same for a variable that may be a store or an alias; an alias writes to its owner.
void set_shared_elements(Value& variable, std::span<const Value> subscripts, const Value& value);
// Makes `variable` an alias of the selected part of `owner`, or of all of it; the owner, named `name`,
// becomes a store.
void make_alias(Value& variable, Value& owner, const std::string& name, bool whole,
                std::span<const Value> subscripts);
// Combines the selected elements with b in place; false if that takes more than one strided loop. The storage
// must be unshared.
bool update_in_place(Binary op, Array& array, std::span<const Value> subscripts, const Operand& b);
double extent_of(const Value& base, int code);
Value part_of(const Value& base, const std::string& name);

// Binds positional and named arguments to parameters and calls the built-in. `form` is null if the call is
// not in the program text.
Value call_builtin(Machine& machine, const Builtin& row, std::span<Value> arguments, const CallForm* form,
                   const Node* node);

// The single boolean of a condition; throws Error otherwise.
bool condition_of(const Value& value);

}  // namespace quill
