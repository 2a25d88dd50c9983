// Calls: callee, option values and callbacks among the arguments of built-ins.
#include <fmt/format.h>

#include <algorithm>

#include "base/number.h"
#include "builtins/tables.h"
#include "session/check_values_state.h"

namespace quill {

namespace {

bool gives_back(const Node& node) {
  if (node.kind == NodeKind::return_statement) return node.returned_value() != nullptr;
  if (node.kind == NodeKind::function) return false;
  return std::any_of(node.kids.begin(), node.kids.end(),
                     [](const NodePtr& kid) { return kid && gives_back(*kid); });
}

}  // namespace

void ValueCheck::refuse_call(const Node& node, const AbstractValue& called) {
  report(node, fmt::format("{} cannot be called", in_words(called)),
         called.is(What::array)
             ? "select elements with brackets: a[2]; write a product with its sign: a * (b)"
             : "write a product with its sign: a * (b)");
}

AbstractValue ValueCheck::call(const Node& node) {
  const auto& callee = node.callee();
  const auto called = callee.kind == NodeKind::name ? AbstractValue{} : value(callee);
  if (called.is(What::number) || called.is(What::text)) refuse_call(node, called);
  const auto of_callee = callee.kind == NodeKind::name && callee.binding.kind != Binding::Kind::builtin
                             ? name(callee)
                             : AbstractValue{};
  std::vector<AbstractValue> arguments;
  bool some_by_name = false;
  for (std::size_t k = 0; k < node.argument_count(); ++k) {
    arguments.push_back(value(node.argument(k).argument_value()));
    some_by_name = some_by_name || !node.argument(k).text.empty();
  }
  if (callee.kind != NodeKind::name) return {};
  if (callee.binding.kind == Binding::Kind::builtin) {
    const auto& row = builtins().row(callee.binding.index);
    look_at_words(node, row.name);
    look_at_functions(node, row, arguments);
    try {
      return abstract_result(row.name, arguments, some_by_name);
    } catch (const Error& error) { report(node, error); }
    return {};
  }
  const bool is_no_function = of_callee.is(What::number) || of_callee.is(What::text) ||
                              of_callee.is(What::boolean) || of_callee.is(What::array);
  if (is_no_function && builtins().find(callee.text) < 0) refuse_call(node, of_callee);
  look_for_early_call(node);
  const auto* function = only_function(callee);
  if (!function || function->flag || gives_back(function->body())) return {};
  AbstractValue out;
  out.kind = What::nothing;
  return out;
}

// Reports literal arguments that the built-in does not accept.
void ValueCheck::look_at_words(const Node& node, std::string_view builtin) {
  const int at = builtins().find(builtin);
  if (at < 0) return;
  const auto& row = builtins().row(at);
  std::vector<std::string> names;
  std::vector<const Node*> given;
  for (const auto& kid : node.kids)
    if (kid && kid->kind == NodeKind::argument) {
      names.push_back(kid->text);
      given.push_back(&kid->argument_value());
    }
  std::size_t position = 0;
  for (std::size_t k = 0; k < given.size(); ++k) {
    std::size_t place = position;
    if (names[k].empty()) {
      if (position < row.many_at()) ++position;
    } else {
      place = 0;
      while (place < row.parameters.size() && row.parameters[place].name != names[k]) ++place;
    }
    if (place >= row.parameters.size() || place == row.many_at()) continue;
    look_at_word(row, row.parameters[place], *given[k]);
  }
}

void ValueCheck::look_at_word(const Builtin& row, const Parameter& parameter, const Node& argument) {
  const auto report_of = [&](const std::string& message, const std::string& hint = {}) {
    report(argument, argument_message(row, parameter, message), hint);
  };
  if (parameter.fallback == "true" || parameter.fallback == "false") {
    if (argument.kind == NodeKind::number || argument.kind == NodeKind::text)
      report_of(fmt::format("must be true or false, not {}", written(argument)));
    return;
  }
  if (const auto& range = parameter.whole_within; range && argument.kind == NodeKind::number) {
    const double x = argument.number;
    if (!(x >= range->first && x <= range->second) || !is_whole(x))
      report_of(fmt::format("must be an integer from {} to {}, not {}", range->first, range->second,
                            written(argument)));
  }
  if (!is_plain_text(argument)) return;
  const auto text = plain_text(argument);
  if (!parameter.choices.empty() &&
      std::find(parameter.choices.begin(), parameter.choices.end(), text) == parameter.choices.end()) {
    std::string near;
    const auto message = not_among(parameter, text, &near);
    report_of(message, near);
  } else if (parameter.takes && !parameter.takes(text)) {
    report_of(fmt::format("must be {}, not \"{}\"", parameter.about, text));
  }
}

// Reports callbacks with the wrong number of parameters.
void ValueCheck::look_at_functions(const Node& node, const Builtin& row,
                                   const std::vector<AbstractValue>& arguments) {
  for (std::size_t k = 0; k < arguments.size() && k < row.parameters.size(); ++k) {
    if (!node.argument(k).text.empty()) return;
    const int wanted = row.parameters[k].passes;
    const auto& argument = node.argument(k).argument_value();
    const auto* function = argument.kind == NodeKind::function ? &argument : only_function(argument);
    if (wanted < 0 || function == nullptr) continue;
    const auto most = static_cast<int>(function->parameter_count());
    int least = 0;
    for (int p = 0; p < most; ++p)
      least += function->parameter(static_cast<std::size_t>(p)).default_value() == nullptr;
    if (wanted < least || wanted > most)
      report(argument, fmt::format("{}: `{}` is called with {} argument{}, but this function takes {}",
                                   row.name, row.parameters[k].name, wanted, wanted == 1 ? "" : "s", most));
  }
}

}  // namespace quill
