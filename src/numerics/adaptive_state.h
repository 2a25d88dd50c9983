// State of an adaptive integral; used only by adaptive_integral.cpp and the files beside it.
#pragma once

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <queue>
#include <utility>
#include <vector>

#include "numerics/gauss_kronrod.h"
#include "numerics/quadrature.h"

namespace quill::adaptive {

inline constexpr double kEps = std::numeric_limits<double>::epsilon();
inline constexpr double kGolden = 0.6180339887498949;

// The limit of evaluations was reached.
struct LimitReached {};
// A value that is not finite inside of the range.
struct NotFinite {
  double x, y;
};

// A range of x, and the variable s that is integrated over in its place.
struct Substitution {
  enum class Kind : std::uint8_t {
    plain,  // x = s
    end,    // x = origin + side * scale * exp(-s): for the approach to an end
    tail    // x = origin + side * scale * exp(s): towards infinity
  };
  Kind kind = Kind::plain;
  double low = 0, high = 0;  // range of s
  double origin = 0, side = 1, scale = 1;
  std::size_t piece = 0;

  double distance(double s) const { return scale * std::exp(kind == Kind::end ? -s : s); }
  // Points near an end other than 0 are rounded: logarithm of the rounded over the exact distance.
  double shift(double s) const {
    return kind == Kind::end && origin != 0 ? std::log(std::fabs(x(s) - origin) / distance(s)) : 0;
  }
  double x(double s) const { return kind == Kind::plain ? s : origin + side * distance(s); }
  // |dx/ds|
  double stretch(double s) const { return kind == Kind::plain ? 1 : distance(s); }
};

// A value of the integrand, as a function of s, that is not a node of the rule.
struct CheckPoint {
  double s, y;
};

struct Interval {
  std::size_t substitution = 0;
  double low = 0, high = 0;
  double value = 0, error = 0, size = 0;
  double noise = 0;  // effect of rounding x on the value
  GaussKronrod::Values y{};
  std::vector<CheckPoint> seen;
  int slow = 0;          // consecutive bisections that reduced the error less than for smooth functions
  bool is_dead = false;  // replaced by its halves
  bool is_final = false;

  double width() const { return high - low; }
};

class AdaptiveIntegral {
 public:
  AdaptiveIntegral(const RealFunction& f, const IntegralOptions& options) : f_(f), options_(options) {}
  Integral over(double a, double b);
  // The only point, in the whole search, where a nonzero value was found.
  std::optional<double> peak_at() const { return peak_at_; }

 private:
  // A finite range of x between ends and breaks.
  struct Piece {
    double from, to;
    bool is_singular_from = false, is_singular_to = false;
  };

  double tolerance() const;

  // -- the function
  double called(double x);
  double at(const Substitution& substitution, double s);

  // -- intervals
  double deviation(const Interval& i) const;
  static double interpolated(const Interval& i, double s) {
    return GaussKronrod::rule().interpolated(i.y, (2 * s - i.low - i.high) / i.width());
  }
  static double floor_of(const Interval& i) { return 20 * kEps * i.size + 8 * i.noise; }
  void judge(Interval& i) const;
  Interval computed(std::size_t substitution, double low, double high, std::vector<CheckPoint> seen = {});
  // Corrects values from rounded to exact distances by the slope between neighbouring nodes; check points
  // from `first` on.
  void correct(Interval& i, std::size_t first) const;
  void add(Interval i);
  void remove(std::size_t k);

  // -- pieces
  void begin_piece(Piece piece);
  // Runs `work` on a substitution. A point where the function is not finite divides the piece that contains
  // it; the result is false then.
  template <class Work>
  bool guarded(Work work, std::size_t substitution) {
    try {
      work();
      return true;
    } catch (const NotFinite& point) { meet(point, substitution); }
    return false;
  }
  void meet(const NotFinite& point, std::size_t substitution);
  [[noreturn]] static void fail_not_finite(const NotFinite& point);
  void drop_piece(std::size_t piece);
  void divide_piece(std::size_t piece, double left, double right);
  void half_line(double from, double side);

  // -- approach to an end
  static constexpr std::size_t kNoPiece = static_cast<std::size_t>(-1);
  static constexpr double kShell = 2.5;  // in the logarithm of the distance
  // Integrates the part of a range within `scale` of an end, or beyond `scale` of a point, in shells of
  // constant ratio.
  void approach(double origin, double side, double scale, std::size_t piece,
                Substitution::Kind kind = Substitution::Kind::end);
  // Estimates the remainder beyond the last shell from the decrease of the shells. Throws Error if they do
  // not decrease.
  void close_shells(std::size_t id, const std::vector<double>& values, const std::vector<double>& sizes,
                    const Substitution& substitution);

  // -- refinement
  void refine();
  void bisect(std::size_t k);
  // Divides the piece at the point between low and high, or beside them, where the function is singular or
  // largest.
  void divide_at_singularity(std::size_t piece, double low, double high);
  // Whether a jump was found in interval k, which is then divided there.
  bool divide_at_jump(std::size_t k);

  // -- confirmation at other points
  void confirm();
  // Compares the function with the interpolant at about this many points.
  void look(int count, double phase);
  // If all values were 0: tries many more points, also of other magnitudes.
  void search_for_peak();

  Integral result() const;
  // Effect of rounded abscissae on the result: half an ulp of each, times the range of the values.
  double noise(const Interval& i) const;

  const RealFunction& f_;
  const IntegralOptions& options_;
  Index count_ = 0;
  bool any_ = false, at_limit_ = false, is_confirmed_ = false;
  double unseen_ = 0;
  bool is_incomplete_ = true;  // parts of the range are in no interval yet
  int divisions_ = 0;
  double probe_ = 0.5;
  long double value_ = 0, error_ = 0, size_ = 0, noise_ = 0;
  std::vector<Substitution> substitutions_;
  std::vector<Piece> pieces_;
  std::vector<Interval> intervals_;
  std::priority_queue<std::pair<double, std::size_t>> queue_;
  double highest_ = 0, highest_at_ = 0;  // largest value seen
  std::optional<double> peak_at_;
};

}  // namespace quill::adaptive
