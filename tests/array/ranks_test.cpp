// Ranks among distinct elements against sorted lists of them.
#include "array/ranks.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <random>

#include "array/distinct.h"

using namespace quill;

namespace {

bool is_nan(double x) { return std::isnan(x); }
template <class T>
bool is_nan(const T& /*x*/) {
  return false;
}

// The ranks by binary search among the sorted distinct elements, nan last.
template <class T>
void check_ranks(const Array& vector, const std::vector<T>& values) {
  std::vector<T> distinct;
  for (const auto& v : values)
    if (!is_nan(v)) distinct.push_back(v);
  std::sort(distinct.begin(), distinct.end());
  distinct.erase(std::unique(distinct.begin(), distinct.end()), distinct.end());
  const auto ranks = distinct_ranks(vector);
  const bool has_nan = std::any_of(values.begin(), values.end(), [](const T& v) { return is_nan(v); });
  REQUIRE(ranks.of.size() == values.size());
  CHECK(ranks.count == std::ssize(distinct) + has_nan);
  CHECK(ranks.has_nan == has_nan);
  bool agree = true;
  for (std::size_t k = 0; k < values.size(); ++k) {
    const auto wanted =
        is_nan(values[k]) ? std::ssize(distinct)
                          : std::lower_bound(distinct.begin(), distinct.end(), values[k]) - distinct.begin();
    agree = agree && ranks.of[k] == wanted;
  }
  CHECK(agree);
  // Rows by rank: stable, and each rank's elements between its starts.
  const auto rows = by_rank(ranks);
  for (Index r = 0; r < ranks.count; ++r) {
    const auto first = rows.indices.begin() + rows.starts[static_cast<std::size_t>(r)],
               last = rows.indices.begin() + rows.starts[static_cast<std::size_t>(r) + 1];
    CHECK(std::is_sorted(first, last));
    CHECK(std::all_of(first, last, [&](Index k) { return ranks.of[static_cast<std::size_t>(k)] == r; }));
    if (r > 50) break;
  }
}

}  // namespace

TEST_CASE("elements have the ranks of their distinct values, of every type, for few and for many of them") {
  std::mt19937_64 random(21);
  for (const int n : {0, 1, 7, 300, 70000}) {
    for (const int kinds : {1, 5, 1000, 10'000'000}) {
      CAPTURE(n, kinds);
      std::vector<double> x;
      std::vector<std::int64_t> whole;
      std::vector<std::string> texts;
      for (int k = 0; k < n; ++k) {
        const auto r = static_cast<std::int64_t>(random() % static_cast<unsigned>(kinds));
        x.push_back(r == 3   ? NAN
                    : r == 4 ? (random() % 2 ? 0.0 : -0.0)
                             : std::sqrt(static_cast<double>(r)) - 20);
        whole.push_back(r % 2 ? r : std::numeric_limits<std::int64_t>::min() + r);
        texts.push_back("station " + std::to_string(r));
      }
      check_ranks(Array::vector(x), x);
      check_ranks(Array::of<std::int64_t>({n}, whole), whole);
      check_ranks(Array::vector(texts), texts);
      for (auto& w : whole) w = std::abs(w % 1000);
      check_ranks(Array::of<std::int64_t>({n}, whole), whole);
      if (n > 1) {
        const auto vector = Array::vector(x);
        const auto strided = vector.view(0, {n / 2}, [] {
          Strides s;
          s.push_back(2);
          return s;
        }());
        std::vector<double> every_second;
        for (int k = 0; k + 1 < n; k += 2) every_second.push_back(x[static_cast<std::size_t>(k)]);
        check_ranks(strided, every_second);
      }
    }
  }
}

TEST_CASE("rows are ranked by the first column, then by the next") {
  const auto both =
      distinct_ranks({distinct_ranks(Array::vector(std::vector<double>{2, 1, 2, 1, NAN})),
                      distinct_ranks(Array::vector(std::vector<std::string>{"b", "z", "a", "z", "a"}))});
  CHECK(both.of == std::vector<Index>{2, 0, 1, 0, 3});
  CHECK(both.count == 4);
  const auto down = descending(distinct_ranks(Array::vector(std::vector<double>{2, NAN, 1, 3})));
  CHECK(down.of == std::vector<Index>{1, 3, 2, 0});
}

TEST_CASE("a table of distinct elements finds those that it has seen") {
  std::vector<double> line;
  for (int k = 0; k < 5000; ++k) line.push_back(k % 1700 - 0.5);
  Distinct<double> seen(line.data(), 1);
  for (Index k = 0; k < 5000; ++k) CHECK(seen.number_of(k) == k % 1700);
  CHECK(seen.size() == 1700);
  CHECK(seen.find(1698.5) == 1699);
  CHECK(seen.find(1699.5) == -1);
  CHECK(seen.find(NAN) == -1);
}
