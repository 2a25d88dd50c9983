#include "numerics/samples.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numeric>

#include "array/each_line.h"
#include "array/elementwise.h"
#include "array/index.h"
#include "array/line_sums.h"
#include "array/order.h"
#include "array/ranks.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "base/interrupt.h"
#include "base/parallel.h"
#include "numerics/bins.h"
#include "numerics/linear_algebra.h"
#include "numerics/moving_sum.h"

namespace quill {

namespace {

// The first of the numbers that are repeated most often in a row.
double longest_run(std::span<const double> v) {
  std::size_t best = 0, most = 0;
  for (std::size_t k = 0; k < v.size();) {
    const auto begin = k;
    while (k < v.size() && v[k] == v[begin]) ++k;
    if (k - begin > most) {
      most = k - begin;
      best = begin;
    }
  }
  return v[best];
}

}  // namespace

Array mode(const Array& a) {
  auto flat = flattened(a);
  if (is_real(a.type())) flat = select_mask(flat, apply(Unary::logical_not, apply(Unary::is_nan, flat)));
  if (flat.size() == 0) fail("the mode of no elements is undefined");
  if (a.type() == ElementType::float64) {
    const auto rising = sorted(flat, 0, false);
    auto out = Array::single(longest_run({rising.data<double>(), static_cast<std::size_t>(rising.size())}));
    out.label = a.label;
    return out;
  }
  const auto groups = by_rank(distinct_ranks(flat));
  std::size_t best = 0;
  const auto size_of_group = [&](std::size_t r) { return groups.starts[r + 1] - groups.starts[r]; };
  for (std::size_t r = 1; r + 1 < groups.starts.size(); ++r)
    if (size_of_group(r) > size_of_group(best)) best = r;
  const Index at = groups.indices[static_cast<std::size_t>(groups.starts[best])];
  const Subscript s[] = {{Subscript::Kind::position, at, 1, 1, {}}};
  auto out = select(flat, s);
  out.label = a.label;
  return out;
}

namespace {

void check_samples(const Array& x, std::string_view what) {
  if (x.axes() != 2)
    fail(fmt::format("{} requires a matrix with one variable in each column, not an array of shape {}", what,
                     text_of(x.shape())));
  if (x.extent(0) < 2)
    fail(fmt::format("{} requires at least two samples, and there are {}", what, x.extent(0)));
  refuse_not_finite(x, "the matrix of samples");
}

// f(column, to) for each column; returns what it wrote, a row for each column.
template <class F>
Array from_columns(const Array& x, const F& f) {
  const Index n = x.extent(0);
  Array out(ElementType::float64, {x.extent(1), n});
  double* const to = out.mutable_data<double>();
  for_each_line<double>(x, 0, [&, to](Index k, std::span<const double> column) { f(column, to + k * n); });
  return out;
}

double mean_of(std::span<const double> v) { return line_sum(v) / static_cast<double>(v.size()); }

}  // namespace

namespace {

// The sums of products of all pairs of rows; exactly symmetric.
Array products_of(const Array& x) {
  const auto product = matrix_product(x, x.transposed());
  return apply(Binary::multiply, apply(Binary::add, product, product.transposed()), 0.5);
}

// A column about its mean, divided by its length. Scaled first, so that numbers near the ends of the
// floating-point range neither overflow nor underflow.
void normalise(std::span<const double> column, double* to) {
  const auto n = static_cast<Index>(column.size());
  // A variable that is the same in all samples has no spread, not that of its mean's rounding.
  if (std::all_of(column.begin(), column.end(), [&](double x) { return x == column[0]; })) {
    std::fill_n(to, n, std::numeric_limits<double>::quiet_NaN());
    return;
  }
  double most = 0, spread = 0;
  for (const double x : column) most = std::max(most, std::fabs(x));
  const double unit = most > 0 ? std::ldexp(1.0, std::ilogb(most)) : 1;
  const double mean = line_sum(column, [unit](double x) { return x / unit; }) / static_cast<double>(n);
  for (Index k = 0; k < n; ++k) {
    to[k] = column[static_cast<std::size_t>(k)] / unit - mean;
    spread = std::max(spread, std::fabs(to[k]));
  }
  spread = std::max(spread, std::numeric_limits<double>::min());
  const std::span<const double> made(to, column.size());
  const double size = std::sqrt(line_sum(made, [spread](double x) { return x / spread * (x / spread); }));
  for (Index k = 0; k < n; ++k) to[k] = to[k] / spread / size;
}

}  // namespace

Array covariance(const Array& given) {
  check_samples(given, "covariance");
  const auto x =
      from_columns(given.converted(ElementType::float64), [](std::span<const double> column, double* to) {
        const double mean = mean_of(column);
        for (const double each : column) *to++ = each - mean;
      });
  return apply(Binary::divide, products_of(x), static_cast<double>(x.extent(1) - 1));
}

Array correlation(const Array& given) {
  check_samples(given, "correlation");
  auto out = products_of(from_columns(given.converted(ElementType::float64), normalise));
  // Rounding must not lead out of -1 … 1, and a variable goes with itself exactly.
  out = apply(Binary::maximum, apply(Binary::minimum, out, 1.0), -1.0);
  double* to = out.mutable_data<double>();
  for (Index k = 0; k < out.extent(0); ++k)
    if (!std::isnan(to[k * (out.extent(0) + 1)])) to[k * (out.extent(0) + 1)] = 1;
  return out;
}

Histogram histogram(const Array& data, const Array& edges) {
  if (edges.axes() != 1 || edges.size() < 2)
    fail("the edges of bins must be a vector of at least two numbers");
  const auto e = edges.converted(ElementType::float64).compact();
  for (Index k = 1; k < e.size(); ++k)
    if (!(e.data<double>()[k] > e.data<double>()[k - 1]))
      fail("the edges of bins must increase", "sort(edges) sorts them");
  const Index bins = e.size() - 1;
  const auto numbers = data.converted(ElementType::float64).compact();
  const double* const values = numbers.data<double>();
  const BinFinder bin_of({e.data<double>(), static_cast<std::size_t>(e.size())});
  // Each piece counts for itself; with more bins there are fewer pieces.
  const Index count = numbers.size(), pieces = std::clamp<Index>(count / std::max<Index>(65536, bins), 1, 16);
  std::vector<std::vector<Index>> all(static_cast<std::size_t>(pieces),
                                      std::vector<Index>(static_cast<std::size_t>(bins)));
  std::vector<Index> infinite(static_cast<std::size_t>(pieces), count);
  in_parallel(pieces, [&](Index piece) {
    Index* const counts = all[static_cast<std::size_t>(piece)].data();
    std::array<Index, 512> some;
    const Index end = (piece + 1) * count / pieces;
    for (Index first = piece * count / pieces; first < end; first += std::ssize(some)) {
      const Index here = std::min(std::ssize(some), end - first);
      bin_of.find(values + first, here, some.data());
      for (Index k = 0; k < here; ++k) {
        const Index bin = some[static_cast<std::size_t>(k)];
        if (bin >= 0)
          ++counts[bin];
        else if (std::isinf(values[first + k]))
          infinite[static_cast<std::size_t>(piece)] =
              std::min(infinite[static_cast<std::size_t>(piece)], first + k);
      }
    }
  });
  if (const Index first = *std::min_element(infinite.begin(), infinite.end()); first < count) {
    Error error(fmt::format("the data contain an infinite number at {}", place_in_words(data.shape(), first)),
                "select the finite elements: a[is_finite(a)]");
    error.is_of_data = true;
    throw error;
  }
  auto counts = Array::filled<Index>({bins}, 0);
  auto* const to = counts.mutable_data<Index>();
  for (const auto& part : all)
    for (Index k = 0; k < bins; ++k) to[k] += part[static_cast<std::size_t>(k)];
  return histogram_of_counts(counts, e);
}

Histogram histogram_of_counts(const Array& counts, const Array& e) {
  const Index bins = counts.size();
  const auto inside = *reduce(Reduction::sum, counts).data<Index>();
  Histogram out{counts, e, Array(), differences(e, 0), Array()};
  const Subscript lower[] = {{Subscript::Kind::run, 0, 1, bins, {}}};
  out.centers = apply(Binary::add, select(e, lower), apply(Binary::multiply, out.width, 0.5));
  out.density = apply(Binary::divide, out.counts,
                      apply(Binary::multiply, out.width, static_cast<double>(std::max<Index>(inside, 1))));
  return out;
}

void check_bins(Index bins) {
  if (bins < 1 || bins > 100'000'000) fail(fmt::format("a histogram needs at least one bin, not {}", bins));
}

// The smallest and the largest finite number of a contiguous array.
static std::pair<double, double> range_of_finite(const Array& numbers) {
  const double* const x = numbers.data<double>();
  constexpr Index each = 65536;
  const Index pieces = (numbers.size() + each - 1) / each;
  std::vector<std::pair<double, double>> ranges(static_cast<std::size_t>(pieces), {INFINITY, -INFINITY});
  in_parallel(pieces, [&](Index piece) {
    auto [low, high] = ranges[static_cast<std::size_t>(piece)];
    for (Index k = piece * each; k < std::min(numbers.size(), (piece + 1) * each); ++k) {
      const bool is_finite = std::fabs(x[k]) <= std::numeric_limits<double>::max();
      low = is_finite && x[k] < low ? x[k] : low;
      high = is_finite && x[k] > high ? x[k] : high;
    }
    ranges[static_cast<std::size_t>(piece)] = {low, high};
  });
  std::pair<double, double> out{INFINITY, -INFINITY};
  for (const auto& [low, high] : ranges) out = {std::min(out.first, low), std::max(out.second, high)};
  return out;
}

Histogram histogram(const Array& data, Index bins) {
  check_bins(bins);
  const auto [low, high] = range_of_finite(data.converted(ElementType::float64).compact());
  return histogram(data, equal_edges(low, high, bins));
}

Array equal_edges(double low, double high, Index bins) {
  if (!(low <= high)) fail("there are no finite numbers to count");
  if (low == high) {
    low -= 0.5;
    high += 0.5;
  }
  Array edges(ElementType::float64, {bins + 1});
  double* to = edges.mutable_data<double>();
  const auto n = static_cast<double>(bins);
  for (Index k = 0; k <= bins; ++k)
    to[k] = low * ((n - static_cast<double>(k)) / n) + high * (static_cast<double>(k) / n);
  to[bins] = high;
  if (bins > 1 && !(to[1] > to[0])) fail("the numbers are too close together for this number of bins");
  return edges;
}

namespace {

// Calls f(bin, value) for every value whose position is in a bin; the last bin includes its upper edge.
template <class F>
void for_each_in_bins(const Array& x, const Array& values, const Array& edges, F f) {
  if (!(x.shape() == values.shape()))
    fail(fmt::format("positions of shape {} and values of shape {} do not match", text_of(x.shape()),
                     text_of(values.shape())));
  const auto positions = x.converted(ElementType::float64).compact(),
             terms = values.converted(ElementType::float64).compact();
  const auto e = edges.to_vector<double>();
  const BinFinder bin_of(e);
  for (Index k = 0; k < positions.size(); ++k)
    if (const Index bin = bin_of(positions.data<double>()[k]); bin >= 0)
      f(static_cast<std::size_t>(bin), terms.data<double>()[k]);
}

}  // namespace

Array bin_means(const Array& x, const Array& values, const Array& edges) {
  const auto counted = histogram(x, edges);  // which checks the edges
  std::vector<double> sums(static_cast<std::size_t>(counted.counts.size()), 0.0);
  for_each_in_bins(x, values, counted.edges, [&](std::size_t bin, double v) { sums[bin] += v; });
  return apply(Binary::divide, Array::vector(sums), counted.counts);
}

std::vector<std::vector<double>> binned(const Array& x, const Array& values, const Array& edges) {
  const auto counted = histogram(x, edges);
  std::vector<std::vector<double>> out(static_cast<std::size_t>(counted.counts.size()));
  for_each_in_bins(x, values, counted.edges, [&](std::size_t bin, double v) { out[bin].push_back(v); });
  return out;
}

namespace {

// Means of the windows of a line; false if a sum exceeds float64.
bool moving_means(const double* line, Index n, Index before, Index behind, double* to) {
  MovingSum sum;
  for (Index k = 0; k < std::min(n, behind); ++k) sum.add(line[k]);
  for (Index k = 0; k < n; ++k) {
    poll_interrupt_at(static_cast<std::size_t>(k));
    if (k + behind < n) sum.add(line[k + behind]);
    const Index first = std::max<Index>(0, k - before), last = std::min(n - 1, k + behind);
    if (first > 0 && first == k - before) {
      sum.remove(line[first - 1]);
      if (sum.is_rest_of(line[first - 1])) {
        sum = MovingSum();
        for (Index j = first; j <= last; ++j) sum.add(line[j]);
      }
    }
    if (sum.has_overflowed()) return false;
    to[k] = sum.sum() / static_cast<double>(last - first + 1);
  }
  return true;
}

}  // namespace

Array moving_mean(const Array& a, Index count, int axis) {
  if (count < 1) fail(fmt::format("a mean needs at least one element, not {}", count));
  // Moves the axis last, so that lines are contiguous.
  std::vector<int> there, back(static_cast<std::size_t>(a.axes()));
  for (int k = 0; k < a.axes(); ++k)
    if (k != axis) there.push_back(k);
  there.push_back(axis);
  for (std::size_t k = 0; k < there.size(); ++k)
    back[static_cast<std::size_t>(there[k])] = static_cast<int>(k);
  const auto x = a.converted(ElementType::float64).permuted(there).compact();
  Array out(ElementType::float64, x.shape());
  const Index n = a.extent(axis), before = (count - 1) / 2, behind = count / 2;
  const double* line = x.data<double>();
  double* to = out.mutable_data<double>();
  for (Index lines = n == 0 ? 0 : x.size() / n; lines > 0; --lines, line += n, to += n) {
    if (moving_means(line, n, before, behind, to)) continue;
    // Sums near the end of float64's range, one by one.
    for (Index k = 0; k < n; ++k) {
      poll_interrupt_at(static_cast<std::size_t>(k));
      const Index first = std::max<Index>(0, k - before), last = std::min(n - 1, k + behind);
      to[k] = pairwise_sum(line + first, last - first + 1, 1) / static_cast<double>(last - first + 1);
    }
  }
  return out.permuted(back).compact();
}

Array drawn(RandomStream& random, const Array& v, Index count, bool again) {
  const Index n = v.extent(0);
  if (count < 0) fail(fmt::format("a number of draws must be at least 0, not {}", count));
  if (n == 0 && count > 0) fail("nothing can be drawn from an empty array");
  if (!again && count > n)
    fail(fmt::format("{} elements cannot be drawn from {} without replacement", count, n),
         "replacement: true draws with replacement");
  std::vector<Index> chosen;
  if (again) {
    if (count > 0) chosen = random.whole(0, static_cast<double>(n - 1), {count}).to_vector<Index>();
  } else {
    // The first steps of a shuffle (R. A. Fisher, F. Yates; R. Durstenfeld, Commun. ACM 7, 1964).
    std::vector<Index> all(static_cast<std::size_t>(n));
    std::iota(all.begin(), all.end(), Index{0});
    for (Index k = 0; k < count; ++k) {
      poll_interrupt_at(static_cast<std::size_t>(k));
      const auto other = *random.whole(static_cast<double>(k), static_cast<double>(n - 1));
      std::swap(all[static_cast<std::size_t>(k)], all[static_cast<std::size_t>(other)]);
    }
    chosen.assign(all.begin(), all.begin() + count);
  }
  std::vector<Subscript> s = {{Subscript::Kind::positions, 0, 1, count, chosen}};
  for (int i = 1; i < v.axes(); ++i) s.push_back(everything(v.extent(i)));
  return select(v, s);
}

}  // namespace quill
