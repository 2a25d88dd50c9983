#include "array/rearrange.h"

#include <catch2/catch.hpp>

#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("the matrix product agrees with three loops") {
  Random random(31);
  for (int round = 0; round < 200; ++round) {
    const auto m = pick(random, 1, 6), k = pick(random, 1, 6), n = pick(random, 1, 6);
    const auto a = in_random_layout(random, random_array(random, {m, k})),
               b = in_random_layout(random, random_array(random, {k, n}));
    const auto x = plain(a), y = plain(b), got = plain(matrix_product(a, b));
    for (Index i = 0; i < m; ++i)
      for (Index j = 0; j < n; ++j) {
        double sum = 0;
        for (Index l = 0; l < k; ++l) sum += x.values[i * k + l] * y.values[l * n + j];
        CHECK(got.values[i * n + j] == sum);
      }
    const auto v = random_array(random, {k});
    CHECK(plain(matrix_product(a, v)).values == plain(matrix_product(a, v.with_shape({k, 1}))).values);
    CHECK(plain(matrix_product(v, b)).values == plain(matrix_product(v.with_shape({1, k}), b)).values);
  }
  CHECK(*matrix_product(Array::vector(std::vector<double>{1, 2}), Array::vector(std::vector<double>{3, 4}))
             .data<double>() == 11);
  CHECK_THROWS_AS(matrix_product(Array::single(2), Array::single(3)), Error);
  CHECK_THROWS_AS(matrix_product(identity(2), identity(3)), ShapeMismatch);
}

TEST_CASE("reshape keeps row order and explains what does not fit") {
  Array a(ElementType::float64, {6, 8});
  for (Index k = 0; k < 48; ++k) a.mutable_data<double>()[k] = static_cast<double>(k);
  CHECK(plain(reshape(a, {8, 6})).values == plain(a).values);
  CHECK(reshape(a, {-1, 2}).shape() == Shape{24, 2});
  CHECK(plain(reshape(a.transposed(), {48})).values == plain(a.transposed()).values);
  try {
    reshape(a, {5, 3});
    FAIL_CHECK("no error");
  } catch (const Error& error) {
    CHECK(error.message == "an array of 48 elements does not fit the shape 5×3, which holds 15");
    CHECK(error.hint == "shapes that fit: 8×6, 12×4 or 6×8");
  }
  CHECK_THROWS_AS(reshape(a, {-1, -1}), Error);
  CHECK_THROWS_AS(reshape(a, {-1, 5}), Error);
}

namespace {

Array appended(Array a, const Array& item) {
  append(a, item);
  return a;
}

}  // namespace

TEST_CASE("joining, stacking, reversing, appending") {
  const auto v = Array::vector(std::vector<double>{1, 2}), w = Array::vector(std::vector<double>{3});
  const Array parts[] = {v, w};
  CHECK(join(parts, 0).to_vector<double>() == std::vector<double>{1, 2, 3});
  const Array same[] = {v, v};
  CHECK(stack(same).shape() == Shape{2, 2});
  CHECK_THROWS_AS(stack(parts), Error);
  CHECK(reversed(v, 0).to_vector<double>() == std::vector<double>{2, 1});
  CHECK(appended(Array(), v).shape() == Shape{1, 2});
  CHECK(appended(appended(Array(), v), v).shape() == Shape{2, 2});
  CHECK(appended(v, Array::single(9)).to_vector<double>() == std::vector<double>{1, 2, 9});
  CHECK_THROWS_AS(appended(v, v), Error);
  const auto before = memory_use().arrays;
  auto growing = Array();
  for (int k = 0; k < 100000; ++k) append(growing, Array::single(k));
  CHECK(growing.size() == 100000);
  CHECK(growing.at<double>({99999}) == 99999);
  CHECK(memory_use().arrays - before < 100000 + 100);  // the single items, and a few moves to larger room
  auto copy = growing;
  append(copy, Array::single(-1));
  append(growing, Array::single(-2));
  CHECK(copy.at<double>({100000}) == -1);
  CHECK(growing.at<double>({100000}) == -2);
  Random random(2);
  for (int round = 0; round < 100; ++round) {
    const auto a = in_random_layout(random, random_array(random, {3, 4}));
    CHECK(plain(reversed(reversed(a, 1), 1)).values == plain(a).values);
    const Array halves[] = {a, a};
    CHECK(join(halves, 0).shape() == Shape{6, 4});
    CHECK(join(halves, 1).shape() == Shape{3, 8});
  }
}
