// Reductions of moving windows in linear time.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

#include "base/interrupt.h"
#include "base/number.h"
#include "numerics/moving_sum.h"
#include "numerics/signals.h"

namespace quill {

namespace moving_windows {
namespace {

// Position of windows on the samples or their reflection.
struct Windows {
  std::span<const double> samples;  // in `longer`, if they are reflected
  std::vector<double> longer;
  Index first = 0, count = 0;  // of the results among the samples
  Index before = 0, behind = 0;
  bool only_whole = false;
};

Windows windows_of(std::span<const double> y, Index window, Ends ends) {
  const auto n = static_cast<Index>(y.size());
  if (window < 1) fail(fmt::format("a window needs at least one element, not {}", window));
  Windows w;
  w.before = (window - 1) / 2;
  w.behind = window / 2;
  w.count = n;
  w.only_whole = ends == Ends::nan;
  if (ends != Ends::mirror || n == 0) {
    w.samples = y;
    return w;
  }
  if (w.behind >= n)
    fail(fmt::format("a window of {} elements cannot be mirrored at the ends of {}", window, n));
  for (Index k = w.before; k >= 1; --k) w.longer.push_back(y[static_cast<std::size_t>(k)]);
  w.longer.insert(w.longer.end(), y.begin(), y.end());
  for (Index k = 1; k <= w.behind; ++k) w.longer.push_back(y[static_cast<std::size_t>(n - 1 - k)]);
  w.first = w.before;
  w.samples = w.longer;
  return w;
}

// Calls add and remove as the window moves, and result(first, last) for each one.
template <class Add, class Remove, class Result>
std::vector<double> walked(const Windows& w, Add add, Remove remove, Result result) {
  const auto all = static_cast<Index>(w.samples.size());
  std::vector<double> out(static_cast<std::size_t>(w.count));
  Index from = 0, to = 0;  // range inside the window: from … to - 1
  for (Index k = 0; k < w.count; ++k) {
    poll_interrupt_at(static_cast<std::size_t>(k));
    const Index first = std::max<Index>(0, w.first + k - w.before),
                last = std::min(all - 1, w.first + k + w.behind);
    while (to <= last) add(to++);
    while (from < first) remove(from++);
    const bool is_whole = last - first == w.before + w.behind;
    out[static_cast<std::size_t>(k)] = w.only_whole && !is_whole ? NAN : result(first, last);
  }
  return out;
}

struct Counts {
  Index nans = 0, numbers = 0;
  void change(double x, Index by) { (std::isnan(x) ? nans : numbers) += by; }
};

// In two passes, with the range of longer numbers.
long double whole_variance(const double* first, const double* last) {
  long double n = 0, sum = 0, squares = 0, rest = 0;
  for (const auto* x = first; x <= last; ++x)
    if (!std::isnan(*x)) sum += *x, n += 1;
  const long double mean = sum / n;
  for (const auto* x = first; x <= last; ++x)
    if (!std::isnan(*x)) {
      const long double d = *x - mean;
      squares += d * d;
      rest += d;
    }
  return (squares - rest * rest / n) / (n - 1);
}

// Numbers of more than twice the digits, for the difference of sums that nearly cancel.
__extension__ using Long = __float128;

std::vector<double> moving_variance(const Windows& w, bool skip_nan, bool root) {
  // Sums of the elements and their squares in twice the digits, in units in which squares do not overflow.
  MovingSum sum, squares;
  Counts counts;
  double largest = 0;
  for (const double x : w.samples)
    if (std::isfinite(x)) largest = std::max(largest, std::fabs(x));
  const int exponent = largest > 0 ? std::ilogb(largest) : 0;
  const double* const y = w.samples.data();
  const auto change = [&](double x, bool in) {
    counts.change(x, in ? 1 : -1);
    if (std::isnan(x)) return;
    const double d = std::ldexp(x, -exponent), high = d * d,
                 low = std::isfinite(high) ? std::fma(d, d, -high) : 0;
    for (const double part : {high, low}) in ? squares.add(part) : squares.remove(part);
    in ? sum.add(d) : sum.remove(d);
  };
  // The largest sum of squares since the sums were begun: their digits end at its 2^-106.
  double most = 0;
  return walked(
      w,
      [&](Index k) {
        change(y[k], true);
        most = std::max(most, squares.sum());
      },
      [&](Index k) { change(y[k], false); },
      [&](Index first, Index last) {
        const auto n = static_cast<double>(counts.numbers);
        if ((counts.nans > 0 && !skip_nan) || n < 2 || !std::isfinite(sum.sum()))
          return std::numeric_limits<double>::quiet_NaN();
        // Σx² - (Σx)²/n, whose leading digits cancel.
        const Long s = static_cast<Long>(sum.sum()) + sum.rest(),
                   q = static_cast<Long>(squares.sum()) + squares.rest();
        const auto rest = static_cast<double>(q - s * s / n);
        constexpr double few_digits = 1e-18, least = 1e-290;
        long double variance = std::ldexp(static_cast<long double>(rest / (n - 1)), 2 * exponent);
        if (rest < few_digits * most || squares.sum() < least) {
          // Hardly any digits are left: from the elements, and the sums begin again.
          variance = whole_variance(y + first, y + last);
          sum = squares = MovingSum();
          counts = {};
          for (Index k = first; k <= last; ++k) change(y[k], true);
          most = squares.sum();
        }
        return static_cast<double>(root ? std::sqrt(variance) : variance);
      });
}

std::vector<double> moving_sum(Moving op, const Windows& w, bool skip_nan) {
  MovingSum sum;
  Counts counts;
  bool is_stale = false;
  const double* const y = w.samples.data();
  const auto skipped = [&](double x) { return skip_nan && std::isnan(x); };
  return walked(
      w,
      [&](Index k) {
        counts.change(y[k], 1);
        if (!skipped(y[k])) sum.add(y[k]);
      },
      [&](Index k) {
        counts.change(y[k], -1);
        if (skipped(y[k])) return;
        sum.remove(y[k]);
        is_stale = is_stale || sum.is_rest_of(y[k]) || sum.has_overflowed();
      },
      [&](Index first, Index last) {
        const Index n = skip_nan ? counts.numbers : last - first + 1;
        if (op == Moving::count) return static_cast<double>(counts.numbers);
        if (is_stale) {
          sum = MovingSum();
          for (Index k = first; k <= last; ++k)
            if (!skipped(y[k])) sum.add(y[k]);
          is_stale = sum.has_overflowed();
        }
        double out = sum.sum();
        if (sum.has_overflowed()) {
          out = 0;
          for (Index k = first; k <= last; ++k)
            if (!skipped(y[k])) out += op == Moving::mean ? y[k] / static_cast<double>(n) : y[k];
          return out;
        }
        return op == Moving::mean ? out / static_cast<double>(n) : out;
      });
}

// Of samples without nan: extremes over 2, 4, 8, … elements from those of half as many, block by block; two
// overlapping ones make a window. Every step is one vector operation for several elements.
template <bool kMaximum>
std::vector<double> extreme_by_doubling(const Windows& w) {
  const auto all = static_cast<Index>(w.samples.size());
  const Index window = w.before + w.behind + 1;
  const Index before = std::min(w.before, all), behind = std::min(w.behind, all), width = before + behind + 1;
  const auto further = [](double a, double b) { return (kMaximum ? a > b : a < b) ? a : b; };
  constexpr double limit = std::numeric_limits<double>::infinity();
  const Index block = std::max<Index>(4096, width);
  const auto room = static_cast<std::size_t>(block + width);
  std::vector<double> out(static_cast<std::size_t>(w.count)), buffer(room), next(room);
  for (Index begin = 0; begin < w.count; begin += block) {
    poll_interrupt();
    const Index count = std::min(block, w.count - begin), from = w.first + begin - before;
    Index length = count + width - 1;
    for (Index k = 0; k < length; ++k)
      buffer[static_cast<std::size_t>(k)] = from + k < 0 || from + k >= all
                                                ? (kMaximum ? -limit : limit)
                                                : w.samples[static_cast<std::size_t>(from + k)];
    Index span = 1;
    for (; 2 * span <= width; span *= 2) {
      length -= span;
      const double *const a = buffer.data(), *const b = a + span;
      double* const to = next.data();
      for (Index k = 0; k < length; ++k) to[k] = further(a[k], b[k]);
      buffer.swap(next);
    }
    const double *const a = buffer.data(), *const b = a + (width - span);
    double* const to = out.data() + begin;
    for (Index k = 0; k < count; ++k) to[k] = further(a[k], b[k]);
  }
  if (w.only_whole)
    for (Index k = 0; k < w.count; ++k)
      if (k < w.before || k + w.behind >= all || window > all) out[static_cast<std::size_t>(k)] = NAN;
  return out;
}

// Indices of candidates for the extreme in a monotonic queue, stored in a ring.
template <bool kMaximum>
std::vector<double> moving_extreme(const Windows& w, bool skip_nan) {
  if (std::none_of(w.samples.begin(), w.samples.end(), [](double x) { return std::isnan(x); }))
    return extreme_by_doubling<kMaximum>(w);
  std::size_t room = 1;
  while (room < std::min(static_cast<std::size_t>(w.before + w.behind + 2), w.samples.size() + 1)) room *= 2;
  std::vector<Index> ring(room);
  std::size_t begin = 0, end = 0;
  const std::size_t mask = room - 1;
  Index nans = 0;
  const double* const y = w.samples.data();
  return walked(
      w,
      [&](Index k) {
        const double x = y[k];
        if (std::isnan(x)) {
          ++nans;
          return;
        }
        while (begin != end) {
          const double last = y[ring[(end - 1) & mask]];
          if (kMaximum ? last > x : last < x) break;
          --end;
        }
        ring[end++ & mask] = k;
      },
      [&](Index k) {
        nans -= std::isnan(y[k]) ? 1 : 0;
        if (begin != end && ring[begin & mask] == k) ++begin;
      },
      [&](Index, Index) {
        if ((nans > 0 && !skip_nan) || begin == end) return std::numeric_limits<double>::quiet_NaN();
        return y[ring[begin & mask]];
      });
}

// The lower and the upper half of the window, each in order; the lower one has as many or one more.
class Halves {
 public:
  void add(double x) {
    if (lower_.empty() || x <= *lower_.rbegin())
      lower_.insert(x);
    else
      upper_.insert(x);
    balance();
  }
  void remove(double x) {
    if (const auto at = lower_.find(x); at != lower_.end())
      lower_.erase(at);
    else
      upper_.erase(upper_.find(x));
    balance();
  }
  double median() const {
    if (lower_.empty()) return std::numeric_limits<double>::quiet_NaN();
    const double low = *lower_.rbegin();
    if (lower_.size() > upper_.size()) return low;
    const double high = *upper_.begin();
    return low == high ? low : low / 2 + high / 2;
  }

 private:
  void balance() {
    if (lower_.size() > upper_.size() + 1) {
      upper_.insert(*lower_.rbegin());
      lower_.erase(std::prev(lower_.end()));
    } else if (upper_.size() > lower_.size()) {
      lower_.insert(*upper_.begin());
      upper_.erase(upper_.begin());
    }
  }
  std::multiset<double> lower_, upper_;
};

std::vector<double> moving_median(const Windows& w, bool skip_nan) {
  Halves halves;
  Counts counts;
  const double* const y = w.samples.data();
  return walked(
      w,
      [&](Index k) {
        counts.change(y[k], 1);
        if (!std::isnan(y[k])) halves.add(y[k]);
      },
      [&](Index k) {
        counts.change(y[k], -1);
        if (!std::isnan(y[k])) halves.remove(y[k]);
      },
      [&](Index, Index) {
        return counts.nans > 0 && !skip_nan ? std::numeric_limits<double>::quiet_NaN() : halves.median();
      });
}

}  // namespace
}  // namespace moving_windows

std::vector<double> moving(Moving op, std::span<const double> y, Index window, Ends ends, bool skip_nan) {
  using namespace moving_windows;
  const auto w = windows_of(y, window, ends);
  switch (op) {
    case Moving::minimum: return moving_extreme<false>(w, skip_nan);
    case Moving::maximum: return moving_extreme<true>(w, skip_nan);
    case Moving::median: return moving_median(w, skip_nan);
    case Moving::variance:
    case Moving::std: return moving_variance(w, skip_nan, op == Moving::std);
    default: return moving_sum(op, w, skip_nan);
  }
}

std::vector<double> moving(const std::function<double(std::span<const double>)>& f, std::span<const double> y,
                           Index window, Ends ends, bool skip_nan) {
  using namespace moving_windows;
  const auto w = windows_of(y, window, ends);
  std::vector<double> numbers;
  return walked(
      w, [](Index) {}, [](Index) {},
      [&](Index first, Index last) {
        const std::span<const double> inside(w.samples.data() + first,
                                             static_cast<std::size_t>(last - first + 1));
        if (!skip_nan) return f(inside);
        numbers.clear();
        for (const double x : inside)
          if (!std::isnan(x)) numbers.push_back(x);
        return numbers.empty() ? std::numeric_limits<double>::quiet_NaN() : f(numbers);
      });
}

}  // namespace quill
