// What a piece of a program does with names: which it assigns, changes in part, reads, aliases and captures.
// Found in one walk over the tree, for all that asks.
#pragma once

#include <string>
#include <vector>

#include "language/tree.h"

namespace quill {

// One mention of a name, in the order of the text.
struct NameUse {
  enum class How : std::uint8_t {
    assigned,  // gets a value: targets, definitions, inputs, files in use, loop variables
    changed,   // elements of it are assigned, or it is combined with a value
    read,
    aliased,  // `w = alias a[…]` makes it an owner
    alias,    // and this one its alias
    bound,    // a parameter, or a variable of a comprehension
  } how;
  const Node* node;  // that names it
  std::string name;
  Binding binding;                // unresolved before the resolver has run
  bool in_function = false;       // inside of a function of this piece
  bool in_comprehension = false;  // inside of a comprehension of it
  // Whether it has another value afterwards.
  bool is_change() const { return how == How::assigned || how == How::changed || how == How::alias; }
};
using Effects = std::vector<NameUse>;

// Of a statement, a block, an expression or the definition of a function. `node` itself may be a function,
// whose body is then not taken as that of an inner one.
Effects effects_of(const Node& node);

// How often an assigned name is mentioned, also inside of functions, where its binding is another.
int mentions(const Effects& effects, const Node& name);
// Whether functions read a global name.
bool is_read_by_functions(const Effects& effects, const Binding& global);

// The name that a node gives a value: of a target, a definition, an input, a file in use.
const std::string& name_defined_by(const Node& node);

// Operators that act element by element.
bool is_elementwise(Token op);
// Whether it is made of names, numbers, elementwise operators and choices between them alone.
bool is_elementwise_expression(const Node& node);

// One statement of a text a line: "assigns a; changes b; reads c, f; aliases d", functions indented.
std::string dump_effects(const Tree& tree);

}  // namespace quill
