// From the resolved tree to register code.
#pragma once

#include <functional>

#include "engine/program.h"
#include "engine/registry.h"

namespace quill {

struct CompileOptions {
  bool interactive = false;  // report every assignment at top level
};

// The program of a whole text. Names that earlier entries gave a value are known from the module.
// Mistakes that need no running (a built-in's wrong argument name, assigning to a name from outside of a
// function) are added to the tree's errors; then the result must not be run.
std::shared_ptr<const Function> compile(const std::shared_ptr<Tree>& tree, Module& module,
                                        const Registry& registry, const CompileOptions& options = {});

}  // namespace quill
