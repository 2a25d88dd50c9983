#include "numerics/scattered.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nanoflann.hpp>
#include <numeric>

#include "array/strided.h"
#include "base/interrupt.h"
#include "base/progress.h"
#include "numerics/linear_algebra.h"

namespace quill {

std::string_view name_of(Kernel kernel) {
  switch (kernel) {
    case Kernel::multiquadric: return "multiquadric";
    case Kernel::inverse_multiquadric: return "inverse_multiquadric";
    case Kernel::gaussian: return "gaussian";
    case Kernel::thin_plate: return "thin_plate";
    case Kernel::cubic: return "cubic";
    case Kernel::linear: return "linear";
  }
  return "";
}

Index tail_terms(Kernel kernel, Index dimensions) {
  switch (kernel) {
    case Kernel::multiquadric:
    case Kernel::linear: return 1;
    case Kernel::thin_plate:
    case Kernel::cubic: return 1 + dimensions;
    default: return 0;
  }
}

namespace {

// Signs are such that the matrix is positive definite beside its polynomial.
double radial(Kernel kernel, double squared) {
  switch (kernel) {
    case Kernel::multiquadric: return -std::sqrt(1 + squared);
    case Kernel::inverse_multiquadric: return 1 / std::sqrt(1 + squared);
    case Kernel::gaussian: return std::exp(-squared);
    case Kernel::thin_plate: return squared > 0 ? 0.5 * squared * std::log(squared) : 0;
    case Kernel::cubic: return squared * std::sqrt(squared);
    case Kernel::linear: return -std::sqrt(squared);
  }
  return 0;
}

// The automatic radius in units of the mean spacing: wider is more accurate and worse conditioned, most of
// all for functions that fall to zero.
double reach_of(Kernel kernel) {
  switch (kernel) {
    case Kernel::multiquadric: return 1.5;
    case Kernel::inverse_multiquadric:
    case Kernel::gaussian: return 2.5;
    default: return 1;
  }
}

double squared_distance(const double* a, const double* b, Index dimensions) {
  double sum = 0;
  for (Index k = 0; k < dimensions; ++k) sum += (a[k] - b[k]) * (a[k] - b[k]);
  return sum;
}

// The side of the box around the points that each of them has for itself.
double mean_spacing(const double* points, Index count, Index dimensions) {
  double volume = 1;
  Index wide = 0;
  for (Index k = 0; k < dimensions; ++k) {
    double low = points[k], high = low;
    for (Index i = 1; i < count; ++i) {
      low = std::min(low, points[i * dimensions + k]);
      high = std::max(high, points[i * dimensions + k]);
    }
    if (high > low) {
      volume *= high - low;
      ++wide;
    }
  }
  if (wide == 0) return 1;
  return std::pow(volume / static_cast<double>(count), 1 / static_cast<double>(wide));
}

void refuse_twins(const double* points, Index count, Index dimensions) {
  std::vector<Index> order(static_cast<std::size_t>(count));
  std::iota(order.begin(), order.end(), Index{0});
  const auto less = [&](Index a, Index b) {
    return std::lexicographical_compare(points + a * dimensions, points + (a + 1) * dimensions,
                                        points + b * dimensions, points + (b + 1) * dimensions);
  };
  std::stable_sort(order.begin(), order.end(), less);
  for (std::size_t k = 1; k < order.size(); ++k)
    if (!less(order[k - 1], order[k]))
      fail(fmt::format("points {} and {} coincide", order[k - 1] + 1, order[k] + 1),
           "use their mean, or smoothing: 0.1");
}

}  // namespace

RadialInterpolant::RadialInterpolant(const Array& points, const Array& values, const RadialOptions& options)
    : dimensions_(points.axes() == 2 ? points.extent(1) : 0), count_(points.length()), options_(options) {
  if (points.axes() != 2 || dimensions_ == 0 || values.axes() != 1 || values.size() != count_)
    fail(fmt::format("the points have shape {} and the values {}", text_of(points.shape()),
                     text_of(values.shape())),
         "there must be one value for each point");
  if (!(options.smoothing >= 0) || !(options.radius >= 0) || std::isinf(options.smoothing + options.radius))
    fail("radius and smoothing must be at least 0");
  refuse_not_finite(points, "the array of points");
  refuse_not_finite(values, "the array of values");
  const auto terms = tail_terms(options.kernel, dimensions_);
  if (count_ < std::max<Index>(terms, 1))
    fail(fmt::format("the kernel \"{}\" requires at least {} point{}, and there are {}",
                     name_of(options.kernel), std::max<Index>(terms, 1), terms > 1 ? "s" : "", count_));
  points_ = points.to_vector<double>();
  for (const double x : points_)
    if (std::isinf(x)) fail("the points contain an infinite number");
  if (options.smoothing == 0) refuse_twins(points_.data(), count_, dimensions_);
  if (options_.radius == 0)
    options_.radius = reach_of(options_.kernel) * mean_spacing(points_.data(), count_, dimensions_);
  for (Index k = 0; k < dimensions_; ++k) {
    double sum = 0;
    for (Index i = 0; i < count_; ++i) sum += points_[static_cast<std::size_t>(i * dimensions_ + k)];
    centre_.push_back(sum / static_cast<double>(count_));
  }
  for (std::size_t i = 0; i < points_.size(); ++i)
    points_[i] = (points_[i] - centre_[i % static_cast<std::size_t>(dimensions_)]) / options_.radius;

  const auto n = count_ + terms;
  Array matrix(ElementType::float64, {n, n}), right = Array::filled<double>({n}, 0.0);
  double* m = matrix.mutable_data<double>();
  const auto given = values.to_vector<double>();
  std::copy(given.begin(), given.end(), right.mutable_data<double>());
  for (Index i = 0; i < n; ++i) {
    if (i % 64 == 0) poll_interrupt();
    for (Index j = 0; j <= i; ++j) {
      const double* a = points_.data() + i * dimensions_;
      const double* b = points_.data() + j * dimensions_;
      double value = 0;
      if (i < count_)
        value =
            radial(options_.kernel, squared_distance(a, b, dimensions_)) + (i == j ? options_.smoothing : 0);
      else if (j < count_)
        value = i == count_ ? 1 : b[i - count_ - 1];
      m[i * n + j] = m[j * n + i] = value;
    }
  }
  try {
    const auto solution = solve(matrix, right);
    constexpr double no_digits = 1e-17;
    if (solution.reciprocal_condition < no_digits) fail("singular");
    const auto all = solution.x.to_vector<double>();
    weights_.assign(all.begin(), all.begin() + count_);
    tail_.assign(all.begin() + count_, all.end());
  } catch (const Error&) {
    fail("the points do not determine the function",
         terms > 1 ? "do they all lie on one line or plane? kernel: \"multiquadric\" requires less"
                   : "use a smaller radius");
  }
  residual_ = Array(ElementType::float64, {count_});
  for (Index i = 0; i < count_; ++i)
    residual_.mutable_data<double>()[i] =
        given[static_cast<std::size_t>(i)] - at(points_.data() + i * dimensions_);
}

double RadialInterpolant::at(const double* query) const {
  double sum = tail_.empty() ? 0 : tail_[0];
  for (std::size_t k = 1; k < tail_.size(); ++k) sum += tail_[k] * query[k - 1];
  const auto add = [&](auto f) {
    for (Index i = 0; i < count_; ++i)
      sum += weights_[static_cast<std::size_t>(i)] *
             f(squared_distance(query, points_.data() + i * dimensions_, dimensions_));
  };
  // The choice of the kernel stays outside of the loop.
  switch (options_.kernel) {
    case Kernel::multiquadric: add([](double s) { return radial(Kernel::multiquadric, s); }); break;
    case Kernel::inverse_multiquadric:
      add([](double s) { return radial(Kernel::inverse_multiquadric, s); });
      break;
    case Kernel::gaussian: add([](double s) { return radial(Kernel::gaussian, s); }); break;
    case Kernel::thin_plate: add([](double s) { return radial(Kernel::thin_plate, s); }); break;
    case Kernel::cubic: add([](double s) { return radial(Kernel::cubic, s); }); break;
    case Kernel::linear: add([](double s) { return radial(Kernel::linear, s); }); break;
  }
  return sum;
}

Array RadialInterpolant::evaluate(const Array& queries) const {
  if (queries.axes() != 2 || queries.extent(1) != dimensions_)
    fail(fmt::format("the queries have shape {} and the points {} coordinates", text_of(queries.shape()),
                     dimensions_));
  const auto q = queries.converted(ElementType::float64).compact();
  Array out(ElementType::float64, {queries.extent(0)});
  double* to = out.mutable_data<double>();
  std::vector<double> query(static_cast<std::size_t>(dimensions_));
  Index i = 0;
  const Progress progress("interpolating",
                          [&] { return static_cast<double>(i) / static_cast<double>(out.size()); });
  for (; i < out.size(); ++i) {
    if (i % 64 == 0) poll_interrupt();
    for (std::size_t k = 0; k < query.size(); ++k)
      query[k] = (q.data<double>()[i * dimensions_ + static_cast<Index>(k)] - centre_[k]) / options_.radius;
    to[i] = at(query.data());
  }
  return out;
}

namespace {

// The points as the tree reads them.
struct Cloud {
  const double* data;
  Index count, dimensions;
  std::size_t kdtree_get_point_count() const { return static_cast<std::size_t>(count); }
  double kdtree_get_pt(std::size_t i, std::size_t k) const {
    return data[static_cast<Index>(i) * dimensions + static_cast<Index>(k)];
  }
  template <class Box>
  bool kdtree_get_bbox(Box&) const {
    return false;
  }
};

}  // namespace

Neighbors nearest_neighbors(const Array& points, const Array& queries, Index count) {
  const auto p = points.converted(ElementType::float64).compact(),
             q = queries.converted(ElementType::float64).compact();
  if (p.axes() != 2 || q.axes() != 2 || p.extent(1) != q.extent(1) || p.extent(1) == 0)
    fail(fmt::format("the points have shape {} and the queries {}", text_of(p.shape()), text_of(q.shape())),
         "one row for each point, with the same number of coordinates in both");
  if (count < 1 || count > p.extent(0))
    fail(fmt::format("{} neighbours are requested, and there are {} points", count, p.extent(0)));
  refuse_not_finite(p, "the array of points");
  refuse_not_finite(q, "the array of queries");
  const Cloud cloud{p.data<double>(), p.extent(0), p.extent(1)};
  using Tree =
      nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Adaptor<double, Cloud>, Cloud, -1, std::size_t>;
  const Tree tree(static_cast<int>(p.extent(1)), cloud, nanoflann::KDTreeSingleIndexAdaptorParams(16));
  Neighbors out{Array(ElementType::int64, {q.extent(0), count}),
                Array(ElementType::float64, {q.extent(0), count})};
  auto* places = out.positions.mutable_data<Index>();
  auto* distances = out.distances.mutable_data<double>();
  std::vector<std::size_t> found(static_cast<std::size_t>(count));
  std::vector<double> squares(found.size());
  Index i = 0;
  const Progress progress("looking for neighbours",
                          [&] { return static_cast<double>(i) / static_cast<double>(q.extent(0)); });
  for (; i < q.extent(0); ++i) {
    if (i % 256 == 0) poll_interrupt();
    nanoflann::KNNResultSet<double> result(found.size());
    result.init(found.data(), squares.data());
    tree.findNeighbors(result, q.data<double>() + i * q.extent(1), nanoflann::SearchParams());
    for (std::size_t k = 0; k < found.size(); ++k) {
      *places++ = static_cast<Index>(found[k]);
      *distances++ = std::sqrt(squares[k]);
    }
  }
  return out;
}

}  // namespace quill
