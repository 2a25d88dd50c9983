#include "array/array.h"

#include <catch2/catch.hpp>

#include "array/index.h"
#include "base/memory.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("shapes broadcast by their last axes") {
  CHECK(broadcast_shapes({6, 8}, {8}) == Shape{6, 8});
  CHECK(broadcast_shapes({7, 1}, {1, 7}) == Shape{7, 7});
  CHECK(broadcast_shapes({}, {2, 3}) == Shape{2, 3});
  CHECK(broadcast_shapes({0}, {1}) == Shape{0});
  CHECK_THROWS_AS(broadcast_shapes({6, 8}, {1, 6}), ShapeMismatch);
  CHECK(failing_axis({6, 8}, {1, 6}) == 2);
  CHECK(text_of(Shape{6, 8}) == "6×8");
  CHECK_THROWS_AS(size_of(Shape{1 << 30, 1 << 30, 1 << 30}), Error);
  Shape deep;
  for (int i = 0; i < kMostAxes; ++i) deep.push_back(1);
  CHECK_THROWS_AS(deep.push_back(1), Error);
}

TEST_CASE("copies never see each other's changes") {
  Array a = Array::vector(std::vector<double>{1, 2, 3});
  Array b = a;
  CHECK(b.shares_storage());
  b.mutable_data<double>()[0] = 9;
  CHECK(a.at<double>({0}) == 1);
  CHECK(b.at<double>({0}) == 9);
  // A slice keeps its values when the original changes.
  const Subscript s[] = {{Subscript::Kind::run, 1, 1, 2, {}}};
  Array slice = select(a, s);
  a.mutable_data<double>()[1] = 7;
  CHECK(slice.to_vector<double>() == std::vector<double>{2, 3});
}

TEST_CASE("a sole owner is changed in place") {
  Array a = Array::filled<double>({1000}, 1.0);
  const auto before = memory_use().arrays;
  a.mutable_data<double>()[3] = 5;
  CHECK(memory_use().arrays == before);
}

TEST_CASE("memory is counted and has a ceiling") {
  const auto before = memory_use();
  {
    const Array a(ElementType::float64, {100});
    CHECK(memory_use().bytes_now == before.bytes_now + 800);
    CHECK(memory_use().arrays == before.arrays + 1);
  }
  CHECK(memory_use().bytes_now == before.bytes_now);
  set_memory_ceiling(1000);
  CHECK_THROWS_AS(Array(ElementType::float64, {2000}), Error);
  CHECK_NOTHROW(Array(ElementType::float64, {10}));
  set_memory_ceiling(0);
  CHECK_THROWS_AS(Array(ElementType::float64, {1000000, 1000000, 1000}), Error);
}

TEST_CASE("every layout holds the same elements") {
  Random random(11);
  for (int round = 0; round < 500; ++round) {
    const auto a = random_array(random, random_shape(random));
    const auto b = in_random_layout(random, a);
    CAPTURE(dump(a), dump(b));
    CHECK(plain(a).values == plain(b).values);
    CHECK(b.to_vector<double>() == plain(b).values);
    CHECK(b.compact().is_row_major());
    CHECK(plain(b.compact()).values == plain(b).values);
  }
}

TEST_CASE("elements are converted when nothing is lost") {
  const auto mask = Array::of<bool>({3}, std::array<bool, 3>{true, false, true});
  CHECK(mask.converted(ElementType::float64).to_vector<double>() == std::vector<double>{1, 0, 1});
  CHECK(Array::vector(std::vector<double>{0, 1}).converted(ElementType::boolean).to_vector<bool>() ==
        std::vector<bool>{false, true});
  CHECK_THROWS_AS(Array::vector(std::vector<double>{0.5}).converted(ElementType::boolean), Error);
  CHECK_THROWS_AS(Array::filled<Complex>({1}, Complex(1, 2)).converted(ElementType::float64), Error);
  CHECK_THROWS_AS(Array::vector(std::vector<std::string>{"a"}).converted(ElementType::float64), Error);
}

TEST_CASE("across and down lay a vector over a grid without copying") {
  const auto v = Array::vector(std::vector<double>{1, 2, 3});
  const auto before = memory_use().arrays;
  CHECK(across(v).shape() == Shape{1, 3});
  CHECK(down(v).shape() == Shape{3, 1});
  CHECK(memory_use().arrays == before);
  CHECK(down(across(v)).shape() == Shape{3, 1});
  CHECK_THROWS_AS(down(Array::filled<double>({2, 2}, 0.0)), Error);
}
