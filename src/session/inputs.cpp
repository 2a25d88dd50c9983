#include "session/inputs.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/text.h"
#include "builtins/tables.h"
#include "compiler/compiler.h"
#include "language/parser.h"
#include "value/print.h"

namespace quill {

namespace {

bool makes_literal(std::string_view function) {
  constexpr std::array<std::string_view, 5> known = {"list", "int64", "int32", "uint8", "float32"};
  return std::find(known.begin(), known.end(), function) != known.end();
}

bool is_literal(const Node& node) {
  switch (node.kind) {
    case NodeKind::number:
    case NodeKind::literal:
    case NodeKind::boolean:
    case NodeKind::none: return true;
    case NodeKind::name:  // pi, inf, nan
      return node.binding.kind == Binding::Kind::builtin &&
             builtins().row(node.binding.index).constant.has_value();
    case NodeKind::unary:
      if (node.op != Token::minus) return false;
      break;
    case NodeKind::call:  // lists and numbers of a type have no other notation
      if (node.callee().kind != NodeKind::name || node.callee().binding.kind != Binding::Kind::builtin ||
          !makes_literal(node.callee().text))
        return false;
      return std::all_of(node.kids.begin() + 1, node.kids.end(),
                         [](const auto& kid) { return is_literal(*kid); });
    case NodeKind::text:
    case NodeKind::binary:
    case NodeKind::range:
    case NodeKind::argument:
    case NodeKind::tuple:
    case NodeKind::record:
    case NodeKind::dictionary:
    case NodeKind::matrix:
    case NodeKind::row: break;
    default: return false;
  }
  return std::all_of(node.kids.begin(), node.kids.end(),
                     [](const auto& kid) { return !kid || is_literal(*kid); });
}

bool is_number_like(const Value& v) { return v.is_array_like() && is_numeric(element_type_of(v)); }

// Whether a value has the kind of the default; numbers may have any shape.
bool has_kind_of(const Value& value, const Value& fallback) {
  if (fallback.is(Kind::none)) return true;
  if (fallback.is(Kind::boolean) || fallback.is(Kind::text)) return value.kind() == fallback.kind();
  if (is_number_like(fallback)) return is_number_like(value);
  if (!fallback.is_array_like()) return value.kind() == fallback.kind();
  return value.is_array_like() && element_type_of(value) == element_type_of(fallback);
}

bool is_quoted(std::string_view text) {
  const auto plain = trim(text);
  return plain.size() >= 2 && plain.front() == '"' && plain.back() == '"';
}

}  // namespace

std::string literal_of(const Value& value) {
  if (!value.is(Kind::text)) return inline_text(value);
  std::string out = "\"";
  for (const char c : value.text()) {
    if (c == '\n')
      out += "\\n";
    else if (c == '\t')
      out += "\\t";
    else
      out += (c == '"' || c == '\\' || c == '{' || c == '}' ? "\\" : "") + std::string(1, c);
  }
  return out + "\"";
}

void add_inputs(const Node& text, InputNames& into, const std::function<Tree(const std::string&)>& parsed) {
  if (text.kind == NodeKind::given) into.names.insert(text.text);
  if (text.kind == NodeKind::use && into.files.insert(text.text).second) {
    const auto tree = parsed(text.text);
    if (tree.root) add_inputs(*tree.root, into, parsed);
  }
  if (text.kind == NodeKind::call && text.callee().kind == NodeKind::name && text.callee().text == "ask") {
    const Node* name = text.argument_count() > 0 ? &text.argument(0).argument_value() : nullptr;
    if (name != nullptr && name->kind == NodeKind::text && name->kids.size() == 1 &&
        name->kid(0).kind == NodeKind::literal)
      into.names.insert(name->kid(0).text);
    else
      into.all_seen = false;
  }
  for (const auto& kid : text.kids)
    if (kid) add_inputs(*kid, into, parsed);
}

namespace {

// Warnings about numbers that are rounded, with the name of the input instead of a location.
std::vector<Error> rounding_warnings(const Tree& tree, const std::string& name) {
  std::vector<Error> out;
  for (const auto& warning : tree.warnings) out.emplace_back(name + ": " + warning.message, warning.hint);
  return out;
}

}  // namespace

Inputs::Found Inputs::read_literal(const std::string& name, const std::string& text) {
  const auto assignment = "value = " + text;
  const auto tree = std::make_shared<Tree>(parse(std::make_shared<Source>(name, assignment)));
  Module module;
  if (tree->errors.empty() && tree->root->kids.size() == 1) {
    ModuleNames outer(module, builtins());
    resolve(*tree, outer, false);
    if (tree->errors.empty() && is_literal(tree->root->kid(0).assigned_value()))
      if (const auto program = compile(tree, module, builtins()); tree->errors.empty()) {
        try {
          machine_.run(*program);
        } catch (Error& error) {  // reported where the input is declared
          error.message = name + ": " + error.message;
          error.location = {};
          throw;
        }
        return {module.slots[static_cast<std::size_t>(module.slot_of.at("value"))],
                text,
                "set",
                {},
                rounding_warnings(*tree, name)};
      }
  }
  fail(fmt::format("{} cannot be read: {}", name, text), "write a literal: 0.5, [1, 2], \"text\", true");
}

Inputs::Found Inputs::find(const std::string& name, const Value& fallback) {
  auto set = find_set(name, fallback);
  return set ? std::move(*set) : Found{fallback, literal_of(fallback), "default"};
}

std::optional<Inputs::Found> Inputs::find_set(const std::string& name, const Value& fallback) {
  for (const auto& [set, text] : set_) {
    if (set != name) continue;
    used_.insert(name);
    // For a text, quotes may be omitted.
    if (fallback.is(Kind::text) && !is_quoted(text))
      return Found{Value::text(text), literal_of(Value::text(text)), "set"};
    auto found = read_literal(fmt::format("the input {}", name), text);
    if (!has_kind_of(found.value, fallback))
      fail(fmt::format("the input {} is {}, and its default is {}", name, kind_in_words(found.value),
                       kind_in_words(fallback)));
    return found;
  }
  return std::nullopt;
}

Inputs::Found Inputs::ask(const std::string& name, const Value* fallback) {
  if (auto set = find_set(name, fallback ? *fallback : Value::none())) return std::move(*set);
  const auto shown = fallback ? fmt::format(" [{}]", inline_text(*fallback)) : std::string();
  while (true) {
    Outcome<std::string> answer;
    if (answers_.empty()) {
      answer = host_.ask(fmt::format("{}{}: ", name, shown));
    } else {
      answer.value = std::move(answers_.front());
      answers_.pop_front();
    }
    if (!answer.ok()) break;
    if (trim(answer.value).empty() && fallback) return {*fallback, literal_of(*fallback), "default", ""};
    try {
      auto found = read_literal("the answer", answer.value);
      found.from = "answer";
      found.typed = answer.value;
      if (!fallback || has_kind_of(found.value, *fallback)) return found;
      output_.tell(ErrorMet{Error(fmt::format("the answer is {}, and the default is {}",
                                              kind_in_words(found.value), kind_in_words(*fallback)))});
    } catch (const Error& error) { output_.tell(ErrorMet{error}); }
  }
  if (fallback) return {*fallback, literal_of(*fallback), "default"};
  fail(fmt::format("there is no terminal to ask for \"{}\", and it has no default", name),
       fmt::format("--set \"{}=…\" answers in advance", name));
}

std::vector<std::string> Inputs::unused() const {
  std::vector<std::string> out;
  for (const auto& [name, text] : set_)
    if (!used_.contains(name)) out.push_back(name);
  return out;
}

}  // namespace quill
