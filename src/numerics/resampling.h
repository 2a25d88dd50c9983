// Intervals from statistics of resampled data.
#pragma once

#include <array>
#include <vector>

namespace quill {

// The interval between two quantiles of the draws.
std::array<double, 2> percentile_interval(std::vector<double> draws, double confidence);
// The bias-corrected and accelerated interval (B. Efron, J. Am. Stat. Assoc. 82, 1987) of a statistic with
// this value, from its draws and its values with one part of the data left out each. The percentile interval
// where the draws do not vary.
std::array<double, 2> corrected_interval(std::vector<double> draws, double value,
                                         const std::vector<double>& left_out, double confidence);

}  // namespace quill
