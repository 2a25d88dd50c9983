// Calls of built-ins: arguments into the order of the parameters.
#include <fmt/format.h>

#include <array>

#include "engine/machine.h"
#include "engine/operations.h"

namespace quill {

Value call_builtin(Machine& machine, const Builtin& row, std::span<Value> arguments,
                   std::span<const std::string* const> names, const Node* node) {
  constexpr std::size_t most = 24;
  std::array<Value, most> bound;
  const auto count = row.parameters.size();
  const auto many_at = row.many_at();
  if (row.constant) fail(fmt::format("`{}` is a constant and cannot be called", row.name));
  std::size_t position = 0;
  std::vector<Value> many;
  std::vector<std::pair<std::string, Value>> fields;
  for (std::size_t i = 0; i < arguments.size(); ++i) {
    const std::string* name = i < names.size() ? names[i] : nullptr;
    if (arguments[i].is(Kind::unset)) fail(fmt::format("an argument of {} has no value", row.name));
    if (!name || name->empty()) {
      if (position < many_at && !row.parameters[position].free_names)
        bound[position++] = arguments[i];
      else if (many_at < count)
        many.push_back(arguments[i]);
      else
        fail(fmt::format("{} takes {} argument{}, and {} are given", row.name, count, count == 1 ? "" : "s",
                         arguments.size()));
      continue;
    }
    std::size_t k = 0;
    while (k < count &&
           (row.parameters[k].name != *name || row.parameters[k].many || row.parameters[k].free_names))
      ++k;
    if (k == count) {
      if (!row.has_free_names()) fail(fmt::format("{} has no argument `{}`", row.name, *name));
      fields.emplace_back(*name, arguments[i]);
      continue;
    }
    if (!bound[k].is(Kind::unset))
      fail(fmt::format("the argument `{}` of {} is given twice", *name, row.name));
    bound[k] = arguments[i];
  }
  if (!row.as_they_are) {
    for (std::size_t k = 0; k < count; ++k)
      if (bound[k].is(Kind::library)) bound[k] = numeric_value(bound[k]);
    for (auto& value : many)
      if (value.is(Kind::library)) value = numeric_value(value);
  }
  if (row.has_free_names()) bound[count - 1] = Value::record(std::move(fields));
  for (std::size_t k = 0; k < count; ++k)
    if (bound[k].is(Kind::unset) && row.parameters[k].fallback.empty() && !row.parameters[k].many)
      fail(fmt::format("{} needs `{}` too", row.name, row.parameters[k].name));
  if (row.unary) return apply_function(machine, *row.unary, bound[0], node);
  Call call(machine, machine.context(), row, std::span(bound.data(), count), many, node);
  if (!row.changes_first || arguments.empty() || arguments[0].identity() != bound[0].identity())
    return row.run(call);
  // Only the built-in holds what it may change; after an Error the caller has it back.
  arguments[0].reset();
  try {
    return row.run(call);
  } catch (...) {
    arguments[0] = std::move(bound[0]);
    throw;
  }
}

}  // namespace quill
