// Reductions of columns by groups of rows, in one sweep over the rows in their order.
#pragma once

#include <optional>
#include <vector>

#include "array/ranks.h"

namespace quill {

// The rows of a table grouped by one or more key columns. Groups are numbered from 0 in ascending order of
// keys.
class GroupedRows {
 public:
  // Nothing if there are no rows, or so many groups that sorting the rows is faster. The columns must outlive
  // the result. Throws Error for keys without order.
  static std::optional<GroupedRows> by(const std::vector<Array>& keys);

  // Number of rows, and index of the first row, of each group.
  std::vector<Index> sizes() const;
  std::vector<Index> first_rows() const;
  // One result for each group, with the bits of reduce() over its elements in their order. `column` is a
  // float64 vector without nan.
  std::vector<double> sums(const Array& column) const;
  std::vector<double> extremes(const Array& column, bool maximum) const;

 private:
  // Slots are integer keys less the smallest one, or ranks; a slot without rows is no group.
  template <class F>
  void for_each_row(const F& f) const {
    for_each_row(0, rows_, f);
  }
  template <class F>
  void for_each_row(Index begin, Index end, const F& f) const;
  template <class Key>
  bool count_keys(const Array& keys);
  class Sums;
  template <class T, class Of>
  std::vector<T> of_groups(const Of& of) const;

  const Array* keys_ = nullptr;  // null: ranks
  std::int64_t low_ = 0;
  Ranks ranks_;
  Index rows_ = 0;
  std::vector<Index> sizes_, firsts_;  // of slots
  // The rows counted in pieces: how many of each slot come before piece k. Empty for ranks.
  std::vector<std::vector<std::int32_t>> before_;
};

}  // namespace quill
