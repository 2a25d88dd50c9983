// Resolves all names before a program runs.
#pragma once

#include <string>
#include <vector>

#include "language/tree.h"

namespace quill {

// Names defined outside of a text: by earlier entries, and built-ins.
class OuterNames {
 public:
  virtual ~OuterNames() = default;
  virtual int find_global(const std::string& name) const = 0;   // slot, or -1
  virtual int declare_global(const std::string& name) = 0;      // slot
  virtual int find_builtin(const std::string& name) const = 0;  // row of the registry, or -1
  virtual std::vector<std::string> known_names() const = 0;
  // The built-in that a term of the field leads to; "" if there is none.
  virtual std::string named_by(const std::string& /*word*/) const { return {}; }
  virtual bool is_constant(int /*row*/) const { return false; }
  // Whether a variable with the name of this built-in deserves a warning. Drawing functions do not: calls
  // still find them.
  virtual bool warns_when_hidden(int /*row*/) const { return true; }
};

// Sets the bindings of all names and the scopes of all functions; the scope of the root block holds the slots
// of comprehensions at top level. Unknown names are added to the tree's errors, with the nearest known one.
// With `later`, functions may use names that a later entry defines.
void resolve(Tree& tree, OuterNames& outer, bool later);

}  // namespace quill
