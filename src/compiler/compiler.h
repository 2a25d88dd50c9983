// Compiles a resolved tree to register code.
#pragma once

#include <functional>
#include <set>

#include "compiler/program.h"
#include "language/resolver.h"
#include "value/registry.h"

namespace quill {

// View of module names and built-ins for the resolver. kThat: the name of the last displayed value in a
// session.
inline constexpr const char* kThat = "that";

class ModuleNames : public OuterNames {
 public:
  ModuleNames(Module& module, const Registry& registry) : module_(module), registry_(registry) {}
  int find_global(const std::string& name) const override;
  int declare_global(const std::string& name) override;
  int find_builtin(const std::string& name) const override { return registry_.find(name); }
  bool is_constant(int row) const override { return registry_.row(row).constant.has_value(); }
  // Common nouns that scripts often use as variables cause no warning; calls still find the built-in.
  bool warns_when_hidden(int row) const override {
    const auto family = registry_.row(row).family;
    return family != "figures" && family != "tables" && family != "collections";
  }
  std::vector<std::string> known_names() const override;
  std::string named_by(const std::string& word) const override {
    return std::string(registry_.named_by(word));
  }

 private:
  Module& module_;
  const Registry& registry_;
  std::set<std::string> declared_;
};

// The operation of an operator, or of its compound assignment.
Op op_of(Token token);

struct SeenRegion;  // compiler/fused_region.h

struct CompileOptions {
  bool interactive = false;                    // report every assignment at top level
  std::string last_section{};                  // omits everything after this section; "": omits nothing
  bool names_follow = false;                   // functions may read names that have no value yet
  std::vector<SeenRegion>* regions = nullptr;  // receives all fused regions; may be null
  bool by_statements = false;                  // statements of the top level can run one by one
};

// Compiles a whole text. Names assigned by earlier entries are known from the module. Errors found without
// running (wrong argument names of built-ins, assignment to an outer name inside a function) are added to the
// tree's errors; the result must not be run then.
std::shared_ptr<const Function> compile(const std::shared_ptr<Tree>& tree, Module& module,
                                        const Registry& registry, const CompileOptions& options = {});

}  // namespace quill
