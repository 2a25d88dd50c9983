// Reductions and running totals over all elements or one axis. The order of summation is fixed:
// blocks of 128 elements, each summed in eight interleaved lanes, combined pairwise; so results do not
// depend on layout or thread count, and the error grows with the logarithm of the count.
#pragma once

#include <optional>

#include "array/array.h"

namespace quill {

inline constexpr Index kSumBlock = 128;

enum class Reduction : std::uint8_t { sum, product, minimum, maximum, any, all, count_nan };

struct Over {
  std::optional<int> axis;  // 0-based; nothing: over everything
  bool keep = false;        // the reduced axis stays with length 1
};

std::string_view name_of(Reduction op);

// Sums and products have the type sum_type(a); an integer that does not fit it is an Error. The empty sum
// is 0, the empty product 1; an empty minimum or maximum is an Error. NaN goes through.
Array reduce(Reduction op, const Array& a, const Over& over = {});
double pairwise_sum(const double* values, Index count, Index step);
// The sums of columns that lie side by side, each as pairwise_sum gives it.
void sum_rows(const double* from, Index rows, Index row_step, Index columns, double* to);

// f(line, result) is called for every line of `a` along the axis (or once with all elements in row order)
// and writes one number; `a` is float64 or bool.
Array reduce_lines(const Array& a, const Over& over,
                   double (*f)(const double* line, Index count, const void* context), const void* context);

enum class Running : std::uint8_t { sum, product, minimum, maximum };
// The running total along an axis, or the least or largest so far, which nan passes on to all after it; a
// vector when there is only one axis.
Array running(Running op, const Array& a, int axis);
// Differences of neighbours along an axis, one fewer than there are elements.
Array differences(const Array& a, int axis);

// 1-based position of the extreme element: along an axis, or in row order over everything.
// NaN elements are passed over; an Error when nothing is left.
Array arg_extreme(const Array& a, bool maximum, const Over& over);

// The axis named by `over:`, 1-based, checked; the result is 0-based.
int checked_axis(double over, int axes);

}  // namespace quill
