// Signatures, and the assignment of call arguments to parameters: one rule for built-ins and functions of the
// language, used by the checker and at run time.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"
#include "value/registry.h"

namespace quill {

// "interpolate(x, y, at, method: "linear", outside: "nan")"
std::string signature_of(const Builtin& row);
// The same with common parameters only; "…" stands for the others.
std::string short_signature_of(const Builtin& row);
// Meaning and default of a parameter.
std::string described(const Parameter& parameter);
// "f(x, height: …)"
std::string signature_of(const FunctionHead& head);

// Special parameter numbers: the parameter that takes all further positional arguments, and the one that
// takes all other names.
inline constexpr int kToMany = -1, kToFreeNames = -2;

struct Bound {
  std::vector<int> parameters;  // parameter of each argument
  std::optional<Error> mistake;
  int argument = -1;  // argument that the error is about; -1: the call as a whole
};
// `names` has one entry for each argument, "" for positional ones; may be empty if all are positional.
Bound bound_arguments(const Builtin& row, std::span<const std::string> names, std::size_t count);
Bound bound_arguments(const FunctionHead& head, std::span<const std::string> names, std::size_t count);

}  // namespace quill
