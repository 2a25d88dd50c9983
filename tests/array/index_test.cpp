#include "array/index.h"

#include <catch2/catch.hpp>
#include <set>

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
    CHECK(error.message == "index 9 is out of range: valid indices of axis 2 are 1..6");
  }
  try {
    checked_position(-2, 6, 0, 1);
    FAIL_CHECK("no error");
  } catch (const Error& error) { CHECK(error.hint == "to count from the end, write last-1"); }
}

TEST_CASE("views that are said to be apart have no element in common") {
  Random random(23);
  int apart = 0, told = 0;
  for (int round = 0; round < 3000; ++round) {
    const Shape shape = {pick(random, 1, 9), pick(random, 1, 7), pick(random, 1, 6)};
    const auto filled = Array::filled<double>(shape, 0.0);
    // The stride of an axis of extent 1 may be anything.
    auto strides = filled.strides();
    for (int axis = 0; axis < 3; ++axis)
      if (shape[axis] == 1) strides[axis] = pick(random, -1, 2);
    const auto whole = filled.view(filled.offset(), shape, strides);
    const auto part = [&] {
      std::vector<Subscript> subscripts;
      for (int axis = 0; axis < 3; ++axis) {
        const Index step = pick(random, 1, 3) * (pick(random, 0, 1) == 0 ? 1 : -1),
                    first = pick(random, 0, shape[axis] - 1);
        Index count = 0;
        for (Index p = first; p >= 0 && p < shape[axis]; p += step) ++count;
        subscripts.push_back({Subscript::Kind::run, first, step, pick(random, 1, count), {}});
      }
      return select(whole, subscripts);
    };
    const auto a = part(), b = part();
    auto marked = whole.copied();
    const auto elements = [&](const Array& view) {
      std::set<Index> out;
      for (Index i = 0; i < view.extent(0); ++i)
        for (Index j = 0; j < view.extent(1); ++j)
          for (Index k = 0; k < view.extent(2); ++k)
            out.insert(view.offset() + i * view.strides()[0] + j * view.strides()[1] + k * view.strides()[2]);
      return out;
    };
    const auto of_a = elements(a), of_b = elements(b);
    bool common = false;
    for (const auto k : of_a) common = common || of_b.contains(k);
    apart += !common;
    told += are_apart(whole, a, b);
    if (are_apart(whole, a, b)) CHECK(!common);
  }
  CHECK(told > apart / 2);
}

TEST_CASE("threads: long selections and copies agree with plain loops") {
  Random random(5);
  for (const Index n : {Index{1000}, Index{70000}, Index{200001}}) {
    auto a = Array(ElementType::float64, {n});
    auto mask = Array(ElementType::boolean, {n});
    for (Index k = 0; k < n; ++k) {
      a.mutable_data<double>()[k] = static_cast<double>(k);
      mask.mutable_data<bool>()[k] = pick(random, 0, 3) == 0;
    }
    std::vector<double> chosen, filled;
    for (Index k = 0; k < n; ++k) {
      const bool is_true = mask.data<bool>()[k];
      if (is_true) chosen.push_back(static_cast<double>(k));
      filled.push_back(is_true ? -1 : static_cast<double>(k));
    }
    CHECK(select_mask(a, mask).to_vector<double>() == chosen);
    const auto narrow = select_mask(a.converted(ElementType::float32), mask);
    CHECK(narrow.converted(ElementType::float64).to_vector<double>() == chosen);
    auto b = a;
    assign_mask(b, mask, Array::single(-1));
    CHECK(b.to_vector<double>() == filled);
    const Array backwards = a.view(n - 1, {n}, {-1}).copied();
    CHECK(backwards.at<double>({0}) == static_cast<double>(n - 1));
    CHECK(backwards.at<double>({n - 1}) == 0);
  }
  const auto m = Array::of<double>({300, 257}, std::vector<double>(300 * 257, 0.0));
  auto numbered = m.copied();
  for (Index k = 0; k < m.size(); ++k) numbered.mutable_data<double>()[k] = static_cast<double>(k);
  const auto turned = numbered.transposed().copied();
  REQUIRE(turned.is_row_major());
  bool same = true;
  for (Index i = 0; i < 257; ++i)
    for (Index j = 0; j < 300; ++j)
      same = same && turned.at<double>({i, j}) == static_cast<double>(j * 257 + i);
  CHECK(same);
}
