// Finds out what every name stands for, so that nothing is looked up by name when the program runs.
#pragma once

#include <string>
#include <vector>

#include "language/tree.h"

namespace quill {

// The names from outside of a text: what earlier entries defined, and the built-ins.
class OuterNames {
 public:
  virtual ~OuterNames() = default;
  virtual int find_global(const std::string& name) const = 0;   // slot, or -1
  virtual int declare_global(const std::string& name) = 0;      // slot
  virtual int find_builtin(const std::string& name) const = 0;  // row of the registry, or -1
  virtual std::vector<std::string> known_names() const = 0;
  // The name that a word of the trade leads to, "" when there is none.
  virtual std::string named_by(const std::string& /*word*/) const { return {}; }
  virtual bool is_constant(int /*row*/) const { return false; }
  // Whether a variable of its name deserves a warning; of what only draws, calls keep their meaning and no
  // value is hidden.
  virtual bool warns_when_hidden(int /*row*/) const { return true; }
};

// Sets the bindings of all names and the scopes of all functions; the root block gets a scope with the
// slots of comprehensions at top level. Unknown names are added to the tree's errors, with the nearest
// known one. With `later` they are allowed inside functions, to be defined by a later entry.
void resolve(Tree& tree, OuterNames& outer, bool later);

}  // namespace quill
