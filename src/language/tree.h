// The syntax tree. There is one node type; the table of kinds lists the children of each kind.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "language/token.h"

namespace quill {

enum class NodeKind : std::uint8_t {
  // Expressions: children
  number,         // -; `number`, `flag` imaginary
  text,           // literal and hole, in order
  literal,        // -; `text`
  hole,           // the expression; `text` the format specification
  name,           // -; `text`
  boolean,        // -; `flag`
  none,           // -
  last,           // -
  unary,          // operand; `op` minus, kw_not or transpose
  binary,         // left, right; `op`
  comparison,     // operands, one more than `ops`
  range,          // first, last (null: open), step or count (null: none); `flag`: it is a count
  conditional,    // condition, then, else
  call,           // callee, arguments
  argument,       // value; `text` its name or ""
  index,          // base, subscripts
  rest,           // - `...`
  new_axis,       // - `new`
  part,           // base; `text`
  tuple,          // items
  record,         // arguments, all named
  dictionary,     // key, value, key, value, …
  matrix,         // rows; `flag`: contains `|`
  row,            // items
  comprehension,  // item, generators, condition (null: none)
  generator,   // source, bound names when there are several; `text` the name when there is one, `op` kw_in;
               // down and across: `flag` (across) and op name
  bound_name,  // one of the names of a generator; `text`
  function,    // parameters, body; `text` the name or "", `flag` the body is an expression, `prose`
  parameter,   // default (null: none); `text`
  each,        // the call
  alias,       // the aliased expression
  // Statements
  block,               // statements
  assign,              // targets, value (last); `op` assign or assign_plus …
  discard,             // - the target `_`
  expression,          // the expression; shown at top level
  define,              // the function
  branch,              // condition, block, else (block, branch or null)
  loop_for,            // targets (names), source, block
  loop_while,          // condition, block
  end_frame,           // value that names a completed frame, in the block of an animated figure
  break_statement,     // -
  continue_statement,  // -
  return_statement,    // value or null
  section,             // -; `text` title
  given,               // default; `text` the name, `prose` its description
  use,                 // -; `text` the file, `prose` the name
  figure,              // arguments, block (last)
  panel,               // arguments, block (last)
  extend,              // arguments, block (last)
  timed,               // label or null, arguments, block (last)
  expect,              // condition, message or null
};

struct Node;
using NodePtr = std::unique_ptr<Node>;

// What a name refers to, set by the resolver.
struct Binding {
  enum class Kind : std::uint8_t { unresolved, local, captured, self, global, builtin, sibling };
  Kind kind = Kind::unresolved;
  int index = -1;  // slot of the frame, captures or module; row of the registry; member of siblings
};

// Names of one function, or of the top level of a text: its frame and captures.
struct Scope {
  std::vector<std::string> locals;    // slots in order: parameters first
  std::vector<Binding> captures;      // where each captured value is in the enclosing scope
  std::vector<std::string> captured;  // their names
  int siblings = -1,
      member = -1;  // for a function that calls others of its block: their slot in the enclosing scope
};

struct Node {
  NodeKind kind;
  Span span;
  std::vector<NodePtr> kids;
  std::string text;
  std::string prose;
  double number = 0;
  Token op = Token::end;
  std::vector<Token> ops;
  bool flag = false;
  int height = 1;                // of the subtree; limited by the parser, so that walks may recurse
  Binding binding;               // of names, generators, targets, definitions
  std::unique_ptr<Scope> scope;  // of functions

  const Node& kid(std::size_t i) const { return *kids[i]; }

  // Named access to children, for the kinds that have them. A pointer is null if the part is omitted.
  const Node& operand() const { return kid(0); }                     // unary
  const Node& left() const { return kid(0); }                        // binary, comparison of two
  const Node& right() const { return kid(1); }                       // binary, comparison of two
  const Node* range_first() const { return kids[0].get(); }          // range
  const Node* range_last() const { return kids[1].get(); }           // range
  const Node* range_step() const { return kids[2].get(); }           // range
  const Node& then_part() const { return kid(1); }                   // conditional, branch
  const Node* else_part() const { return kids[2].get(); }            // conditional, branch
  const Node& argument_value() const { return kid(0); }              // argument
  const Node& repeated_call() const { return kid(0); }               // each
  const Node& aliased_target() const { return kid(0); }              // alias
  const Node& hole_value() const { return kid(0); }                  // hole
  const Node& item() const { return kid(0); }                        // comprehension
  std::size_t generator_count() const { return kids.size() - 2; }    // comprehension
  const Node& generator(std::size_t i) const { return kid(i + 1); }  // comprehension
  const Node* filter() const { return kids.back().get(); }           // comprehension
  const Node& generator_source() const { return kid(0); }            // generator
  bool is_grid() const { return generator(0).op == Token::name; }    // comprehension: down and across
  std::size_t bound_count() const { return kids.size() - 1; }        // generator: 0 when there is one name
  const Node& parameter(std::size_t i) const { return kid(i); }      // function
  const Node* default_value() const { return kids[0].get(); }        // parameter, given
  const Node& shown_value() const { return kid(0); }                 // expression
  const Node& defined_function() const { return kid(0); }            // define
  const Node* returned_value() const { return kids[0].get(); }       // return_statement
  const Node* label() const { return kids[0].get(); }                // timed
  const Node* message() const { return kids[1].get(); }              // expect
  std::size_t header_count() const { return kids.size() - 1; }  // figure, panel, extend, timed with its label
  const Node& header(std::size_t i) const { return kid(i); }    // figure, panel, extend, timed
  const Node& target(std::size_t i) const { return kid(i); }    // assign, loop_for
  std::size_t target_count() const { return kids.size() - 1; }  // assign
  const Node& assigned_value() const { return *kids.back(); }   // assign
  const Node& body() const { return *kids.back(); }             // function, loops, blocks with a header
  std::size_t parameter_count() const { return kids.size() - 1; }      // function
  const Node& callee() const { return *kids[0]; }                      // call
  std::size_t argument_count() const { return kids.size() - 1; }       // call
  const Node& argument(std::size_t i) const { return *kids[i + 1]; }   // call
  const Node& base() const { return *kids[0]; }                        // index, part
  std::size_t subscript_count() const { return kids.size() - 1; }      // index
  const Node& subscript(std::size_t i) const { return *kids[i + 1]; }  // index
  const Node& condition() const { return *kids[0]; }  // conditional, branch, loop_while, expect
  std::size_t loop_target_count() const { return kids.size() - 2; }   // loop_for
  const Node& loop_source() const { return *kids[kids.size() - 2]; }  // loop_for
};

// A parsed text, which owns its source.
struct Tree {
  SourcePtr source;
  NodePtr root;  // a block
  std::vector<Error> errors;
  std::vector<Error> warnings;
};

// The tree in nested parentheses, for tests: (assign x (+ 1 2)).
std::string dump(const Node& node);

// Whether the expression needs parentheses as an operand.
bool is_operator_expression(const Node& node);

}  // namespace quill
