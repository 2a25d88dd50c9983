#include "array/reduce.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "array/elementwise.h"
#include "base/parallel.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("reductions over axes agree with plain loops over all layouts") {
  Random random(8);
  for (int round = 0; round < 800; ++round) {
    const auto a = in_random_layout(random, random_array(random, random_shape(random)));
    const auto p = plain(a);
    CAPTURE(dump(a));
    for (int axis = 0; axis < a.axes(); ++axis) {
      auto rest = p.shape;
      rest.erase(rest.begin() + axis);
      std::vector<double> sums(static_cast<std::size_t>(size_of(Shape(rest))), 0), products(sums.size(), 1);
      std::size_t k = 0;
      for_each_position(p.shape, [&](std::vector<Index> at) {
        at.erase(at.begin() + axis);
        const auto place = static_cast<std::size_t>(row_offset(rest, at));
        sums[place] += p.values[k];
        products[place] *= p.values[k];
        ++k;
      });
      CHECK(plain(reduce(Reduction::sum, a, {axis, false})).values == sums);
      CHECK(plain(reduce(Reduction::product, a, {axis, false})).values == products);
      const auto kept = reduce(Reduction::sum, a, {axis, true});
      CHECK(kept.axes() == a.axes());
      CHECK(kept.extent(axis) == 1);
      if (a.extent(axis) > 0) {
        const auto differences_shape = differences(a, axis).shape();
        CHECK(differences_shape[axis] == a.extent(axis) - 1);
        // The differences of the running sum are the elements but the first.
        const auto d = plain(differences(running(Running::sum, a, axis), axis));
        std::vector<Index> start(p.shape.size(), 0);
        std::size_t at_d = 0;
        for_each_position(d.shape, [&](std::vector<Index> at) {
          ++at[static_cast<std::size_t>(axis)];
          CHECK(d.values[at_d++] == p.values[static_cast<std::size_t>(row_offset(p.shape, at))]);
        });
      }
    }
  }
}

TEST_CASE("the sum over the first axis of a matrix has the same bits by rows and by columns") {
  Random random(21);
  std::uniform_real_distribution<double> real(-1, 1);
  for (const Index rows : {1, 7, 8, 9, 127, 128, 129, 300, 1000}) {
    Array a(ElementType::float64, {rows, 5});
    for (Index k = 0; k < a.size(); ++k) a.mutable_data<double>()[k] = real(random);
    const auto by_rows = reduce(Reduction::sum, a, {0, false});
    const auto by_columns = reduce(Reduction::sum, a.transposed().copied(), {1, false});
    CHECK(by_rows.to_vector<double>() == by_columns.to_vector<double>());
  }
}

TEST_CASE("the sum of many tenths is near the true one") {
  const auto a = Array::filled<double>({10000000}, 0.1);
  CHECK(std::fabs(*reduce(Reduction::sum, a).data<double>() - 1e6) < 1e-8);
}

TEST_CASE("edges of reductions") {
  const Array empty;
  CHECK(*reduce(Reduction::sum, empty).data<double>() == 0);
  CHECK(*reduce(Reduction::product, empty).data<double>() == 1);
  CHECK_THROWS_AS(reduce(Reduction::maximum, empty), Error);
  CHECK_THROWS_AS(arg_extreme(empty, true, {}), Error);
  const auto holed = Array::vector(std::vector<double>{3, NAN, 5});
  CHECK(std::isnan(*reduce(Reduction::sum, holed).data<double>()));
  CHECK(std::isnan(*reduce(Reduction::maximum, holed).data<double>()));
  CHECK(*reduce(Reduction::count_nan, holed).data<double>() == 1);
  CHECK(*arg_extreme(holed, true, {}).data<double>() == 3);
  const auto mask = Array::of<bool>({3}, std::array<bool, 3>{true, false, true});
  CHECK(*reduce(Reduction::sum, mask).data<Index>() == 2);
  CHECK(*reduce(Reduction::any, mask).data<bool>());
  CHECK_FALSE(*reduce(Reduction::all, mask).data<bool>());
  CHECK_THROWS_AS(reduce(Reduction::any, holed), Error);
  CHECK_THROWS_AS(checked_axis(3, 2), Error);
  CHECK_THROWS_AS(checked_axis(0, 2), Error);
  CHECK_THROWS_AS(checked_axis(1.5, 2), Error);
  CHECK(checked_axis(2, 2) == 1);
}

TEST_CASE("threads: reductions along axes by several threads have the bits of one") {
  Random random(12);
  const int threads = thread_count();
  for (const auto& shape : {Shape{900, 300}, Shape{70, 4, 900}, Shape{400000}}) {
    Array a(ElementType::float64, shape);
    double* const x = a.mutable_data<double>();
    for (Index k = 0; k < a.size(); ++k) x[k] = std::sin(static_cast<double>(k)) * 1e3;
    for (const auto type : {ElementType::float64, ElementType::float32, ElementType::int32}) {
      const auto numbers = apply(Unary::round, a).converted(type);
      for (const auto op : {Reduction::sum, Reduction::maximum, Reduction::count_nan})
        for (int axis = 0; axis < a.axes(); ++axis) {
          set_thread_count(1);
          const auto alone = reduce(op, numbers, {axis, false});
          set_thread_count(4);
          CHECK(plain(reduce(op, numbers, {axis, false})).values == plain(alone).values);
          set_thread_count(threads);
        }
    }
  }
}
