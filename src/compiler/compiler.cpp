#include "compiler/compiler.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>

#include "base/text.h"
#include "compiler/compiler_state.h"

namespace quill {

int Module::declare(const std::string& name) {
  const auto [place, is_new] = slot_of.emplace(name, static_cast<int>(names.size()));
  if (is_new) {
    names.push_back(name);
    slots.resize(std::max(slots.size(), names.size()));
  }
  return place->second;
}

const Value* Module::find(const std::string& name) const {
  const auto it = slot_of.find(name);
  if (it == slot_of.end()) return nullptr;
  const auto& value = slots[static_cast<std::size_t>(it->second)];
  return value.is(Kind::unset) ? nullptr : &value;
}

void Module::forget_after(std::size_t count) {
  while (names.size() > count) {
    slot_of.erase(names.back());
    names.pop_back();
  }
  slots.resize(std::min(slots.size(), count));
}

int ModuleNames::find_global(const std::string& name) const {
  const auto it = module_.slot_of.find(name);
  if (it == module_.slot_of.end()) return -1;
  return declared_.contains(name) || name == kThat || module_.find(name) ? it->second : -1;
}

int ModuleNames::declare_global(const std::string& name) {
  declared_.insert(name);
  return module_.declare(name);
}

std::vector<std::string> ModuleNames::known_names() const {
  std::vector<std::string> out;
  for (const auto& name : module_.names)
    if (find_global(name) >= 0) out.push_back(name);
  for (const auto& row : registry_.rows()) out.emplace_back(row.name);
  return out;
}

Op op_of(Token token) {
  switch (token) {
#define QUILL_CASE(name, functor, token, ...) \
  case Token::token: return Op::name;
    QUILL_ELEMENTWISE_OPERATORS(QUILL_CASE)
#undef QUILL_CASE
#define QUILL_CASE(name, functor, token, ...) \
  case Token::assign_##token: return Op::name;
    QUILL_ARITHMETIC_OPERATORS(QUILL_CASE)
#undef QUILL_CASE
    case Token::matrix_times: return Op::matrix_product;
    default: throw std::logic_error("no operation for " + in_words(token));
  }
}

std::shared_ptr<const Function> Compiler::top() {
  top_level_ = true;
  scope_ = tree_->root->scope.get();
  globals_ = static_cast<int>(module_.names.size());
  out_->first_local = globals_;
  for (const auto& use : effects_of(*tree_->root))
    if (use.is_change() && !use.in_function) first_given_.try_emplace(use.name, use.node->span.begin);
  prepare(globals_ + static_cast<int>(scope_->locals.size()), *tree_->root);
  for (int i = 0; i < globals_; ++i)
    if (!module_.slots[static_cast<std::size_t>(i)].is(Kind::unset)) assigned_.insert(i);
  is_later_text_ = !assigned_.empty();
  for (std::size_t k = 0; k < module_.slots.size(); ++k)
    if (module_.slots[k].is(Kind::store) || module_.slots[k].is(Kind::alias))
      shared_.insert(static_cast<int>(k));
  const auto count = end_of_section();
  if (options_.by_statements)
    for (std::size_t k = 0; k < count; ++k) {
      const int mark = next_;
      out_->starts.push_back(out_->code.size());
      guarded([&] { statement(*tree_->root->kids[k]); });
      emit(Op::return_value, *tree_->root, -1);
      next_ = mark;
    }
  else
    block_up_to(*tree_->root, count);
  emit(Op::return_value, *tree_->root, -1);
  return finish();
}

std::size_t Compiler::end_of_section() {
  const auto& statements = tree_->root->kids;
  if (options_.last_section.empty()) return statements.size();
  std::vector<std::string> titles;
  bool found = false;
  for (std::size_t i = 0; i < statements.size(); ++i) {
    if (statements[i]->kind != NodeKind::section) continue;
    if (found) return i;
    found = statements[i]->text == options_.last_section;
    titles.push_back(statements[i]->text);
  }
  if (found) return statements.size();
  const auto near = nearest_name(options_.last_section, titles);
  for (auto& title : titles) title = fmt::format("\"{}\"", title);
  tree_->errors.emplace_back(fmt::format("there is no section \"{}\"", options_.last_section),
                             titles.empty() ? "section \"Title\" starts a part of a script"
                             : near.empty() ? fmt::format("there are {}", list_in_prose(titles))
                                            : fmt::format("did you mean \"{}\"?", near));
  return 0;
}

std::shared_ptr<const Function> Compiler::inner(const Node& node) {
  Compiler c(tree_, module_, registry_, options_);
  c.scope_ = node.scope.get();
  c.out_->name = node.text.empty() ? "fn" : node.text;
  c.out_->prose = node.prose;
  c.out_->definition = &node;
  c.out_->is_expression = node.flag;
  const auto parameters = node.kids.size() - 1;
  c.out_->first_capture = static_cast<int>(c.scope_->locals.size());
  c.out_->captures = c.scope_->captures;
  c.out_->captured_names = c.scope_->captured;
  c.prepare(c.out_->first_capture + static_cast<int>(c.scope_->captures.size()), node);
  for (std::size_t i = 0; i < parameters; ++i) {
    const auto& p = node.parameter(i);
    c.out_->parameters.push_back(p.text);
    c.out_->has_default.push_back(p.default_value() != nullptr);
    const int r = static_cast<int>(i);
    c.assigned_.insert(r);
    if (!p.default_value()) continue;
    const auto jump = c.emit(Op::jump_set, p, 0, r);
    c.guarded([&] { c.value_into(*p.default_value(), r); });
    c.land(jump);
  }
  for (std::size_t i = 0; i < c.scope_->captures.size(); ++i)
    c.assigned_.insert(c.out_->first_capture + static_cast<int>(i));
  const auto& body = *node.kids.back();
  if (node.flag)
    c.guarded([&] {
      c.emit(Op::return_value, body, c.value(body));
      c.out_->body = c.body_region(body);
    });
  else {
    c.block(body);
    c.emit(Op::return_value, body, -1);
  }
  return c.finish();
}

void Compiler::prepare(int first_free, const Node& body) {
  out_->tree = tree_;
  out_->module = &module_;
  next_ = first_free;
  // Only names with aliases need shared access.
  for (const auto& use : effects_of(body))
    if ((use.how == NameUse::How::aliased || use.how == NameUse::How::alias) && !use.in_function &&
        register_of(use.binding) >= 0)
      shared_.insert(register_of(use.binding));
  std::vector<double> numbers;
  collect_numbers(body, numbers, true);
  // Distinguishes 0 and -0.
  const auto key = [](double x) { return std::pair(x, !std::signbit(x)); };
  std::sort(numbers.begin(), numbers.end(), [&](double x, double y) { return key(x) < key(y); });
  numbers.erase(
      std::unique(numbers.begin(), numbers.end(), [&](double x, double y) { return key(x) == key(y); }),
      numbers.end());
  for (const auto number : numbers) out_->constants.emplace_back(next_++, number);
  most_ = next_;
  first_temporary_ = next_;
}

void Compiler::collect_numbers(const Node& node, std::vector<double>& out, bool outermost) {
  if (node.kind == NodeKind::function && !outermost) return;
  if (const auto constant = constant_of(node)) {
    if (out.size() < 10000) out.push_back(*constant);
    return;
  }
  for (const auto& kid : node.kids)
    if (kid) collect_numbers(*kid, out, false);
}

std::shared_ptr<const Function> Compiler::finish() {
  out_->frame_size = most_ + 1;
  return out_;
}

std::size_t Compiler::emit(Op op, const Node& node, int a, int b, int c, int n, int flag) {
  Instruction i;
  i.op = op;
  i.a = a;
  i.b = b;
  i.c = c;
  i.n = static_cast<std::uint16_t>(n);
  i.flag = static_cast<std::uint8_t>(flag);
  out_->code.push_back(i);
  out_->nodes.push_back(&node);
  return out_->code.size() - 1;
}

int Compiler::fresh(int count) {
  const int r = next_;
  next_ += count;
  most_ = std::max(most_, next_);
  return r;
}

void Compiler::fail_node(const Node& node, std::string message, std::string hint) {
  fail_at(tree_->source, node.span, std::move(message), std::move(hint));
}

int Compiler::literal(Value value) {
  out_->literals.push_back(std::move(value));
  return static_cast<int>(out_->literals.size()) - 1;
}

int Compiler::load(const Node& node, Value value, int wanted) {
  const int r = wanted >= 0 ? wanted : fresh();
  emit(Op::load, node, r, literal(std::move(value)));
  return r;
}

int Compiler::register_of(const Binding& b) const {
  switch (b.kind) {
    case Binding::Kind::local: return top_level_ ? globals_ + b.index : b.index;
    case Binding::Kind::captured: return out_->first_capture + b.index;
    case Binding::Kind::global: return top_level_ ? b.index : -1;
    default: return -1;
  }
}

std::shared_ptr<const Function> compile(const std::shared_ptr<Tree>& tree, Module& module,
                                        const Registry& registry, const CompileOptions& options) {
  return Compiler(tree, module, registry, options).top();
}

}  // namespace quill
