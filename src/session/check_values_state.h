// The inside of check_values, shared by its files: statements and names, expressions, calls.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "language/effects.h"
#include "session/check_values.h"
#include "value/registry.h"

namespace quill {

using What = Known::Kind;

// A text without expressions in it, and its characters.
bool is_plain_text(const Node& node);
std::string plain_text(const Node& node);

// Walks over a text as it would run, with what is known of the values of its names.
class ValueCheck {
 public:
  ValueCheck(const Tree& tree, const std::map<std::string, Known>& before);
  std::vector<ValueFinding> run();

 private:
  using Names = std::map<std::pair<Binding::Kind, int>, Known>;
  void tell(const Node& node, const std::string& message, std::string hint = {}, bool is_sure = true);
  void tell(const Node& node, const Error& error) { tell(node, error.message, error.hint); }
  const Node* only_function(const Node& name) const;

  // ---- statements
  void block(const Node& node);

  // What f looks at may run or not, or often. The names that it gave other values, with those before.
  template <class F>
  Names changed_by(F f) {
    changed_.emplace_back();
    ++uncertain_;
    f();
    --uncertain_;
    auto before = std::move(changed_.back());
    changed_.pop_back();
    return before;
  }
  // After it, what was known before and what is known now are both possible.
  template <class F>
  void perhaps(F f) {
    for (const auto& [name, was] : changed_by(f)) {
      if (!changed_.empty()) changed_.back().try_emplace(name, was);
      names_[name] = joined(was, names_[name]);
    }
  }
  void forget_changed_in(const Node& node);
  void statement(const Node& node);
  void headed(const Node& node);
  void expectation(const Node& node);
  void branch(const Node& node);
  void condition(const Node& node);
  void loop(const Node& node);
  void assign(const Node& node);
  static std::string symbol_of_update(Token op);
  void unpack(const Node& node, const Known& known);

  // Elements that are assigned: the array keeps its shape.
  void place(const Node& target) { index(target); }

  // ---- names
  void set(const Binding& binding, Known known);
  Known name(const Node& node);
  std::string line_of(std::uint32_t at) const;
  void look_for_value(const Node& node);
  void collect_reads(const std::string& function, std::set<std::string>& seen,
                     std::set<std::string>& reads) const;
  void look_for_early_call(const Node& call);

  // ---- expressions

  std::string written(const Node& node) const { return std::string(tree_.source->text(node.span)); }
  Known function(const Node& node);
  Known value(const Node& node);
  Known text(const Node& node);
  void hole(const Node& node);
  Known unary(const Node& node);
  Known binary(const Node& node);
  Known arithmetic(const Node& node, const std::string& sign, const Known& left, const Known& right);
  static std::optional<double> calculated(const std::string& sign, double a, double b);
  Known matrix_product(const Node& node, const Known& left, const Known& right);
  Known logic(const Node& node, const Known& left, const Known& right);
  Known comparison(const Node& node);
  Known range(const Node& node);
  Known matrix(const Node& node);
  Known comprehension(const Node& node);
  Known part(const Node& node);
  Known index(const Node& node);
  Known elements(const Node& node, const Shape& shape, bool are_truths, const std::vector<Known>& chosen);
  bool check_numbers(const Node& node, const Shape& shape, const std::vector<Known>& chosen, bool is_open);
  void refuse_call(const Node& node, const Known& called);
  Known call(const Node& node);
  void look_at_words(const Node& node, std::string_view builtin);
  void look_at_word(const Builtin& row, const Parameter& parameter, const Node& argument);
  void look_at_functions(const Node& node, const Builtin& row, const std::vector<Known>& arguments);

  const Tree& tree_;
  Effects effects_;
  Names names_;
  std::vector<Names> changed_;   // for each part around that may not run, what its changed names were before
  std::set<std::string> given_;  // names that may have a value here
  std::map<std::string, std::uint32_t> lines_;    // where names of the top level first get one
  std::map<std::string, const Node*> functions_;  // of the top level
  std::map<std::string, int> definitions_;        // 1: a function, once, and nothing else
  std::set<std::string> complete_;                // functions that read only names that have values
  std::set<std::string> sections_, figures_;
  std::vector<ValueFinding> findings_;
  std::set<std::uint32_t> told_;
  int uncertain_ = 0;  // parts around that may not run
  int depth_ = 0;      // functions around
};

}  // namespace quill
