// Functions of the language as libraries call them, and the estimates that come of it.
#pragma once

#include "numerics/estimate.h"
#include "value/registry.h"

namespace quill {

// Argument i as a function of a single number; an Error after `limit` calls.
RealFunction function_of(const Call& call, std::size_t i, Index limit = 1000000);
// The single number that the function gave. Error for anything else.
double number_from(const Call& call, const Value& given);
// The limit that argument i sets on calls, an integer above 0.
Index limit_argument(const Call& call, std::size_t i, Index fallback);

// A number with an estimate of its error: acts as the number in arithmetic, and has the parts value, error
// and evaluations.
Value estimate(const Estimate& e);
// The same for arrays and complex numbers, with an error for each element, and with more parts.
Value estimate(Value value, Value error, Index evaluations,
               std::vector<std::pair<std::string, Value>> more = {});

}  // namespace quill
