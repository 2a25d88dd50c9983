#include "numerics/adaptive_integral.h"

#include <array>

#include "base/interrupt.h"
#include "numerics/adaptive_state.h"

namespace quill {

namespace adaptive {

Integral AdaptiveIntegral::over(double a, double b) {
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

double AdaptiveIntegral::tolerance() const {
  return std::max({options_.absolute, options_.relative * std::fabs(static_cast<double>(value_)),
                   50 * kEps * static_cast<double>(size_), 2 * static_cast<double>(noise_)});
}

double AdaptiveIntegral::called(double x) {
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

double AdaptiveIntegral::at(const Substitution& substitution, double s) {
  const double x = substitution.x(s), y = called(x);
  if (!std::isfinite(y)) throw NotFinite{x, y};
  const double out = y == 0 ? 0 : y * substitution.stretch(s);
  if (!std::isfinite(out)) throw NotFinite{x, y};
  return out;
}

double AdaptiveIntegral::deviation(const Interval& i) const {
  double most = 0;
  for (const auto& w : i.seen) most = std::max(most, std::fabs(w.y - interpolated(i, w.s)));
  return most;
}

void AdaptiveIntegral::judge(Interval& i) const {
  const auto sum = GaussKronrod::rule().sum(i.y);
  const double half = i.width() / 2;
  i.value = half * sum.value;
  i.size = half * sum.size;
  i.error = std::max(half * sum.error, i.width() * deviation(i));
  i.noise = noise(i);
  // Differences below rounding are meaningless.
  if (i.error < floor_of(i)) i.error = 2 * kEps * i.size + i.noise;
}

Interval AdaptiveIntegral::computed(std::size_t substitution, double low, double high,
                                    std::vector<CheckPoint> seen) {
  Interval i;
  i.substitution = substitution;
  i.low = low;
  i.high = high;
  i.seen = std::move(seen);
  const auto& rule = GaussKronrod::rule();
  const double half = (high - low) / 2, middle = low + half;
  for (std::size_t k = 0; k < GaussKronrod::kCount; ++k)
    i.y[k] = at(substitutions_[substitution], middle + half * rule.nodes()[k]);
  // Check points: between nodes, where the polynomial is least accurate, at varying positions; and close to
  // both ends, where events after the last node would be missed.
  const auto first = i.seen.size();
  const auto probe = [&](double z) {
    const double s = middle + half * z;
    if (s > low && s < high) i.seen.push_back({s, at(substitutions_[substitution], s)});
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
  if (substitutions_[substitution].kind == Substitution::Kind::end &&
      substitutions_[substitution].origin != 0)
    correct(i, first);
  judge(i);
  return i;
}

void AdaptiveIntegral::correct(Interval& i, std::size_t first) const {
  const auto& substitution = substitutions_[i.substitution];
  const auto& nodes = GaussKronrod::rule().nodes();
  const double half = i.width() / 2, middle = i.low + half;
  std::array<double, GaussKronrod::kCount> f{};
  for (std::size_t k = 0; k < f.size(); ++k) f[k] = i.y[k] / substitution.stretch(middle + half * nodes[k]);
  // The slope of f by the logarithm of the distance, around node k.
  const auto slope = [&](std::size_t k) {
    const auto a = k == 0 ? 0 : k - 1, b = std::min(k + 1, f.size() - 1);
    return -(f[b] - f[a]) / (half * (nodes[b] - nodes[a]));
  };
  for (std::size_t k = 0; k < f.size(); ++k) {
    const double s = middle + half * nodes[k];
    i.y[k] -= substitution.stretch(s) * slope(k) * substitution.shift(s);
  }
  for (auto w = first; w < i.seen.size(); ++w) {
    auto& seen = i.seen[w];
    const auto k = static_cast<std::size_t>(
        std::upper_bound(nodes.begin(), nodes.end(), (seen.s - middle) / half) - nodes.begin());
    seen.y -= substitution.stretch(seen.s) * slope(std::min(k, f.size() - 1)) * substitution.shift(seen.s);
  }
}

void AdaptiveIntegral::add(Interval i) {
  value_ += i.value;
  error_ += i.error;
  size_ += i.size;
  noise_ += i.noise;
  queue_.push({i.error, intervals_.size()});
  intervals_.push_back(std::move(i));
}

void AdaptiveIntegral::remove(std::size_t k) {
  auto& i = intervals_[k];
  value_ -= i.value;
  error_ -= i.error;
  size_ -= i.size;
  noise_ -= i.noise;
  i.is_dead = true;
  i.seen = {};
}

Integral AdaptiveIntegral::result() const {
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

double AdaptiveIntegral::noise(const Interval& i) const {
  if (i.width() == 0) return 0;
  const auto& substitution = substitutions_[i.substitution];
  const double half = i.width() / 2, middle = i.low + half;
  double out = 0, before = 0;
  for (std::size_t k = 0; k < GaussKronrod::kCount; ++k) {
    const double s = middle + half * GaussKronrod::rule().nodes()[k], y = i.y[k] / substitution.stretch(s);
    if (k > 0) out += std::fabs(substitution.x(s)) * std::fabs(y - before);
    before = y;
  }
  return out * kEps / 2;
}

}  // namespace adaptive

Integral adaptive_integral(const RealFunction& f, double a, double b, const IntegralOptions& options) {
  adaptive::AdaptiveIntegral first(f, options);
  auto out = first.over(a, b);
  if (!first.peak_at()) return out;
  auto again = options;
  again.breaks.push_back(*first.peak_at());
  again.limit = std::max<Index>(0, options.limit - out.evaluations);
  adaptive::AdaptiveIntegral second(f, again);
  const auto evaluations = out.evaluations;
  out = second.over(a, b);
  out.evaluations += evaluations;
  return out;
}

}  // namespace quill
