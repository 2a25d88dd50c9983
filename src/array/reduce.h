// Reductions and cumulative operations over all elements or one axis. The order of summation is fixed: blocks
// of 128 elements, each in eight interleaved partial sums, combined pairwise; so results do not depend on
// layout or threads, and the error grows with the logarithm of the count.
#pragma once

#include <optional>
#include <span>

#include "array/array.h"

namespace quill {

inline constexpr Index kSumBlock = 128;

enum class Reduction : std::uint8_t { sum, product, minimum, maximum, any, all, count_nan };

struct Over {
  std::optional<int> axis;  // 0-based; nothing: all elements
  bool keep = false;        // keeps the reduced axis with length 1
};

std::string_view name_of(Reduction op);

// Sums and products have the type sum_type(a); overflow of an integer throws Error. The empty sum is 0, the
// empty product 1; an empty minimum or maximum throws Error. nan propagates.
Array reduce(Reduction op, const Array& a, const Over& over = {});
// Of one line: a sum, product or extreme.
double reduce_line(Reduction op, std::span<const double> line);
double pairwise_sum(const double* values, Index count, Index step);
// Sums of adjacent columns, with the bits of pairwise_sum for each.
void sum_rows(const double* from, Index rows, Index row_step, Index columns, double* to);
// The same for at most kSumBlock rows of float64 or float32; `lanes` is scratch for 8 numbers for each
// column.
template <class T>
void sum_block(const T* from, Index rows, Index row_step, Index columns, double* lanes, double* to);

// Calls f(line, result) for every line of `a` along the axis (or once for all elements in row order), which
// writes one number. `a` is float64 or bool.
Array reduce_lines(const Array& a, const Over& over,
                   double (*f)(const double* line, Index count, const void* context), const void* context);

enum class Running : std::uint8_t { sum, product, minimum, maximum };
// Cumulative sum, minimum or maximum along an axis; nan propagates to all later elements. A vector if there
// is only one axis.
Array running(Running op, const Array& a, int axis);
// Differences of neighbours along an axis; one element fewer.
Array differences(const Array& a, int axis);

// 1-based index of the extreme element along an axis, or in row order over everything. Ignores nan; throws
// Error if nothing is left.
Array arg_extreme(const Array& a, bool maximum, const Over& over);

// Checks the 1-based axis given as `over:`; the result is 0-based.
int checked_axis(double over, int axes);

}  // namespace quill
