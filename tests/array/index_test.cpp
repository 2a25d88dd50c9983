#include "array/index.h"

#include <catch2/catch.hpp>

#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

// A random subscript and the list of positions that it stands for.
Subscript random_subscript(Random& random, Index extent, std::vector<Index>& positions, bool& drops) {
  drops = false;
  positions.clear();
  switch (extent == 0 ? 1 : pick(random, 0, 2)) {
    case 0: {
      drops = true;
      positions = {pick(random, 0, extent - 1)};
      return {Subscript::Kind::position, positions[0], 1, 1, {}};
    }
    case 1: {
      if (extent == 0) return {Subscript::Kind::run, 0, 1, 0, {}};
      const Index first = pick(random, 0, extent - 1),
                  step = std::array<Index, 4>{1, 2, -1, -2}[static_cast<std::size_t>(pick(random, 0, 3))];
      for (Index p = first; p >= 0 && p < extent && static_cast<Index>(positions.size()) < extent; p += step)
        positions.push_back(p);
      return {Subscript::Kind::run, first, step, static_cast<Index>(positions.size()), {}};
    }
    default: {
      const auto count = pick(random, 0, 4);
      for (Index k = 0; k < count; ++k) positions.push_back(pick(random, 0, extent - 1));
      return {Subscript::Kind::positions, 0, 1, count, positions};
    }
  }
}

}  // namespace

TEST_CASE("choosing and assigning agree with plain loops over all shapes and layouts") {
  Random random(17);
  for (int round = 0; round < 3000; ++round) {
    const auto a = in_random_layout(random, random_array(random, random_shape(random)));
    if (a.axes() == 0) continue;
    const auto p = plain(a);
    std::vector<Subscript> subscripts;
    std::vector<std::vector<Index>> lists;
    std::vector<Index> expected_shape;
    for (int axis = 0; axis < a.axes(); ++axis) {
      std::vector<Index> positions;
      bool drops = false;
      subscripts.push_back(random_subscript(random, a.extent(axis), positions, drops));
      lists.push_back(positions);
      if (!drops) expected_shape.push_back(static_cast<Index>(positions.size()));
    }
    std::vector<Index> counts;
    for (const auto& l : lists) counts.push_back(static_cast<Index>(l.size()));
    std::vector<double> expected;
    auto changed = p.values;
    double next = 100;
    for_each_position(counts, [&](const std::vector<Index>& at) {
      std::vector<Index> place;
      for (std::size_t i = 0; i < at.size(); ++i) place.push_back(lists[i][static_cast<std::size_t>(at[i])]);
      const auto offset = static_cast<std::size_t>(row_offset(p.shape, place));
      expected.push_back(p.values[offset]);
      changed[offset] = next++;
    });
    const auto got = plain(select(a, subscripts));
    CAPTURE(dump(a));
    CHECK(got.shape == expected_shape);
    CHECK(got.values == expected);
    // Assigning 100, 101, … to the same places.
    std::vector<double> numbers;
    for (std::size_t k = 0; k < expected.size(); ++k) numbers.push_back(100 + static_cast<double>(k));
    auto target = a;
    assign(target, subscripts, Array::of<double>(Shape(expected_shape), numbers));
    CHECK(plain(target).values == changed);
    CHECK(plain(a).values == p.values);  // the original keeps its values
  }
}

TEST_CASE("masks choose and assign in row order") {
  Random random(23);
  for (int round = 0; round < 500; ++round) {
    const auto a = in_random_layout(random, random_array(random, random_shape(random)));
    const auto p = plain(a);
    Array mask(ElementType::boolean, a.shape());
    std::vector<double> expected, changed = p.values;
    double next = 50;
    for (Index k = 0; k < a.size(); ++k) {
      const bool take = p.values[static_cast<std::size_t>(k)] > 0;
      mask.mutable_data<bool>()[k] = take;
      if (!take) continue;
      expected.push_back(p.values[static_cast<std::size_t>(k)]);
      changed[static_cast<std::size_t>(k)] = next++;
    }
    CHECK(select_mask(a, mask).to_vector<double>() == expected);
    std::vector<double> numbers;
    for (std::size_t k = 0; k < expected.size(); ++k) numbers.push_back(50 + static_cast<double>(k));
    auto target = a;
    assign_mask(target, mask, Array::vector(numbers));
    CHECK(plain(target).values == changed);
  }
  auto a = Array::vector(std::vector<double>{1, 2, 3});
  CHECK_THROWS_AS(select_mask(a, Array::filled<bool>({2}, true)), Error);
  CHECK_THROWS_AS(assign_mask(a, Array::filled<bool>({3}, true), Array::vector(std::vector<double>{1, 2})),
                  Error);
}

TEST_CASE("overlapping assignment is safe") {
  auto a = Array::vector(std::vector<double>{1, 2, 3, 4, 5});
  const Subscript from[] = {{Subscript::Kind::run, 0, 1, 4, {}}},
                  to[] = {{Subscript::Kind::run, 1, 1, 4, {}}};
  assign(a, to, select(a, from));
  CHECK(a.to_vector<double>() == std::vector<double>{1, 1, 2, 3, 4});
}

TEST_CASE("positions out of range name the valid ones") {
  CHECK(checked_position(3, 3, 0, 1) == 2);
  for (const double bad : {0.0, -1.0, 4.0, 1.5}) CHECK_THROWS_AS(checked_position(bad, 3, 0, 1), Error);
  try {
    checked_position(9, 6, 1, 2);
    FAIL_CHECK("no error");
  } catch (const Error& error) {
    CHECK(error.message == "position 9 is out of range: valid positions of axis 2 are 1..6");
  }
  try {
    checked_position(-2, 6, 0, 1);
    FAIL_CHECK("no error");
  } catch (const Error& error) { CHECK(error.hint == "to count from the end, write last-1"); }
}
