// Confidence intervals by resampling.
#pragma once

#include <array>
#include <vector>

namespace quill {

// Interval between two quantiles of the draws.
std::array<double, 2> percentile_interval(std::vector<double> draws, double confidence);
// Bias-corrected and accelerated interval (B. Efron, J. Am. Stat. Assoc. 82, 1987) of a statistic with this
// value, from its draws and its leave-one-out values. The percentile interval if the draws do not vary.
std::array<double, 2> corrected_interval(std::vector<double> draws, double value,
                                         const std::vector<double>& left_out, double confidence);

}  // namespace quill
