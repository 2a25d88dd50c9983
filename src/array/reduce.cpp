#include "array/reduce.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "array/each_line.h"
#include "array/elementwise.h"
#include "array/integers.h"
#include "array/line_sums.h"
#include "array/strided.h"
#include "base/parallel.h"
#include "base/processor.h"

namespace quill {

std::string_view name_of(Reduction op) {
  constexpr std::string_view names[] = {"sum", "product", "min", "max", "any", "all", "count of nan"};
  static_assert(std::size(names) == static_cast<std::size_t>(Reduction::count_nan) + 1);
  return names[static_cast<int>(op)];
}

int checked_axis(double over, int axes) {
  if (!is_whole(over) || over < 1 || over > axes)
    fail(axes == 0 ? std::string("`over` names an axis, and a single number has none")
                   : fmt::format("there is no axis {} for `over`: this array has {}", shortest(over),
                                 axes == 1 ? std::string("axis 1 only") : fmt::format("axes 1..{}", axes)));
  return static_cast<int>(over) - 1;
}

namespace {

constexpr Index kBlock = kSumBlock;

template <class T>
T block_sum(const T* values, Index count, Index step) {
  T lanes[8] = {};
  Index i = 0;
  if (step == 1)
    for (; i + 8 <= count; i += 8)
      for (int k = 0; k < 8; ++k) lanes[k] += values[i + k];
  else
    for (; i + 8 <= count; i += 8)
      for (int k = 0; k < 8; ++k) lanes[k] += values[(i + k) * step];
  for (int k = 0; i < count; ++i, ++k) lanes[k] += values[i * step];
  return ((lanes[0] + lanes[1]) + (lanes[2] + lanes[3])) + ((lanes[4] + lanes[5]) + (lanes[6] + lanes[7]));
}

template <class T>
T line_sum(const T* values, Index count, Index step) {
  if (count <= kBlock) return block_sum(values, count, step);
  const Index blocks = (count + kBlock - 1) / kBlock;
  const Index half = blocks / 2 * kBlock;
  return line_sum(values, half, step) + line_sum(values + half * step, count - half, step);
}

template <class T, class R>
R line_product(std::span<const T> line) {
  R out = 1;
  for (const T x : line) {
    if constexpr (std::is_integral_v<R>)
      out = checked_multiply(out, static_cast<R>(x));
    else
      out *= static_cast<R>(x);
  }
  return out;
}

// Exact, so that only the result has to fit.
template <class T, class R>
R integer_sum(std::span<const T> line) {
  __extension__ using Wide = __int128;
  Wide out = 0;
  if constexpr (sizeof(T) < sizeof(std::int64_t)) {
    std::int64_t some = 0;  // fits for 2^31 elements and more
    for (const T x : line) some += x;
    out = some;
  } else {
    for (const T x : line) out += x;
  }
  const auto sum = static_cast<R>(out);
  if (sum != out)
    fail(fmt::format("integer overflow: the sum does not fit {}", name_of(type_of<R>)),
         std::is_same_v<R, std::int64_t> ? "sum(float64(a)) rounds" : "sum(int64(a)) holds larger numbers");
  return sum;
}

template <class T>
bool is_nan(T x) {
  if constexpr (std::is_floating_point_v<T>)
    return std::isnan(x);
  else
    return false;
}

// The extreme of eight interleaved parts each, without regard to nan and to signs of zeros; whether there is
// nan.
template <bool maximum, class T>
[[gnu::always_inline]] inline bool extreme_as(const T* v, Index count, T& best) {
  constexpr Index width = 8;
  T parts[width];
  std::fill_n(parts, width, v[0]);
  bool nan[width] = {};
  Index i = 0;
  for (; i + width <= count; i += width)
    for (Index k = 0; k < width; ++k) {
      const T x = v[i + k];
      parts[k] = (maximum ? x > parts[k] : x < parts[k]) ? x : parts[k];
      if constexpr (std::is_floating_point_v<T>) nan[k] |= x != x;
    }
  for (; i < count; ++i) {
    if (maximum ? v[i] > parts[0] : v[i] < parts[0]) parts[0] = v[i];
    nan[0] |= is_nan(v[i]);
  }
  best = parts[0];
  for (Index k = 1; k < width; ++k)
    if (maximum ? parts[k] > best : parts[k] < best) best = parts[k];
  return std::any_of(nan, nan + width, [](bool is) { return is; });
}

#ifdef __x86_64__
template <bool maximum, class T>
[[gnu::target("avx2")]] bool extreme_avx2(const T* v, Index count, T& best) {
  return extreme_as<maximum>(v, count, best);
}
#endif

template <bool maximum, class T>
bool extreme_of(const T* v, Index count, T& best) {
#ifdef __x86_64__
  if (has_avx2()) return extreme_avx2<maximum>(v, count, best);
#endif
  return extreme_as<maximum>(v, count, best);
}

// nan if there is one: the first. Of zeros the one with the requested sign, wherever it occurs.
template <class T>
T line_extreme(std::span<const T> line, bool maximum) {
  if (line.empty())
    fail(fmt::format("{0} of no elements is undefined", maximum ? "max" : "min"), "check size(a) > 0 first");
  T best{};
  const auto count = static_cast<Index>(line.size());
  const bool has_nan =
      maximum ? extreme_of<true>(line.data(), count, best) : extreme_of<false>(line.data(), count, best);
  if constexpr (std::is_floating_point_v<T>) {
    if (has_nan) return *std::find_if(line.begin(), line.end(), [](T x) { return is_nan(x); });
    if (best == 0)
      for (const T x : line)
        if (x == 0 && std::signbit(x) != maximum) return x;
  }
  return best;
}

// R: the type of sums and products.
template <class T, class R>
R reduce_line(Reduction op, std::span<const T> line) {
  if (op == Reduction::product) return line_product<T, R>(line);
  if constexpr (std::is_same_v<T, Complex>)
    return line_sum(line.data(), static_cast<Index>(line.size()), 1);
  else if constexpr (std::is_integral_v<T>)
    return integer_sum<T, R>(line);
  else
    return static_cast<R>(quill::line_sum(line));
}

Shape reduced_shape(const Array& a, const Over& over) {
  if (!over.axis) return over.keep ? Shape::filled(a.axes(), 1) : Shape{};
  Shape shape = a.shape();
  if (over.keep)
    shape[*over.axis] = 1;
  else
    shape.erase(*over.axis);
  return shape;
}

// Writes line(elements) for the whole array in row order or for every line along the axis.
template <class T, class R, class F>
Array for_lines(const Array& a, const Over& over, const F& line) {
  Array out(type_of<R>, reduced_shape(a, over));
  R* const to = out.mutable_data<R>();
  for_each_line<T>(a, over.axis, [&](Index k, std::span<const T> elements) { to[k] = line(elements); });
  return out;
}

}  // namespace

namespace {

// Four rows of each lane at a time, so that it is loaded and stored less often. `width` numbers are adjacent.
template <class T>
[[gnu::always_inline]] inline void add_rows(const T* a, Index step, Index width, double* lane) {
  const T *b = a + step, *c = b + step, *d = c + step;
  for (Index k = 0; k < width; ++k)
    lane[k] =
        (((lane[k] + static_cast<double>(a[k])) + static_cast<double>(b[k])) + static_cast<double>(c[k])) +
        static_cast<double>(d[k]);
}

template <class T>
[[gnu::always_inline]] inline void sum_block_as(const T* from, Index rows, Index row_step, Index columns,
                                                double* lanes, double* to) {
  std::fill_n(lanes, 8 * columns, 0.0);
  Index i = 0;
  for (; i + 32 <= rows; i += 32) {
    const T* const first = from + i * row_step;
    if (row_step == columns)  // the rows of all lanes are adjacent
      add_rows(first, 8 * columns, 8 * columns, lanes);
    else
      for (Index l = 0; l < 8; ++l)
        add_rows(first + l * row_step, 8 * row_step, columns, lanes + l * columns);
  }
  for (; i < rows; ++i) {
    double* lane = lanes + (i % 8) * columns;
    const T* row = from + i * row_step;
    for (Index k = 0; k < columns; ++k) lane[k] += static_cast<double>(row[k]);
  }
  const double* l = lanes;
  const Index c = columns;
  for (Index k = 0; k < columns; ++k)
    to[k] = ((l[k] + l[c + k]) + (l[2 * c + k] + l[3 * c + k])) +
            ((l[4 * c + k] + l[5 * c + k]) + (l[6 * c + k] + l[7 * c + k]));
}

#ifdef __x86_64__
template <class T>
[[gnu::target("avx2")]] void sum_block_avx2(const T* from, Index rows, Index row_step, Index columns,
                                            double* lanes, double* to) {
  sum_block_as(from, rows, row_step, columns, lanes, to);
}
#endif

}  // namespace

template <class T>
void sum_block(const T* from, Index rows, Index row_step, Index columns, double* lanes, double* to) {
#ifdef __x86_64__
  if (has_avx2()) return sum_block_avx2(from, rows, row_step, columns, lanes, to);
#endif
  sum_block_as(from, rows, row_step, columns, lanes, to);
}
template void sum_block(const double*, Index, Index, Index, double*, double*);
template void sum_block(const float*, Index, Index, Index, double*, double*);

// Sums over an axis that is not the last run along the rows instead, several columns at a time, in the same
// order of additions as line_sum, so that the bits are the same and memory is read in order.
void sum_rows(const double* from, Index rows, Index row_step, Index columns, double* to) {
  if (rows <= kBlock) {
    std::vector<double> lanes(static_cast<std::size_t>(8 * columns));
    return sum_block(from, rows, row_step, columns, lanes.data(), to);
  }
  const Index half = (rows + kBlock - 1) / kBlock / 2 * kBlock;
  std::vector<double> second(static_cast<std::size_t>(columns));
  sum_rows(from, half, row_step, columns, to);
  sum_rows(from + half * row_step, rows - half, row_step, columns, second.data());
  for (Index k = 0; k < columns; ++k) to[k] += second[static_cast<std::size_t>(k)];
}

namespace {

bool sum_first_of_matrix(const Array& a, const Over& over, Array& out) {
  if (!over.axis || *over.axis != 0 || a.axes() != 2 || a.strides()[1] != 1 ||
      a.type() != ElementType::float64)
    return false;
  out = Array(ElementType::float64, reduced_shape(a, over));
  constexpr Index columns_at_once = 256;
  const double* from = a.data<double>();
  double* to = out.mutable_data<double>();
  const Index rows = a.extent(0), columns = a.extent(1), step = a.strides()[0];
  const auto some_columns = [=](Index piece) {
    const Index k = piece * columns_at_once;
    sum_rows(from + k, rows, step, std::min(columns_at_once, columns - k), to + k);
  };
  ++passes_begun;
  in_parallel((columns + columns_at_once - 1) / columns_at_once, some_columns);
  return true;
}

Array reduce_boolean(Reduction op, const Array& a, const Over& over) {
  if (a.type() != ElementType::boolean)
    fail(fmt::format("{} takes booleans, not {}", name_of(op), name_of(a.type())),
         fmt::format("{}(x != 0)", name_of(op)));
  const bool all = op == Reduction::all;
  return for_lines<bool, bool>(a, over, [all](std::span<const bool> line) {
    return (std::find(line.begin(), line.end(), !all) == line.end()) == all;
  });
}

}  // namespace

double pairwise_sum(const double* values, Index count, Index step) { return line_sum(values, count, step); }

Array reduce(Reduction op, const Array& a, const Over& over) {
  if (op == Reduction::any || op == Reduction::all) return reduce_boolean(op, a, over);
  if (!is_numeric(a.type())) fail(fmt::format("{} takes numbers, not {}", name_of(op), name_of(a.type())));
  if (op == Reduction::count_nan)
    return visit_numeric(a.type(), [&]<class T>(Tag<T>) {
      return for_lines<T, double>(a, over, [](std::span<const T> line) {
        if constexpr (std::is_floating_point_v<T>)
          return static_cast<double>(std::count_if(line.begin(), line.end(), is_nan<T>));
        else if constexpr (std::is_same_v<T, Complex>)
          return static_cast<double>(std::count_if(line.begin(), line.end(), [](const Complex& z) {
            return std::isnan(z.real()) || std::isnan(z.imag());
          }));
        else
          return 0.0;
      });
    });
  Array out;
  if (op == Reduction::sum && sum_first_of_matrix(a, over, out)) return out;
  return visit_numeric(a.type(), [&]<class T>(Tag<T>) {
    if (op == Reduction::minimum || op == Reduction::maximum) {
      if constexpr (std::is_same_v<T, Complex>)
        fail("complex numbers cannot be ordered", "take abs(z) or real(z) first");
      else
        return for_lines<T, T>(
            a, over, [op](std::span<const T> line) { return line_extreme(line, op == Reduction::maximum); });
    }
    using R = std::conditional_t<std::is_same_v<T, bool> || std::is_same_v<T, std::uint8_t>, std::int64_t, T>;
    // float32 is added up and multiplied as float64 and rounded once.
    using Made = std::conditional_t<std::is_same_v<T, float>, double, R>;
    return for_lines<T, R>(
        a, over, [op](std::span<const T> line) { return static_cast<R>(reduce_line<T, Made>(op, line)); });
  });
}

double reduce_line(Reduction op, std::span<const double> line) {
  if (op == Reduction::minimum || op == Reduction::maximum)
    return line_extreme(line, op == Reduction::maximum);
  return reduce_line<double, double>(op, line);
}

Array reduce_lines(const Array& a, const Over& over, double (*f)(const double*, Index, const void*),
                   const void* context) {
  return for_lines<double, double>(
      a.converted(ElementType::float64), over,
      [&](std::span<const double> line) { return f(line.data(), static_cast<Index>(line.size()), context); });
}

namespace {

// The axes but one, and that one: every line along it starts at an offset of the others.
struct Lines {
  Shape others;
  Strides strides;
  Index count = 0;
  Index step = 0;
};

Lines lines_of(const Array& a, int axis) {
  Lines lines{a.shape(), a.strides(), a.extent(axis), a.strides()[axis]};
  lines.others.erase(axis);
  lines.strides.erase(axis);
  return lines;
}

// Totals begin … end - 1 of a line, and the last of them. A function of its own, so that the total stays in a
// register.
template <class T, class F>
[[gnu::noinline]] T totals_along(const T* line, Index step, T* totals, Index made_step, Index begin,
                                 Index end, T total, F next) {
  if (step == 1 && made_step == 1)
    for (Index k = begin; k < end; ++k) totals[k] = total = next(total, line[k]);
  else
    for (Index k = begin; k < end; ++k) totals[k * made_step] = total = next(total, line[k * step]);
  return total;
}

template <class T, class F>
void totals_by_rows(const T* rows, Index step, T* totals, Index made_step, Index count, Index width,
                    const F& next) {
  std::copy_n(rows, width, totals);
  for (Index k = 1; k < count; ++k) {
    const T* const row = rows + k * step;
    const T* const before = totals + (k - 1) * made_step;
    T* const made = totals + k * made_step;
    for (Index i = 0; i < width; ++i) made[i] = next(before[i], row[i]);
    poll_interrupt_at(static_cast<std::size_t>(k));
  }
}

template <class T>
Array running_of(Running op, const Array& a, int axis) {
  Array out(type_of<T>, a.shape());
  if (op != Running::sum && op != Running::product && holds_times(a)) out.label = a.label;
  if (a.size() == 0) return out;
  const auto lines = lines_of(a, axis), made = lines_of(out, axis);
  const T* from = a.data<T>();
  T* to = out.mutable_data<T>();
  const auto next = [op](T before, T x) -> T {
    if (op == Running::minimum || op == Running::maximum) {
      if constexpr (!std::is_same_v<T, Complex>)
        if (is_nan(before) || (op == Running::minimum ? before < x : before > x)) return before;
      return x;
    }
    if constexpr (std::is_integral_v<T>)
      return op == Running::sum ? checked_add(before, x) : checked_multiply(before, x);
    else
      return op == Running::sum ? before + x : before * x;
  };
  for_each_run<2>(
      lines.others, {lines.strides, made.strides}, [&](const auto& at, const auto& step, Index n) {
        // Lines side by side: row after row.
        if (n > 1 && lines.step != 1 && step[0] == 1 && step[1] == 1) {
          totals_by_rows(from + at[0], lines.step, to + at[1], made.step, lines.count, n, [&](T before, T x) {
            if constexpr (std::is_floating_point_v<T>)
              if (op == Running::sum) return before + x;
            return next(before, x);
          });
          return;
        }
        for (Index i = 0; i < n; ++i) {
          const T* line = from + at[0] + i * step[0];
          T* totals = to + at[1] + i * step[1];
          T total = totals[0] = line[0];
          constexpr Index some = 1 << 16;  // between looks for a stop
          for (Index begin = 1; begin < lines.count; begin += some) {
            const Index end = std::min(lines.count, begin + some);
            if (std::is_floating_point_v<T> && op == Running::sum)
              total = totals_along(line, lines.step, totals, made.step, begin, end, total, std::plus<T>());
            else
              total = totals_along(line, lines.step, totals, made.step, begin, end, total, next);
            if (end - begin == some) poll_interrupt();
          }
        }
      });
  return out;
}

}  // namespace

Array running(Running op, const Array& a, int axis) {
  if (!is_numeric(a.type()))
    fail(fmt::format("cumulative functions take numbers, not {}", name_of(a.type())));
  if (a.type() == ElementType::complex128 && op != Running::sum && op != Running::product)
    fail("complex numbers cannot be ordered");
  switch (sum_type(a.type())) {
    case ElementType::complex128: return running_of<Complex>(op, a, axis);
    case ElementType::int32: return running_of<std::int32_t>(op, a, axis);
    case ElementType::int64: return running_of<std::int64_t>(op, a.converted(ElementType::int64), axis);
    case ElementType::float32:
      return running_of<double>(op, a.converted(ElementType::float64), axis).converted(ElementType::float32);
    default: return running_of<double>(op, a, axis);
  }
}

Array differences(const Array& a, int axis) {
  if (a.extent(axis) == 0) fail("differences of no elements are undefined");
  Shape shape = a.shape();
  shape[axis] -= 1;
  const auto earlier = a.view(a.offset(), shape, a.strides());
  const auto later = a.view(a.offset() + (shape[axis] > 0 ? a.strides()[axis] : 0), shape, a.strides());
  return apply(Binary::subtract, later, earlier);
}

Array arg_extreme(const Array& a, bool maximum, const Over& over) {
  if (!is_numeric(a.type()) || a.type() == ElementType::complex128)
    fail(fmt::format("elements of type {} cannot be ordered", name_of(a.type())));
  return visit_numeric(a.type(), [&]<class T>(Tag<T>) -> Array {
    if constexpr (std::is_same_v<T, Complex>) {
      return a;
    } else {
      return for_lines<T, double>(a, over, [maximum](std::span<const T> line) {
        const T* const v = line.data();
        const auto n = static_cast<Index>(line.size());
        Index best = -1;
        for (Index i = 0; i < n; ++i)
          if (!is_nan(v[i]) && (best < 0 || (maximum ? v[i] > v[best] : v[i] < v[best]))) best = i;
        if (best < 0) {
          const auto what = n == 0   ? std::string("no elements")
                            : n == 1 ? std::string("nan")
                                     : fmt::format("{} elements that are all nan", n);
          fail(fmt::format("{} of {} is undefined", maximum ? "argmax" : "argmin", what));
        }
        return static_cast<double>(best + 1);
      });
    }
  });
}

}  // namespace quill
