#include "numerics/adaptive_integral.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <optional>
#include <queue>

#include "base/error.h"
#include "base/interrupt.h"
#include "numerics/gauss_kronrod.h"
#include "numerics/probe.h"

namespace quill {

namespace {

constexpr double kEps = std::numeric_limits<double>::epsilon();
constexpr double kGolden = 0.6180339887498949;

// The evaluations are used up.
struct LimitReached {};
// A value that is not finite, at a point inside of the range.
struct NotFinite {
  double x, y;
};

// A range of the variable, and the variable s that is integrated over in it.
struct Chart {
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
struct Witness {
  double s, y;
};

struct Interval {
  std::size_t chart = 0;
  double low = 0, high = 0;
  double value = 0, error = 0, size = 0;
  double noise = 0;  // what the rounding of places does to the value
  GaussKronrod::Values y{};
  std::vector<Witness> seen;
  int slow = 0;          // bisections in a row that did not help as they do for smooth functions
  bool is_dead = false;  // replaced by others
  bool is_final = false;

  double width() const { return high - low; }
};

class AdaptiveIntegral {
 public:
  AdaptiveIntegral(const RealFunction& f, const IntegralOptions& options) : f_(f), options_(options) {}

  Integral over(double a, double b) {
    std::vector<double> ends = {a};
    auto breaks = options_.breaks;
    std::sort(breaks.begin(), breaks.end());
    for (const double x : breaks)
      if (x > ends.back() && x < b) ends.push_back(x);
    ends.push_back(b);
    if (std::isinf(a) && std::isinf(b) && ends.size() == 2) ends.insert(ends.begin() + 1, 0.0);
    try {
      for (std::size_t k = 0; k + 1 < ends.size(); ++k) {
        if (std::isinf(ends[k]))
          half_line(ends[k + 1], -1);
        else if (std::isinf(ends[k + 1]))
          half_line(ends[k], 1);
        else
          begin_piece({ends[k], ends[k + 1]});
      }
      is_incomplete_ = false;
      refine();
      if (options_.confirm) confirm();
      if (!any_) search_for_peak();
      if (size_ == 0 && highest_ > 0) peak_at_ = highest_at_;
    } catch (const LimitReached&) { at_limit_ = true; }
    return result();
  }
  // The only place where a value other than 0 was found, after everything else.
  std::optional<double> peak_at() const { return peak_at_; }

 private:
  // A finite range of x between ends and breaks.
  struct Piece {
    double from, to;
    bool is_singular_from = false, is_singular_to = false;
  };

  double tolerance() const {
    return std::max({options_.absolute, options_.relative * std::fabs(static_cast<double>(value_)),
                     50 * kEps * static_cast<double>(size_), 2 * static_cast<double>(noise_)});
  }

  // -- the function

  double called(double x) {
    poll_interrupt_at(static_cast<std::size_t>(count_));
    if (count_ >= options_.limit) throw LimitReached();
    ++count_;
    const double y = f_(x);
    if (y != 0 && std::isfinite(y) && std::fabs(y) > highest_) {
      highest_ = std::fabs(y);
      highest_at_ = x;
    }
    any_ = any_ || (y != 0 && !std::isnan(y));
    return y;
  }

  double at(const Chart& chart, double s) {
    const double x = chart.x(s), y = called(x);
    if (!std::isfinite(y)) throw NotFinite{x, y};
    const double out = y == 0 ? 0 : y * chart.stretch(s);
    if (!std::isfinite(out)) throw NotFinite{x, y};
    return out;
  }

  // -- intervals

  double deviation(const Interval& i) const {
    double most = 0;
    for (const auto& w : i.seen) most = std::max(most, std::fabs(w.y - interpolated(i, w.s)));
    return most;
  }
  static double interpolated(const Interval& i, double s) {
    return GaussKronrod::rule().interpolated(i.y, (2 * s - i.low - i.high) / i.width());
  }

  static double floor_of(const Interval& i) { return 20 * kEps * i.size + 8 * i.noise; }

  void judge(Interval& i) const {
    const auto sum = GaussKronrod::rule().sum(i.y);
    const double half = i.width() / 2;
    i.value = half * sum.value;
    i.size = half * sum.size;
    i.error = std::max(half * sum.error, i.width() * deviation(i));
    i.noise = noise(i);
    // Differences below the rounding of the values say nothing.
    if (i.error < floor_of(i)) i.error = 2 * kEps * i.size + i.noise;
  }

  Interval computed(std::size_t chart, double low, double high, std::vector<Witness> seen = {}) {
    Interval i;
    i.chart = chart;
    i.low = low;
    i.high = high;
    i.seen = std::move(seen);
    const auto& rule = GaussKronrod::rule();
    const double half = (high - low) / 2, middle = low + half;
    for (std::size_t k = 0; k < GaussKronrod::kCount; ++k)
      i.y[k] = at(charts_[chart], middle + half * rule.nodes()[k]);
    // Between nodes, where the polynomial is worst, at other places in each interval; and close to both ends,
    // where what happens after the last node would leave no trace.
    const auto first = i.seen.size();
    const auto probe = [&](double z) {
      const double s = middle + half * z;
      if (s > low && s < high) i.seen.push_back({s, at(charts_[chart], s)});
    };
    for (int k = 0; k < 2; ++k) {
      probe_ = std::fmod(probe_ + kGolden, 1.0);
      const auto gap = 2 + static_cast<std::size_t>(probe_ * 16);
      const double part = 0.35 + 0.3 * std::fmod(probe_ * 97, 1.0);
      probe(rule.nodes()[gap] + part * (rule.nodes()[gap + 1] - rule.nodes()[gap]));
    }
    constexpr double close = 1e-5;
    probe(-1 + close);
    probe(1 - close);
    if (charts_[chart].kind == Chart::Kind::end && charts_[chart].origin != 0) correct(i, first);
    judge(i);
    return i;
  }

  // Takes the function from the rounded distances to the exact ones, along its slope between neighbouring
  // nodes; witnesses from `first` on.
  void correct(Interval& i, std::size_t first) const {
    const auto& chart = charts_[i.chart];
    const auto& nodes = GaussKronrod::rule().nodes();
    const double half = i.width() / 2, middle = i.low + half;
    std::array<double, GaussKronrod::kCount> f{};
    for (std::size_t k = 0; k < f.size(); ++k) f[k] = i.y[k] / chart.stretch(middle + half * nodes[k]);
    // The slope of f by the logarithm of the distance, around node k.
    const auto slope = [&](std::size_t k) {
      const auto a = k == 0 ? 0 : k - 1, b = std::min(k + 1, f.size() - 1);
      return -(f[b] - f[a]) / (half * (nodes[b] - nodes[a]));
    };
    for (std::size_t k = 0; k < f.size(); ++k) {
      const double s = middle + half * nodes[k];
      i.y[k] -= chart.stretch(s) * slope(k) * chart.shift(s);
    }
    for (auto w = first; w < i.seen.size(); ++w) {
      auto& seen = i.seen[w];
      const auto k = static_cast<std::size_t>(
          std::upper_bound(nodes.begin(), nodes.end(), (seen.s - middle) / half) - nodes.begin());
      seen.y -= chart.stretch(seen.s) * slope(std::min(k, f.size() - 1)) * chart.shift(seen.s);
    }
  }

  void add(Interval i) {
    value_ += i.value;
    error_ += i.error;
    size_ += i.size;
    noise_ += i.noise;
    queue_.push({i.error, intervals_.size()});
    intervals_.push_back(std::move(i));
  }
  void remove(std::size_t k) {
    auto& i = intervals_[k];
    value_ -= i.value;
    error_ -= i.error;
    size_ -= i.size;
    noise_ -= i.noise;
    i.is_dead = true;
    i.seen = {};
  }

  // -- pieces

  void begin_piece(Piece piece) {
    if (!(piece.from < piece.to)) return;
    pieces_.push_back(piece);
    const auto id = pieces_.size() - 1;
    // Irrational parts, so that nothing periodic meets all of them alike.
    const double width = piece.to - piece.from;
    const double cuts[] = {piece.from, piece.from + 0.3183098861837907 * width,
                           piece.from + 0.7071067811865476 * width, piece.to};
    if (!(cuts[0] < cuts[1] && cuts[1] < cuts[2] && cuts[2] < cuts[3])) {
      // As narrow as numbers are: what it holds is the values times the width.
      Interval rest;
      rest.value = f_(piece.from) * width;
      if (std::isfinite(rest.value)) {
        rest.error = rest.size = std::fabs(rest.value);
        rest.is_final = true;
        charts_.push_back({Chart::Kind::plain, piece.from, piece.to, 0, 1, 1, id});
        rest.chart = charts_.size() - 1;
        rest.low = piece.from;
        rest.high = piece.to;
        add(rest);
      }
      return;
    }
    charts_.push_back({Chart::Kind::plain, piece.from, piece.to, 0, 1, 1, id});
    const auto chart = charts_.size() - 1;
    for (int k = 0; k < 3; ++k) {
      bool is_whole = true;
      if (k == 0 && piece.is_singular_from)
        is_whole = guarded([&] { approach(piece.from, 1, cuts[1] - cuts[0], id); }, chart);
      else if (k == 2 && piece.is_singular_to)
        is_whole = guarded([&] { approach(piece.to, -1, cuts[3] - cuts[2], id); }, chart);
      else
        is_whole = guarded([&] { add(computed(chart, cuts[k], cuts[k + 1])); }, chart);
      if (!is_whole) return;  // it has begun again
    }
  }

  // Runs `work` on a chart; a point that is not finite divides the piece of the chart, and the result is
  // false.
  template <class Work>
  bool guarded(Work work, std::size_t chart) {
    try {
      work();
      return true;
    } catch (const NotFinite& point) {
      const auto piece = charts_[chart].piece;
      const auto c = charts_[chart];
      if (c.kind == Chart::Kind::tail) fail_not_finite(point);
      // As near to an end as numbers come.
      if (c.kind == Chart::Kind::end && std::fabs(point.x - c.origin) <= 1e-12 * std::fabs(point.x))
        return false;
      auto p = pieces_[piece];
      constexpr double beside = 1e-12;
      const double width = p.to - p.from;
      if (point.x - p.from <= beside * width || p.to - point.x <= beside * width) {
        auto& flag = point.x - p.from <= beside * width ? p.is_singular_from : p.is_singular_to;
        if (flag) fail_not_finite(point);
        flag = true;
        drop_piece(piece);
        begin_piece(p);
        return false;
      }
      const double step = std::max(std::fabs(point.x), 1e-290) * 1e-9;
      if (!std::isfinite(called(point.x - step)) || !std::isfinite(called(point.x + step)))
        fail_not_finite(point);
      divide_piece(piece, point.x, point.x);
      return false;
    }
  }

  [[noreturn]] static void fail_not_finite(const NotFinite& point) {
    if (std::isnan(point.y))
      fail(fmt::format("the function is nan at {}", shortest(point.x)), "is the range right?");
    fail(fmt::format("the function is infinite at {} and beside it", shortest(point.x)),
         "is the range right?");
  }

  void drop_piece(std::size_t piece) {
    for (std::size_t k = 0; k < intervals_.size(); ++k)
      if (!intervals_[k].is_dead && charts_[intervals_[k].chart].piece == piece) remove(k);
  }

  void divide_piece(std::size_t piece, double left, double right) {
    constexpr int most = 50;
    if (++divisions_ > most)
      fail(fmt::format("the function is not finite at {} and at other points", shortest(left)),
           "is the range right?");
    const auto p = pieces_[piece];
    // Numbers are densest around 0: a point next to it stands for 0 itself.
    if (left == right && std::fabs(left) < 1e-290 && p.from < 0 && p.to > 0) left = right = 0;
    const bool was_incomplete = std::exchange(is_incomplete_, true);
    drop_piece(piece);
    begin_piece({p.from, left, p.is_singular_from, true});
    begin_piece({right, p.to, true, p.is_singular_to});
    is_incomplete_ = was_incomplete;
  }

  void half_line(double from, double side) {
    const auto scale = scale_of([&](double d) {
      const double y = called(from + side * d);
      return std::isfinite(y) ? y : 0;
    });
    const double s = scale.size;
    std::vector<double> near = {0, s};
    for (const double d : scale.breaks) near.push_back(d);
    std::sort(near.begin(), near.end());
    for (std::size_t k = 0; k + 1 < near.size(); ++k) {
      const double a = from + side * near[k], b = from + side * near[k + 1];
      begin_piece({std::min(a, b), std::max(a, b)});
    }
    const double last = near.back();
    approach(from, side, last, kNoPiece, Chart::Kind::tail);
  }

  // -- towards an end

  static constexpr std::size_t kNoPiece = static_cast<std::size_t>(-1);
  static constexpr double kShell = 2.5;  // in the logarithm of the distance

  // The part of a range within `scale` of an end, or beyond `scale` of a point, in shells of a constant
  // ratio.
  void approach(double origin, double side, double scale, std::size_t piece,
                Chart::Kind kind = Chart::Kind::end) {
    Chart chart{kind, 0, 0, origin, side, scale, piece};
    // Nearer than some units of its last place an end cannot be told from its neighbours.
    if (kind == Chart::Kind::end)
      chart.high = origin == 0 ? std::log(scale) + 700 : std::log(scale / (256 * kEps * std::fabs(origin)));
    else
      chart.high = std::log(1e300 / scale);
    charts_.push_back(chart);
    const auto id = charts_.size() - 1;
    std::vector<double> values, sizes;
    bool is_done = false;
    std::optional<NotFinite> stop;
    int zeros = 0;
    for (double s = 0; s + kShell <= chart.high && !is_done; s += kShell) {
      try {
        auto shell = computed(id, s, s + kShell);
        values.push_back(shell.value);
        sizes.push_back(shell.size);
        add(std::move(shell));
      } catch (const NotFinite& point) {
        // Not at the end, but within the shell: the range is to be divided there.
        if (kind == Chart::Kind::end && std::fabs(point.x - origin) > 1e-9 * scale && piece != kNoPiece &&
            std::fabs(point.x - origin) > 1e3 * kEps * std::fabs(origin) && sizes.size() < 8)
          throw;
        stop = point;
        break;
      }
      const auto n = sizes.size();
      const double negligible = 0.01 * kEps * static_cast<double>(size_);
      is_done = n >= 2 && size_ > 0 && sizes[n - 1] <= negligible && sizes[n - 2] <= negligible;
      zeros = sizes.back() == 0 ? zeros + 1 : 0;
      if (zeros >= 30) is_done = true;
      charts_[id].high = intervals_.back().high;
    }
    if (stop && std::isnan(stop->y) && kind == Chart::Kind::tail) fail_not_finite(*stop);
    if (!is_done) close_chart(id, values, sizes, chart);
  }

  // What lies beyond the last shell, from how the shells fall. Error when they do not fall.
  void close_chart(std::size_t id, const std::vector<double>& values, const std::vector<double>& sizes,
                   const Chart& chart) {
    const auto n = sizes.size();
    const auto refuse = [&] {
      const bool has_signs = std::any_of(values.begin(), values.end(), [](double v) { return v < 0; }) &&
                             std::any_of(values.begin(), values.end(), [](double v) { return v > 0; });
      if (chart.kind == Chart::Kind::tail)
        fail(fmt::format(
                 "the integral does not converge: the function does not fall off fast enough towards {}inf",
                 chart.side < 0 ? "-" : ""),
             has_signs ? "for f(x) * sin(3 * x):  integrate(f, a, inf, weight: \"sine\", frequency: 3)"
                       : "a finite end, or a function that falls off faster than 1 / x");
      fail(fmt::format("the integral does not converge: the function grows too fast towards {}",
                       shortest(chart.origin)),
           "weight: \"cauchy\", pole: x gives the principal value at a simple pole");
    };
    if (n < 5) {
      if (n > 0 && sizes[n - 1] > kEps * static_cast<double>(size_)) refuse();
      return;
    }
    // Few where the end is near, since the law of the fall may begin only there.
    const std::size_t m = n > 60 ? 10 : 4, half = m / 2;
    const double last = sizes[n - 1], between = sizes[n - 1 - half], first = sizes[n - 1 - m];
    if (last == 0) return;
    const auto ratio = [&](double a, double b) { return std::pow(a / b, 1.0 / static_cast<double>(half)); };
    const double r = ratio(last, between), before = ratio(between, first);
    constexpr double slow = 0.97;
    if (!(r < 1 - 1e-9)) refuse();
    const double drift = std::fabs(r - before) / static_cast<double>(half);
    const double doubt = drift / ((1 - r) * (1 - r));
    if (r > slow && doubt > 0.7) refuse();
    Interval rest;
    rest.chart = id;
    rest.low = rest.high = charts_[id].high;
    rest.is_final = true;
    const double left = last * r / (1 - r);
    // Where signs change, only the size of what is left is known.
    const bool is_steady = std::fabs(std::fabs(values[n - 1]) - last) <= 1e-6 * last;
    rest.value = is_steady ? std::copysign(left, values[n - 1]) : 0;
    rest.size = left;
    rest.error = is_steady ? left * std::min(1.0, 2 * doubt + 1e-6) : left;
    add(std::move(rest));
  }

  // -- refinement

  void refine() {
    while (!queue_.empty() && static_cast<double>(error_) > tolerance()) {
      const auto [error, k] = queue_.top();
      queue_.pop();
      auto& i = intervals_[k];
      if (i.is_dead || i.is_final || error != i.error) continue;
      if (error <= floor_of(i)) continue;
      bisect(k);
    }
  }

  void bisect(std::size_t k) {
    const auto chart = intervals_[k].chart;
    if (intervals_[k].slow >= 2 && intervals_[k].slow % 3 == 2 && divide_at_jump(k)) return;
    const auto& c = charts_[chart];
    const double low = intervals_[k].low, high = intervals_[k].high, middle = low + (high - low) / 2;
    const double least = 8 * kEps * std::max(std::fabs(low), std::fabs(high));
    if (high - low <= least || !(middle > low && middle < high)) {
      const double from = std::min(c.x(low), c.x(high)), to = std::max(c.x(low), c.x(high));
      if (c.kind != Chart::Kind::tail && intervals_[k].slow > 20)
        divide_at_singularity(c.piece, from, to);
      else
        intervals_[k].is_final = true;
      return;
    }
    const int slow = intervals_[k].slow;
    const double error = intervals_[k].error;
    guarded(
        [&] {
          Interval parts[2];
          for (int side = 0; side < 2; ++side) {
            std::vector<Witness> seen;
            for (const auto& w : intervals_[k].seen)
              if ((w.s < middle) == (side == 0)) seen.push_back(w);
            parts[side] =
                computed(chart, side == 0 ? low : middle, side == 0 ? middle : high, std::move(seen));
            parts[side].slow = parts[side].error > 0.1 * error ? slow + 1 : 0;
          }
          is_incomplete_ = true;
          remove(k);
          for (auto& part : parts) {
            const auto piece = charts_[chart].piece;
            const bool is_at_low =
                charts_[chart].kind == Chart::Kind::plain && part.low == charts_[chart].low;
            const bool is_at_high =
                charts_[chart].kind == Chart::Kind::plain && part.high == charts_[chart].high;
            // A singular end shows by the same gain at every bisection.
            if ((is_at_low || is_at_high) && part.slow >= 3 && part.error > 0.01 * tolerance())
              approach(is_at_low ? part.low : part.high, is_at_low ? 1 : -1, part.width(), piece);
            else
              add(std::move(part));
          }
        },
        chart);
    is_incomplete_ = false;  // whatever was not finite has begun again
  }

  // The singular point is the number between low and high, or beside them, where the function is not finite
  // or largest.
  void divide_at_singularity(std::size_t piece, double low, double high) {
    double most = -1, found = low;
    double x = low;
    constexpr int beside = 8;
    for (int j = 0; j < beside; ++j) x = std::nextafter(x, -INFINITY);
    for (int j = 0; j < 64 && x <= high + (high - low); ++j, x = std::nextafter(x, INFINITY)) {
      if (!(x > pieces_[piece].from && x < pieces_[piece].to)) continue;
      const double y = std::fabs(called(x)), size = std::isfinite(y) ? y : INFINITY;
      if (size > most) {
        most = size;
        found = x;
      }
    }
    divide_piece(piece, found, found);
    // When it may lie between two numbers, what is within a place of it is not known.
    if (std::isfinite(most)) {
      Interval unknown;
      unknown.chart = 0;
      unknown.is_final = true;
      unknown.error = most * 4 * kEps * std::fabs(found);
      add(std::move(unknown));
    }
  }

  // Whether a jump in interval k was found; then the interval has been divided there.
  bool divide_at_jump(std::size_t k) {
    const auto chart = intervals_[k].chart;
    std::vector<Witness> points = intervals_[k].seen;
    const double half = intervals_[k].width() / 2, center = intervals_[k].low + half;
    for (std::size_t j = 0; j < GaussKronrod::kCount; ++j)
      points.push_back({center + half * GaussKronrod::rule().nodes()[j], intervals_[k].y[j]});
    std::sort(points.begin(), points.end(), [](const Witness& a, const Witness& b) { return a.s < b.s; });
    std::size_t widest = 0;
    double total = 0, most = -1;
    for (std::size_t j = 0; j + 1 < points.size(); ++j) {
      const double gap = std::fabs(points[j + 1].y - points[j].y);
      total += gap;
      if (gap > most) {
        most = gap;
        widest = j;
      }
    }
    // One step that makes up a good part of all that the function moves.
    if (!(most > 0.3 * total) || most <= 0) return false;
    auto low = points[widest], high = points[widest + 1];
    bool is_jump = true;
    const bool went = guarded(
        [&] {
          for (int step = 0; step < 1100; ++step) {
            const double s = low.s + (high.s - low.s) / 2;
            if (!(s > low.s && s < high.s)) break;
            const Witness w{s, at(charts_[chart], s)};
            intervals_[k].seen.push_back(w);
            (std::fabs(w.y - low.y) < std::fabs(high.y - w.y) ? low : high) = w;
            if (step == 12 && std::fabs(high.y - low.y) < 0.5 * most) {
              is_jump = false;
              break;
            }
          }
        },
        chart);
    if (!went) return true;
    if (!is_jump || std::fabs(high.y - low.y) < 0.3 * most) {
      // What was seen on the way counts for the error.
      const double before = intervals_[k].error;
      judge(intervals_[k]);
      error_ += intervals_[k].error - before;
      return false;
    }
    const double from = intervals_[k].low, to = intervals_[k].high;
    return guarded(
               [&] {
                 Interval left, right;
                 const bool has_left = low.s > from, has_right = high.s < to;
                 const auto seen_in = [&](bool is_left) {
                   std::vector<Witness> out;
                   for (const auto& w : intervals_[k].seen)
                     if (is_left ? w.s <= low.s : w.s >= high.s) out.push_back(w);
                   return out;
                 };
                 // The last place between both belongs to the left part.
                 if (has_left) left = computed(chart, from, high.s, seen_in(true));
                 if (has_right) right = computed(chart, high.s, to, seen_in(false));
                 remove(k);
                 if (has_left) add(std::move(left));
                 if (has_right) add(std::move(right));
               },
               chart) ||
           true;
  }

  // -- the second look

  void confirm() {
    constexpr int rounds = 8;
    for (int round = 0; round < rounds; ++round) {
      // More where more was needed to get here.
      look(static_cast<int>(std::clamp<Index>(count_ / 10, 300, 100000)),
           std::fmod(0.137 + 0.29 * round, 1.0));
      if (static_cast<double>(error_) <= tolerance()) {
        is_confirmed_ = true;
        return;
      }
      refine();
      if (static_cast<double>(error_) > tolerance()) return;  // and the error says so
    }
    // Every look has found something else: there is more.
    error_ += size_;
    unseen_ = static_cast<double>(size_);
  }

  // Compares the function with the interpolant at about so many points.
  void look(int count, double phase) {
    std::vector<std::size_t> order;
    for (std::size_t k = 0; k < intervals_.size(); ++k)
      if (!intervals_[k].is_dead && intervals_[k].width() > 0) order.push_back(k);
    std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
      return std::pair(intervals_[a].chart, intervals_[a].low) <
             std::pair(intervals_[b].chart, intervals_[b].low);
    });
    std::vector<std::size_t> live;  // charts with intervals
    for (const auto k : order)
      if (live.empty() || live.back() != intervals_[k].chart) live.push_back(intervals_[k].chart);
    const auto plain = std::count_if(live.begin(), live.end(),
                                     [&](std::size_t c) { return charts_[c].kind == Chart::Kind::plain; });
    for (const auto chart : live) {
      const auto c = charts_[chart];
      const int points =
          c.kind == Chart::Kind::plain ? std::max(50, count / static_cast<int>(plain)) : count / 5;
      // Also close to both ends, where a feature falls between nodes and points most easily.
      constexpr int near_ends = 24;
      for (int j = -near_ends; j < points; ++j) {
        const double part =
            j >= 0 ? std::fmod(phase + j * kGolden, 1.0) : std::pow(10.0, -2 - (j + near_ends) / 2 * 0.9);
        const double s =
            j < 0 && j % 2 == 0 ? c.high - (c.high - c.low) * part : c.low + (c.high - c.low) * part;
        const auto found = std::upper_bound(order.begin(), order.end(), s, [&](double at, std::size_t k) {
          return std::pair(chart, at) < std::pair(intervals_[k].chart, intervals_[k].low);
        });
        if (found == order.begin()) continue;
        const auto k = *std::prev(found);
        auto& i = intervals_[k];
        if (i.is_dead || i.chart != chart || s < i.low || s > i.high) continue;
        if (!guarded([&] { i.seen.push_back({s, at(charts_[chart], s)}); }, chart)) return;
        if (c.kind == Chart::Kind::end && c.origin != 0) {
          auto copy = i;  // its nodes are exact already
          correct(copy, copy.seen.size() - 1);
          i.seen.back() = copy.seen.back();
        }
        const double off = i.width() * std::fabs(i.seen.back().y - interpolated(i, s));
        if (off > i.error && off > floor_of(i)) {
          error_ += off - i.error;
          i.error = off;
          queue_.push({off, k});
        }
      }
    }
  }

  // Where everything was 0: many more points, also of other sizes.
  void search_for_peak() {
    constexpr int many = 2500;
    for (const auto& chart : std::vector<Chart>(charts_))
      for (int j = 0; j < many && !any_; ++j) {
        const double part = std::fmod(0.5 + j * kGolden, 1.0);
        const double x = chart.kind == Chart::Kind::tail
                             ? chart.origin + chart.side * chart.scale * std::exp(part * 30)
                             : chart.x(chart.low + part * (chart.high - chart.low));
        called(x);
      }
  }

  Integral result() const {
    Integral out;
    long double value = 0, error = 0, size = 0;
    for (const auto& i : intervals_) {
      if (i.is_dead) continue;
      value += i.value;
      error += i.error + i.noise;
      size += i.size;
    }
    out.value = static_cast<double>(value);
    out.size = std::max(static_cast<double>(size), std::fabs(out.value));
    out.error = static_cast<double>(error) + 4 * kEps * out.size;
    if (is_incomplete_) out.error = INFINITY;
    out.evaluations = count_;
    out.error += unseen_;
    out.is_confirmed = is_confirmed_;
    out.at_limit = at_limit_;
    out.all_zero = !any_;
    return out;
  }

  // What the rounding of places does to the result: half a unit in each, times how far the values reach up
  // and down.
  double noise(const Interval& i) const {
    if (i.width() == 0) return 0;
    const auto& chart = charts_[i.chart];
    const double half = i.width() / 2, middle = i.low + half;
    double out = 0, before = 0;
    for (std::size_t k = 0; k < GaussKronrod::kCount; ++k) {
      const double s = middle + half * GaussKronrod::rule().nodes()[k], y = i.y[k] / chart.stretch(s);
      if (k > 0) out += std::fabs(chart.x(s)) * std::fabs(y - before);
      before = y;
    }
    return out * kEps / 2;
  }

  const RealFunction& f_;
  const IntegralOptions& options_;
  Index count_ = 0;
  bool any_ = false, at_limit_ = false, is_confirmed_ = false;
  double unseen_ = 0;
  bool is_incomplete_ = true;  // parts of the range are in no interval
  int divisions_ = 0;
  double probe_ = 0.5;
  long double value_ = 0, error_ = 0, size_ = 0, noise_ = 0;
  std::vector<Chart> charts_;
  std::vector<Piece> pieces_;
  std::vector<Interval> intervals_;
  std::priority_queue<std::pair<double, std::size_t>> queue_;
  double highest_ = 0, highest_at_ = 0;  // the largest value that was seen
  std::optional<double> peak_at_;
};

}  // namespace

Integral adaptive_integral(const RealFunction& f, double a, double b, const IntegralOptions& options) {
  AdaptiveIntegral first(f, options);
  auto out = first.over(a, b);
  if (!first.peak_at()) return out;
  auto again = options;
  again.breaks.push_back(*first.peak_at());
  again.limit = std::max<Index>(0, options.limit - out.evaluations);
  AdaptiveIntegral second(f, again);
  const auto evaluations = out.evaluations;
  out = second.over(a, b);
  out.evaluations += evaluations;
  return out;
}

}  // namespace quill
