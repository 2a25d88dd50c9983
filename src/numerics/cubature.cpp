#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>
#include <queue>

#include "base/error.h"
#include "base/interrupt.h"
#include "numerics/gsl.h"
#include "numerics/probe.h"
#include "numerics/quadrature.h"

namespace quill {

namespace {

// The ranges as the unit cube.
class Box {
 public:
  Box(const SeveralFunction& f, std::size_t count, std::span<const RangeOf> ranges)
      : f_(f), values_(count), ranges_(ranges), point_(ranges.size()), scales_(ranges.size(), 0.0) {
    for (std::size_t k = 0; k < ranges.size(); ++k) look(k);
  }

  // The function times the derivatives of the maps.
  void operator()(const double* u, std::span<double> out) {
    double factor = 1;
    for (std::size_t k = 0; k < ranges_.size(); ++k) factor *= place(k, u[k]);
    if (factor == 0) {
      std::fill(out.begin(), out.end(), 0.0);
      return;
    }
    poll_interrupt_at(static_cast<std::size_t>(evaluations++));
    f_(point_, out);
    for (auto& y : out) {
      if (std::isnan(y)) fail(fmt::format("the function is nan at {}", text_of_point()), "check the ranges");
      y *= factor;
      if (std::isfinite(y)) continue;
      // A pole; the box around it is divided.
      y = INFINITY;
      ++infinite_;
      infinite_at_ = text_of_point();
    }
    inside_ += is_inside(u);
  }
  // Throws Error if so much of the box is infinite that the integral is.
  void check_infinite() const {
    constexpr Index few = 10;
    if (infinite_ * few > inside_ * static_cast<Index>(values_.size()))
      fail(fmt::format("the function is infinite at {} and at many other points", infinite_at_),
           "check the ranges");
  }
  Index evaluations = 0;

 private:
  static double scaled(double t) { return t / (1 - t); }
  bool is_inside(const double* u) const {
    return std::all_of(u, u + ranges_.size(), [](double t) { return t > 0 && t < 1; });
  }

  // Sets coordinate k, and gives its derivative by u.
  double place(std::size_t k, double u) {
    const auto [a, b] = ranges_[k](std::span(point_).first(k));
    if (std::isnan(a) || std::isnan(b)) fail(fmt::format("an end of range {} is nan", k + 1));
    const double s = scales_[k];
    if (!std::isinf(a) && !std::isinf(b)) {
      point_[k] = a + (b - a) * u;
      return b - a;
    }
    if (std::isinf(a) && std::isinf(b)) {
      const double t = 2 * u - 1;
      if (std::fabs(t) >= 1) return 0;
      const double rest = 1 - t * t;
      point_[k] = s * t / rest;
      return std::copysign(2 * s * (1 + t * t) / (rest * rest), b - a);
    }
    if (u >= 1) return 0;
    const double side = std::isinf(b) ? (b > 0 ? 1 : -1) : (a > 0 ? 1 : -1);
    const double origin = std::isinf(b) ? a : b;
    point_[k] = origin + side * s * scaled(u);
    return (std::isinf(b) ? side : -side) * s / ((1 - u) * (1 - u));
  }

  // The scale of an infinite range, along a line through the middle of the ranges before.
  void look(std::size_t k) {
    scales_[k] = 1;
    std::vector<double> middle(ranges_.size(), 0.5);
    for (std::size_t j = 0; j < ranges_.size(); ++j) place(j, middle[j]);
    const auto [a, b] = ranges_[k](std::span(point_).first(k));
    if (!std::isinf(a) && !std::isinf(b)) return;
    const double origin = std::isinf(a) ? (std::isinf(b) ? 0 : b) : a;
    const double side = std::isinf(b) && b > 0 ? 1 : -1;
    scales_[k] = scale_of([&](double d) {
                   point_[k] = origin + side * d;
                   ++evaluations;
                   f_(point_, values_);
                   double size = 0;
                   for (const double y : values_)
                     if (std::isfinite(y)) size += std::fabs(y);
                   return size;
                 }).size;
  }

  std::string text_of_point() const {
    std::string out = "(";
    for (const double x : point_) out += (out.size() > 1 ? ", " : "") + shortest(x);
    return out + ")";
  }

  const SeveralFunction& f_;
  std::vector<double> values_;
  std::span<const RangeOf> ranges_;
  std::vector<double> point_;
  std::vector<double> scales_;
  Index inside_ = 0, infinite_ = 0;  // points within the box, and infinite values there
  std::string infinite_at_;
};

// The nodes of a Gauss–Legendre rule on [0, 1], with the polynomial through values there.
struct Rule {
  explicit Rule(std::size_t count) : nodes(count), weights(count), barycentric(count) {
    const std::unique_ptr<gsl_integration_glfixed_table, decltype(&gsl_integration_glfixed_table_free)> table(
        gsl_integration_glfixed_table_alloc(count), gsl_integration_glfixed_table_free);
    if (!table) fail("not enough memory for the integral");
    for (std::size_t k = 0; k < count; ++k)
      gsl_integration_glfixed_point(0, 1, k, &nodes[k], &weights[k], table.get());
    for (std::size_t k = 0; k < count; ++k) {
      double product = 1;
      for (std::size_t j = 0; j < count; ++j)
        if (j != k) product *= 4 * (nodes[k] - nodes[j]);
      barycentric[k] = 1 / product;
    }
  }
  // Weights of the nodes' values in the polynomial's value at z.
  void factors(double z, std::vector<double>& out) const {
    out.assign(nodes.size(), 0.0);
    double sum = 0;
    for (std::size_t k = 0; k < nodes.size(); ++k) {
      if (z == nodes[k]) {
        std::fill(out.begin(), out.end(), 0.0);
        out[k] = 1;
        return;
      }
      out[k] = barycentric[k] / (z - nodes[k]);
      sum += out[k];
    }
    for (auto& x : out) x /= sum;
  }
  std::vector<double> nodes, weights, barycentric;
};

constexpr double kGoldenPart = 0.6180339887498949;

// Adaptive cubature over the unit cube. Each box has a product of Gauss–Legendre rules; its error is its
// volume times the largest difference between the function and the polynomial through the values, at points
// that are no nodes. The worst box is halved along the axis where lines through its middle differ most. In
// the end the function is compared with the polynomials at points of a low-discrepancy sequence over the
// whole cube.
class Cubature {
 public:
  Cubature(Box& f, std::size_t count, std::size_t axes, const IntegralOptions& o)
      : f_(f),
        count_(count),
        axes_(axes),
        options_(o),
        rule_(axes == 2 ? 11 : 9),
        values_(count),
        sums_(count) {}

  std::vector<Integral> run() {
    std::vector<double> low(axes_, 0.0), high(axes_, 1.0);
    try {
      // Divided at an irrational fraction, so that periodicity and symmetry affect both halves differently.
      boxes_.push_back(computed(low, high));
      add(0);
      split(0, 0.4142135623730951);
      refine();
      constexpr int rounds = 10;
      for (int round = 0; options_.confirm && round < rounds && !is_confirmed_; ++round) {
        look(round);
        is_confirmed_ = is_done();
        if (!is_confirmed_) refine();
      }
    } catch (const LimitReached&) { at_limit_ = true; }
    return result();
  }

 private:
  struct LimitReached {};
  // A point where the confirmation found a difference, to be checked again after division.
  struct Witness {
    std::vector<double> u, values;
  };
  struct Part {
    std::vector<double> low, high;
    std::vector<double> y;  // at the nodes, the last axis fastest; `count` values for each
    std::vector<double> value, error, size;
    std::size_t axis = 0;             // that it is halved along
    std::size_t left = 0, right = 0;  // its halves; 0 while it has none
    double volume = 1, cut = 0;
    std::vector<Witness> seen;
  };

  void call(const std::vector<double>& u) {
    if (f_.evaluations >= options_.limit) throw LimitReached();
    f_(u.data(), values_);
    for (const double y : values_) any_ = any_ || y != 0;
  }

  // The polynomial of output c at a point of the box.
  double interpolated(const Part& p, const std::vector<std::vector<double>>& factors, std::size_t c) const {
    const auto m = rule_.nodes.size();
    double sum = 0;
    std::vector<std::size_t> at(axes_, 0);
    for (std::size_t k = 0; k * count_ < p.y.size(); ++k) {
      double w = 1;
      for (std::size_t d = 0; d < axes_; ++d) w *= factors[d][at[d]];
      if (w != 0) sum += w * p.y[k * count_ + c];
      for (std::size_t d = axes_; d-- > 0 && ++at[d] == m;) at[d] = 0;
    }
    return sum;
  }

  // Compares at one point, by parts of the box; returns the largest relative weight of a difference.
  double compare(Part& p, const std::vector<double>& z) {
    std::vector<double> u(axes_);
    std::vector<std::vector<double>> factors(axes_);
    for (std::size_t d = 0; d < axes_; ++d) {
      u[d] = p.low[d] + z[d] * (p.high[d] - p.low[d]);
      rule_.factors(z[d], factors[d]);
    }
    call(u);
    return compare(p, factors, values_);
  }
  double compare(Part& p, const std::vector<std::vector<double>>& factors,
                 const std::vector<double>& seen) const {
    double most = 0;
    for (std::size_t c = 0; c < count_; ++c) {
      const double off = std::isfinite(seen[c]) && std::isfinite(p.size[c])
                             ? p.volume * std::fabs(seen[c] - interpolated(p, factors, c))
                             : INFINITY;
      constexpr double rounding = 50 * std::numeric_limits<double>::epsilon();
      if (off <= rounding * p.size[c]) continue;
      p.error[c] = std::max(p.error[c], off);
      most = std::max(most, off);
    }
    return most;
  }

  Part computed(const std::vector<double>& low, const std::vector<double>& high,
                const std::vector<Witness>& seen = {}, bool is_rough = false) {
    Part p;
    p.low = low;
    p.high = high;
    p.value.resize(count_);
    p.error.resize(count_);
    p.size.resize(count_);
    for (std::size_t d = 0; d < axes_; ++d) p.volume *= high[d] - low[d];
    const auto m = rule_.nodes.size();
    std::size_t total = count_;
    for (std::size_t d = 0; d < axes_; ++d) total *= m;
    p.y.resize(total);
    std::vector<std::size_t> at(axes_, 0);
    std::vector<double> u(axes_);
    bool is_finite = true;
    for (std::size_t k = 0; k * count_ < total; ++k) {
      double w = p.volume;
      for (std::size_t d = 0; d < axes_; ++d) {
        u[d] = low[d] + rule_.nodes[at[d]] * (high[d] - low[d]);
        w *= rule_.weights[at[d]];
      }
      call(u);
      for (std::size_t c = 0; c < count_; ++c) {
        const bool finite = std::isfinite(values_[c]);
        is_finite = is_finite && finite;
        p.y[k * count_ + c] = finite ? values_[c] : 0;
        p.value[c] += w * p.y[k * count_ + c];
        p.size[c] += w * std::fabs(p.y[k * count_ + c]);
      }
      for (std::size_t d = axes_; d-- > 0 && ++at[d] == m;) at[d] = 0;
    }
    for (std::size_t c = 0; c < count_; ++c)
      p.error[c] = 4 * std::numeric_limits<double>::epsilon() * p.size[c];
    // Along each axis through the middle, and at points anywhere.
    double worst = -1;
    const auto between = [&](std::size_t k, double part) {
      return rule_.nodes[k] + part * (rule_.nodes[k + 1] - rule_.nodes[k]);
    };
    for (std::size_t d = 0; d < axes_; ++d) {
      double off = 0;
      for (const double place : {between(1, 0.5), between(m / 2, 0.45)}) {
        std::vector<double> z(axes_, rule_.nodes[m / 2]);
        z[d] = next() < 0.5 ? place : 1 - place;
        off = std::max(off, compare(p, z));
      }
      // Close to both faces, where events after the last node would be missed.
      constexpr double close = 1e-5;
      for (const double place : {close, 1 - close}) {
        std::vector<double> z(axes_);
        for (auto& x : z) x = next();
        z[d] = place;
        off = std::max(off, compare(p, z));
      }
      if (off > worst) {
        worst = off;
        p.axis = d;
      }
    }
    for (int k = 0; k < 4; ++k) {
      std::vector<double> z(axes_);
      for (auto& x : z) x = next();
      compare(p, z);
    }
    // Halves of a box with a jump: slivers at faces and in corners.
    for (int k = 0; is_rough && k < 24; ++k) {
      std::vector<double> z(axes_);
      for (auto& x : z) {
        const double choice = next(), off = std::pow(10.0, -5 * next());
        x = choice < 0.4 ? 0.01 * off : choice < 0.8 ? 1 - 0.01 * off : next();
      }
      compare(p, z);
    }
    for (const auto& w : seen) {
      std::vector<std::vector<double>> factors(axes_);
      bool is_inside = true;
      for (std::size_t d = 0; d < axes_; ++d) {
        is_inside = is_inside && w.u[d] >= low[d] && w.u[d] <= high[d];
        rule_.factors((w.u[d] - low[d]) / (high[d] - low[d]), factors[d]);
      }
      if (!is_inside) continue;
      compare(p, factors, w.values);
      p.seen.push_back(w);
    }
    if (!is_finite)
      for (std::size_t c = 0; c < count_; ++c) p.error[c] = std::max(p.error[c], p.volume + p.size[c]);
    // The longest edge if no axis is preferred.
    if (worst <= 0)
      for (std::size_t d = 0; d < axes_; ++d)
        if (high[d] - low[d] > high[p.axis] - low[p.axis]) p.axis = d;
    return p;
  }
  double next() { return probe_ = std::fmod(probe_ + kGoldenPart, 1.0); }

  // Largest error of a box relative to the allowed one.
  double priority(const Part& p) const {
    double most = 0;
    for (std::size_t c = 0; c < count_; ++c) most = std::max(most, p.error[c] / allowed(c));
    return most;
  }
  double allowed(std::size_t c) const {
    return std::max(
        {options_.absolute, options_.relative * std::fabs(sums_[c].value), 1e-14 * sums_[c].size, 1e-300});
  }
  bool is_done() const {
    for (std::size_t c = 0; c < count_; ++c)
      if (!(sums_[c].error <= allowed(c))) return false;
    return true;
  }
  void count(const Part& p, double sign) {
    for (std::size_t c = 0; c < count_; ++c) {
      sums_[c].value += sign * p.value[c];
      sums_[c].error += sign * p.error[c];
      sums_[c].size += sign * p.size[c];
    }
  }
  void add(std::size_t k) {
    count(boxes_[k], 1);
    queue_.push({priority(boxes_[k]), k});
  }

  void split(std::size_t k, double part) {
    auto low = boxes_[k].low, high = boxes_[k].high;
    const auto d = boxes_[k].axis;
    const double cut = low[d] + part * (high[d] - low[d]);
    if (!(cut > low[d] && cut < high[d])) return;
    auto middle = high;
    middle[d] = cut;
    bool is_rough = false;
    for (std::size_t c = 0; c < count_; ++c)
      is_rough = is_rough || boxes_[k].error[c] > 0.05 * boxes_[k].size[c];
    auto left = computed(low, middle, boxes_[k].seen, is_rough);
    low[d] = cut;
    auto right = computed(low, high, boxes_[k].seen, is_rough);
    count(boxes_[k], -1);
    boxes_[k].cut = cut;
    boxes_[k].y = {};
    boxes_[k].seen = {};
    boxes_[k].left = boxes_.size();
    boxes_[k].right = boxes_.size() + 1;
    boxes_.push_back(std::move(left));
    boxes_.push_back(std::move(right));
    add(boxes_[k].left);
    add(boxes_[k].right);
    // An infinite error that is taken away leaves nan.
    for (const auto& sums : sums_)
      if (!std::isfinite(sums.error)) return recount();
  }

  void refine() {
    Index round = 0;
    while (!queue_.empty() && !is_done()) {
      const auto [by, k] = queue_.top();
      queue_.pop();
      if (boxes_[k].left != 0) continue;
      // Not always in the middle, where symmetric functions have their features.
      split(k, ++round % 3 == 0 ? 0.5 : 0.46 + 0.08 * next());
      if (round % 64 == 0) recount();
    }
    recount();
  }
  // Sums that have lost large terms are made again.
  void recount() {
    for (auto& s : sums_) s = {};
    for (const auto& p : boxes_)
      if (p.left == 0) count(p, 1);
  }

  // The second look, at the points of an additive sequence over the cube (plastic numbers, R. Roberts, 2018).
  void look(int round) {
    const double ratio = axes_ == 2 ? 1.3247179572447460 : 1.2207440846057594;
    // More where more was needed to get here.
    const auto points = std::max<Index>(800, f_.evaluations / 20);
    std::vector<double> z(axes_);
    for (Index j = 0; j < points; ++j) {
      std::size_t k = 0;
      std::vector<double> u(axes_);
      for (std::size_t d = 0; d < axes_; ++d)
        u[d] = std::fmod(
            0.37 + 0.21 * round + static_cast<double>(j + 1) * std::pow(ratio, -static_cast<double>(d + 1)),
            1.0);
      while (boxes_[k].left != 0) k = u[boxes_[k].axis] < boxes_[k].cut ? boxes_[k].left : boxes_[k].right;
      auto& p = boxes_[k];
      for (std::size_t d = 0; d < axes_; ++d) z[d] = (u[d] - p.low[d]) / (p.high[d] - p.low[d]);
      const auto before = p.error;
      compare(p, z);
      bool is_worse = false;
      for (std::size_t c = 0; c < count_; ++c) {
        sums_[c].error += p.error[c] - before[c];
        is_worse = is_worse || p.error[c] > before[c];
      }
      if (!is_worse) continue;
      p.seen.push_back({u, values_});
      queue_.push({priority(p), k});
    }
  }

  std::vector<Integral> result() {
    recount();
    std::vector<Integral> out(count_);
    for (std::size_t c = 0; c < count_; ++c) {
      static_cast<Estimate&>(out[c]) = {sums_[c].value, sums_[c].error, f_.evaluations};
      out[c].size = std::max(sums_[c].size, std::fabs(sums_[c].value));
      out[c].all_zero = !any_;
      out[c].at_limit = at_limit_;
      out[c].is_confirmed = is_confirmed_;
      // Every look has found something else: there is more.
      if (options_.confirm && !is_confirmed_ && !at_limit_) out[c].error = out[c].size;
    }
    return out;
  }

  struct Sums {
    double value = 0, error = 0, size = 0;
  };
  Box& f_;
  std::size_t count_, axes_;
  const IntegralOptions& options_;
  const Rule rule_;
  std::vector<double> values_;
  std::vector<Sums> sums_;
  std::vector<Part> boxes_;  // a tree of halves; the first is the whole
  std::priority_queue<std::pair<double, std::size_t>> queue_;
  double probe_ = 0.123;
  bool any_ = false, at_limit_ = false, is_confirmed_ = false;
};

}  // namespace

std::vector<Integral> integrate(const SeveralFunction& f, std::size_t count, std::span<const RangeOf> ranges,
                                const IntegralOptions& o) {
  Box box(f, count, ranges);
  auto out = Cubature(box, count, ranges.size(), o).run();
  box.check_infinite();
  for (const auto& integral : out)
    if (!std::isfinite(integral.value)) fail("the integral is not finite");
  return out;
}

}  // namespace quill
