#include "numerics/variables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "base/interrupt.h"
#include "base/number.h"
#include "numerics/bins.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"
#include "numerics/sorted.h"

namespace quill {

namespace variables {
namespace {

using Rows = std::vector<double>;  // row by row

double squared_distance(const double* a, const double* b, std::size_t width) {
  double sum = 0;
  for (std::size_t j = 0; j < width; ++j) sum += (a[j] - b[j]) * (a[j] - b[j]);
  return sum;
}

}  // namespace
}  // namespace variables

PrincipalComponents principal_components(const Array& given, bool standardize) {
  if (given.axes() != 2 || given.extent(0) < 2 || given.extent(1) < 1)
    fail(fmt::format("principal components need a matrix with at least 2 rows, not shape {}",
                     text_of(given.shape())));
  refuse_not_finite(given, "X");
  const auto x = given.converted(ElementType::float64);
  const Index n = x.extent(0), p = x.extent(1);
  PrincipalComponents out;
  out.mean = apply(Binary::divide, reduce(Reduction::sum, x, {0, false}), static_cast<double>(n));
  auto centred = apply(Binary::subtract, x, out.mean);
  out.scale = Array::filled<double>({p}, 1.0);
  const double root = std::sqrt(static_cast<double>(n - 1));
  if (standardize) {
    const auto spread = reduce(Reduction::maximum, apply(Unary::abs, centred), {0, false}).compact();
    for (Index j = 0; j < p; ++j)
      if (spread.data<double>()[j] == 0)
        fail(fmt::format("variable {} is constant and cannot be standardized", j + 1));
    const auto unit = apply(Binary::divide, centred, spread);
    const auto squares = reduce(Reduction::sum, apply(Binary::multiply, unit, unit), {0, false});
    out.scale = apply(Binary::multiply, spread, apply(Binary::divide, apply(Unary::sqrt, squares), root));
    centred = apply(Binary::divide, centred, out.scale);
  }
  const auto parts = singular_values(centred);
  const auto lengths = apply(Binary::divide, parts.values, root);
  out.variances = apply(Binary::multiply, lengths, lengths);
  out.directions = parts.v.compact();
  const Index count = out.directions.extent(1);
  auto* d = out.directions.mutable_data<double>();
  for (Index c = 0; c < count; ++c) {
    double largest = 0;
    for (Index r = 0; r < p; ++r)
      if (std::fabs(d[r * count + c]) > std::fabs(largest) * (1 + 1e-12)) largest = d[r * count + c];
    for (Index r = 0; r < p && largest < 0; ++r) d[r * count + c] = -d[r * count + c];
  }
  out.scores = matrix_product(centred, out.directions);
  const auto longest = *reduce(Reduction::maximum, lengths).data<double>();
  const auto part = longest > 0 ? apply(Binary::divide, lengths, longest) : lengths;
  const auto relative = apply(Binary::multiply, part, part);
  out.shares = apply(Binary::divide, relative, reduce(Reduction::sum, relative));
  return out;
}

namespace variables {
namespace {

// One start of the iteration.
struct Attempt {
  Rows centers;
  std::vector<std::size_t> of;
  double within = 0;
  bool converged = false;
};

Rows seeded(const Rows& x, std::size_t n, std::size_t width, std::size_t count, RandomStream& random) {
  Rows centers;
  std::vector<double> nearest(n, INFINITY);
  auto chosen = static_cast<std::size_t>(*random.whole(0, static_cast<double>(n - 1)));
  while (true) {
    centers.insert(centers.end(), x.begin() + static_cast<Index>(chosen * width),
                   x.begin() + static_cast<Index>((chosen + 1) * width));
    if (centers.size() == count * width) return centers;
    double sum = 0;
    for (std::size_t k = 0; k < n; ++k) {
      nearest[k] =
          std::min(nearest[k], squared_distance(&x[k * width], &centers[centers.size() - width], width));
      sum += nearest[k];
    }
    // Drawn with the squared distance to the nearest center; without distances any row.
    double left = random.uniform() * sum;
    chosen = sum > 0 ? n - 1 : static_cast<std::size_t>(*random.whole(0, static_cast<double>(n - 1)));
    for (std::size_t k = 0; k < n && sum > 0; ++k) {
      left -= nearest[k];
      if (left < 0) {
        chosen = k;
        break;
      }
    }
  }
}

Attempt attempted(const Rows& x, std::size_t n, std::size_t width, std::size_t count, RandomStream& random) {
  Attempt a{seeded(x, n, width, count, random), std::vector<std::size_t>(n, count), 0, false};
  constexpr int most = 300;
  for (int step = 0; step < most && !a.converged; ++step) {
    poll_interrupt();
    a.converged = true;
    a.within = 0;
    std::vector<double> distance(n);
    for (std::size_t k = 0; k < n; ++k) {
      std::size_t best = 0;
      distance[k] = INFINITY;
      for (std::size_t c = 0; c < count; ++c)
        if (const double d = squared_distance(&x[k * width], &a.centers[c * width], width); d < distance[k]) {
          distance[k] = d;
          best = c;
        }
      a.converged = a.converged && a.of[k] == best;
      a.of[k] = best;
      a.within += distance[k];
    }
    Rows sums(count * width);
    std::vector<double> sizes(count);
    for (std::size_t k = 0; k < n; ++k) {
      ++sizes[a.of[k]];
      for (std::size_t j = 0; j < width; ++j) sums[a.of[k] * width + j] += x[k * width + j];
    }
    for (std::size_t c = 0; c < count; ++c) {
      if (sizes[c] > 0) {
        for (std::size_t j = 0; j < width; ++j) a.centers[c * width + j] = sums[c * width + j] / sizes[c];
        continue;
      }
      // An empty cluster takes the row that is farthest from its center.
      const auto far =
          static_cast<std::size_t>(std::max_element(distance.begin(), distance.end()) - distance.begin());
      std::copy_n(&x[far * width], width, &a.centers[c * width]);
      distance[far] = 0;
      a.converged = false;
    }
  }
  return a;
}

}  // namespace
}  // namespace variables

Clusters cluster(const Array& given, Index wanted, int starts, RandomStream& random) {
  using namespace variables;
  if (given.axes() < 1 || given.axes() > 2 || (given.axes() == 2 && given.extent(1) < 1))
    fail(fmt::format("clusters need a matrix with one sample in each row, or a vector; not shape {}",
                     text_of(given.shape())));
  refuse_not_finite(given, "X");
  // In units of the largest number, whose squares neither overflow nor vanish.
  auto x = given.converted(ElementType::float64).to_vector<double>();
  double largest = 0;
  for (const double v : x) largest = std::max(largest, std::fabs(v));
  const int exponent = largest > 0 ? std::ilogb(largest) : 0;
  for (double& v : x) v = std::ldexp(v, -exponent);
  const auto n = static_cast<std::size_t>(given.extent(0)),
             width = given.axes() == 2 ? static_cast<std::size_t>(given.extent(1)) : 1;
  if (wanted < 1 || wanted > static_cast<Index>(n))
    fail(fmt::format("the number of clusters must be from 1 to the {} samples, not {}", n, wanted));
  const auto count = static_cast<std::size_t>(wanted);
  Attempt best;
  for (int k = 0; k < starts; ++k)
    if (auto a = attempted(x, n, width, count, random); k == 0 || a.within < best.within) best = std::move(a);
  std::vector<Index> sizes(count);
  for (const auto c : best.of) ++sizes[c];
  // By descending size, then by the centers, so that labels do not depend on the start.
  std::vector<std::size_t> order(count), label(count);
  std::iota(order.begin(), order.end(), 0);
  std::sort(order.begin(), order.end(), [&](auto a, auto b) {
    if (sizes[a] != sizes[b]) return sizes[a] > sizes[b];
    return std::lexicographical_compare(&best.centers[a * width], &best.centers[a * width] + width,
                                        &best.centers[b * width], &best.centers[b * width] + width);
  });
  Clusters out;
  Rows centers;
  std::vector<Index> sorted_sizes, labels;
  for (std::size_t k = 0; k < count; ++k) {
    label[order[k]] = k;
    centers.insert(centers.end(), &best.centers[order[k] * width], &best.centers[order[k] * width] + width);
    sorted_sizes.push_back(sizes[order[k]]);
  }
  for (const auto c : best.of) labels.push_back(static_cast<Index>(label[c]) + 1);
  out.labels = Array::of<Index>({static_cast<Index>(n)}, labels);
  out.sizes = Array::of<Index>({wanted}, sorted_sizes);
  for (double& v : centers) v = std::ldexp(v, exponent);
  out.centers = Array::vector(centers);
  if (given.axes() == 2) out.centers = out.centers.with_shape({wanted, static_cast<Index>(width)});
  out.within = std::ldexp(best.within, 2 * exponent);
  out.converged = best.converged;
  return out;
}

namespace variables {
namespace {

double deviation(const std::vector<double>& v) {
  const auto n = static_cast<double>(v.size());
  double scale = 0, mean = 0, squares = 0;
  for (const double x : v) scale = std::max(scale, std::fabs(x));
  if (scale == 0) return 0;
  for (const double x : v) mean += x / scale / n;
  for (const double x : v) squares += (x / scale - mean) * (x / scale - mean);
  return scale * std::sqrt(squares / (n - 1));
}

}  // namespace
}  // namespace variables

KernelDensity::KernelDensity(const Array& given, const std::optional<std::vector<double>>& bandwidth) {
  using namespace variables;
  if (given.axes() < 1 || given.axes() > 2 ||
      (given.axes() == 2 && (given.extent(1) < 1 || given.extent(1) > 2)))
    fail(fmt::format("a kernel density takes a vector, or a matrix of 2 columns; not shape {}",
                     text_of(given.shape())));
  refuse_not_finite(given, "x");
  const auto n = static_cast<std::size_t>(given.extent(0)),
             width = given.axes() == 2 ? static_cast<std::size_t>(given.extent(1)) : 1;
  if (n < 2) fail(fmt::format("a kernel density needs at least 2 samples, not {}", n));
  const auto x = given.converted(ElementType::float64).to_vector<double>();
  std::vector<std::size_t> order(n);
  std::iota(order.begin(), order.end(), 0);
  std::sort(order.begin(), order.end(), [&](auto a, auto b) { return x[a * width] < x[b * width]; });
  data_.resize(width);
  for (std::size_t j = 0; j < width; ++j)
    for (const auto k : order) data_[j].push_back(x[k * width + j]);
  if (bandwidth) {
    bandwidth_ = *bandwidth;
    if (bandwidth_.size() == 1) bandwidth_.resize(width, bandwidth_[0]);
    if (bandwidth_.size() != width)
      fail(fmt::format("there must be one bandwidth for each of {} variables, not {}", width,
                       bandwidth_.size()));
    for (const double h : bandwidth_)
      if (!(h > 0) || std::isinf(h))
        fail(fmt::format("a bandwidth must be a positive number, not {}", shortest(h)));
    return;
  }
  const auto size = static_cast<double>(n);
  for (const auto& v : data_) {
    const double spread = deviation(v);
    if (spread == 0)
      fail("a kernel density needs samples that differ", "bandwidth: 0.5 sets the width of the kernel");
    if (width == 2) {
      bandwidth_.push_back(spread * std::pow(size, -1.0 / 6));
      continue;
    }
    const double range = (quantile_of_sorted(v, 0.75) - quantile_of_sorted(v, 0.25)) / 1.34;
    bandwidth_.push_back(0.9 * (range > 0 ? std::min(spread, range) : spread) * std::pow(size, -0.2));
  }
}

namespace variables {
namespace {
// Beyond this many bandwidths exp(-z²/2) underflows.
constexpr double kReach = 39;
}  // namespace
}  // namespace variables

double KernelDensity::at(double x) const {
  if (std::isnan(x)) return NAN;
  const double h = bandwidth_[0];
  const auto& v = data_[0];
  const auto first = std::lower_bound(v.begin(), v.end(), x - variables::kReach * h),
             last = std::upper_bound(first, v.end(), x + variables::kReach * h);
  double sum = 0;
  for (auto at = first; at != last; ++at) {
    const double z = (x - *at) / h;
    sum += std::exp(-0.5 * z * z);
  }
  return sum / (static_cast<double>(v.size()) * h * std::sqrt(2 * std::numbers::pi));
}

double KernelDensity::at(double x, double y) const {
  if (std::isnan(x) || std::isnan(y)) return NAN;
  const double hx = bandwidth_[0], hy = bandwidth_[1];
  const auto& v = data_[0];
  const auto first = std::lower_bound(v.begin(), v.end(), x - variables::kReach * hx),
             last = std::upper_bound(first, v.end(), x + variables::kReach * hx);
  double sum = 0;
  for (auto at = first; at != last; ++at) {
    const double z = (x - *at) / hx, w = (y - data_[1][static_cast<std::size_t>(at - v.begin())]) / hy;
    sum += std::exp(-0.5 * (z * z + w * w));
  }
  return sum / (static_cast<double>(v.size()) * hx * hy * 2 * std::numbers::pi);
}

std::vector<double> equal_edges(const std::vector<double>& v, Index bins) {
  if (bins < 1 || bins > 100'000)
    fail(fmt::format("the number of bins must be from 1 to 100000, not {}", bins));
  if (v.empty()) fail("bins need at least one number");
  auto [low, high] = std::minmax_element(v.begin(), v.end());
  double from = *low, to = *high;
  if (from == to) {
    const double half = from == 0 ? 0.5 : std::fabs(from) / 2;
    from -= half;
    to += half;
  }
  std::vector<double> out;
  for (Index k = 0; k <= bins; ++k) {
    const double share = static_cast<double>(k) / static_cast<double>(bins);
    out.push_back(k == bins ? to : (1 - share) * from + share * to);
  }
  return out;
}

Array joint_counts(const std::vector<double>& x, const std::vector<double>& y,
                   const std::vector<double>& edges_x, const std::vector<double>& edges_y) {
  const auto bins_x = static_cast<Index>(edges_x.size()) - 1, bins_y = static_cast<Index>(edges_y.size()) - 1;
  Array out = Array::filled<Index>({bins_x, bins_y}, 0);
  auto* counts = out.mutable_data<Index>();
  const BinFinder bin_of_x(edges_x), bin_of_y(edges_y);
  for (std::size_t k = 0; k < x.size(); ++k) {
    poll_interrupt_at(k);
    const Index i = bin_of_x(x[k]), j = bin_of_y(y[k]);
    if (i >= 0 && j >= 0) ++counts[i * bins_y + j];
  }
  return out;
}

Array pairwise_covariance(const Array& given, bool is_correlation) {
  const auto x = given.converted(ElementType::float64).compact();
  const Index n = x.extent(0), p = x.extent(1);
  const double* v = x.data<double>();
  Array out(ElementType::float64, {p, p});
  for (Index i = 0; i < p; ++i)
    for (Index j = 0; j <= i; ++j) {
      poll_interrupt();
      long double count = 0, mean_i = 0, mean_j = 0;
      const auto both = [&](auto&& use) {
        for (Index k = 0; k < n; ++k)
          if (!std::isnan(v[k * p + i]) && !std::isnan(v[k * p + j])) use(v[k * p + i], v[k * p + j]);
      };
      both([&](long double a, long double b) { count += 1, mean_i += a, mean_j += b; });
      mean_i /= count;
      mean_j /= count;
      long double ij = 0, ii = 0, jj = 0;
      both([&](long double a, long double b) {
        ij += (a - mean_i) * (b - mean_j);
        ii += (a - mean_i) * (a - mean_i);
        jj += (b - mean_j) * (b - mean_j);
      });
      const long double of = is_correlation ? ij / (std::sqrt(ii) * std::sqrt(jj)) : ij / (count - 1);
      const auto value = count < 2 ? NAN : static_cast<double>(of);
      const double limited = is_correlation && !std::isnan(value) ? std::clamp(value, -1.0, 1.0) : value;
      out.mutable_data<double>()[i * p + j] = out.mutable_data<double>()[j * p + i] = limited;
    }
  return out;
}

double weighted_quantile(std::vector<double> values, std::vector<double> weights, double p) {
  auto order = rising_order(values);
  std::erase_if(order, [&](auto k) { return weights[k] == 0; });
  // Element k of n at (k w + (n - 1) Σ w before it), over the last of these: for equal weights at k / (n -
  // 1).
  std::vector<double> at, sorted;
  double before = 0;
  const auto n = static_cast<double>(order.size());
  for (std::size_t k = 0; k < order.size(); ++k) {
    const double w = weights[order[k]];
    sorted.push_back(values[order[k]]);
    at.push_back(static_cast<double>(k) * w + (n - 1) * before);
    before += w;
  }
  if (sorted.empty()) fail("a quantile needs a positive weight");
  const double end = at.back();
  for (double& v : at) v = end > 0 ? v / end : 0;
  if (p <= at.front()) return sorted.front();
  if (p >= at.back()) return sorted.back();
  const auto high = static_cast<std::size_t>(std::upper_bound(at.begin(), at.end(), p) - at.begin());
  const double share = (p - at[high - 1]) / (at[high] - at[high - 1]);
  return (1 - share) * sorted[high - 1] + share * sorted[high];
}

}  // namespace quill
