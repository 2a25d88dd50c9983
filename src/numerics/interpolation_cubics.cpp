// The cubic pieces of an interpolant, from slopes or second derivatives at the points.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "numerics/interpolation.h"

namespace quill {

namespace {

// A tridiagonal system by elimination; the solution comes in `right`.
void solve_tridiagonal(const std::vector<double>& low, std::vector<double> mid,
                       const std::vector<double>& high, std::vector<double>& right) {
  const auto n = mid.size();
  for (std::size_t k = 1; k < n; ++k) {
    const double w = low[k] / mid[k - 1];
    mid[k] -= w * high[k - 1];
    right[k] -= w * right[k - 1];
  }
  right[n - 1] /= mid[n - 1];
  for (std::size_t k = n - 1; k-- > 0;) right[k] = (right[k] - high[k] * right[k + 1]) / mid[k];
}

}  // namespace

// Second derivatives M at the points from the tridiagonal system of continuous slopes,
//   h[k-1] M[k-1] + 2 (h[k-1] + h[k]) M[k] + h[k] M[k+1] = 6 (d[k] - d[k-1]),
// with one more condition at each end.
void Interpolant::make_spline() {
  const auto n = x_.size();
  bends_.assign(y_.size(), {});
  if (n == 2 && options_.ends != SplineEnds::clamped && !is_periodic()) return;
  std::vector<double> m(n);
  for (Index c = 0; c < curves_; ++c) {
    if (is_periodic())
      solve_periodic(c, m);
    else
      solve_moments(c, m);
    for (std::size_t k = 0; k + 1 < n; ++k) {
      const double scale = -width(k) * width(k) / 6;
      bends_[at(k, c)] = {scale * (2 * m[k] + m[k + 1]), scale * (m[k] + 2 * m[k + 1])};
    }
  }
}

void Interpolant::solve_moments(Index c, std::vector<double>& m) const {
  const auto n = x_.size();
  const bool knot = options_.ends == SplineEnds::not_a_knot;
  if (knot && n == 3) {
    std::fill(m.begin(), m.end(), 2 * (rise(1, c) - rise(0, c)) / (width(0) + width(1)));
    return;
  }
  // Natural ends: no second derivative there.
  std::vector<double> low(n, 0.0), mid(n, 1.0), high(n, 0.0);
  std::fill(m.begin(), m.end(), 0.0);
  for (std::size_t k = 1; k + 1 < n; ++k) {
    low[k] = width(k - 1);
    mid[k] = 2 * (width(k - 1) + width(k));
    high[k] = width(k);
    m[k] = 6 * (rise(k, c) - rise(k - 1, c));
  }
  const double first = width(0), last = width(n - 2);
  if (options_.ends == SplineEnds::clamped) {
    mid[0] = 2 * first;
    high[0] = first;
    m[0] = 6 * (rise(0, c) - (options_.first_slope * (unit_x_ / unit_y_)));
    mid[n - 1] = 2 * last;
    low[n - 1] = last;
    m[n - 1] = 6 * ((options_.last_slope * (unit_x_ / unit_y_)) - rise(n - 2, c));
  }
  const double second = knot ? width(1) : 0, last_but_one = knot ? width(n - 3) : 0;
  if (knot) {
    // The third derivative is continuous at the second and the last but one point; M[0] and M[n-1] are
    // eliminated.
    mid[1] += first * (1 + first / second);
    high[1] -= first * first / second;
    low[1] = 0;
    mid[n - 2] += last * (1 + last / last_but_one);
    low[n - 2] -= last * last / last_but_one;
    high[n - 2] = 0;
  }
  solve_tridiagonal(low, mid, high, m);
  if (knot) {
    m[0] = m[1] - first / second * (m[2] - m[1]);
    m[n - 1] = m[n - 2] + last / last_but_one * (m[n - 2] - m[n - 3]);
  }
}

// The same equations around the circle of n - 1 points: a tridiagonal system with two corners, which are
// taken off as a product of two vectors (J. Sherman, W. J. Morrison, 1950).
void Interpolant::solve_periodic(Index c, std::vector<double>& m) const {
  const auto n = x_.size();
  const double scale = std::max(std::fabs(y(0, c)), std::fabs(y(n - 1, c)));
  if (std::fabs(y(0, c) - y(n - 1, c)) > 1e-12 * scale)
    fail(fmt::format("a periodic table must begin and end with the same value, not with {} and {}",
                     shortest(y(0, c)), shortest(y(n - 1, c))),
         "add the first value again after one period");
  const auto count = n - 1;
  if (count == 1) {
    std::fill(m.begin(), m.end(), 0.0);
    return;
  }
  if (count == 2) {
    // Both neighbours of a point are the other point.
    const double bend = 3 * (rise(1, c) - rise(0, c)) / (width(0) + width(1));
    m = {-2 * bend, 2 * bend, -2 * bend};
    return;
  }
  std::vector<double> low(count), mid(count), high(count), right(count), corner(count, 0.0);
  for (std::size_t k = 0; k < count; ++k) {
    const auto before = k == 0 ? count - 1 : k - 1;
    low[k] = width(before);
    high[k] = width(k);
    mid[k] = 2 * (low[k] + high[k]);
    right[k] = 6 * (rise(k, c) - rise(before, c));
  }
  const double edge = low[0], gamma = -mid[0];
  mid[0] -= gamma;
  mid[count - 1] -= edge * edge / gamma;
  corner[0] = gamma;
  corner[count - 1] = edge;
  solve_tridiagonal(low, mid, high, right);
  solve_tridiagonal(low, mid, high, corner);
  const double factor =
      (right[0] + edge / gamma * right[count - 1]) / (1 + corner[0] + edge / gamma * corner[count - 1]);
  for (std::size_t k = 0; k < count; ++k) m[k] = right[k] - factor * corner[k];
  m[n - 1] = m[0];
}

void Interpolant::bend_to_slopes(Index c, const std::vector<double>& slopes) {
  for (std::size_t k = 0; k + 1 < x_.size(); ++k) {
    const double dy = y(k + 1, c) - y(k, c);
    bends_[at(k, c)] = {width(k) * slopes[k] - dy, dy - width(k) * slopes[k + 1]};
  }
}

// Slopes of parabolas through three neighbours, shortened where the cubic would leave the range of the
// piece's ends: inside the circle of radius 3 in units of the piece's own slope.
void Interpolant::make_monotone() {
  const auto n = x_.size();
  bends_.assign(y_.size(), {});
  std::vector<double> m(n), d(n - 1);
  for (Index c = 0; c < curves_; ++c) {
    for (std::size_t k = 0; k + 1 < n; ++k) d[k] = rise(k, c);
    m[0] = d[0];
    m[n - 1] = d[n - 2];
    if (n > 2) {
      const auto end = [](double near, double far, double d_near, double d_far) {
        return d_near + near / (near + far) * (d_near - d_far);
      };
      m[0] = end(width(0), width(1), d[0], d[1]);
      m[n - 1] = end(width(n - 2), width(n - 3), d[n - 2], d[n - 3]);
    }
    for (std::size_t k = 1; k + 1 < n; ++k)
      m[k] = (width(k) * d[k - 1] + width(k - 1) * d[k]) / (width(k - 1) + width(k));
    for (std::size_t k = 0; k + 1 < n; ++k) {
      // A slope against the direction of a piece, or beside a level one, becomes level.
      if (m[k] * d[k] <= 0) m[k] = 0;
      if (m[k + 1] * d[k] <= 0) m[k + 1] = 0;
    }
    for (std::size_t k = 0; k + 1 < n; ++k) {
      if (d[k] == 0) continue;
      const double reach = std::hypot(m[k] / d[k], m[k + 1] / d[k]);
      if (reach > 3) {
        m[k] *= 3 / reach;
        m[k + 1] *= 3 / reach;
      }
    }
    bend_to_slopes(c, m);
  }
}

void Interpolant::make_akima() {
  const auto n = x_.size();
  bends_.assign(y_.size(), {});
  if (n == 2) return;
  std::vector<double> d(n + 3), m(n);  // d[k + 2] is the slope of piece k, with two more beyond each end
  for (Index c = 0; c < curves_; ++c) {
    for (std::size_t k = 0; k + 1 < n; ++k) d[k + 2] = rise(k, c);
    d[1] = 2 * d[2] - d[3];
    d[0] = 2 * d[1] - d[2];
    d[n + 1] = 2 * d[n] - d[n - 1];
    d[n + 2] = 2 * d[n + 1] - d[n];
    for (std::size_t k = 0; k < n; ++k) {
      const double right = std::fabs(d[k + 3] - d[k + 2]), left = std::fabs(d[k + 1] - d[k]);
      m[k] = right + left > 0 ? (right * d[k + 1] + left * d[k + 2]) / (right + left)
                              : (d[k + 1] + d[k + 2]) / 2;
    }
    bend_to_slopes(c, m);
  }
}

}  // namespace quill
