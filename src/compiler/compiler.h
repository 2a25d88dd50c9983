// From the resolved tree to register code.
#pragma once

#include <functional>
#include <set>

#include "compiler/program.h"
#include "language/resolver.h"
#include "value/registry.h"

namespace quill {

// The names of a module and the built-ins, as the resolver asks for them: those that have a value, and those
// that the text itself gives one.
// The last value that was shown, in the names of a session.
inline constexpr const char* kThat = "that";

class ModuleNames : public OuterNames {
 public:
  ModuleNames(Module& module, const Registry& registry) : module_(module), registry_(registry) {}
  int find_global(const std::string& name) const override;
  int declare_global(const std::string& name) override;
  int find_builtin(const std::string& name) const override { return registry_.find(name); }
  bool is_constant(int row) const override { return registry_.row(row).constant.has_value(); }
  // Nouns that scripts have many variables for; a call still finds the built-in.
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

// The operation of an operator, also of one that assigns.
Op op_of(Token token);

struct SeenRegion;  // compiler/fused_region.h

struct CompileOptions {
  bool interactive = false;                    // report every assignment at top level
  std::string last_section{};                  // leave out what comes behind this section; "": nothing
  bool names_follow = false;                   // functions may read names that have no value yet
  std::vector<SeenRegion>* regions = nullptr;  // receives all fused regions
  bool by_statements = false;                  // each statement of the top level can be run alone
};

// The program of a whole text. Names that earlier entries gave a value are known from the module.
// Mistakes that need no running (a built-in's wrong argument name, assigning to a name from outside of a
// function) are added to the tree's errors; then the result must not be run.
std::shared_ptr<const Function> compile(const std::shared_ptr<Tree>& tree, Module& module,
                                        const Registry& registry, const CompileOptions& options = {});

}  // namespace quill
