// Bins between increasing edges.
#pragma once

#include <algorithm>
#include <cmath>
#include <span>
#include <vector>

#include "base/number.h"

namespace quill {

// Finds bins through a table with the first bin of each of many equal parts of the range: constant time if
// edges are evenly spread.
class BinFinder {
 public:
  // At least two finite, increasing edges, which must outlive the object.
  explicit BinFinder(std::span<const double> edges)
      : edges_(edges),
        bins_(std::ssize(edges) - 1),
        // Enough cells that few contain an edge.
        cells_(std::max(2 * bins_, std::min<Index>(32 * bins_, 1 << 15))) {
    scale_ = static_cast<double>(cells_) / (edges.back() - edges.front());
    is_table_ = std::isfinite(scale_) && scale_ > 0;
    if (!is_table_) return;
    first_.resize(static_cast<std::size_t>(cells_) + 1);
    Index bin = 0;
    for (Index cell = 0; cell <= cells_; ++cell) {
      // The last bin whose lower edge lies in an earlier cell, or the first bin.
      while (bin + 1 < bins_ && cell_of(edges[static_cast<std::size_t>(bin) + 1]) < cell) ++bin;
      first_[static_cast<std::size_t>(cell)] = bin;
    }
  }
  // The bins of many numbers.
  void find(const double* x, Index count, Index* bins) const {
    const double low = edges_.front(), high = edges_.back(), scale = scale_;
    const double* const edges = edges_.data();
    const Index* const first = first_.data();
    const Index cells = cells_;
    const bool is_table = is_table_;
    for (Index k = 0; k < count; ++k) {
      const double v = x[k];
      Index bin = -1;
      if (is_table && v >= low && v < high) {
        bin = first[std::min(cells, static_cast<Index>((v - low) * scale))];
        if (!(v < edges[bin + 1])) bin = further(bin + 1, v);
      } else {
        bin = (*this)(v);
      }
      bins[k] = bin;
    }
  }
  // Bin, from 0, that contains x; the last one includes its upper edge. -1 for nan and outside.
  Index operator()(double x) const {
    if (!(x >= edges_.front() && x <= edges_.back())) return -1;
    if (x == edges_.back()) return bins_ - 1;
    const auto bin = is_table_ ? first_[static_cast<std::size_t>(cell_of(x))] : 0;
    return x < edges_[static_cast<std::size_t>(bin) + 1] ? bin : further(bin + 1, x);
  }

 private:
  Index further(Index bin, double x) const {
    for (int steps = 0; x >= edges_[static_cast<std::size_t>(bin) + 1]; ++steps, ++bin)
      if (constexpr int most = 8; steps == most)
        return std::upper_bound(edges_.begin() + bin, edges_.end(), x) - edges_.begin() - 1;
    return bin;
  }
  // Monotonic in x, since each of its operations is.
  Index cell_of(double x) const {
    return std::min(cells_, static_cast<Index>((x - edges_.front()) * scale_));
  }
  std::span<const double> edges_;
  Index bins_, cells_;
  double scale_ = 0;
  bool is_table_ = false;
  std::vector<Index> first_;
};

}  // namespace quill
