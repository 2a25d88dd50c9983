// Order and sets against slow twins.
#include "array/order.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <random>
#include <set>

#include "base/parallel.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

std::vector<double> column(const Plain& p, Index k) {
  std::vector<double> out;
  for (Index r = 0; r < p.shape[0]; ++r)
    out.push_back(p.values[static_cast<std::size_t>(r * p.shape[1] + k)]);
  return out;
}

}  // namespace

TEST_CASE("long vectors of every type are sorted as short ones are, by any number of threads") {
  std::mt19937_64 random(17);
  const int before = thread_count();
  const auto check = [&]<class T>(Tag<T>, Index count, auto draw) {
    std::vector<T> values(static_cast<std::size_t>(count));
    for (auto& v : values) v = draw();
    const auto a = Array::of<T>({count}, values);
    for (const bool descending : {false, true}) {
      const auto comes_first = [&](const T& x, const T& y) {
        if constexpr (std::is_floating_point_v<T>)
          if (std::isnan(x) || std::isnan(y)) return !std::isnan(x) && std::isnan(y);
        return descending ? y < x : x < y;
      };
      // Sorting is stable: the order is the only one in which equal elements keep theirs.
      const auto is_order = [&](const std::vector<double>& places) {
        std::vector<bool> seen(values.size() + 1, false);
        for (std::size_t k = 0; k < places.size(); ++k) {
          const auto at = static_cast<std::size_t>(places[k]);
          if (at < 1 || at > values.size() || seen[at]) return false;
          seen[at] = true;
          if (k == 0) continue;
          const auto last = static_cast<std::size_t>(places[k - 1]);
          const T &x = values[last - 1], &y = values[at - 1];
          if (comes_first(y, x) || (!comes_first(x, y) && at < last)) return false;
        }
        return places.size() == values.size();
      };
      for (const int threads : {1, 2, 3}) {
        set_thread_count(threads);
        const auto places = sort_order(a, 0, descending).template to_vector<double>();
        CHECK(is_order(places));
        const auto got = sorted(a, 0, descending).template to_vector<T>();
        REQUIRE(got.size() == places.size());
        bool same = true;
        for (std::size_t k = 0; k < got.size(); ++k) {
          const T& x = values[static_cast<std::size_t>(places[k]) - 1];
          if constexpr (std::is_floating_point_v<T>)
            same = same && (got[k] == x || (std::isnan(got[k]) && std::isnan(x)));
          else
            same = same && got[k] == x;
        }
        CHECK(same);
      }
      set_thread_count(before);
    }
  };
  for (const Index count :
       {Index{1}, Index{1000}, Index{16384}, Index{16385}, Index{262145}, Index{500009}}) {
    CAPTURE(count);
    check(Tag<double>{}, count,
          [&] { return static_cast<double>(static_cast<std::int64_t>(random())) * 1e-9; });
    check(Tag<std::int64_t>{}, count, [&] { return static_cast<std::int64_t>(random()); });
    if (count > 300000) continue;
    check(Tag<double>{}, count, [&] {
      const auto kind = random() % 10;
      return kind == 0   ? std::nan("")
             : kind == 1 ? INFINITY
             : kind == 2 ? -0.0
                         : static_cast<double>(random() % 100) - 50;
    });
    check(Tag<float>{}, count, [&] { return static_cast<float>(random() % 1000) / 7; });
    check(Tag<std::int32_t>{}, count, [&] { return static_cast<std::int32_t>(random()); });
    check(Tag<std::uint8_t>{}, count, [&] { return static_cast<std::uint8_t>(random()); });
  }
}

TEST_CASE("sorting along each axis of every layout") {
  Random random(31);
  for (int round = 0; round < 200; ++round) {
    const auto a = in_random_layout(random, random_array(random, {pick(random, 0, 6), pick(random, 1, 5)}));
    const auto down = plain(sorted(a, 0, false)), order = plain(sort_order(a, 0, true));
    const auto before = plain(a);
    for (Index k = 0; k < a.extent(1); ++k) {
      auto expected = column(before, k);
      const auto original = expected;
      std::sort(expected.begin(), expected.end());
      CHECK(column(down, k) == expected);
      // Chosen by the order, the column falls.
      std::vector<double> chosen;
      for (const double p : column(order, k)) chosen.push_back(original[static_cast<std::size_t>(p) - 1]);
      std::reverse(expected.begin(), expected.end());
      CHECK(chosen == expected);
    }
    const auto rows = sorted(a.transposed(), 1, false).transposed();
    CHECK(plain(rows).values == down.values);
  }
}

TEST_CASE("nan stands last in both directions, and equal elements keep their order") {
  const auto v = Array::vector(std::vector<double>{NAN, 2, 1, NAN, 2});
  CHECK(sorted(v, 0, false).at<double>({0}) == 1);
  CHECK(sorted(v, 0, true).at<double>({0}) == 2);
  CHECK(std::isnan(sorted(v, 0, true).at<double>({4})));
  CHECK(sort_order(v, 0, false).to_vector<double>() == std::vector<double>{3, 2, 5, 1, 4});
  CHECK(sort_order(v, 0, true).to_vector<double>() == std::vector<double>{2, 5, 3, 1, 4});
  CHECK(unique(v).size() == 3);
  CHECK_THROWS_AS(sorted(Array::filled<Complex>({2}, Complex(1, 1)), 0, false), Error);
}

TEST_CASE("sets agree with std::set, places with a linear search") {
  Random random(32);
  for (int round = 0; round < 200; ++round) {
    const auto a = in_random_layout(random, random_array(random, random_shape(random, 2)));
    const auto b = random_array(random, {pick(random, 0, 6)});
    const auto va = plain(a).values, vb = plain(b).values;
    const std::set<double> sa(va.begin(), va.end()), sb(vb.begin(), vb.end());
    CHECK(unique(a).to_vector<double>() == std::vector<double>(sa.begin(), sa.end()));
    const auto inside = plain(member(a, b)).values;
    const auto rising = unique(b);
    const auto place = plain(locate(rising, a)).values;
    for (std::size_t i = 0; i < va.size(); ++i) {
      CHECK(inside[i] == static_cast<double>(sb.contains(va[i])));
      double below = 0;
      for (const double x : sb) below += x <= va[i];
      CHECK(place[i] == below);
    }
  }
  CHECK_THROWS_AS(locate(Array::vector(std::vector<double>{2, 1}), Array::single(1)), Error);
  const auto words = Array::vector(std::vector<std::string>{"char", "perch", "char"});
  CHECK(unique(words).to_vector<std::string>() == std::vector<std::string>{"char", "perch"});
}

TEST_CASE("sums in bins by a loop") {
  Random random(33);
  for (int round = 0; round < 100; ++round) {
    const Index n = pick(random, 0, 20), size = pick(random, 1, 5);
    Array places(ElementType::float64, {n});
    for (Index k = 0; k < n; ++k)
      places.mutable_data<double>()[k] = static_cast<double>(pick(random, 1, size));
    const auto values = random_array(random, {n});
    std::vector<double> expected(static_cast<std::size_t>(size), 0.0);
    for (Index k = 0; k < n; ++k)
      expected[static_cast<std::size_t>(places.at<double>({k})) - 1] += values.at<double>({k});
    CHECK(bin_sums(places, values, size).to_vector<double>() == expected);
    Index counted = 0;
    for (const auto c : bin_sums(places, Array::filled<Index>({}, 1), size).to_vector<Index>()) counted += c;
    CHECK(counted == n);
  }
  CHECK_THROWS_AS(bin_sums(Array::single(3), Array::single(1), 2), Error);
  CHECK_THROWS_AS(bin_sums(Array::single(1.5), Array::single(1), 2), Error);
}
