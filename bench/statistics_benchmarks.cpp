#include "statistics_benchmarks.h"

#include <fftw3.h>

#include <algorithm>
#include <boost/math/distributions/gamma.hpp>
#include <boost/math/distributions/normal.hpp>
#include <boost/random/mersenne_twister.hpp>
#include <boost/random/normal_distribution.hpp>
#include <boost/random/uniform_int_distribution.hpp>
#include <cmath>
#include <deque>
#include <string>
#include <vector>

#include "statement.h"

namespace {

std::vector<double> samples(std::size_t n) {
  std::vector<double> out(n);
  for (std::size_t k = 0; k < n; ++k)
    out[k] = std::sin(0.01 * static_cast<double>(k)) + 0.3 * std::sin(1.7 * static_cast<double>(k));
  return out;
}
const std::string kSamples = "x = sin(0.01 * (0..999999)) + 0.3 * sin(1.7 * (0..999999))\n";

template <class Twin>
void add(const std::string& name, const std::string& before, const std::string& statement, Twin twin) {
  benchmark::RegisterBenchmark((name + "/script").c_str(),
                               [=](benchmark::State& s) { time_statement(s, before, statement); })
      ->Unit(benchmark::kMillisecond)
      ->UseRealTime()
      ->Repetitions(3);
  benchmark::RegisterBenchmark((name + "/c++").c_str(),
                               [=](benchmark::State& s) {
                                 for (auto _ : s) benchmark::DoNotOptimize(twin());
                               })
      ->Unit(benchmark::kMillisecond)
      ->UseRealTime()
      ->Repetitions(3);
}

// The largest of 51 neighbours by a queue.
double moving_maximum() {
  static const auto x = samples(1000000);
  static std::vector<double> out(x.size());
  std::deque<std::size_t> queue;
  for (std::size_t k = 0; k < x.size() + 25; ++k) {
    if (k < x.size()) {
      while (!queue.empty() && x[queue.back()] <= x[k]) queue.pop_back();
      queue.push_back(k);
    }
    if (k < 25) continue;
    if (queue.front() + 51 <= k) queue.pop_front();
    out[k - 25] = x[queue.front()];
  }
  return out[777];
}

// Two sections of a low pass of order 4, forward and backward.
double filtered() {
  static const auto x = samples(1000000);
  static std::vector<double> y;
  y = x;
  const double sections[2][5] = {{0.0675, 0.135, 0.0675, -1.32, 0.63}, {0.06, 0.12, 0.06, -1.05, 0.295}};
  for (int pass = 0; pass < 2; ++pass) {
    for (const auto& c : sections) {
      double d1 = 0, d2 = 0;
      for (double& v : y) {
        const double in = v;
        v = c[0] * in + d1;
        d1 = c[1] * in - c[3] * v + d2;
        d2 = c[2] * in - c[4] * v;
      }
    }
    std::reverse(y.begin(), y.end());
  }
  return y[777];
}

// Segments of 4096 of 10^6 samples, half overlapping, with Hann's window.
double averaged_spectrum() {
  static const auto x = samples(1000000);
  constexpr int n = 4096;
  static auto* in = fftw_alloc_real(n);
  static auto* out = fftw_alloc_complex(n / 2 + 1);
  static auto plan = fftw_plan_dft_r2c_1d(n, in, out, FFTW_ESTIMATE);
  static std::vector<double> window(n);
  for (int k = 0; k < n; ++k) window[static_cast<std::size_t>(k)] = 0.5 - 0.5 * std::cos(2 * M_PI * k / n);
  std::vector<double> power(n / 2 + 1);
  for (std::size_t first = 0; first + n <= x.size(); first += n / 2) {
    for (std::size_t k = 0; k < n; ++k) in[k] = window[k] * x[first + k];
    fftw_execute(plan);
    for (std::size_t k = 0; k < power.size(); ++k) power[k] += out[k][0] * out[k][0] + out[k][1] * out[k][1];
  }
  return power[77];
}

double bootstrapped_mean() {
  static const auto x = samples(200);
  static boost::random::mt19937_64 random(1);
  double all = 0;
  for (int draw = 0; draw < 10000; ++draw) {
    boost::random::uniform_int_distribution<long> place(0, 199);
    double sum = 0;
    for (int k = 0; k < 200; ++k) sum += x[static_cast<std::size_t>(place(random))];
    all += sum / 200;
  }
  return all;
}

template <class D>
double probabilities(const D& d, double low, double high) {
  static std::vector<double> out(1000000);
  for (std::size_t k = 0; k < out.size(); ++k)
    out[k] = cdf(d, low + (high - low) * static_cast<double>(k) / static_cast<double>(out.size()));
  return out[777];
}

double normal_draws() {
  static boost::random::mt19937_64 random(1);
  static std::vector<double> out(1000000);
  boost::random::normal_distribution<double> normal;
  for (double& v : out) v = normal(random);
  return out[777];
}

}  // namespace

void register_statistics_benchmarks() {
  add("moving maximum of 10^6 and 51", kSamples, "w = moving(max, x, window: 51)", moving_maximum);
  add("low pass of order 4 both ways over 10^6", kSamples, "w = low_pass(x, 0.1)", filtered);
  add("averaged spectrum of 10^6, segments of 4096", kSamples, "w = power_spectrum(x, segments: 487)",
      averaged_spectrum);
  add("bootstrap of a mean, 10^4 draws of 200", "v = sin(1..200)\nseed(1)\n",
      "w = bootstrap(mean, v, draws: 10000, interval: \"percentile\")", bootstrapped_mean);
  add("normal probabilities of 10^6", "d = distribution(\"normal\")\nq = -5 + 10 * (0..999999) / 1e6\n",
      "w = d.cumulative(q)", [] { return probabilities(boost::math::normal_distribution<double>(), -5, 5); });
  add("gamma probabilities of 10^6", "d = distribution(\"gamma\", shape: 2.5)\nq = 12 * (0..999999) / 1e6\n",
      "w = d.cumulative(q)",
      [] { return probabilities(boost::math::gamma_distribution<double>(2.5), 0, 12); });
  add("normal random numbers, 10^6", "seed(1)\n", "w = random_normal(1e6)", normal_draws);
}
