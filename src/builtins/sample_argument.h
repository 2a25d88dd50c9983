// Samples as arguments: vectors of finite numbers.
#pragma once

#include <utility>
#include <vector>

#include "value/registry.h"

namespace quill {

// Argument i as numbers without nan and infinities; nan elements are left out if `skip_nan`. Errors name the
// first one.
std::vector<double> sample_argument(const Call& call, std::size_t i, bool skip_nan);
// Two arguments of one length; with `skip_nan` pairs with nan are left out.
std::pair<std::vector<double>, std::vector<double>> pairs_argument(const Call& call, std::size_t i,
                                                                   std::size_t j, bool skip_nan);

// Argument i as a confidence level between 0 and 1; 0.95 if it is not given.
double confidence_argument(const Call& call, std::size_t i);

}  // namespace quill
