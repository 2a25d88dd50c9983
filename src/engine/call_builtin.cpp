// Calls of built-ins: binds arguments to parameters.
#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "array/axis_names.h"
#include "array/elementwise.h"
#include "array/reduce.h"
#include "engine/machine.h"
#include "engine/operations.h"
#include "value/arguments.h"
#include "value/deferred.h"

namespace quill {

namespace {

// Fast path for positional arguments, one for each of the first parameters, if the others have defaults:
// frequent in callbacks.
bool is_one_for_one(const Builtin& row, std::size_t given) {
  if (given > row.parameters.size()) return false;
  for (std::size_t k = 0; k < row.parameters.size(); ++k) {
    const auto& p = row.parameters[k];
    if (p.many || p.free_names || (k >= given && p.fallback.empty())) return false;
  }
  return true;
}

// Names the axes of the result of an elementwise function. Where data are refused, the error points at the
// first argument that contains them.
void name_axes_of(Call& call, std::size_t count, Value& result) {
  std::vector<const Array*> operands;
  for (std::size_t k = 0; k < count; ++k)
    if (const auto& value = call.value(k); value.is(Kind::array) && is_named(&value.array()))
      operands.push_back(&value.array());
  if (operands.empty() || !result.is(Kind::array)) return;
  auto& out = result.own_array();
  if (out.axes() == operands[0]->axes() && !has_axis_names(out))
    name_axes(call.runtime, out, operands, call.node());
}

Value run(const Builtin& row, Call& call, std::size_t count) {
  try {
    auto out = row.run(call);
    if ((row.binary && call.given(1)) || row.family == "elementwise") name_axes_of(call, count, out);
    return out;
  } catch (Error& error) {
    error.name_caller(std::string(row.name), call.runtime.location_of(call.node()));
    for (std::size_t i = 0; i < count && error.is_of_data && !error.location.source; ++i) {
      const auto& value = call.value(i);
      if (!value.is_array_like() || !is_numeric(element_type_of(value))) continue;
      const auto finite = reduce(Reduction::all, apply(Unary::is_finite, to_array(value)));
      if (!*finite.data<bool>()) call.point_at(i, error);
    }
    throw;
  }
}

// For deferred arrays: computes part by part if the built-in can; otherwise loads them and returns nothing.
std::optional<Value> call_deferred(Machine& machine, const Builtin& row, std::span<Value> bound,
                                   std::span<Value> many, const CallForm* form, const Node* node) {
  const auto is_alone = [&](std::size_t n) {
    return bound.size() >= n && !bound[n - 1].is(Kind::unset) && many.empty() &&
           std::all_of(bound.begin() + static_cast<std::ptrdiff_t>(n), bound.end(),
                       [](const Value& v) { return v.is(Kind::unset); });
  };
  if (row.unary && is_alone(1)) return deferred_array(bound[0])->mapped(*row.unary);
  if (row.binary && is_alone(2)) {
    if (const auto* left = deferred_array(bound[0])) return left->mapped(*row.binary, bound[1], false, false);
    return deferred_array(bound[1])->mapped(*row.binary, bound[0], true, false);
  }
  // The largest one stays deferred, all others are loaded.
  std::size_t largest = 0;
  double size = -1;
  for (std::size_t k = 0; k < bound.size(); ++k)
    if (const auto* array = deferred_array(bound[k])) {
      double own = 1;
      for (const auto extent : array->shape()) own *= static_cast<double>(extent);
      if (own > size) {
        size = own;
        largest = k;
      }
    }
  for (std::size_t k = 0; k < bound.size(); ++k)
    if (const auto* array = k == largest ? nullptr : deferred_array(bound[k]))
      bound[k] = array->whole(machine);
  for (auto& value : many)
    if (const auto* array = deferred_array(value)) value = array->whole(machine);
  if (size < 0) return std::nullopt;
  Call call(machine, machine.context(), row, bound, many, form, node);
  const auto& array = *deferred_array(bound[largest]);
  if (auto made = array.applied(call, largest)) return made;
  bound[largest] = array.whole(machine);
  return std::nullopt;
}

}  // namespace

Value call_builtin(Machine& machine, const Builtin& row, std::span<Value> arguments, const CallForm* form,
                   const Node* node) {
  constexpr std::size_t most = 24;
  std::array<Value, most> bound;
  const auto count = row.parameters.size();
  if (row.constant) fail(fmt::format("`{}` is a constant and cannot be called", row.name));
  std::vector<Value> many;
  std::vector<std::pair<std::string, Value>> fields;
  const auto put = [&](int place, std::size_t i) {
    if (place >= 0)
      bound[static_cast<std::size_t>(place)] = arguments[i];
    else if (place == kToMany)
      many.push_back(arguments[i]);
    else
      fields.emplace_back(form->names[i], arguments[i]);
  };
  for (const auto& argument : arguments)
    if (argument.is(Kind::unset)) fail(fmt::format("an argument of {} has no value", row.name));
  if (form && form->is_bound) {
    for (std::size_t i = 0; i < arguments.size(); ++i) put(form->parameters[i], i);
  } else if (!form && is_one_for_one(row, arguments.size())) {
    std::copy(arguments.begin(), arguments.end(), bound.begin());
  } else {
    auto found = bound_arguments(
        row, form ? std::span<const std::string>(form->names) : std::span<const std::string>(),
        arguments.size());
    if (found.mistake) throw std::move(*found.mistake);
    for (std::size_t i = 0; i < arguments.size(); ++i) put(found.parameters[i], i);
  }
  bool has_deferred = false;
  if (!row.as_they_are) {
    const auto in_plain = [&](Value& value) {
      if (!value.is(Kind::library)) return;
      value = numeric_value(value);
      has_deferred = has_deferred || deferred_array(value);
    };
    for (std::size_t k = 0; k < count; ++k) in_plain(bound[k]);
    for (auto& value : many) in_plain(value);
  }
  if (row.has_free_names()) bound[count - 1] = Value::record(std::move(fields));
  if (has_deferred)
    if (auto made = call_deferred(machine, row, {bound.data(), count}, many, form, node)) return *made;
  if (row.unary && !(count > 1 && !bound[1].is(Kind::unset)))
    return apply_function(machine, *row.unary, bound[0], node);
  Call call(machine, machine.context(), row, std::span(bound.data(), count), many, form, node);
  if (!row.changes_first || arguments.empty() || arguments[0].identity() != bound[0].identity())
    return run(row, call, count);
  // Only the built-in holds the value that it may modify; after an Error the caller gets it back.
  arguments[0].reset();
  try {
    return run(row, call, count);
  } catch (...) {
    arguments[0] = std::move(bound[0]);
    throw;
  }
}

}  // namespace quill
