// Adapts functions of the language for numerical algorithms, and wraps the resulting estimates.
#pragma once

#include "numerics/estimate.h"
#include "value/registry.h"

namespace quill {

// Argument i as a function of one number; throws an Error after `limit` calls.
RealFunction function_of(const Call& call, std::size_t i, Index limit = 1000000);
// The single number that a function returned; throws Error for other values.
double number_from(const Call& call, const Value& given);
// Maximum number of calls, from argument i: an integer above 0.
Index limit_argument(const Call& call, std::size_t i, Index fallback);

// A number with an error estimate: acts as the number in arithmetic; parts value, error and evaluations.
Value estimate(const Estimate& e);
// The same for arrays and complex numbers, with an error for each element and further parts.
Value estimate(Value value, Value error, Index evaluations,
               std::vector<std::pair<std::string, Value>> more = {});

}  // namespace quill
