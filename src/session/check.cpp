#include "session/check.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>
#include <set>

#include "base/text.h"
#include "builtins/tables.h"
#include "compiler/compiler.h"
#include "language/effects.h"
#include "language/parser.h"
#include "session/check_values.h"
#include "value/arguments.h"

namespace quill {

namespace {

template <class F>
void each_node(const Node& node, const F& f) {
  f(node);
  for (const auto& kid : node.kids)
    if (kid) each_node(*kid, f);
}

bool is_call_of(const Node& node, std::string_view builtin) {
  return node.kind == NodeKind::call && node.callee().kind == NodeKind::name &&
         node.callee().binding.kind == Binding::Kind::builtin && node.callee().text == builtin;
}

class Checker {
 public:
  Checker(Host& host, const std::string& path, const Tree& tree, Checked& out)
      : host_(host), folder_(std::filesystem::path(path).parent_path().string()), tree_(tree), out_(out) {}

  void run() {
    const auto& root = *tree_.root;
    effects_ = effects_of(root);
    each_node(root, [&](const Node& node) {
      if (node.kind == NodeKind::define) ++definitions_[node.defined_function().text];
      const bool calls = node.kind == NodeKind::call;
      for (std::size_t k = 0; k < node.kids.size(); ++k)
        if (const auto& kid = node.kids[k]; kid && kid->kind == NodeKind::name && !(calls && k == 0))
          handed_on_.insert(kid->text);
    });
    for (const auto& use : effects_) {
      if (!use.is_change() || use.binding.kind != Binding::Kind::global) continue;
      const auto [known, is_new] = functions_.try_emplace(use.name, use.node);
      if (!is_new || use.node->kind != NodeKind::function) known->second = nullptr;
    }
    each_node(root, [&](const Node& node) { look_at(node); });
    // A script that only defines functions is a module for others.
    const bool only_defines = std::all_of(root.kids.begin(), root.kids.end(), [](const NodePtr& s) {
      return s->kind == NodeKind::define || s->kind == NodeKind::assign || s->kind == NodeKind::given ||
             s->kind == NodeKind::use;
    });
    if (!only_defines) look_for_unused_names();
  }

 private:
  void warn(Span span, std::string message, std::string hint = {}) {
    add(false, span, std::move(message), std::move(hint));
  }
  void add(bool is_error, Span span, std::string message, std::string hint) {
    Error error(std::move(message), std::move(hint));
    error.location = {tree_.source, span};
    out_.findings.push_back({is_error, std::move(error)});
  }

  void look_at(const Node& node) {
    switch (node.kind) {
      case NodeKind::block: look_for_unreachable(node); break;
      case NodeKind::call: look_at_call(node); break;
      case NodeKind::define: look_at_parameters(node.defined_function()); break;
      case NodeKind::use: look_at_use(node); break;
      case NodeKind::branch:
      case NodeKind::loop_while: look_at_condition(node); break;
      default: break;
    }
  }

  // The called function, if the name refers to one function only.
  const Node* function_called(const Node& call) const {
    const auto& callee = call.callee();
    if (callee.kind != NodeKind::name || callee.binding.kind != Binding::Kind::global) return nullptr;
    const auto found = functions_.find(callee.text);
    return found == functions_.end() ? nullptr : found->second;
  }

  void look_at_call(const Node& call) {
    if (const auto* function = function_called(call)) look_at_arguments(call, *function);
  }

  // Checks the arguments of a call of a function of the text.
  void look_at_arguments(const Node& call, const Node& function) {
    FunctionHead head;
    head.name = function.text;
    for (std::size_t k = 0; k < function.parameter_count(); ++k) {
      head.parameters.push_back(function.parameter(k).text);
      head.has_default.push_back(function.parameter(k).default_value() != nullptr);
    }
    std::vector<std::string> names;
    for (std::size_t k = 0; k < call.argument_count(); ++k) {
      if (call.argument(k).kind != NodeKind::argument) return;
      names.push_back(call.argument(k).text);
    }
    const auto bound = bound_arguments(head, names, names.size());
    if (!bound.mistake) return;
    const auto& at = bound.argument < 0 ? call : call.argument(static_cast<std::size_t>(bound.argument));
    add(true, at.span, bound.mistake->message, bound.mistake->hint);
  }

  void look_at_parameters(const Node& function) {
    if (definitions_[function.text] > 1 || handed_on_.contains(function.text)) return;
    const auto effects = effects_of(function);
    for (std::size_t k = 0; k < function.parameter_count(); ++k) {
      const auto& parameter = function.parameter(k);
      const bool used = std::any_of(effects.begin(), effects.end(), [&](const NameUse& use) {
        return use.name == parameter.text && use.how != NameUse::How::bound &&
               use.how != NameUse::How::assigned;
      });
      if (!used && !parameter.text.starts_with('_'))
        warn(parameter.span,
             fmt::format("the parameter `{}` of {} is not used", parameter.text, function.text));
    }
  }

  void look_at_use(const Node& node) {
    const auto path = path_below(folder_, node.text);
    const auto text = host_.read_file(path);
    if (!text.ok()) return add(true, node.span, fmt::format("cannot read {}: {}", path, text.reason), {});
    const auto tree = parse(std::make_shared<Source>(node.text, text.value));
    if (!tree.errors.empty())
      return add(true, node.span, fmt::format("{} has errors: {}", node.text, tree.errors[0].message), {});
    std::vector<std::string> parts;
    std::map<std::string, const Node*> functions;
    for (const auto& use : effects_of(*tree.root))
      if (use.is_change() && !use.in_function && !use.in_comprehension) {
        parts.push_back(use.name);
        const auto [known, is_new] = functions.try_emplace(use.name, use.node);
        if (!is_new || use.node->kind != NodeKind::function) known->second = nullptr;
      }
    const auto& name = name_defined_by(node);
    each_node(*tree_.root, [&](const Node& call) {
      if (call.kind != NodeKind::call || call.callee().kind != NodeKind::part ||
          call.callee().base().kind != NodeKind::name || call.callee().base().text != name)
        return;
      const auto function = functions.find(call.callee().text);
      if (function != functions.end() && function->second != nullptr)
        look_at_arguments(call, *function->second);
    });
    each_node(*tree_.root, [&](const Node& part) {
      if (part.kind != NodeKind::part || part.base().kind != NodeKind::name || part.base().text != name ||
          std::find(parts.begin(), parts.end(), part.text) != parts.end())
        return;
      const auto near = nearest_name(part.text, parts);
      add(true, part.span, fmt::format("{} has no `{}`", node.text, part.text),
          near.empty() ? "" : fmt::format("did you mean {}.{}?", name, near));
    });
  }

  void look_for_unused_names() {
    std::set<std::string> read, seen;
    for (const auto& use : effects_)
      if (use.how == NameUse::How::read || use.how == NameUse::How::aliased) read.insert(use.name);
    // Not reported as unused: a name changed through an alias, a loop variable, and a part of an unpacked
    // value if another part is used.
    std::set<std::string> excused;
    for (const auto& use : effects_)
      if (use.how == NameUse::How::alias) excused.insert(use.name);
    each_node(*tree_.root, [&](const Node& node) {
      if (node.kind == NodeKind::loop_for)
        for (std::size_t k = 0; k < node.loop_target_count(); ++k) excused.insert(node.target(k).text);
      if (node.kind != NodeKind::assign) return;
      bool one_is_read = false;
      for (std::size_t k = 0; k < node.target_count(); ++k)
        one_is_read = one_is_read || read.contains(node.target(k).text);
      if (one_is_read)
        for (std::size_t k = 0; k < node.target_count(); ++k) excused.insert(node.target(k).text);
    });
    for (const auto& use : effects_) {
      if (use.in_function || use.in_comprehension || use.how == NameUse::How::read ||
          use.how == NameUse::How::bound || use.how == NameUse::How::alias || read.contains(use.name) ||
          excused.contains(use.name) || use.name.starts_with('_') || !seen.insert(use.name).second)
        continue;
      warn(use.node->kind == NodeKind::function ? Span{use.node->span.begin, use.node->span.begin}
                                                : use.node->span,
           fmt::format("{} `{}` is not used",
                       use.node->kind == NodeKind::function ? "the function"
                       : use.node->kind == NodeKind::given  ? "the input"
                       : use.node->kind == NodeKind::use    ? "the used file"
                                                            : "the name",
                       use.name));
    }
  }

  // Whether statements after this one in its block are unreachable.
  static bool ends(const Node& s) {
    switch (s.kind) {
      case NodeKind::return_statement:
      case NodeKind::break_statement:
      case NodeKind::continue_statement: return true;
      case NodeKind::expression: return is_call_of(s.shown_value(), "fail");
      case NodeKind::block: return !s.kids.empty() && ends(*s.kids.back());
      case NodeKind::branch: return s.else_part() != nullptr && ends(s.then_part()) && ends(*s.else_part());
      default: return false;
    }
  }

  void tell_unreachable(const Node& node, const std::string& why) {
    bool has_expectation = false;
    each_node(node, [&](const Node& inner) {
      if (inner.kind != NodeKind::expect) return;
      has_expectation = true;
      warn(inner.span, fmt::format("this check is never reached: {}", why));
    });
    if (!has_expectation) warn(node.span, fmt::format("this is never reached: {}", why));
  }

  void look_for_unreachable(const Node& block) {
    for (std::size_t k = 0; k + 1 < block.kids.size(); ++k) {
      if (!ends(*block.kids[k])) continue;
      const auto line = tree_.source->position(block.kids[k]->span.begin).line;
      tell_unreachable(*block.kids[k + 1], fmt::format("line {} returns before it", line));
      return;
    }
  }

  void look_at_condition(const Node& node) {
    const auto& condition = node.condition();
    if (condition.kind != NodeKind::boolean) return;
    if (!condition.flag)
      tell_unreachable(node.kind == NodeKind::branch ? node.then_part() : node.body(),
                       "its condition is false");
    else if (node.kind == NodeKind::branch && node.else_part() != nullptr)
      tell_unreachable(*node.else_part(), "an earlier condition is true");
  }

  Host& host_;
  std::string folder_;
  const Tree& tree_;
  Checked& out_;
  Effects effects_;
  std::map<std::string, int> definitions_;
  std::map<std::string, const Node*> functions_;  // of the script; null if the name has another meaning too
  std::set<std::string>
      handed_on_;  // functions that are passed on, whose parameters are prescribed by callers
};

void list_contents(const Tree& tree, Checked& out) {
  each_node(*tree.root, [&](const Node& node) {
    const auto written = [&](const Node* n) {
      return n ? std::string(tree.source->text(n->span)) : std::string();
    };
    if (node.kind == NodeKind::given)
      out.parameters.push_back({node.text, written(node.default_value()), node.prose, node.span});
    else if (node.kind == NodeKind::section)
      out.sections.push_back({node.text, node.span});
    else if (node.kind == NodeKind::call && node.callee().kind == NodeKind::name &&
             node.callee().text == "ask" && node.argument_count() > 0) {
      const auto& name = node.argument(0).argument_value();
      if (name.kind == NodeKind::text && name.kids.size() == 1 && name.kid(0).kind == NodeKind::literal)
        out.parameters.push_back(
            {name.kid(0).text, node.argument_count() > 1 ? written(&node.argument(1).argument_value()) : "",
             "asked for", node.span});
    }
  });
}

}  // namespace

bool Checked::has_errors() const {
  return std::any_of(findings.begin(), findings.end(), [](const Finding& f) { return f.is_error; });
}

Checked check_script(Host& host, const std::string& path, const std::string& text) {
  Checked out;
  out.source = std::make_shared<Source>(std::filesystem::path(path).filename().string(), text);
  const auto tree = std::make_shared<Tree>(parse(out.source));
  Module module;
  module.declare(kThat);
  ModuleNames outer(module, builtins());
  if (tree->root) list_contents(*tree, out);
  if (tree->errors.empty()) resolve(*tree, outer, false);
  if (tree->errors.empty()) {
    // Compiles a separate tree, so that its errors do not hide others.
    compile(tree, module, builtins());
    Checker(host, path, *tree, out).run();
    if (tree->errors.empty())
      for (auto& finding : check_values(*tree))
        out.findings.push_back({finding.is_error, std::move(finding.error)});
  }
  for (const auto& error : tree->errors) out.findings.push_back({true, error});
  for (const auto& warning : tree->warnings) out.findings.push_back({false, warning});
  std::stable_sort(out.findings.begin(), out.findings.end(), [](const Finding& a, const Finding& b) {
    return a.error.location.span.begin < b.error.location.span.begin;
  });
  return out;
}

std::string text_of(const Checked& checked) {
  std::string out;
  int errors = 0, warnings = 0;
  for (const auto& finding : checked.findings) {
    ++(finding.is_error ? errors : warnings);
    out += describe(finding.error, finding.is_error ? "error" : "warning");
  }
  const auto line = [&](Span span) { return checked.source->position(span.begin).line; };
  const auto counted = [](int n, const char* what) {
    return fmt::format("{} {}{}", n, what, n == 1 ? "" : "s");
  };
  out += fmt::format("{}: {}{}\n", checked.source->name(), errors ? counted(errors, "error") : "no errors",
                     warnings ? ", " + counted(warnings, "warning") : "");
  std::size_t width = 0;
  std::vector<std::string> names;
  for (const auto& p : checked.parameters) {
    names.push_back(p.fallback.empty() ? p.name : fmt::format("{} = {}", p.name, p.fallback));
    width = std::max(width, display_width(names.back()));
  }
  for (std::size_t k = 0; k < names.size(); ++k)
    out += fmt::format("  line {:4}  input    {}  {}\n", line(checked.parameters[k].span),
                       pad_right(names[k], width), checked.parameters[k].description);
  for (const auto& section : checked.sections)
    out += fmt::format("  line {:4}  section  {}\n", line(section.span), section.title);
  return out;
}

std::string json_of(const std::vector<std::pair<std::string, Checked>>& files) {
  using Json = nlohmann::ordered_json;
  auto list = Json::array();
  for (const auto& [path, checked] : files) {
    const auto range = [&source = *checked.source](Span span) {
      const auto place = [&](std::uint32_t byte) {
        const auto at = source.position(byte);
        return Json{{"line", at.line}, {"column", at.column}, {"byte", byte}};
      };
      return Json{{"start", place(span.begin)}, {"end", place(std::max(span.begin, span.end))}};
    };
    Json j;
    j["file"] = path;
    auto& findings = j["findings"] = Json::array();
    for (const auto& f : checked.findings) {
      findings.push_back(Json{{"severity", f.is_error ? "error" : "warning"}, {"message", f.error.message}});
      if (!f.error.hint.empty()) findings.back()["hint"] = f.error.hint;
      findings.back()["range"] = range(f.error.location.span);
    }
    auto& parameters = j["inputs"] = Json::array();
    for (const auto& p : checked.parameters)
      parameters.push_back(Json{{"name", p.name},
                                {"default", p.fallback},
                                {"description", p.description},
                                {"range", range(p.span)}});
    auto& sections = j["sections"] = Json::array();
    for (const auto& s : checked.sections)
      sections.push_back(Json{{"title", s.title}, {"range", range(s.span)}});
    list.push_back(std::move(j));
  }
  return Json{{"files", std::move(list)}}.dump(1, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace quill
