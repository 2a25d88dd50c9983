// Whether a step would see another value, and what a value leads to.
#pragma once

#include <functional>

#include "compiler/program.h"
#include "value/value.h"

namespace quill {

// Whether nothing that a program does could tell the two apart: types, shapes, names, units and every bit,
// where `same` accepts equal numbers. Looks at identity first. Functions are alike when their texts
// are, and what they captured; the names that they read are not looked at. Things that built-ins made are
// alike when they are one.
bool alike(const Value& a, const Value& b);

// Calls `see` for every function of the language in a value, however deep, and in what those captured.
void for_each_function(const Value& value, const std::function<void(const FunctionObject&)>& see);

// The text that a function was written as.
std::string_view text_of(const Function& function);

}  // namespace quill
