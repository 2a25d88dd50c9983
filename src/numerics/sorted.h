// Sorting, order statistics, and the distance of a sequence from sorted order.
#pragma once

#include <algorithm>
#include <span>
#include <vector>

namespace quill {

// Sorts in ascending order, nan last.
void sort_rising(std::vector<double>& v);
// The 0-based indices that sort numbers in ascending order, nan last; stable. Numbers that rise already are
// not sorted.
std::vector<std::size_t> rising_order(std::span<const double> v);

// Quantile of at least one number, linear between order statistics (definition 7, see statistics.h).
inline double quantile_of_sorted(const std::vector<double>& sorted, double p) {
  const double at = p * static_cast<double>(sorted.size() - 1);
  const auto low = std::min(static_cast<std::size_t>(at), sorted.size() - 1),
             high = std::min(low + 1, sorted.size() - 1);
  const double share = at - static_cast<double>(low);
  return (1 - share) * sorted[low] + share * sorted[high];
}

// Number of inversions: pairs whose first element is greater than the second (W. R. Knight, J. Am. Stat.
// Assoc. 61, 1966).
double exchanges(std::vector<double> v);

}  // namespace quill
