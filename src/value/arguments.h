// Signatures, and which parameter each argument of a call goes to: one rule for built-ins and functions of
// the language, before a program runs and while it does.
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
// The same with the common parameters only; "…" stands for the others.
std::string short_signature_of(const Builtin& row);
// Meaning and default of a parameter.
std::string described(const Parameter& parameter);
// "f(x, height: …)"
std::string signature_of(const FunctionHead& head);

// Instead of the place of a parameter: to the one that takes all further arguments by position, or to the one
// that takes all names that are no parameter's.
inline constexpr int kToMany = -1, kToFreeNames = -2;

struct Bound {
  std::vector<int> places;  // for each argument
  std::optional<Error> mistake;
  int argument = -1;  // that the mistake is about; -1: the call as a whole
};
// `names` has one entry for each argument, "" for those by position; it may be empty when all are.
Bound bound_arguments(const Builtin& row, std::span<const std::string> names, std::size_t count);
Bound bound_arguments(const FunctionHead& head, std::span<const std::string> names, std::size_t count);

}  // namespace quill
