#include "numerics/quadrature.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <exception>
#include <memory>
#include <numbers>
#include <numeric>
#include <optional>
#include <unordered_map>

#include "base/error.h"
#include "base/interrupt.h"
#include "numerics/gsl.h"
#include "numerics/probe.h"

namespace quill {

namespace {

constexpr double kDoubleEpsilon = std::numeric_limits<double>::epsilon();
// What is lost to rounding in a sum of that size.
constexpr double kRounding = 100 * kDoubleEpsilon;

// The estimates of the extrapolated rule are up to four times too small on the published test sets.
constexpr double kCaution = 10;

// A library without exceptions calls back here: what is thrown waits until it has returned, which zeros bring
// about soon.
class Guarded {
 public:
  Guarded(const RealFunction& f, Index limit) : f_(f), limit_(limit) {}

  double operator()(double x) {
    if (failure_ || single_point_ || at_limit_) return 0;
    try {
      poll_interrupt_at(static_cast<std::size_t>(count_));
      if (count_ >= limit_) {
        at_limit_ = true;
        return 0;
      }
      ++count_;
      const double y = f_(x);
      if (!std::isfinite(y)) return not_finite(x, y);
      any_ = any_ || y != 0;
      return y;
    } catch (...) { failure_ = std::current_exception(); }
    return 0;
  }

  void set_range(double from, double to) {
    from_ = from;
    to_ = to;
  }
  // Throws what waits.
  void settle() {
    if (failure_) std::rethrow_exception(std::exchange(failure_, nullptr));
  }
  // The point that the range is to be broken at, once.
  std::optional<double> take_single_point() { return std::exchange(single_point_, std::nullopt); }
  // The rest of the evaluations is given up for.
  bool at_limit() const { return at_limit_; }
  Index count() const { return count_; }
  bool any() const { return any_; }

 private:
  // A point where the neighbours are numbers becomes a break. At an end, where the rules come as near as they
  // can, it is left out.
  double not_finite(double x, double y) {
    constexpr double beside = 1e-12;
    const double width = to_ - from_;
    if (std::isfinite(width) && std::min(std::fabs(x - from_), std::fabs(x - to_)) <= beside * width)
      return 0;
    const double step = std::max(std::fabs(x), 1e-290) * 1e-9;
    count_ += 2;
    if (std::isfinite(f_(x - step)) && std::isfinite(f_(x + step))) {
      single_point_ = x;
      return 0;
    }
    if (std::isnan(y)) fail(fmt::format("the function is nan at {}", shortest(x)), "is the range right?");
    fail(fmt::format("the function is infinite at {} and beside it", shortest(x)), "is the range right?");
  }

  const RealFunction& f_;
  Index limit_, count_ = 0;
  double from_ = -INFINITY, to_ = INFINITY;
  bool at_limit_ = false, any_ = false;
  std::exception_ptr failure_;
  std::optional<double> single_point_;
};

double call_guarded(double x, void* f) { return (*static_cast<Guarded*>(f))(x); }

struct Workspaces {
  Workspaces() { gsl_set_error_handler_off(); }
  ~Workspaces() {
    gsl_integration_workspace_free(intervals);
    gsl_integration_workspace_free(cycles);
    gsl_integration_cquad_workspace_free(doubly);
  }
  Workspaces(const Workspaces&) = delete;
  Workspaces& operator=(const Workspaces&) = delete;
  static constexpr std::size_t size = 5000;
  gsl_integration_workspace* intervals = nullptr;
  gsl_integration_workspace* cycles = nullptr;
  gsl_integration_cquad_workspace* doubly = nullptr;
};

// One run over one range.
class IntegralRun {
 public:
  IntegralRun(const RealFunction& f, const IntegralOptions& options)
      : f_(f), options_(options), guarded_(f_, options.limit) {}

  Integral over(double a, double b) {
    if (options_.weight == Weight::cauchy) return cauchy(a, b);
    if (options_.weight != Weight::none) return oscillating(a, b);
    std::vector<double> points = {a};
    auto breaks = options_.breaks;
    std::sort(breaks.begin(), breaks.end());
    for (const double x : breaks)
      if (x > points.back() && x < b) points.push_back(x);
    points.push_back(b);
    if (std::isinf(a) && std::isinf(b) && points.size() == 2) points.insert(points.begin() + 1, 0.0);
    for (std::size_t k = 0; k + 1 < points.size(); ++k) {
      if (std::isinf(points[k]))
        half_line(points[k + 1], -1);
      else if (std::isinf(points[k + 1]))
        half_line(points[k], 1);
      else
        pieces_.push_back({points[k], points[k + 1]});
    }
    return sum_of_pieces();
  }

 private:
  // A part of the range: x itself, or t with x = origin + side * scale / t.
  struct Piece {
    double from, to;
    double scale = 0, origin = 0, side = 1;
    Integral found = {};
  };

  double at(const Piece& p, double t) {
    if (p.scale == 0) return guarded_(t);
    const double d = p.scale / t;
    const double y = guarded_(p.origin + p.side * d);
    return y == 0 ? 0 : y * (d / t);
  }

  struct Asked {
    IntegralRun* run;
    const Piece* piece;
  };
  static double call_at(double t, void* asked) {
    const auto& a = *static_cast<Asked*>(asked);
    const double y = a.run->at(*a.piece, t);
    a.run->seen_.emplace_back(t, y);
    return y;
  }

  void mark_range(const Piece& p) {
    if (p.scale == 0)
      guarded_.set_range(p.from, p.to);
    else
      guarded_.set_range(-INFINITY, INFINITY);
  }

  void half_line(double from, double side) {
    const auto scale = scale_of([&](double d) { return value_or_none(from + side * d); });
    const double s = scale.size;
    is_probed_ = true;
    // Near the start as it is, and the rest through its reciprocal.
    std::vector<double> near = {0, s}, far = {s};
    for (const double d : scale.breaks) (d < s ? near : far).push_back(d);
    std::sort(near.begin(), near.end());
    std::sort(far.begin(), far.end());
    for (std::size_t k = 0; k + 1 < near.size(); ++k) {
      const double a = from + side * near[k], b = from + side * near[k + 1];
      if (a != b) pieces_.push_back({std::min(a, b), std::max(a, b)});
    }
    double end = std::isinf(scale.end) ? 0 : s / scale.end;
    for (auto k = far.size(); k-- > 0;) {
      const double t = s / far[k];
      if (t > end) pieces_.push_back({end, t, s, from, side});
      end = std::max(end, t);
    }
  }

  // Values of a first look, where a point without one does not matter.
  double value_or_none(double x) {
    ++looks_;
    const double y = f_(x);
    any_ = any_ || (y != 0 && !std::isnan(y));
    return std::isfinite(y) ? y : 0;
  }

  Integral sum_of_pieces() {
    // A first look at all pieces gives the size that tolerances are measured by.
    const auto rule = [&](std::size_t k) {
      auto& p = pieces_[k];
      Asked asked{this, &p};
      gsl_function g{call_at, &asked};
      double spread = 0;
      mark_range(p);
      gsl_integration_qk15(&g, p.from, p.to, &p.found.value, &p.found.error, &p.found.size, &spread);
      return split(k);
    };
    for (std::size_t k = 0; k < pieces_.size();) k += rule(k) ? 0 : 1;
    auto total = sum();
    if (total.is_good(options_)) return finished(total);
    for (int round = 0; round < 3; ++round) {
      // Relative to the whole, which the pieces before have made better known.
      const double share = std::max(options_.absolute, options_.relative * std::fabs(total.value)) /
                           static_cast<double>(pieces_.size());
      const double allowed = std::max(0.5 * share, 4 * kDoubleEpsilon * total.size);
      for (std::size_t k = 0; k < pieces_.size();) {
        if (pieces_[k].found.error <= allowed) {
          ++k;
          continue;
        }
        adapt(pieces_[k], allowed);
        k += split(k) ? 0 : 1;
      }
      const double before = total.value;
      total = sum();
      if (total.is_good(options_) || guarded_.at_limit()) break;
      if (std::fabs(total.value) >= 0.5 * std::fabs(before)) break;
    }
    return finished(total);
  }

  // Whether a point was met where the function is not finite or has a hidden peak, which now divides the
  // piece.
  bool split(std::size_t k) {
    guarded_.settle();
    auto& p = pieces_[k];
    double t = 0;
    if (const auto point = guarded_.take_single_point()) {
      t = p.scale == 0 ? *point : p.scale / (p.side * (*point - p.origin));
      constexpr int most = 50;
      if (!(t > p.from && t < p.to) || ++splits_ > most)
        fail(fmt::format("the function is not finite at {} and at other points", shortest(*point)),
             "is the range right?");
      hidden_.reset();
    } else if (hidden_) {
      t = *std::exchange(hidden_, std::nullopt);
    } else {
      return false;
    }
    p.found = {};
    p.found.error = INFINITY;
    auto right = p;
    p.to = right.from = t;
    pieces_.insert(pieces_.begin() + static_cast<std::ptrdiff_t>(k) + 1, right);
    return true;
  }

  void adapt(Piece& p, double allowed) {
    Asked asked{this, &p};
    gsl_function g{call_at, &asked};
    const auto room =
        std::clamp<Index>((options_.limit - guarded_.count()) / 42, 1, static_cast<Index>(Workspaces::size));
    Integral found = p.found;
    intervals();
    mark_range(p);
    seen_.clear();
    const int status =
        gsl_integration_qags(&g, p.from, p.to, allowed / kCaution, 0, static_cast<std::size_t>(room),
                             spaces_.intervals, &found.value, &found.error);
    const auto take = [&] {
      found.error += noise();
      if (std::isfinite(found.value) && !(found.error > p.found.error)) p.found = found;
    };
    if (spaces_.intervals->size > 1) found.error *= kCaution;
    take();
    if (guarded_.at_limit()) return;
    if (has_pole()) {
      p.found.error = INFINITY;
      return;
    }
    if (status == GSL_SUCCESS) return look_between(p, allowed);
    seen_.clear();
    // Without extrapolation, which a narrow peak leads astray.
    gsl_integration_qag(&g, p.from, p.to, allowed, 0, static_cast<std::size_t>(room), GSL_INTEG_GAUSS21,
                        spaces_.intervals, &found.value, &found.error);
    take();
    if (p.found.error <= allowed) return look_between(p, allowed);
    if (guarded_.at_limit()) return;
    doubly_adaptive(p, allowed);
  }

  // It has no limit of its own, and may never come back from an infinite integral: its end is an exception,
  // which passes through it, as it holds nothing of its own.
  void doubly_adaptive(Piece& p, double allowed) {
    if (!spaces_.doubly) spaces_.doubly = gsl_integration_cquad_workspace_alloc(500);
    struct Asked2 : Asked {
      Index left;
    } asked{{this, &p}, std::min<Index>(options_.limit - guarded_.count(), 20000)};
    struct TooMany {};
    gsl_function g{[](double t, void* data) {
                     auto& a = *static_cast<Asked2*>(data);
                     if (a.left-- == 0) throw TooMany();
                     return call_at(t, &a);
                   },
                   &asked};
    Integral found;
    std::size_t calls = 0;
    seen_.clear();
    try {
      gsl_integration_cquad(&g, p.from, p.to, allowed, 0, spaces_.doubly, &found.value, &found.error, &calls);
    } catch (TooMany) { return; }
    found.error += noise();
    if (std::isfinite(found.value) && found.error < p.found.error) {
      found.size = p.found.size;
      p.found = found;
    }
  }

  // Whether the places that were seen straddle a simple pole, whose two infinite halves would cancel: there
  // one over the function is a straight line through 0.
  bool has_pole() const {
    const auto largest = std::max_element(seen_.begin(), seen_.end(), [](const auto& a, const auto& b) {
      return std::fabs(a.second) < std::fabs(b.second);
    });
    const auto k = largest - seen_.begin();
    for (const auto from : {k - 2, k - 1}) {
      if (from < 0 || from + 3 >= static_cast<std::ptrdiff_t>(seen_.size())) continue;
      const auto* s = &seen_[static_cast<std::size_t>(from)];
      if (s[1].second * s[2].second >= 0) continue;
      const auto slope = [&](int j) {
        return (1 / s[j + 1].second - 1 / s[j].second) / (s[j + 1].first - s[j].first);
      };
      constexpr double alike = 0.02;
      const double middle = slope(1);
      if (std::fabs(slope(0) - middle) < alike * std::fabs(middle) &&
          std::fabs(slope(2) - middle) < alike * std::fabs(middle))
        return true;
    }
    return false;
  }

  // What the rounding of the places does to the result: half a unit in each, times how far the values reach
  // up and down.
  double noise() {
    std::sort(seen_.begin(), seen_.end());
    double out = 0;
    for (std::size_t k = 1; k < seen_.size(); ++k)
      out += std::fabs(seen_[k].first) * std::fabs(seen_[k].second - seen_[k - 1].second);
    return out * kDoubleEpsilon / 2;
  }

  // Peaks between the places that the rule has seen: at points that it did not choose, values that would
  // matter and are far above those on both sides. The range is broken there.
  void look_between(const Piece& p, double allowed) {
    if (spaces_.intervals->size < 2 || looks_between_ > 3 || is_probed_) return;
    ++looks_between_;
    const auto seen = std::exchange(seen_, {});  // sorted
    const int points = std::max(60, 300 / static_cast<int>(pieces_.size()));
    const double h = (p.to - p.from) / points;
    std::size_t k = 0;
    for (int j = 0; j < points; ++j) {
      constexpr double golden = 0.6180339887498949;
      const double t = p.from + h * (j + golden), y = std::fabs(at(p, t));
      while (k + 1 < seen.size() && seen[k + 1].first < t) ++k;
      if (k + 1 >= seen.size()) break;
      const double around = std::max(std::fabs(seen[k].second), std::fabs(seen[k + 1].second));
      if (y > 2 * around && y * h > allowed) {
        hidden_ = t;
        return;
      }
    }
  }

  Integral sum() const {
    Integral out;
    for (const auto& p : pieces_) {
      out.value += p.found.value;
      out.error += p.found.error;
      out.size += p.found.size;
    }
    out.size = std::max(out.size, std::fabs(out.value));
    return out;
  }

  Integral finished(Integral total) {
    guarded_.settle();
    // Pieces have been divided there; the rules with a weight cannot be.
    if (const auto point = guarded_.take_single_point())
      fail(fmt::format("the function is not finite at {}, inside of the range", shortest(*point)),
           "two integrals, one on each side of it");
    total.evaluations = guarded_.count() + looks_;
    total.at_limit = guarded_.at_limit();
    total.all_zero = !any_ && !guarded_.any();
    return total;
  }

  static gsl_integration_workspace* made(gsl_integration_workspace*& space) {
    if (!space) space = gsl_integration_workspace_alloc(Workspaces::size);
    if (!space) fail("there is no memory for the integral");
    return space;
  }
  gsl_integration_workspace* intervals() { return made(spaces_.intervals); }
  gsl_integration_workspace* cycles() { return made(spaces_.cycles); }

  Integral cauchy(double a, double b) {
    const double c = options_.weight_at;
    if (std::isinf(a) || std::isinf(b)) fail("a principal value is taken over a finite range");
    if (!(c > a && c < b)) fail(fmt::format("the pole {} is not inside of the range", shortest(c)));
    gsl_function g{call_guarded, &guarded_};
    Integral out;
    guarded_.set_range(a, b);
    const auto rooms = intervals_left();
    gsl_integration_qawc(&g, a, b, c, options_.absolute, options_.relative, rooms, intervals(), &out.value,
                         &out.error);
    out.size = std::fabs(out.value);
    return finished(out);
  }

  std::size_t intervals_left() const {
    return static_cast<std::size_t>(
        std::clamp<Index>(options_.limit / 50, 1, static_cast<Index>(Workspaces::size)));
  }

  Integral oscillating(double a, double b) {
    if (std::isinf(a)) {
      // The reflected function from -b on, and from there the rest of a whole line.
      const double sign = options_.weight == Weight::sine ? -1 : 1;
      auto options = options_;
      const double middle = std::isinf(b) ? 0 : b;
      auto left = IntegralRun([&](double x) { return sign * f_(-x); }, options).over(-middle, INFINITY);
      if (!std::isinf(b)) return left;
      const auto right = IntegralRun(f_, options).over(0, INFINITY);
      left.value += right.value;
      left.error += right.error;
      left.size += right.size;
      left.evaluations += right.evaluations;
      return left;
    }
    const double w = options_.weight_at;
    const bool is_endless = std::isinf(b);
    const auto kind = options_.weight == Weight::sine ? GSL_INTEG_SINE : GSL_INTEG_COSINE;
    auto* table = gsl_integration_qawo_table_alloc(w, is_endless ? 1 : b - a, kind, 60);
    if (!table) fail("there is no memory for the integral");
    const std::unique_ptr<gsl_integration_qawo_table, decltype(&gsl_integration_qawo_table_free)> owner(
        table, gsl_integration_qawo_table_free);
    gsl_function g{call_guarded, &guarded_};
    Integral out;
    guarded_.set_range(a, is_endless ? a + 2 * std::numbers::pi / std::fabs(w) : b);
    if (is_endless) {
      // The rule for a half line takes an absolute tolerance alone: relative to the first cycle, then to the
      // result.
      double error = 0, spread = 0;
      gsl_integration_qk21(&g, a, a + 2 * std::numbers::pi / std::fabs(w), &out.value, &error, &out.size,
                           &spread);
      double allowed = std::max({options_.absolute, options_.relative * out.size, 1e-300});
      for (int round = 0; round < 3; ++round) {
        gsl_integration_qawf(&g, a, allowed, intervals_left(), intervals(), cycles(), table, &out.value,
                             &out.error);
        const double wanted = std::max(options_.absolute, options_.relative * std::fabs(out.value));
        if (out.error <= wanted || wanted >= allowed || guarded_.at_limit()) break;
        allowed = std::max(0.5 * wanted, 1e-300);
      }
    } else {
      gsl_integration_qawo(&g, a, options_.absolute, options_.relative, intervals_left(), intervals(), table,
                           &out.value, &out.error);
      out.size = std::fabs(out.value);
    }
    return finished(out);
  }

  const RealFunction f_;
  IntegralOptions options_;
  Guarded guarded_;
  Workspaces spaces_;
  std::vector<Piece> pieces_;
  Index looks_ = 0;
  bool any_ = false;
  int splits_ = 0, looks_between_ = 0;
  bool is_probed_ = false;
  std::optional<double> hidden_;
  std::vector<std::pair<double, double>> seen_;  // by the rule that runs
};

void check(double a, double b, const IntegralOptions& o) {
  if (std::isnan(a) || std::isnan(b)) fail("an end of the integral is nan");
  if (!(o.relative >= 0 && o.relative < 1) || !(o.absolute >= 0) || (o.relative == 0 && o.absolute == 0))
    fail("tolerances are numbers from 0 on, relative ones below 1, and one of them is above 0");
  for (const double x : o.breaks)
    if (!std::isfinite(x)) fail(fmt::format("a break is a finite number, not {}", shortest(x)));
}

}  // namespace

bool Integral::is_good(const IntegralOptions& o) const {
  return std::isfinite(value) &&
         error <= std::max({o.absolute, o.relative * std::fabs(value), kRounding * size});
}

Integral integrate(const RealFunction& f, double a, double b, const IntegralOptions& options) {
  check(a, b, options);
  if (a == b) return {};
  if (a > b) {
    auto turned = integrate(f, b, a, options);
    turned.value = -turned.value;
    return turned;
  }
  auto out = IntegralRun(f, options).over(a, b);
  if (!std::isfinite(out.value)) fail("the integral is not finite");
  return out;
}

std::vector<Integral> integrate(const SeveralFunction& f, std::size_t count, double a, double b,
                                const IntegralOptions& options) {
  // Each result for itself; the places that they share are calculated once.
  std::unordered_map<double, std::vector<double>> known;
  std::vector<Integral> out;
  for (std::size_t k = 0; k < count; ++k)
    out.push_back(integrate(
        [&](double x) {
          auto& values = known[x];
          if (values.empty()) {
            values.resize(count);
            f({&x, 1}, values);
          }
          return values[k];
        },
        a, b, options));
  for (auto& integral : out) integral.evaluations = static_cast<Index>(known.size());
  return out;
}

}  // namespace quill
