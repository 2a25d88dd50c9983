#include "language/resolver.h"

#include <fmt/format.h>

#include <map>
#include <set>

#include "base/text.h"
#include "language/effects.h"

namespace quill {

namespace {

// A function being resolved; the outermost is the top level of the text.
struct Frame {
  Scope* scope = nullptr;
  Frame* outer = nullptr;
  std::map<std::string, int> slots;                      // names of the function
  std::vector<std::pair<std::string, int>> inner_names;  // of comprehensions, innermost last
  std::map<std::string, int> captures;
  std::string self;                        // its own name, if it is a local function
  std::map<std::string, int> definitions;  // of its names; 1 for a function that is defined once
  const std::map<std::string, int>* siblings =
      nullptr;  // functions of the same block that may call each other

  int add_local(const std::string& name) {
    scope->locals.push_back(name);
    return static_cast<int>(scope->locals.size()) - 1;
  }
};

// Occurrences that make a name local to the function or text.
std::vector<NameUse> assigned_in(const Node& node) {
  auto out = effects_of(node);
  std::erase_if(out, [](const NameUse& use) {
    return (use.how != NameUse::How::assigned && use.how != NameUse::How::alias) || use.in_function ||
           use.in_comprehension;
  });
  return out;
}

class Resolver {
 public:
  Resolver(Tree& tree, OuterNames& outer, bool later) : tree_(tree), outer_(outer), later_(later) {}

  void run() {
    tree_.root->scope = std::make_unique<Scope>();
    Frame top;
    top.scope = tree_.root->scope.get();
    for (const auto& use : assigned_in(*tree_.root)) {
      warn_about_builtin(use.name, use.node->span);
      if (outer_.find_builtin(use.name) >= 0 && outer_.find_global(use.name) < 0) {
        const auto [given, is_first] = given_here_.try_emplace(use.name, use.node->span.begin);
        if (!is_first) given->second = std::min(given->second, use.node->span.begin);
      }
      outer_.declare_global(use.name);
    }
    frame_ = &top;
    visit(*tree_.root);
  }

 private:
  void warn_about_builtin(const std::string& name, Span span) {
    const int row = outer_.find_builtin(name);
    if (row < 0 || outer_.find_global(name) >= 0 || !outer_.warns_when_hidden(row) ||
        !warned_.insert(name).second)
      return;
    const bool is_constant = outer_.is_constant(row);
    Error warning(
        fmt::format("`{}` is also a {}; from here on the name refers to the assigned value", name,
                    is_constant ? "constant" : "built-in"),
        is_constant ? std::string()
                    : fmt::format("calls {}(…) still use the built-in unless the value can be called", name));
    warning.location = {tree_.source, span};
    tree_.warnings.push_back(std::move(warning));
  }

  Binding find(Frame& frame, const std::string& name) {
    for (auto it = frame.inner_names.rbegin(); it != frame.inner_names.rend(); ++it)
      if (it->first == name) return {Binding::Kind::local, it->second};
    if (const auto it = frame.slots.find(name); it != frame.slots.end())
      return {Binding::Kind::local, it->second};
    if (!frame.self.empty() && frame.self == name) return {Binding::Kind::self, 0};
    if (frame.outer == nullptr) {
      if (const int slot = outer_.find_global(name); slot >= 0) return {Binding::Kind::global, slot};
      if (const int row = outer_.find_builtin(name); row >= 0) return {Binding::Kind::builtin, row};
      return {};
    }
    if (const auto it = frame.captures.find(name); it != frame.captures.end())
      return {Binding::Kind::captured, it->second};
    const auto* sibling =
        frame.siblings && frame.siblings->contains(name) ? &frame.siblings->at(name) : nullptr;
    const auto found = sibling ? Binding{Binding::Kind::sibling, *sibling} : find(*frame.outer, name);
    if (found.kind != Binding::Kind::sibling && found.kind != Binding::Kind::local &&
        found.kind != Binding::Kind::captured && found.kind != Binding::Kind::self)
      return found;
    const int index = static_cast<int>(frame.scope->captures.size());
    frame.scope->captures.push_back(found);
    frame.scope->captured.push_back(name);
    frame.captures[name] = index;
    return {Binding::Kind::captured, index};
  }

  // Whether the name still refers to a built-in in a function that is defined before the name is assigned: as
  // if both were entered one after the other.
  bool is_still_builtin(const Node& node) const {
    if (node.binding.kind != Binding::Kind::global || frame_->outer == nullptr) return false;
    const auto given = given_here_.find(node.text);
    return given != given_here_.end() && node.span.begin < given->second;
  }

  // `hint`: used if no similar name exists.
  void resolve_name(Node& node, std::string_view hint = "") {
    node.binding = find(*frame_, node.text);
    if (is_still_builtin(node)) node.binding = {Binding::Kind::builtin, outer_.find_builtin(node.text)};
    if (node.binding.kind != Binding::Kind::unresolved) return;
    if (later_ && frame_->outer != nullptr) {
      node.binding = {Binding::Kind::global, outer_.declare_global(node.text)};
      return;
    }
    if (!reported_.insert(node.text).second) return;
    auto known = outer_.known_names();
    for (const Frame* f = frame_; f != nullptr; f = f->outer)
      for (const auto& [name, slot] : f->slots) known.push_back(name);
    for (const auto& row : kTokens)
      if (row.id >= Token::kw_fn && row.id <= Token::kw_new) known.emplace_back(row.spelling);
    auto near = outer_.named_by(node.text);
    if (near.empty()) near = nearest_name(node.text, known);
    Error error(node.text == "_" ? std::string("`_` discards a part and has no value")
                                 : fmt::format("unknown name `{}`", node.text),
                near.empty() ? std::string(hint) : fmt::format("did you mean {}?", near));
    if (node.text == "range") error.hint = "write a range as  1..n";
    if (node.text == "alias") error.hint = "only a variable has aliases: a = [1, 2, 3]; w = alias a[1..2]";
    if (node.text == "expect")
      error.hint =
          "a check is written  expect x > 0; a sign stands against what it belongs to: expect -x < 0";
    error.location = {tree_.source, node.span};
    tree_.errors.push_back(std::move(error));
  }

  void visit(Node& node) {
    switch (node.kind) {
      case NodeKind::name: resolve_name(node); return;
      case NodeKind::function: function(node); return;
      case NodeKind::block: find_siblings(node); break;
      case NodeKind::comprehension: comprehension(node); return;
      case NodeKind::dictionary:
        for (std::size_t i = 0; i < node.kids.size(); i += 2) {
          auto& key = *node.kids[i];
          if (key.kind == NodeKind::name)
            resolve_name(key,
                         fmt::format("with a text as key: {{\"{0}\": …}}; as a record: ({0}: …)", key.text));
          else
            visit(key);
          visit(*node.kids[i + 1]);
        }
        return;
      case NodeKind::define:
        node.binding = find(*frame_, node.defined_function().text);
        function(*node.kids[0]);
        return;
      case NodeKind::assign: {
        const auto errors = tree_.errors.size();
        for (std::size_t k = 0; k < node.target_count(); ++k) check_target(node, node.target(k));
        if (tree_.errors.size() > errors) return;
        break;
      }
      case NodeKind::given:
      case NodeKind::use: node.binding = find(*frame_, name_defined_by(node)); break;
      default: break;
    }
    for (auto& kid : node.kids)
      if (kid) visit(*kid);
  }

  void fail(const Node& node, std::string message, std::string hint) {
    Error error(std::move(message), std::move(hint));
    error.location = {tree_.source, node.span};
    tree_.errors.push_back(std::move(error));
  }

  // Checks for parts and calls as targets.
  void check_target(const Node& assignment, const Node& target) {
    const Node* base = &target;
    while (base->kind == NodeKind::index) base = &base->base();
    if (base->kind == NodeKind::part) return fail_part(assignment, *base);
    if (target.kind != NodeKind::call) return;
    const auto line = std::string(trim(tree_.source->line(tree_.source->position(target.span.begin).line)));
    const auto& callee = target.callee();
    const bool is_name = callee.kind == NodeKind::name;
    const auto binding = is_name ? find(*frame_, callee.text) : Binding{};
    if (binding.kind == Binding::Kind::builtin || (is_name && is_defined(callee.text)))
      return fail(target, fmt::format("cannot assign to the result of the function `{}`", callee.text),
                  fmt::format("assign the result to a name: y = {}", tree_.source->text(target.span)));
    bool defines = true;
    for (std::size_t k = 0; k < target.argument_count(); ++k)
      defines = defines && target.argument(k).text.empty() &&
                target.argument(k).argument_value().kind == NodeKind::name;
    const auto open = line.find('('), close = line.find(')');
    const bool is_plain = open != line.npos && close != line.npos && close > open;
    if (is_name) reported_.insert(callee.text);
    fail(target, "a call cannot be assigned to: select elements with brackets, define functions with fn",
         defines    ? "fn " + line
         : is_plain ? line.substr(0, open) + "[" + line.substr(open + 1, close - open - 1) + "]" +
                          line.substr(close + 1)
                    : "");
  }

  void fail_part(const Node& assignment, const Node& part) {
    const auto& owner = part.base();
    if (owner.kind == NodeKind::name && find(*frame_, owner.text).kind == Binding::Kind::unresolved)
      return;  // it is reported elsewhere
    const auto name = tree_.source->text(owner.span);
    const auto value = tree_.source->text(assignment.assigned_value().span);
    const auto kind = owner.kind == NodeKind::name ? written_kind(owner.text, part.span.begin) : "";
    if (!kind.empty())
      return fail(part, fmt::format("`{}` is {}, which has no fields", name, kind),
                  fmt::format("{} = ({}: {})", name, part.text, value));
    const auto sign = row_of(assignment.op).spelling;
    const auto changed =
        assignment.op == Token::assign
            ? std::string(value)
            : fmt::format("{} {} {}", tree_.source->text(part.span), sign.substr(0, sign.size() - 1), value);
    fail(part, "the fields of a record cannot be assigned",
         owner.kind == NodeKind::name && assignment.target(0).kind == NodeKind::part
             ? fmt::format("{0} = with({0}, {1}: {2})", name, part.text, changed)
             : fmt::format("with(r, {}: …) returns a changed copy", part.text));
  }

  // Whether the text defines a function of that name at its top level.
  bool is_defined(const std::string& name) const {
    return std::any_of(tree_.root->kids.begin(), tree_.root->kids.end(), [&](const NodePtr& statement) {
      return statement->kind == NodeKind::define && statement->defined_function().text == name;
    });
  }

  // Kind of the literal last assigned to a name before a location ("a number"), or "" if unknown.
  std::string written_kind(const std::string& name, std::uint32_t before) const {
    std::string kind;
    for (const auto& statement : tree_.root->kids) {
      if (statement->span.begin >= before || statement->kind != NodeKind::assign) continue;
      for (std::size_t k = 0; k < statement->target_count(); ++k) {
        if (statement->target(k).kind != NodeKind::name || statement->target(k).text != name) continue;
        const auto value = statement->assigned_value().kind;
        kind = statement->target_count() > 1 ? ""
               : value == NodeKind::number   ? "a number"
               : value == NodeKind::text     ? "a text"
               : value == NodeKind::boolean  ? "a boolean"
               : value == NodeKind::matrix   ? "an array"
               : value == NodeKind::range    ? "a range"
                                             : "";
      }
    }
    return kind;
  }

  void comprehension(Node& node) {
    const auto before = frame_->inner_names.size();
    const auto bind = [&](Node& named) {
      named.binding = {Binding::Kind::local, frame_->add_local(named.text)};
      if (named.text != "_") frame_->inner_names.emplace_back(named.text, named.binding.index);
    };
    const bool is_grid = node.is_grid();
    if (is_grid)
      for (std::size_t k = 0; k < 2; ++k) visit(*node.kids[k + 1]->kids[0]);
    for (std::size_t k = 0; k < node.generator_count(); ++k) {
      auto& generator = *node.kids[k + 1];
      // Inner sources see the variables of outer loops.
      if (!is_grid) visit(*generator.kids[0]);
      if (generator.bound_count() == 0) bind(generator);
      for (std::size_t n = 1; n <= generator.bound_count(); ++n) bind(*generator.kids[n]);
    }
    visit(*node.kids[0]);
    if (node.kids.back()) visit(*node.kids.back());
    frame_->inner_names.resize(before);
  }

  // Functions of a block inside a function, each defined once, of which one reads a later one: all of them
  // may call each other. They share a slot of the frame.
  void find_siblings(const Node& block) {
    if (frame_->outer == nullptr) return;
    std::map<std::string, int> members;
    std::vector<const Node*> functions;
    for (const auto& statement : block.kids)
      if (statement->kind == NodeKind::define) {
        const auto& function = statement->defined_function();
        if (frame_->definitions[function.text] != 1) continue;
        members.emplace(function.text, static_cast<int>(functions.size()));
        functions.push_back(&function);
      }
    bool reads_ahead = false;
    for (const auto* function : functions)
      for (const auto& use : effects_of(*function)) {
        const auto found = members.find(use.name);
        reads_ahead = reads_ahead || (found != members.end() && !use.is_change() &&
                                      found->second > members.at(function->text));
      }
    if (!reads_ahead) return;
    const auto& shared =
        groups_.emplace_back(std::make_unique<std::map<std::string, int>>(std::move(members)));
    const int slot = frame_->add_local("functions side by side");
    for (const auto* function : functions) siblings_[function] = {shared.get(), slot};
  }

  void function(Node& node) {
    node.scope = std::make_unique<Scope>();
    Frame inner;
    inner.scope = node.scope.get();
    inner.outer = frame_;
    if (const auto found = siblings_.find(&node); found != siblings_.end()) {
      inner.siblings = found->second.first;
      node.scope->siblings = found->second.second;
      node.scope->member = inner.siblings->at(node.text);
    }
    if (frame_->outer != nullptr) inner.self = node.text;
    const auto parameters = node.parameter_count();
    for (std::size_t i = 0; i < parameters; ++i)
      inner.slots[node.parameter(i).text] = inner.add_local(node.parameter(i).text);
    if (!node.flag)
      for (const auto& use : assigned_in(node.body())) {
        inner.definitions[use.name] += use.node->kind == NodeKind::function ? 1 : 2;
        if (!inner.slots.contains(use.name)) inner.slots[use.name] = inner.add_local(use.name);
      }
    frame_ = &inner;
    for (std::size_t i = 0; i < parameters; ++i)
      if (node.kid(i).kids[0]) visit(*node.kids[i]->kids[0]);
    visit(*node.kids.back());
    frame_ = inner.outer;
  }

  Tree& tree_;
  OuterNames& outer_;
  bool later_;
  Frame* frame_ = nullptr;
  std::set<std::string> warned_;
  std::set<std::string> reported_;
  std::vector<std::unique_ptr<std::map<std::string, int>>> groups_;
  std::map<const Node*, std::pair<const std::map<std::string, int>*, int>> siblings_;  // and their slot
  std::map<std::string, std::uint32_t> given_here_;  // first assignments of names of built-ins
};

}  // namespace

void resolve(Tree& tree, OuterNames& outer, bool later) { Resolver(tree, outer, later).run(); }

}  // namespace quill
