// Exact comparison of values, to decide whether a step has to run again, and the functions that a value
// contains.
#pragma once

#include <functional>

#include "compiler/program.h"
#include "value/value.h"

namespace quill {

// Whether no program could distinguish the two values: types, shapes, names, units and every bit agree
// (`same` accepts equal numbers of other types). Objects that are identical are compared by address first.
// Functions agree if their source texts and captured values agree; global names that they read are not
// compared. Objects made by built-ins agree only if they are the same object.
bool alike(const Value& a, const Value& b);

// Calls `see` for every function of the language contained in a value at any depth, and for functions
// captured by those.
void for_each_function(const Value& value, const std::function<void(const FunctionObject&)>& see);

// Source text of the function.
std::string_view text_of(const Function& function);

}  // namespace quill
