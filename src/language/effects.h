// Effects of a piece of program on names: which it assigns, modifies, reads, aliases and captures. Found in
// one walk over the tree, for all analyses.
#pragma once

#include <string>
#include <vector>

#include "language/tree.h"

namespace quill {

// One occurrence of a name, in text order.
struct NameUse {
  enum class How : std::uint8_t {
    assigned,  // targets, definitions, inputs, used files, loop variables
    changed,   // elements assigned, or a compound assignment
    read,
    aliased,  // `w = alias a[…]`: a becomes an owner
    alias,    // and w its alias
    bound,    // a parameter, or a variable of a comprehension
  } how;
  const Node* node;  // names it
  std::string name;
  Binding binding;                // unresolved before the resolver has run
  bool in_function = false;       // inside a function of this piece
  bool in_comprehension = false;  // inside a comprehension of this piece
  // Whether its value may differ afterwards.
  bool is_change() const { return how == How::assigned || how == How::changed || how == How::alias; }
};
using Effects = std::vector<NameUse>;

// Effects of a statement, block, expression or function definition. If `node` is a function, its body counts
// as the piece itself.
Effects effects_of(const Node& node);

// Number of occurrences of an assigned name, including those in functions, where its binding differs.
int mentions(const Effects& effects, const Node& name);
// Whether functions read a global name.
bool is_read_by_functions(const Effects& effects, const Binding& global);

// The name that a node assigns: a target, definition, input or used file.
const std::string& name_defined_by(const Node& node);

// Elementwise operators.
bool is_elementwise(Token op);
// Whether it consists of names, numbers, elementwise operators and conditionals only.
bool is_elementwise_expression(const Node& node);

// One statement a line: "assigns a; changes b; reads c, f; aliases d"; functions indented.
std::string dump_effects(const Tree& tree);

}  // namespace quill
