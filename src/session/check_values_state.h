// Implementation class of check_values(), shared by its files for statements, expressions and calls.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "language/effects.h"
#include "session/check_values.h"
#include "value/registry.h"

namespace quill {

using What = AbstractValue::Kind;

// Whether a text literal has no holes, and its characters.
bool is_plain_text(const Node& node);
std::string plain_text(const Node& node);

// Interprets a tree over abstract values.
class ValueCheck {
 public:
  ValueCheck(const Tree& tree, const std::map<std::string, AbstractValue>& before);
  std::vector<ValueFinding> run();

 private:
  using Names = std::map<std::pair<Binding::Kind, int>, AbstractValue>;
  void report(const Node& node, const std::string& message, std::string hint = {}, bool is_sure = true);
  void report(const Node& node, const Error& error) { report(node, error.message, error.hint); }
  const Node* only_function(const Node& name) const;

  // ---- statements
  void block(const Node& node);

  // Runs f as code that may execute any number of times. Returns the names it changed with their old values.
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
  // The same, and joins old and new values.
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
  void unpack(const Node& node, const AbstractValue& known);

  // Elements that are assigned: the array keeps its shape.
  void place(const Node& target) { index(target); }

  // ---- names
  void set(const Binding& binding, AbstractValue known);
  AbstractValue name(const Node& node);
  std::string line_of(std::uint32_t at) const;
  void look_for_value(const Node& node);
  void collect_reads(const std::string& function, std::set<std::string>& seen,
                     std::set<std::string>& reads) const;
  void look_for_early_call(const Node& call);

  // ---- expressions

  std::string written(const Node& node) const { return std::string(tree_.source->text(node.span)); }
  AbstractValue function(const Node& node);
  AbstractValue value(const Node& node);
  AbstractValue text(const Node& node);
  void hole(const Node& node);
  AbstractValue unary(const Node& node);
  AbstractValue binary(const Node& node);
  AbstractValue arithmetic(const Node& node, const std::string& sign, const AbstractValue& left,
                           const AbstractValue& right);
  static std::optional<double> calculated(const std::string& sign, double a, double b);
  AbstractValue matrix_product(const Node& node, const AbstractValue& left, const AbstractValue& right);
  AbstractValue logic(const Node& node, const AbstractValue& left, const AbstractValue& right);
  AbstractValue comparison(const Node& node);
  AbstractValue range(const Node& node);
  AbstractValue matrix(const Node& node);
  AbstractValue comprehension(const Node& node);
  AbstractValue part(const Node& node);
  AbstractValue index(const Node& node);
  AbstractValue elements(const Node& node, const Shape& shape, bool are_booleans,
                         const std::vector<AbstractValue>& chosen);
  bool check_numbers(const Node& node, const Shape& shape, const std::vector<AbstractValue>& chosen,
                     bool is_open);
  void refuse_call(const Node& node, const AbstractValue& called);
  AbstractValue call(const Node& node);
  void look_at_words(const Node& node, std::string_view builtin);
  void look_at_word(const Builtin& row, const Parameter& parameter, const Node& argument);
  void look_at_functions(const Node& node, const Builtin& row, const std::vector<AbstractValue>& arguments);

  const Tree& tree_;
  Effects effects_;
  Names names_;
  std::vector<Names> changed_;                    // undo logs of the enclosing changed_by() calls
  std::set<std::string> given_;                   // names that may be assigned at this location
  std::map<std::string, std::uint32_t> lines_;    // first assignment of each top-level name
  std::map<std::string, const Node*> functions_;  // of the top level
  std::map<std::string, int> definitions_;        // 1: a function, once, and nothing else
  std::set<std::string> complete_;                // functions that read only names that have values
  std::set<std::string> sections_, figures_;
  std::vector<ValueFinding> findings_;
  std::set<std::uint32_t> reported_;
  int uncertain_ = 0;  // enclosing code that may not execute
  int depth_ = 0;      // enclosing functions
};

}  // namespace quill
