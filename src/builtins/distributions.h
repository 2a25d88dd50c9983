// Distributions as values of the language.
#pragma once

#include <string>

#include "numerics/distributions.h"
#include "value/registry.h"

namespace quill {

Value distribution_value(Distribution d);
// The distribution that a value holds; null for anything else.
const Distribution* distribution_in(const Value& value);
// "normal(mean: 0, std: 1)"
std::string text_of(const Distribution& d);

}  // namespace quill
