// Series at times: bins, gaps and trends.
#include "numerics/series.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/time_text.h"
#include "numerics/helpers.h"
#include "support/effort.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("steps of time begin where their unit does") {
  const auto at = [](const char* text) { return *parse_time(text); };
  CHECK(start_of_step(at("2026-06-17T12:34"), {86400, 0}) == at("2026-06-17"));
  CHECK(start_of_step(at("2026-06-17T12:34"), {604800, 0}) == at("2026-06-15"));  // a Monday
  CHECK(start_of_step(at("2026-06-17"), {0, 1}) == at("2026-06-01"));
  CHECK(start_of_step(at("2026-06-17"), {0, 12}) == at("2026-01-01"));
  CHECK(start_of_step(at("1969-05-05"), {0, 3}) == at("1969-04-01"));
  CHECK(next_step(at("2024-02-01"), {0, 1}) == at("2024-03-01"));
}

TEST_CASE("bins hold every value that is there once, in steps without holes") {
  std::mt19937_64 random(3);
  for (int trial = 0; trial < 100; ++trial) {
    std::vector<double> t, v;
    double time = static_cast<double>(random() % 1000000000);
    double sum = 0;
    for (int k = 0; k < 200; ++k) {
      time += 1 + static_cast<double>(random() % 5000);
      t.push_back(time);
      v.push_back(random() % 7 == 0 ? NAN : static_cast<double>(random() % 100));
      if (!std::isnan(v.back())) sum += v.back();
    }
    const TimeStep step = trial % 2 ? TimeStep{3600, 0} : TimeStep{0, 1};
    const auto bins = binned_by_time(t, v, step);
    double all = 0;
    for (std::size_t k = 0; k < bins.size(); ++k) {
      if (k > 0) CHECK(bins[k].start == next_step(bins[k - 1].start, step));
      for (const double x : bins[k].values) all += x;
    }
    CHECK(all == sum);
    CHECK(bins.front().start <= t.front());
    CHECK(next_step(bins.back().start, step) > t.back());
  }
  CHECK(binned_by_time(std::vector<double>{0, 600, 1200, 1800}, std::vector<double>{1, 2, 3, 4}, {3600, 0})[0]
            .expected == 6);
}

TEST_CASE("gaps are filled up to their longest, and no farther") {
  const std::vector<double> t = {0, 1, 2, 3, 10, 11, 12}, v = {1, NAN, 3, NAN, 10, NAN, NAN};
  const auto filled = gaps_filled(t, v, 2, false);
  CHECK(filled[1] == 2);
  CHECK(std::isnan(filled[3]));
  CHECK(std::isnan(filled[5]));
  CHECK(gaps_filled(t, v, 8, false)[3] == Approx(3 + 7.0 / 8));
  CHECK(gaps_filled(t, v, 8, true)[3] == 3);
}

TEST_CASE("trends have the slope of lines, whatever a few values are, at any scale") {
  for (const double unit : {1e-12, 1.0, 1e12}) {
    std::vector<double> t, y;
    for (int k = 0; k < 60; ++k) {
      t.push_back(k);
      y.push_back(unit * (3 + 0.25 * k + (k % 11 == 5 ? 1000 : 0)));
    }
    const auto r = trend(t, y, 0.95);
    CHECK(r.slope == Approx(0.25 * unit).epsilon(1e-9));
    CHECK(r.intercept == Approx(3 * unit).epsilon(1e-9));
    CHECK(r.p < 1e-6);
  }
  CHECK(trend(std::vector<double>{0, 1, 2, 3, 4}, std::vector<double>{2, 2, 2, 2, 2}, 0.95).p == 1);
  CHECK(message_of([] {
          trend(std::vector<double>{0, 1, 2}, std::vector<double>{1, 2, 3}, 0.95);
        }) == "a trend needs at least 4 values, not 3");
}

TEST_CASE("trends of many values are those of all their slopes") {
  std::mt19937_64 random(6);
  std::normal_distribution<double> normal;
  for (const double unit : {1e-12, 1.0, 1e280}) {
    const int n = 3500;
    std::vector<double> t, y;
    double at = unit == 1 ? 1.7e9 : 0;
    for (int k = 0; k < n; ++k) {
      at += 0.1 + std::fabs(normal(random));
      t.push_back(at);
      y.push_back(unit * (5 - 0.01 * k + normal(random)));
    }
    if (unit == 1)  // ties
      for (double& v : y) v = std::round(v);
    const auto r = trend(t, y, 0.95);
    std::vector<double> slopes;
    double s = 0;
    for (std::size_t i = 0; i < y.size(); ++i)
      for (std::size_t j = 0; j < i; ++j) {
        slopes.push_back((y[i] - y[j]) / (t[i] - t[j]));
        s += (y[i] > y[j]) - (y[i] < y[j]);
      }
    const auto of_rank = [&](std::size_t k) {
      std::nth_element(slopes.begin(), slopes.begin() + static_cast<Index>(k), slopes.end());
      return slopes[k];
    };
    const auto pairs = slopes.size();
    const double median =
        pairs % 2 ? of_rank(pairs / 2) : of_rank(pairs / 2 - 1) / 2 + of_rank(pairs / 2) / 2;
    CHECK(r.slope == Approx(median).epsilon(1e-12));
    CHECK(std::signbit(r.statistic) == std::signbit(s));
    REQUIRE(r.interval);
    // The interval ends at slopes; as many lie below it as above, and with the variance of S they are known.
    double below = 0, above = 0;
    for (const double slope : slopes) {
      below += slope < r.interval->first * (1 + (r.interval->first < 0 ? 1e-12 : -1e-12));
      above += slope > r.interval->second * (1 + (r.interval->second < 0 ? -1e-12 : 1e-12));
    }
    const double deviation = (s - std::copysign(1, s)) / r.statistic;
    const double reach = 1.959963984540054 * deviation, most = static_cast<double>(pairs);
    if (unit != 1) {
      CHECK(std::fabs(below - ((most - reach) / 2 - 1)) <= 2);
      CHECK(std::fabs(above - ((most - reach) / 2 - 1)) <= 2);
    }
  }
}

TEST_CASE("trends of noise with memory are found hardly more often than stated, intervals cover") {
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal;
  const int trials = repeats(400);
  for (const double memory : {0.0, 0.6}) {
    int rejected = 0, covered = 0;
    for (int k = 0; k < trials; ++k) {
      std::vector<double> t, y;
      double state = 0;
      for (int j = 0; j < 150; ++j) {
        state = memory * state + normal(random);
        t.push_back(j);
        y.push_back(state + 0.02 * j);
      }
      const auto r = trend(t, y, 0.95);
      covered += r.interval && r.interval->first <= 0.02 && 0.02 <= r.interval->second;
      for (std::size_t j = 0; j < y.size(); ++j) y[j] -= 0.02 * t[j];
      rejected += trend(t, y, 0.95).p < 0.05;
    }
    CAPTURE(memory, rejected, covered);
    CHECK(rejected < 0.13 * trials);
    CHECK(covered > 0.86 * trials);
  }
}
