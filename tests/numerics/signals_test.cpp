// Filters, moving reductions, peaks and spectra against closed forms and direct sums.
#include "numerics/signals.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <numbers>
#include <random>

#include "numerics/filters.h"
#include "numerics/helpers.h"
#include "numerics/spectra.h"

using namespace quill;
using namespace quill::test;

namespace {

constexpr double kHalfTurn = std::numbers::pi;

std::vector<double> samples(int n, const std::function<double(double)>& f) {
  std::vector<double> out;
  for (int k = 0; k < n; ++k) out.push_back(f(k));
  return out;
}

std::vector<double> noise(std::mt19937_64& random, int n) {
  std::normal_distribution<double> normal;
  return samples(n, [&](double) { return normal(random); });
}

double largest_difference(const std::vector<double>& a, const std::vector<double>& b,
                          std::size_t margin = 0) {
  double most = 0;
  for (std::size_t k = margin; k + margin < a.size(); ++k) most = std::max(most, std::fabs(a[k] - b[k]));
  return most;
}

}  // namespace

TEST_CASE("Butterworth filters have the gain of their formula at every order, kind and cutoff") {
  for (const int order : {1, 2, 3, 4, 5, 8, 12})
    for (const double spacing : {1.0, 0.01, 3600.0})
      for (const double low : {0.001, 0.05, 0.2})
        for (const auto kind : {PassKind::low, PassKind::high, PassKind::band, PassKind::stop}) {
          const double high = low * 2.1;
          const bool is_band = kind == PassKind::band || kind == PassKind::stop;
          if (is_band && low < 0.01 && order > 5)
            continue;  // single sections of 2^-53 have no digits left there
          const auto f =
              Filter::butterworth(order, {low / spacing, (is_band ? high : low) / spacing}, kind, spacing);
          for (const double at : {low / 3, low, low * 1.4, high, 0.45}) {
            // By the analog filter at the frequency that the bilinear transformation takes here.
            const double w = std::tan(kHalfTurn * at), w1 = std::tan(kHalfTurn * low),
                         w2 = std::tan(kHalfTurn * high);
            double x = 0;
            switch (kind) {
              case PassKind::low: x = w / w1; break;
              case PassKind::high: x = w1 / w; break;
              case PassKind::band: x = (w * w - w1 * w2) / (w * (w2 - w1)); break;
              case PassKind::stop: x = w * (w2 - w1) / (w * w - w1 * w2); break;
            }
            const double gain = 1 / std::sqrt(1 + std::pow(x * x, order));
            CAPTURE(order, spacing, low, static_cast<int>(kind), at);
            CHECK(std::abs(f.response(at / spacing)) == Approx(gain).epsilon(1e-5).margin(1e-7));
          }
        }
}

TEST_CASE("filters both ways leave no delay and square the gain, forward they delay") {
  const auto f = Filter::butterworth(4, {0.1, 0.1}, PassKind::low, 1);
  for (const double at : {0.02, 0.1, 0.18}) {
    const auto wave = samples(2000, [&](double t) { return std::cos(2 * kHalfTurn * at * t + 0.3); });
    const double gain = std::norm(f.response(at));
    const auto wanted =
        samples(2000, [&](double t) { return gain * std::cos(2 * kHalfTurn * at * t + 0.3); });
    CHECK(largest_difference(f.applied(wave, false), wanted, 100) < 1e-6);
    const auto g = f.response(at);
    const auto late = samples(
        2000, [&](double t) { return std::abs(g) * std::cos(2 * kHalfTurn * at * t + 0.3 + std::arg(g)); });
    CHECK(largest_difference(f.applied(wave, true), late, 300) < 1e-6);
  }
  // Constants and lines pass a low pass whole, also at the ends; a high pass takes constants out.
  for (const int n : {2, 5, 40, 3000}) {
    const auto line = samples(n, [](double t) { return 5 + 0.25 * t; });
    CHECK(largest_difference(f.applied(line, false), line) < 1e-6 * n);
    const auto constant = samples(n, [](double) { return 7; });
    CHECK(largest_difference(f.applied(constant, false), constant) < 1e-9);
    const auto none = Filter::butterworth(3, {0.2, 0.2}, PassKind::high, 1).applied(constant, false);
    CHECK(largest_difference(none, std::vector<double>(none.size(), 0.0)) < 1e-9);
  }
  // Scales do not matter.
  std::mt19937_64 random(2);
  const auto y = noise(random, 300);
  auto tiny = y;
  for (double& v : tiny) v *= 1e-12;
  const auto a = f.applied(y, false), b = f.applied(tiny, false);
  for (std::size_t k = 0; k < a.size(); ++k) CHECK(b[k] == Approx(1e-12 * a[k]).epsilon(1e-9).margin(1e-24));
}

TEST_CASE("finite filters are symmetric, with the gain of their weights") {
  const auto f = Filter::finite(101, {0.1, 0.1}, PassKind::low, 1);
  CHECK(std::abs(f.response(0)) == Approx(1).epsilon(1e-12));
  CHECK(std::abs(f.response(0.1)) == Approx(0.5).epsilon(0.01));
  CHECK(std::abs(f.response(0.15)) < 0.003);
  const auto wave = samples(1000, [](double t) { return std::cos(2 * kHalfTurn * 0.03 * t); });
  CHECK(largest_difference(f.applied(wave, false), wave, 60) < 0.004);
  for (std::size_t k = 0; k < 101; ++k) CHECK(f.weights()[k] == Approx(f.weights()[100 - k]).margin(1e-17));
  const auto high = Filter::finite(101, {0.1, 0.1}, PassKind::high, 1),
             band = Filter::finite(101, {0.1, 0.2}, PassKind::band, 1);
  CHECK(std::abs(high.response(0)) < 0.003);
  CHECK(std::abs(high.response(0.4)) == Approx(1).epsilon(0.004));
  CHECK(std::abs(band.response(0.15)) == Approx(1).epsilon(1e-9));
  CHECK(std::abs(band.response(0.3)) < 0.003);
}

TEST_CASE("local polynomials keep polynomials and differentiate them") {
  for (const int degree : {0, 1, 2, 3, 5}) {
    const auto y = samples(60, [&](double t) { return std::pow((t - 25) / 10, degree) + 1; });
    CHECK(largest_difference(smoothed(y, 11, degree, 0, 1), y) < 1e-9);
    if (degree == 0) continue;
    const auto slope =
        samples(60, [&](double t) { return degree * std::pow((t - 25) / 10, degree - 1) / 10 / 0.5; });
    CHECK(largest_difference(smoothed(y, 11, degree, 1, 0.5), slope) < 1e-8);
  }
  // The published weights for a parabola through 5 points: (-3, 12, 17, 12, -3) / 35.
  std::vector<double> impulse(9, 0.0);
  impulse[4] = 35;
  const auto w = smoothed(impulse, 5, 2, 0, 1);
  CHECK(w[4] == Approx(17));
  CHECK(w[3] == Approx(12));
  CHECK(w[2] == Approx(-3));
  CHECK(w[6] == Approx(-3));
}

TEST_CASE("trends are taken off to rounding") {
  for (const int degree : {0, 1, 3, 7}) {
    const auto y = samples(500, [&](double t) { return 1e6 * std::pow(t / 500, degree) + 3; });
    CHECK(largest_difference(detrended(y, degree), std::vector<double>(500, 0.0)) < 1e-8);
  }
  const auto rest = detrended(std::vector<double>{1, 3, 2, 4}, 1);
  CHECK(rest[0] == Approx(-0.3));
}

TEST_CASE("moving extremes of long windows are those of the elements") {
  std::mt19937_64 random(8);
  const int n = 12000;
  const auto y = noise(random, n);
  for (const Index window : {1, 2, 3, 64, 1000, 4097, 11999, 30000}) {
    const auto low = moving(Moving::minimum, y, window, Ends::shrink, false),
               high = moving(Moving::maximum, y, window, Ends::nan, false);
    for (int k = 0; k < n; k += 311) {
      const Index first = k - (window - 1) / 2, last = k + window / 2;
      const auto begin = y.begin() + std::max<Index>(0, first),
                 end = y.begin() + std::min<Index>(n, last + 1);
      CAPTURE(window, k);
      CHECK(low[static_cast<std::size_t>(k)] == *std::min_element(begin, end));
      if (first < 0 || last >= n)
        CHECK(std::isnan(high[static_cast<std::size_t>(k)]));
      else
        CHECK(high[static_cast<std::size_t>(k)] == *std::max_element(begin, end));
    }
  }
}

TEST_CASE("moving reductions are those of their windows, with nan, infinities and peaks") {
  std::mt19937_64 random(7);
  const auto direct = [](Moving op, std::vector<double> v) {
    if (v.empty()) return op == Moving::sum ? 0.0 : double(NAN);
    std::sort(v.begin(), v.end());
    long double sum = 0, squares = 0;
    for (const double x : v) sum += x;
    const long double n = v.size(), mean = sum / n;
    for (const double x : v) squares += (x - mean) * (x - mean);
    switch (op) {
      case Moving::sum: return static_cast<double>(sum);
      case Moving::mean: return static_cast<double>(mean);
      case Moving::minimum: return v.front();
      case Moving::maximum: return v.back();
      case Moving::median:
        return v.size() % 2 ? v[v.size() / 2] : v[v.size() / 2 - 1] / 2 + v[v.size() / 2] / 2;
      case Moving::variance: return static_cast<double>(squares / (n - 1));
      case Moving::std: return static_cast<double>(std::sqrt(squares / (n - 1)));
      default: return static_cast<double>(n);
    }
  };
  for (int trial = 0; trial < 60; ++trial) {
    const int n = 1 + static_cast<int>(random() % 60);
    auto y = noise(random, n);
    for (double& v : y) {
      if (trial % 2 && random() % 9 == 0) v = NAN;
      if (random() % 15 == 0) v *= 1e14;
      if (trial % 3 == 0) v += 1e8;
      if (trial % 5 == 0) v = std::round(v);
    }
    const auto window = static_cast<Index>(1 + random() % (trial % 4 == 0 ? 100 : 9));
    const auto ends = static_cast<Ends>(random() % 3);
    const bool skip = random() % 2;
    if (ends == Ends::mirror && window / 2 >= n) continue;
    for (const auto op : {Moving::sum, Moving::mean, Moving::minimum, Moving::maximum, Moving::median,
                          Moving::variance, Moving::std}) {
      const auto got = moving(op, y, window, ends, skip);
      for (int k = 0; k < n; ++k) {
        std::vector<double> inside;
        bool has_nan = false, is_cut = false;
        for (auto j = k - (window - 1) / 2; j <= k + window / 2; ++j) {
          auto at = j;
          if (at < 0 || at >= n) is_cut = true;
          if (ends == Ends::mirror) at = at < 0 ? -at : at >= n ? 2 * (n - 1) - at : at;
          if (at < 0 || at >= n) continue;
          const double v = y[static_cast<std::size_t>(at)];
          has_nan = has_nan || std::isnan(v);
          if (!std::isnan(v)) inside.push_back(v);
        }
        double wanted = direct(op, inside);
        if ((has_nan && !skip) || (is_cut && ends == Ends::nan)) wanted = NAN;
        const double value = got[static_cast<std::size_t>(k)];
        CAPTURE(trial, static_cast<int>(op), window, k, value, wanted, skip, static_cast<int>(ends));
        double size = 0;
        for (const double v : inside) size = std::max(size, std::fabs(v));
        if (std::isnan(wanted))
          CHECK(std::isnan(value));
        else
          CHECK(value == Approx(wanted).epsilon(1e-10).margin(op == Moving::variance ? 1e-26 * size * size
                                                                                     : 1e-13 * size));
      }
    }
  }
  CHECK(moving(Moving::mean, std::vector<double>{1e308, 1e308, 1e308}, 3, Ends::shrink, false)[1] ==
        Approx(1e308));
  CHECK(std::isinf(moving(Moving::sum, std::vector<double>{1, INFINITY, 2, 3}, 3, Ends::shrink, false)[1]));
  CHECK(moving(Moving::sum, std::vector<double>{1, INFINITY, 2, 3}, 3, Ends::shrink, false)[3] == 5);
}

TEST_CASE("peaks have their prominence and width") {
  const auto p = peaks(std::vector<double>{0, 2, 1, 4, 4, 0, 1, 0}, {});
  REQUIRE(p.size() == 3);
  CHECK(p[0].prominence == 1);
  CHECK(p[1].position == 4.5);
  CHECK(p[1].prominence == 4);
  CHECK(p[2].prominence == 1);
  // A triangle of height 10 and base 20 is 10 wide at half its height.
  const auto t = peaks(samples(41, [](double k) { return std::max(0.0, 10 - std::fabs(k - 20)); }), {});
  REQUIRE(t.size() == 1);
  CHECK(t[0].width == Approx(10));
  // Every prominence is that of its definition.
  std::mt19937_64 random(5);
  for (int trial = 0; trial < 50; ++trial) {
    const auto y = samples(80, [&](double) { return static_cast<double>(random() % 30); });
    for (const auto& peak : peaks(y, {})) {
      const auto at = static_cast<Index>(peak.position) - 1;
      double saddle = -INFINITY;
      for (const Index step : {-1, 1}) {
        double low = INFINITY;
        for (auto k = at; k >= 0 && k < 80 && y[static_cast<std::size_t>(k)] <= peak.height; k += step)
          low = std::min(low, y[static_cast<std::size_t>(k)]);
        saddle = std::max(saddle, low);
      }
      CHECK(peak.prominence == peak.height - saddle);
    }
  }
  PeakLimits apart;
  apart.distance = 10;
  const auto far = peaks(samples(200, [](double k) { return std::sin(k) + k / 1000; }), apart);
  for (std::size_t k = 1; k < far.size(); ++k) CHECK(far[k].position - far[k - 1].position >= 10);
}

TEST_CASE("phases, crossings and lags are found") {
  const auto turned = samples(100, [](double k) { return std::remainder(0.7 * k, 2 * kHalfTurn); });
  CHECK(largest_difference(unwrapped(turned, 2 * kHalfTurn), samples(100, [](double k) { return 0.7 * k; })) <
        1e-12);
  CHECK(zero_crossings(std::vector<double>{0, 1, 2, 3}, std::vector<double>{1, -1, 0, 2}) ==
        std::vector<double>{0.5, 2});
  CHECK(zero_crossings(std::vector<double>{0, 1, 2}, std::vector<double>{1, NAN, -1}).empty());
  std::mt19937_64 random(3);
  // Independent series with memory: significant at 5 % about as often as stated.
  int hits = 0;
  const int trials = 400;
  for (int k = 0; k < trials; ++k) {
    const auto series = [&] {
      auto v = noise(random, 200);
      for (std::size_t j = 1; j < v.size(); ++j) v[j] += 0.8 * v[j - 1];
      return v;
    };
    const Index lag[] = {3};
    hits += lag_correlation(series(), series(), lag).p[0] < 0.05;
  }
  CHECK(hits < 0.09 * trials);
  CHECK(hits > 0.01 * trials);
  const auto y = noise(random, 300);
  const auto r = autocorrelation(y, 5);
  double mean = 0, own = 0, next = 0;
  for (const double v : y) mean += v / 300;
  for (std::size_t k = 0; k < 300; ++k) own += (y[k] - mean) * (y[k] - mean);
  for (std::size_t k = 2; k < 300; ++k) next += (y[k] - mean) * (y[k - 2] - mean);
  CHECK(r[2] == Approx(next / own).epsilon(1e-10));
}

TEST_CASE("averaged spectra keep the variance, and their values vary as stated") {
  std::mt19937_64 random(9);
  const double spacing = 0.1;
  double sum = 0, squares = 0, stated = 0, variance = 0;
  int count = 0;
  const int trials = 60;
  for (int k = 0; k < trials; ++k) {
    const auto y = noise(random, 2048);
    const auto s = averaged_spectrum(y, segments_of(2048, 15, 0.5), {spacing, Window::hann, 0});
    const auto p = s.power.to_vector<double>();
    const double step = s.frequency.at<double>({1});
    double all = 0;
    for (const double v : p) all += v * step;
    variance += all / trials;
    stated = s.degrees_of_freedom;
    for (std::size_t j = 4; j + 4 < p.size(); ++j) {
      sum += p[j];
      squares += p[j] * p[j];
      ++count;
    }
  }
  CHECK(variance == Approx(1).epsilon(0.02));
  const double mean = sum / count, spread = squares / count - mean * mean;
  CHECK(mean == Approx(2 * spacing).epsilon(0.02));
  CHECK(2 * mean * mean / spread ==
        Approx(stated).epsilon(0.08));  // a χ² mean of that many degrees of freedom
}

TEST_CASE("cross spectra have the phase of a delay and the coherence of a signal in noise") {
  std::mt19937_64 random(4);
  const auto x = noise(random, 1 << 14);
  auto y = x;
  std::rotate(y.begin(), y.end() - 3, y.end());
  auto noisy = y;
  const auto rest = noise(random, 1 << 14);
  for (std::size_t k = 0; k < y.size(); ++k) noisy[k] += rest[k];
  const auto segments = segments_of(1 << 14, 63, 0.5);
  const auto s = cross_spectrum(x, y, segments, {}), n = cross_spectrum(x, noisy, segments, {});
  for (const Index k : {10, 30, 60}) {
    const double f = s.frequency.at<double>({k});
    CHECK(std::remainder(s.phase.at<double>({k}) + 2 * kHalfTurn * f * 3, 2 * kHalfTurn) ==
          Approx(0).margin(0.05));
    CHECK(s.coherence.at<double>({k}) > 0.97);
  }
  double mean = 0;
  const auto c = n.coherence.to_vector<double>();
  for (const double v : c) mean += v / static_cast<double>(c.size());
  CHECK(mean == Approx(0.5).margin(0.03));
}

TEST_CASE("uneven spectra find their line, and false alarms are as rare as stated") {
  std::mt19937_64 random(6);
  std::uniform_real_distribution<double> uniform(0, 100);
  int alarms = 0;
  const int trials = 200;
  for (int k = 0; k < trials; ++k) {
    std::vector<double> t(60);
    for (double& v : t) v = uniform(random);
    const auto y = noise(random, 60);
    alarms += uneven_spectrum(t, y, uneven_frequencies(t)).false_alarm < 0.1;
    if (k > 3) continue;
    auto line = y;
    for (std::size_t j = 0; j < 60; ++j) line[j] = 0.3 * y[j] + 5 + 2 * std::sin(2 * kHalfTurn * 0.17 * t[j]);
    const auto s = uneven_spectrum(t, line, uneven_frequencies(t));
    const auto best =
        static_cast<std::size_t>(std::max_element(s.power.begin(), s.power.end()) - s.power.begin());
    CHECK(s.frequency[best] == Approx(0.17).margin(0.003));
    CHECK(s.false_alarm < 1e-10);
  }
  CHECK(alarms <= 0.15 * trials);
  // Of a pure sinusoid everything is explained, at any scale of times.
  for (const double unit : {1e-9, 1.0, 1e9}) {
    std::vector<double> t, y;
    for (int k = 0; k < 50; ++k)
      t.push_back(unit * (k + 0.3 * std::sin(k * k))),
          y.push_back(std::cos(2 * kHalfTurn * 0.11 * t.back() / unit));
    CHECK(uneven_spectrum(t, y, {0.11 / unit}).power[0] == Approx(1).epsilon(1e-9));
  }
}

TEST_CASE("wavelets have the power of noise at every period, and of a line at its own") {
  std::mt19937_64 random(8);
  std::vector<double> mean;
  const int trials = 60;
  for (int k = 0; k < trials; ++k) {
    const auto w = wavelet_power(noise(random, 256), 0.5, {2, 8, 20});
    mean.resize(3);
    for (Index p = 0; p < 3; ++p)
      for (Index t = 60; t < 196; ++t)
        mean[static_cast<std::size_t>(p)] += w.power.at<double>({p, t}) / 136 / trials;
  }
  for (const double m : mean) CHECK(m == Approx(1).epsilon(0.15));
  const auto w = wavelet_power(samples(256, [](double t) { return std::sin(2 * kHalfTurn * t / 16); }), 1,
                               wavelet_periods(256, 1));
  CHECK(w.influence[0] < 1);
  CHECK(w.influence[127] == Approx(1.033 * 127.5 / std::sqrt(2)).epsilon(0.01));
}

TEST_CASE("cosine transforms are orthonormal and have their sums") {
  std::mt19937_64 random(1);
  for (const int n : {1, 2, 7, 16, 45}) {
    const auto x = noise(random, n);
    const auto c = cosine_transform(Array::vector(x), 0).to_vector<double>();
    for (int k = 0; k < n; ++k) {
      double sum = 0;
      for (int j = 0; j < n; ++j)
        sum += x[static_cast<std::size_t>(j)] * std::cos(kHalfTurn * k * (2 * j + 1) / (2.0 * n));
      CHECK(c[static_cast<std::size_t>(k)] == Approx(sum * std::sqrt((k ? 2.0 : 1.0) / n)).margin(1e-13));
    }
    CHECK(largest_difference(inverse_cosine_transform(Array::vector(c), 0).to_vector<double>(), x) < 1e-13);
  }
}

TEST_CASE("matrices are convolved as their sums, by both ways and every overlap") {
  std::mt19937_64 random(2);
  for (const auto& [rows, columns] : {std::pair<Index, Index>{2, 3}, {12, 13}}) {
    const auto a = Array::vector(noise(random, 15 * 17)).with_shape({15, 17}),
               b = Array::vector(noise(random, static_cast<int>(rows * columns))).with_shape({rows, columns});
    const auto full = convolve_matrices(a, b, Overlap::full), same = convolve_matrices(a, b, Overlap::same),
               valid = convolve_matrices(a, b, Overlap::valid);
    const auto sum = [&](Index i, Index j) {
      double s = 0;
      for (Index p = 0; p < rows; ++p)
        for (Index q = 0; q < columns; ++q)
          if (i - p >= 0 && i - p < 15 && j - q >= 0 && j - q < 17)
            s += b.at<double>({p, q}) * a.at<double>({i - p, j - q});
      return s;
    };
    for (const auto& [i, j] : {std::pair<Index, Index>{0, 0}, {5, 7}, {14, 16}}) {
      CHECK(full.at<double>({i, j}) == Approx(sum(i, j)).margin(1e-12));
      CHECK(same.at<double>({i, j}) == Approx(sum(i + (rows - 1) / 2, j + (columns - 1) / 2)).margin(1e-12));
    }
    CHECK(valid.extent(0) == 16 - rows);
    CHECK(valid.at<double>({1, 2}) == Approx(sum(rows, columns + 1)).margin(1e-12));
  }
}

TEST_CASE("what filters and spectra refuse") {
  CHECK(message_of([] {
          Filter::butterworth(4, {0.6, 0.6}, PassKind::low, 1);
        }) == "a cutoff must be between 0 and half the sampling rate, 0.5; not 0.6");
  CHECK(message_of([] {
          Filter::butterworth(4, {0.2, 0.1}, PassKind::band, 1);
        }) == "the cutoffs of a band must rise: (low, high)");
  CHECK(message_of([] {
          smoothed(std::vector<double>{1, 2, 3}, 4, 2, 0, 1);
        }) == "the window must be an odd number from 3 to the 3 samples, not 4");
  CHECK(message_of([] { segments_of(10, 20, 0.5); }) == "10 samples cannot be cut into 20 segments");
  CHECK(message_of([] { wavelet_power(std::vector<double>(9, 1.0), 1, {1}); }) ==
        "a period must be at least two samples, 2; not 1");
}
