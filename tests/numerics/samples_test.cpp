// Statistics of samples by their definitions and by what they conserve.
#include "numerics/samples.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>

#include "array/elementwise.h"
#include "array/order.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

Array vector(std::initializer_list<double> v) { return Array::vector(std::vector<double>(v)); }

}  // namespace

TEST_CASE("covariance and correlation by their double sums") {
  Random random(71);
  RandomStream stream(5);
  for (int round = 0; round < 20; ++round) {
    const Index n = pick(random, 2, 30), m = pick(random, 1, 4);
    const auto x = stream.normal({n, m});
    const auto c = covariance(x), r = correlation(x);
    for (Index i = 0; i < m; ++i)
      for (Index k = 0; k < m; ++k) {
        double mi = 0, mk = 0, sum = 0, si = 0, sk = 0;
        for (Index j = 0; j < n; ++j) {
          mi += x.at<double>({j, i}) / static_cast<double>(n);
          mk += x.at<double>({j, k}) / static_cast<double>(n);
        }
        for (Index j = 0; j < n; ++j) {
          const double p = x.at<double>({j, i}) - mi, q = x.at<double>({j, k}) - mk;
          sum += p * q;
          si += p * p;
          sk += q * q;
        }
        CHECK(c.at<double>({i, k}) == Approx(sum / static_cast<double>(n - 1)).margin(1e-13));
        CHECK(r.at<double>({i, k}) == Approx(sum / std::sqrt(si * sk)).margin(1e-13));
      }
    for (Index i = 0; i < m; ++i) CHECK(r.at<double>({i, i}) == 1);
  }
  CHECK(std::isnan(correlation(Array::filled<double>({3, 2}, 1.0)).at<double>({0, 1})));
  CHECK_THROWS_AS(covariance(vector({1, 2})), Error);
  CHECK_THROWS_AS(covariance(Array::filled<double>({1, 2}, 1.0)), Error);
}

TEST_CASE("histograms count every number once, and their density integrates to one") {
  RandomStream stream(6);
  for (const Index bins : {Index{1}, Index{7}, Index{100}}) {
    const auto data = stream.normal({1000});
    const auto h = histogram(data, bins);
    CHECK(*reduce(Reduction::sum, h.counts).data<Index>() == 1000);
    CHECK(*reduce(Reduction::sum, apply(Binary::multiply, h.density, h.width)).data<double>() == Approx(1));
    CHECK(h.edges.size() == bins + 1);
    // The counts by a plain loop.
    const auto edges = h.edges.to_vector<double>();
    const auto counts = h.counts.to_vector<Index>();
    for (std::size_t b = 0; b < counts.size(); ++b) {
      Index expected = 0;
      for (const double x : data.to_vector<double>())
        expected += x >= edges[b] && (x < edges[b + 1] || (b + 1 == counts.size() && x == edges[b + 1]));
      CHECK(counts[b] == expected);
    }
  }
  const auto h = histogram(vector({-1, 0, 1, 2, 3, NAN}), vector({0, 2, 3}));
  CHECK(h.counts.to_vector<Index>() == std::vector<Index>{2, 2});
  CHECK(histogram(vector({5, 5}), 1).counts.to_vector<Index>() == std::vector<Index>{2});
  CHECK_THROWS_AS(histogram(vector({NAN}), 3), Error);
  CHECK_THROWS_AS(histogram(vector({1}), vector({1, 1})), Error);
  CHECK_THROWS_AS(histogram(vector({1}), Index{0}), Error);
}

TEST_CASE("means in bins and of neighbours, and the mode") {
  const auto means = bin_means(vector({0, 1, 2, 0.5}), vector({10, 20, 30, 0}), vector({0, 1, 2, 3}));
  CHECK(means.at<double>({0}) == 5);
  CHECK(means.at<double>({1}) == 20);
  CHECK(means.at<double>({2}) == 30);
  Random random(72);
  for (int round = 0; round < 20; ++round) {
    const auto a = random_array(random, {pick(random, 1, 9), 2});
    const Index count = pick(random, 1, 5);
    const auto m = plain(moving_mean(a, count, 0)), p = plain(a);
    for (Index k = 0; k < a.extent(0); ++k) {
      double sum = 0;
      Index used = 0;
      for (Index j = k - (count - 1) / 2; j <= k + count / 2; ++j)
        if (j >= 0 && j < a.extent(0)) {
          sum += p.values[static_cast<std::size_t>(2 * j)];
          ++used;
        }
      CHECK(m.values[static_cast<std::size_t>(2 * k)] == Approx(sum / static_cast<double>(used)));
    }
  }
  CHECK(*mode(vector({2, 5, 5, 2, NAN, NAN, NAN})).data<double>() == 2);
  CHECK(*mode(Array::vector(std::vector<std::string>{"b", "a", "b"})).data<std::string>() == "b");
  CHECK_THROWS_AS(mode(Array()), Error);
}

TEST_CASE("draws are elements, each once unless asked for, evenly") {
  RandomStream stream(9);
  const auto v = vector({1, 2, 3, 4, 5});
  Index first[6] = {};
  for (int round = 0; round < 5000; ++round) {
    const auto all = drawn(stream, v, 5, false);
    ++first[static_cast<int>(all.at<double>({0}))];
    if (round < 50) CHECK(sorted(all, 0, false).to_vector<double>() == v.to_vector<double>());
  }
  for (int k = 1; k <= 5; ++k) CHECK(static_cast<double>(first[k]) == Approx(1000).margin(150));
  CHECK(drawn(stream, v, 100, true).size() == 100);
  CHECK(drawn(stream, v, 0, false).size() == 0);
  CHECK_THROWS_AS(drawn(stream, v, 6, false), Error);
  CHECK_THROWS_AS(drawn(stream, Array(), 1, true), Error);
}

TEST_CASE("moving means along every axis are the means of their windows") {
  std::mt19937_64 random(8);
  std::uniform_real_distribution<double> uniform(-1, 1);
  Array a(ElementType::float64, {4, 7, 5});
  for (Index k = 0; k < a.size(); ++k) a.mutable_data<double>()[k] = uniform(random);
  for (int axis = 0; axis < 3; ++axis)
    for (const Index count : {1, 2, 3, 6, 20}) {
      const auto out = moving_mean(a, count, axis);
      REQUIRE(out.shape() == a.shape());
      for (Index i = 0; i < 4; ++i)
        for (Index j = 0; j < 7; ++j)
          for (Index k = 0; k < 5; ++k) {
            Index at[] = {i, j, k};
            const Index here = at[axis];
            double sum = 0, n = 0;
            for (Index p = std::max<Index>(0, here - (count - 1) / 2);
                 p <= std::min(a.extent(axis) - 1, here + count / 2); ++p) {
              at[axis] = p;
              sum += a.at<double>({at[0], at[1], at[2]});
              ++n;
            }
            CHECK(out.at<double>({i, j, k}) == Approx(sum / n).margin(1e-14));
          }
    }
}

TEST_CASE("moving means keep the digits of their windows beside peaks, gaps and infinities") {
  std::mt19937_64 random(11);
  std::uniform_real_distribution<double> uniform(0.5, 2);
  for (int round = 0; round < 60; ++round) {
    const Index n = 400 + round, count = 1 + round % 37;
    std::vector<double> values;
    for (Index k = 0; k < n; ++k) values.push_back(uniform(random) * (round % 2 ? 1 : (k % 2 ? -1 : 1)));
    const auto somewhere = [&] { return static_cast<std::size_t>(random() % static_cast<std::uint64_t>(n)); };
    // Peaks of many sizes, all at once or one after the other.
    for (int k = 0; k < round % 7; ++k)
      values[somewhere()] = std::pow(10, static_cast<double>(random() % 300));
    if (round % 5 == 0) values[somewhere()] = NAN;
    if (round % 6 == 0) values[somewhere()] = INFINITY;
    const auto out = moving_mean(Array::vector(values), count, 0);
    for (Index k = 0; k < n; ++k) {
      // Twice the digits: small numbers first.
      std::vector<double> window;
      for (Index j = std::max<Index>(0, k - (count - 1) / 2); j <= std::min(n - 1, k + count / 2); ++j)
        window.push_back(values[static_cast<std::size_t>(j)]);
      double size = 0;
      long double sum = 0;
      std::sort(window.begin(), window.end(), [](double x, double y) { return std::fabs(x) < std::fabs(y); });
      for (const double x : window) {
        sum += x;
        size += std::fabs(x);
      }
      const double mean = out.at<double>({k}),
                   wanted = static_cast<double>(sum / static_cast<long double>(window.size()));
      INFO(round << " " << k);
      if (std::isfinite(wanted))
        CHECK(std::fabs(mean - wanted) <= 4 * 0x1p-52 * size / static_cast<double>(window.size()));
      else
        CHECK((std::isnan(wanted) ? std::isnan(mean) : mean == wanted));
    }
  }
}
