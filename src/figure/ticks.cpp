#include "figure/ticks.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "base/number.h"

namespace quill {

namespace {

// The steps a person counts in, the best first.
constexpr std::array<double, 6> kSteps = {1, 5, 2, 2.5, 4, 3};
struct Weights {
  double simplicity = 0.25, coverage = 0.2, density = 0.5, legibility = 0.05;
  double score(double s, double c, double d) const {
    return simplicity * s + coverage * c + density * d + legibility;
  }
};

double coverage(double dmin, double dmax, double lmin, double lmax) {
  const double range = dmax - dmin;
  return 1 - 0.5 * (std::pow(dmax - lmax, 2) + std::pow(dmin - lmin, 2)) / std::pow(0.1 * range, 2);
}

double most_coverage(double dmin, double dmax, double span) {
  const double range = dmax - dmin;
  if (span <= range) return 1;
  return 1 - std::pow((span - range) / 2, 2) / std::pow(0.1 * range, 2);
}

double density(double k, double m, double dmin, double dmax, double lmin, double lmax) {
  const double r = (k - 1) / (lmax - lmin), wanted = (m - 1) / (std::max(lmax, dmax) - std::min(dmin, lmin));
  return 2 - std::max(r / wanted, wanted / r);
}

double most_density(double k, double m) { return k >= m ? 2 - (k - 1) / (m - 1) : 1; }

struct Labelling {
  double first = 0, step = 0;
  int count = 0;
  double score = -2;
};

// Tries the labellings of one step q·j with k labels; the search stops where the best cannot be beaten.
void try_starts(double dmin, double dmax, double m, double q, int j, int k, std::size_t i, double most_simple,
                Labelling& best) {
  const Weights w;
  const double dm = most_density(k, m);
  const double delta = (dmax - dmin) / (k + 1) / j / q;
  for (double z = std::ceil(std::log10(delta));; ++z) {
    const double step = j * q * std::pow(10.0, z);
    if (w.score(most_simple, most_coverage(dmin, dmax, step * (k - 1)), dm) < best.score || z > 320) return;
    const double lowest = std::floor(dmax / step) * j - (k - 1) * j, highest = std::ceil(dmin / step) * j;
    constexpr double most_starts = 10000;
    if (!(highest - lowest < most_starts)) continue;
    for (double start = lowest; start <= highest; ++start) {
      const double lmin = start * (step / j), lmax = lmin + step * (k - 1);
      const double slack = 1e-9 * (dmax - dmin);
      if (lmin < dmin - slack || lmax > dmax + slack) continue;
      const double offset = std::fabs(std::remainder(lmin, step));
      const bool has_zero = offset < 1e-10 * step && lmin <= 0 && lmax >= 0;
      const double s = 1 - static_cast<double>(i) / (kSteps.size() - 1) - j + (has_zero ? 1 : 0) + 0;
      const double score =
          w.score(s, coverage(dmin, dmax, lmin, lmax), density(k, m, dmin, dmax, lmin, lmax));
      if (score > best.score) best = {lmin, step, k, score};
    }
  }
}

Labelling best_labelling(double dmin, double dmax, double m) {
  const Weights w;
  Labelling best;
  for (int j = 1; j < 20; ++j) {
    for (std::size_t i = 0; i < kSteps.size(); ++i) {
      const double most_simple = 1 - static_cast<double>(i) / (kSteps.size() - 1) - j + 1;
      if (w.score(most_simple, 1, 1) < best.score) return best;
      for (int k = 2; k < 60; ++k) {
        if (w.score(most_simple, 1, most_density(k, m)) < best.score) break;
        try_starts(dmin, dmax, m, kSteps[i], j, k, i, most_simple, best);
      }
    }
  }
  return best;
}

// Zero has no sign.
std::string with_real_minus(const std::string& text) {
  if (!text.starts_with('-')) return text;
  const bool is_zero = text.find_first_not_of("0.", 1) == std::string::npos;
  return is_zero ? text.substr(1) : "−" + text.substr(1);
}

}  // namespace

namespace {

// How large the positions are, and how near to each other.
struct Spread {
  double largest = 0, nearest = INFINITY;
  explicit Spread(const std::vector<double>& positions) {
    for (std::size_t k = 0; k < positions.size(); ++k) {
      largest = std::max(largest, std::fabs(positions[k]));
      if (k > 0) nearest = std::min(nearest, std::fabs(positions[k] - positions[k - 1]));
    }
    if (positions.size() < 2 || nearest == 0) nearest = largest == 0 ? 1 : largest / 1000;
  }
  bool wants_power() const { return largest != 0 && (largest >= 1e6 || nearest < 1e-4); }
  int exponent() const { return static_cast<int>(std::floor(std::log10(largest) + 1e-9)); }
};

// As few decimals as give every position within a thousandth of the distance between them.
int decimals_for(const std::vector<double>& positions, double nearest, double scale) {
  for (int d = 0; d < 12; ++d) {
    const double unit = std::pow(10.0, d);
    if (std::all_of(positions.begin(), positions.end(), [&](double p) {
          return std::fabs(std::round(p / scale * unit) / unit - p / scale) < 1e-3 * nearest / scale;
        }))
      return d;
  }
  return 12;
}

std::vector<std::string> scaled_labels(const std::vector<double>& positions, double nearest, double scale) {
  std::vector<std::string> out;
  const int decimals = decimals_for(positions, nearest, scale);
  for (const double p : positions) {
    auto text = with_real_minus(fmt::format("{:.{}f}", p / scale, decimals));
    out.push_back(scale != 1 && p == 0 ? "0" : std::move(text));
  }
  return out;
}

std::string power_text(int exponent) { return fmt::format("$\\times10^{{{}}}$", exponent); }

// Numbers whose squares are too small or too large for a float64 are taken this much larger or smaller.
constexpr double kTiny = 1e-140, kHuge = 1e140, kEnlarged = 1e200;
constexpr int kEnlargedExponent = 200;

// The roundest number among the positions or just below them, when their labels would be long because of many
// equal digits; 0 otherwise.
double common_part(const std::vector<double>& positions, const Spread& spread) {
  constexpr double many = 1e4;
  constexpr std::ptrdiff_t most_digits = 5;
  if (positions.size() < 2 || spread.largest / spread.nearest < many) return 0;
  const double scale = std::pow(10.0, spread.wants_power() ? spread.exponent() : 0);
  const auto labels = scaled_labels(positions, spread.nearest, scale);
  if (std::all_of(labels.begin(), labels.end(), [](const std::string& label) {
        return std::count_if(label.begin(), label.end(), [](char c) { return c >= '0' && c <= '9'; }) <=
               most_digits;
      }))
    return 0;
  const auto [low, high] = std::minmax_element(positions.begin(), positions.end());
  const double unit = std::pow(10.0, std::floor(std::log10(*high - *low)) + 1);
  const double among = std::ceil(*low / unit) * unit;
  const double part = among <= *high ? among : among - unit;
  return std::isfinite(part) ? part : 0;
}

std::string with_sign(double part) {
  const double size = std::fabs(part);
  const bool is_large = size >= 1e6 || size < 1e-4;
  const int exponent = is_large ? static_cast<int>(std::floor(std::log10(size) + 1e-9)) : 0;
  return fmt::format("{} {:.15g}{}", part < 0 ? "−" : "+", size / std::pow(10.0, exponent),
                     is_large ? power_text(exponent) : "");
}

void set_texts(Ticks& ticks) {
  auto [labels, common] = tick_texts(ticks.positions);
  ticks.labels = std::move(labels);
  ticks.common = std::move(common);
}

}  // namespace

Ticks whole_ticks(double low, double high, double wanted) {
  auto out = linear_ticks(low, high, wanted);
  const auto is_whole = [](double v) { return v == std::round(v); };
  if (std::all_of(out.positions.begin(), out.positions.end(), is_whole)) return out;
  // The smallest round step from 1 that does not crowd them.
  double step = 1;
  for (const double next : {1.0, 2.0, 5.0, 10.0}) {
    step = next;
    if ((high - low) / step <= 1.4 * wanted) break;
  }
  out = {};
  out.step = step;
  for (double k = std::ceil(low / step); k * step <= high; ++k) out.positions.push_back(k * step);
  if (out.positions.empty()) return linear_ticks(low, high, wanted);
  set_texts(out);
  return out;
}

Ticks linear_ticks(double low, double high, double wanted) {
  Ticks out;
  const double m = std::max(2.0, wanted);
  // Ends of very different size from their distance cannot be distinguished by round numbers.
  constexpr double smallest = 1e-320;
  if (!(high > low) || (high - low) < 1e-12 * std::max(std::fabs(low), std::fabs(high))) {
    out.positions = {low};
  } else if (high - low < smallest) {
    out.positions = {low, high};
  } else if (std::max(std::fabs(low), std::fabs(high)) < kTiny) {
    out = linear_ticks(low * kEnlarged, high * kEnlarged, wanted);
    out.step /= kEnlarged;
    for (double& p : out.positions) p /= kEnlarged;
  } else if (std::max(std::fabs(low), std::fabs(high)) > kHuge) {
    out = linear_ticks(low / kEnlarged, high / kEnlarged, wanted);
    out.step *= kEnlarged;
    for (double& p : out.positions) p *= kEnlarged;
  } else {
    const auto best = best_labelling(low, high, m);
    out.step = best.step;
    for (int k = 0; k < best.count; ++k) {
      const double steps = best.first / best.step + k;
      const double nearest = std::round(steps);
      double p = std::fabs(steps - nearest) < 1e-6 ? nearest * best.step : best.first + k * best.step;
      if (std::fabs(p) < 1e-9 * best.step) p = 0;
      out.positions.push_back(p);
    }
    if (out.positions.empty()) out.positions = {low, high};
  }
  set_texts(out);
  return out;
}

std::vector<std::string> tick_labels(const std::vector<double>& positions) {
  const Spread spread(positions);
  const bool powers = spread.wants_power() && spread.largest / spread.nearest < 1e8;
  const int exponent = powers ? spread.exponent() : 0;
  auto out = scaled_labels(positions, spread.nearest, std::pow(10.0, exponent));
  if (powers)
    for (std::size_t k = 0; k < out.size(); ++k)
      if (positions[k] != 0) out[k] += power_text(exponent);
  return out;
}

TickTexts tick_texts(const std::vector<double>& positions) {
  auto from = positions;
  int enlarged = 0;
  if (const double largest = Spread(positions).largest; largest > 0 && largest < kTiny) {
    enlarged = kEnlargedExponent;
    for (double& p : from) p *= kEnlarged;
  }
  const double part = common_part(from, Spread(from));
  for (double& p : from) p -= part;
  const Spread spread(from);
  const bool powers = enlarged != 0 || spread.wants_power();
  const int exponent = powers ? spread.exponent() : 0;
  TickTexts out{scaled_labels(from, spread.nearest, std::pow(10.0, exponent)), {}};
  if (powers) out.common = power_text(exponent - enlarged);
  if (part != 0 && enlarged == 0) out.common += (powers ? " " : "") + with_sign(part);
  return out;
}

Ticks log_ticks(double low, double high, double wanted) {
  Ticks out;
  const double decades = std::log10(high) - std::log10(low);  // whose quotient may overflow
  constexpr double short_range = 0.8;
  if (!(decades > short_range) || !std::isfinite(decades)) {
    out = linear_ticks(low, high, wanted);
    return out;
  }
  const int first = static_cast<int>(std::floor(std::log10(low) - 1e-9)),
            last = static_cast<int>(std::ceil(std::log10(high) + 1e-9));
  const int stride = std::max(1, static_cast<int>(std::ceil(decades / std::max(2.0, wanted))));
  // With 2 and 5 between the powers when these are few.
  const bool with_parts = 3 * decades < 1.8 * wanted && decades < 3;
  const double slack = 1e-9;
  for (int e = first; e <= last; ++e)
    for (int m = 1; m < 10; ++m) {
      const double p = m * std::pow(10.0, e);
      if (p < low * (1 - slack) || p > high * (1 + slack)) continue;
      if ((m == 1 && e % stride == 0) || (with_parts && (m == 2 || m == 5)))
        out.positions.push_back(p);
      else if (m == 1 || stride == 1)
        out.minor.push_back(p);
    }
  constexpr double few_decades = 1.3;
  if (out.positions.size() < (wanted >= 3 ? 3 : 2) && decades < few_decades)
    return linear_ticks(low, high, wanted);
  // Plain numbers as long as they are short; powers of ten otherwise.
  const bool plain = first >= -3 && last <= 5;
  for (const double p : out.positions) {
    const int e = static_cast<int>(std::floor(std::log10(p) + 1e-9));
    const double m = p / std::pow(10.0, e);
    if (plain)
      out.labels.push_back(shortest(std::stod(fmt::format("{:.6g}", p))));
    else
      out.labels.push_back(m < 1.5 ? fmt::format("$10^{{{}}}$", e)
                                   : fmt::format("${:.0f}\\times10^{{{}}}$", m, e));
  }
  return out;
}

Ticks signed_log_ticks(double low, double high, double unit, double wanted) {
  const double largest = std::max(std::fabs(low), std::fabs(high)),
               least = std::min(std::fabs(low), std::fabs(high));
  // Of one sign and away from 0 it is logarithmic.
  if ((low > 0) == (high > 0) && low != 0 && high != 0 && least >= unit) {
    auto out = log_ticks(least, largest, wanted);
    if (high > 0) return out;
    if (out.step > 0 || !out.common.empty()) return linear_ticks(low, high, wanted);
    for (auto* positions : {&out.positions, &out.minor}) {
      for (double& p : *positions) p = -p;
      std::reverse(positions->begin(), positions->end());
    }
    std::reverse(out.labels.begin(), out.labels.end());
    for (auto& label : out.labels) label = "−" + label;
    return out;
  }
  Ticks out;
  const int first = static_cast<int>(std::round(std::log10(unit))) + 1,
            last = static_cast<int>(std::floor(std::log10(largest) + 1e-9));
  const int stride = std::max(1, static_cast<int>(std::ceil((last - first + 1) / std::max(1.0, wanted / 2))));
  const bool is_plain = first >= -3 && last <= 4;
  std::vector<std::pair<double, std::string>> found;
  const auto add = [&](double p, const std::string& label) {
    if (p >= low && p <= high) found.emplace_back(p, label);
  };
  add(0, "0");
  for (int e = last; e >= first; e -= stride) {
    const double p = std::pow(10.0, e);
    const auto label = is_plain ? shortest(p) : fmt::format("$10^{{{}}}$", e);
    add(p, label);
    add(-p, "−" + label);
  }
  std::sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  for (auto& [p, label] : found) {
    out.positions.push_back(p);
    out.labels.push_back(label);
  }
  return out;
}

std::optional<std::vector<std::string>> formatted_labels(const std::vector<double>& positions,
                                                         const std::string& format) {
  std::vector<std::string> out;
  try {
    for (const double p : positions)
      out.push_back(with_real_minus(fmt::format(fmt::runtime("{:" + format + "}"), p == 0 ? 0.0 : p)));
  } catch (const fmt::format_error&) { return std::nullopt; }
  return out;
}

}  // namespace quill
