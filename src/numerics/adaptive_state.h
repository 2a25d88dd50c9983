// The parts of an adaptive integral; used by adaptive_integral.cpp and its neighbours alone.
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

// The evaluations are used up.
struct LimitReached {};
// A value that is not finite, at a point inside of the range.
struct NotFinite {
  double x, y;
};

// A range of the variable, and the variable s that is integrated over in it.
struct Substitution {
  enum class Kind : std::uint8_t {
    plain,  // x = s
    end,    // x = origin + side * scale * exp(-s): towards an end
    tail    // x = origin + side * scale * exp(s): towards infinity
  };
  Kind kind = Kind::plain;
  double low = 0, high = 0;  // range of s
  double origin = 0, side = 1, scale = 1;
  std::size_t piece = 0;

  double distance(double s) const { return scale * std::exp(kind == Kind::end ? -s : s); }
  // Places near an end other than 0 are rounded: the logarithm of the rounded distance over the exact one.
  double shift(double s) const {
    return kind == Kind::end && origin != 0 ? std::log(std::fabs(x(s) - origin) / distance(s)) : 0;
  }
  double x(double s) const { return kind == Kind::plain ? s : origin + side * distance(s); }
  // |dx/ds|
  double stretch(double s) const { return kind == Kind::plain ? 1 : distance(s); }
};

// A value of the integrand in s that is no node of the rule.
struct CheckPoint {
  double s, y;
};

struct Interval {
  std::size_t substitution = 0;
  double low = 0, high = 0;
  double value = 0, error = 0, size = 0;
  double noise = 0;  // what the rounding of places does to the value
  GaussKronrod::Values y{};
  std::vector<CheckPoint> seen;
  int slow = 0;          // bisections in a row that did not help as they do for smooth functions
  bool is_dead = false;  // replaced by others
  bool is_final = false;

  double width() const { return high - low; }
};

class AdaptiveIntegral {
 public:
  AdaptiveIntegral(const RealFunction& f, const IntegralOptions& options) : f_(f), options_(options) {}
  Integral over(double a, double b);
  // The only place where a value other than 0 was found, after everything else.
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
  // Takes the function from the rounded distances to the exact ones, along its slope between neighbouring
  // nodes; check points from `first` on.
  void correct(Interval& i, std::size_t first) const;
  void add(Interval i);
  void remove(std::size_t k);

  // -- pieces
  void begin_piece(Piece piece);
  // Runs `work` on a substitution. A point that is not finite divides the piece that it belongs to, and the
  // result is false.
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

  // -- towards an end
  static constexpr std::size_t kNoPiece = static_cast<std::size_t>(-1);
  static constexpr double kShell = 2.5;  // in the logarithm of the distance
  // The part of a range within `scale` of an end, or beyond `scale` of a point, in shells of a constant
  // ratio.
  void approach(double origin, double side, double scale, std::size_t piece,
                Substitution::Kind kind = Substitution::Kind::end);
  // What lies beyond the last shell, from how the shells fall. Error when they do not fall.
  void close_shells(std::size_t id, const std::vector<double>& values, const std::vector<double>& sizes,
                    const Substitution& substitution);

  // -- refinement
  void refine();
  void bisect(std::size_t k);
  // The singular point is the number between low and high, or beside them, where the function is not finite
  // or largest.
  void divide_at_singularity(std::size_t piece, double low, double high);
  // Whether a jump in interval k was found; then the interval has been divided there.
  bool divide_at_jump(std::size_t k);

  // -- the second look
  void confirm();
  // Compares the function with the interpolant at about so many points.
  void look(int count, double phase);
  // Where everything was 0: many more points, also of other sizes.
  void search_for_peak();

  Integral result() const;
  // What the rounding of places does to the result: half a unit in each, times how far the values reach up
  // and down.
  double noise(const Interval& i) const;

  const RealFunction& f_;
  const IntegralOptions& options_;
  Index count_ = 0;
  bool any_ = false, at_limit_ = false, is_confirmed_ = false;
  double unseen_ = 0;
  bool is_incomplete_ = true;  // parts of the range are in no interval
  int divisions_ = 0;
  double probe_ = 0.5;
  long double value_ = 0, error_ = 0, size_ = 0, noise_ = 0;
  std::vector<Substitution> substitutions_;
  std::vector<Piece> pieces_;
  std::vector<Interval> intervals_;
  std::priority_queue<std::pair<double, std::size_t>> queue_;
  double highest_ = 0, highest_at_ = 0;  // the largest value that was seen
  std::optional<double> peak_at_;
};

}  // namespace quill::adaptive
