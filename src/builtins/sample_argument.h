// Samples as arguments: vectors of finite numbers.
#pragma once

#include <utility>
#include <vector>

#include "value/registry.h"

namespace quill {

// Argument i as finite numbers; `skip_nan` removes nan. Errors name the first nan or infinite element.
std::vector<double> sample_argument(const Call& call, std::size_t i, bool skip_nan);
// Two arguments of equal length; `skip_nan` removes pairs with nan.
std::pair<std::vector<double>, std::vector<double>> pairs_argument(const Call& call, std::size_t i,
                                                                   std::size_t j, bool skip_nan);

// Argument i as a confidence level between 0 and 1; 0.95 by default.
double confidence_argument(const Call& call, std::size_t i);

}  // namespace quill
