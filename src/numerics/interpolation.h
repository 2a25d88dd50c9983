// Interpolation in a table of one variable.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "array/array.h"

namespace quill {

enum class InterpolationMethod : std::uint8_t {
  nearest,
  previous,
  linear,
  spline,
  monotone,
  akima,
  polynomial
};
enum class SplineEnds : std::uint8_t { not_a_knot, natural, clamped, periodic };
enum class Outside : std::uint8_t { nan, error, clamp, extend };

struct InterpolantOptions {
  InterpolationMethod method = InterpolationMethod::linear;
  SplineEnds ends = SplineEnds::not_a_knot;
  Outside outside = Outside::nan;
  double first_slope = 0, last_slope = 0;  // for "clamped" ends
  bool has_integrals = true;               // whether antiderivative() will be called
};

// Result of evaluating many queries.
struct TableResult {
  Array values;       // in the shape of the queries, with one more axis if there are several curves
  Index outside = 0;  // number of queries outside of the table
  bool all_outside = false;
};

// A function through the points of a table, in pieces between neighbours:
//   spline    the cubic with two continuous derivatives (C. de Boor, A Practical Guide to Splines, 1978, ch.
//             IV); fewer than four points give the polynomial through them
//   monotone  cubics that rise and fall with the table (F. N. Fritsch, R. E. Carlson, SIAM J. Numer. Anal.
//             17, 1980)
//   akima     cubics that swing little beside outliers (H. Akima, J. ACM 17, 1970)
//   polynomial  the one polynomial through all points, barycentric (J.-P. Berrut, L. N. Trefethen, SIAM Rev.
//             46, 2004)
class Interpolant {
 public:
  // x: a vector of distinct numbers in any order; y: a vector of the same length, or a matrix with one curve
  // in each column. Throws Error otherwise, and for nan.
  Interpolant(const Array& x, const Array& y, const InterpolantOptions& options);

  TableResult evaluate(const Array& q) const;
  // Slopes. Throws Error for stepwise methods.
  TableResult derivative(const Array& q) const;
  // Integral from the smallest abscissa to q.
  TableResult antiderivative(const Array& q) const;
  // Lebesgue constant of the polynomial, at the midpoints between neighbours: the largest factor by which it
  // amplifies errors in y.
  double amplification() const;

  double low() const { return x_.front() * unit_x_; }
  double high() const { return x_.back() * unit_x_; }
  std::vector<double> breaks() const;
  Index curves() const { return curves_; }
  const InterpolantOptions& options() const { return options_; }

 private:
  friend class InverseInterpolant;
  using Piece = double (Interpolant::*)(std::size_t k, Index curve, double t) const;

  // Deviation from the line of a piece at the fraction b of its length: a b (a left + b right), a = 1 - b.
  struct Bend {
    double left = 0, right = 0;
  };
  void make_spline();
  void solve_moments(Index curve, std::vector<double>& moments) const;
  void solve_periodic(Index curve, std::vector<double>& moments) const;
  void make_monotone();
  void make_akima();
  void bend_to_slopes(Index curve, const std::vector<double>& slopes);
  void make_weights();
  void make_sums();

  // All curves at t between breaks k and k + 1, by straight lines.
  void lines_at(std::size_t k, double t, double unit, double* to) const;
  // `unit`: scale of the results.
  TableResult walk(const Array& q, Piece piece, double unit, bool is_integral = false) const;
  double beyond(std::size_t k, Index curve, double t, Piece piece, bool is_integral) const;
  std::size_t place_of(double t) const;
  double value(std::size_t k, Index curve, double t) const;
  double slope(std::size_t k, Index curve, double t) const;
  double area(std::size_t k, Index curve, double t) const;  // from the smallest abscissa
  double polynomial_area(Index curve, double t) const;
  double barycentric(const std::vector<double>& ordinates, Index curve, double t) const;

  std::size_t at(std::size_t k, Index curve) const {
    return k * static_cast<std::size_t>(curves_) + static_cast<std::size_t>(curve);
  }
  double y(std::size_t k, Index curve) const { return y_[at(k, curve)]; }
  double width(std::size_t k) const { return x_[k + 1] - x_[k]; }
  double rise(std::size_t k, Index curve) const { return (y(k + 1, curve) - y(k, curve)) / width(k); }
  bool is_periodic() const {
    return options_.method == InterpolationMethod::spline && options_.ends == SplineEnds::periodic;
  }
  bool is_polynomial() const { return options_.method == InterpolationMethod::polynomial; }

  InterpolantOptions options_;
  // Powers of two, 1 unless the table is near the ends of the floating-point range; all following members are
  // scaled by them.
  double unit_x_ = 1, unit_y_ = 1;
  std::vector<double> x_;
  std::vector<double> y_;        // row-major, as all that follow
  std::vector<Bend> bends_;      // for the cubic methods
  std::vector<double> sums_;     // integrals up to the breaks; not for the polynomial
  std::vector<double> weights_;  // for the polynomial, one for each abscissa
  std::vector<double> slopes_;   // for the polynomial, at the abscissae
  Index curves_ = 1;
  bool single_ = true;  // y was a vector
};

// Inverse of an interpolant: the abscissa at which it has a given value. Each piece is solved by bracketing
// (TOMS 748, Boost.Math), so f(inverse(f)(v)) is v up to rounding.
class InverseInterpolant {
 public:
  // Throws Error unless there is one strictly monotonic curve; polynomials and stepwise methods have no
  // inverse.
  explicit InverseInterpolant(std::shared_ptr<const Interpolant> f);
  TableResult evaluate(const Array& q) const;
  double low() const { return low_; }
  double high() const { return high_; }
  const Interpolant& function() const { return *f_; }

 private:
  double solve(double v) const;
  std::shared_ptr<const Interpolant> f_;
  double low_ = 0, high_ = 0;
  bool rises_ = true;
};

struct Polyline {
  Array x, y;
};
// Points on the polyline through (x, y), equally spaced in x from the first to the last, both included.
// x must be strictly monotonic.
Polyline densify(const Array& x, const Array& y, Index count);

// Moves a query that is outside of a table only by rounding to its end.
double snapped(double t, double low, double high);

std::string_view name_of(InterpolationMethod method);

}  // namespace quill
