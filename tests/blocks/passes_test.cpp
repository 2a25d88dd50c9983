// Passes over arrays in files, without the language.
#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <random>
#include <stdexcept>

#include "array/index.h"
#include "base/error.h"
#include "blocks/order_statistics.h"
#include "blocks/passes.h"
#include "files/formats.h"
#include "files/parts_digest.h"
#include "support/effort.h"
#include "support/small_blocks.h"

using namespace quill;
using namespace quill::test;

namespace {

Array random_array(const Shape& shape, std::mt19937_64& random) {
  Array out(ElementType::float64, shape);
  auto* const x = out.mutable_data<double>();
  for (Index k = 0; k < out.size(); ++k) x[k] = std::uniform_real_distribution(-1.0, 1.0)(random);
  return out;
}

// The variables of a file that has these arrays.
std::vector<BlockSourcePtr> opened(const std::vector<Column>& columns, int compression = 0,
                                   std::shared_ptr<PartsDigest> digest = nullptr) {
  SaveOptions options;
  options.compression = compression;
  const auto bytes = write_netcdf(data_of(columns), options);
  const auto file = open_netcdf(std::make_shared<const OpenFile>(bytes), "a.nc", std::move(digest));
  std::vector<BlockSourcePtr> out;
  for (const int id : file->variables_of(file->root())) {
    const auto v = file->variable(file->root(), id);
    out.push_back(variable_source(file, v, v.name));
  }
  return out;
}

bool same_bits(const Array& a, const Array& b) {
  return a.shape() == b.shape() && a.to_vector<double>() == b.to_vector<double>();
}

}  // namespace

TEST_CASE("threads: what is read ahead is what is asked for, whatever is calculated meanwhile") {
  std::mt19937_64 random(81);
  const SmallBlocks small(64);
  for (int round = 0; round < repeats(20); ++round) {
    const auto a = random_array({40, 3, 7}, random), b = random_array({40, 3, 7}, random);
    const auto sources = opened({{"a", a}, {"b", b}}, round % 3);
    const auto sum = mapped_source(Binary::add, {sources[0]}, {sources[1]});
    const auto in_memory = apply(Binary::add, a, b);
    BlockFindings findings;
    for (const int axis : {0, 1, 2})
      CHECK(same_bits(reduce_blocks(Reduction::sum, sum, {axis}, findings),
                      reduce(Reduction::sum, in_memory, {axis, false})));
    CHECK(same_bits(reduce_blocks(Reduction::product, sum, {}, findings),
                    reduce(Reduction::product, in_memory)));
    CHECK(same_bits(read_all(*sum, findings), in_memory));
  }
}

TEST_CASE("threads: sums of variables are computed by the threads that read, with the same bits and digest") {
  std::mt19937_64 random(85);
  const SmallBlocks small(700);
  for (int round = 0; round < repeats(10); ++round) {
    const auto a = random_array({3000, 5}, random), b = random_array({9001}, random);
    const auto single = random_array({40, 70, 3}, random).converted(ElementType::float32);
    const auto digest = std::make_shared<PartsDigest>(), other = std::make_shared<PartsDigest>();
    const auto sources = opened({{"a", a}, {"b", b}, {"c", single}}, round % 2, digest);
    const auto again = opened({{"a", a}, {"b", b}, {"c", single}}, round % 2, other);
    BlockFindings findings;
    for (const auto& all : {sources, again}) {
      CHECK(same_bits(reduce_blocks(Reduction::sum, all[0], {0}, findings),
                      reduce(Reduction::sum, a, {0, false})));
      CHECK(same_bits(reduce_blocks(Reduction::sum, all[1], {}, findings), reduce(Reduction::sum, b)));
      CHECK(
          same_bits(mean_of_blocks(all[2], {0}, findings),
                    apply(Binary::divide,
                          reduce(Reduction::sum, single.converted(ElementType::float64), {0, false}), 40.0)));
    }
    CHECK(digest->text() == other->text());
  }
  // Without rows, and without columns.
  const Array none(ElementType::float64, {0, 4}), empty(ElementType::float64, {300, 0});
  const auto sources = opened({{"a", none}, {"b", empty}});
  BlockFindings findings;
  CHECK(same_bits(reduce_blocks(Reduction::sum, sources[0], {0}, findings),
                  reduce(Reduction::sum, none, {0, false})));
  CHECK(same_bits(reduce_blocks(Reduction::sum, sources[1], {0}, findings),
                  reduce(Reduction::sum, empty, {0, false})));
}

TEST_CASE("threads: a pass that ends early leaves nothing running") {
  std::mt19937_64 random(82);
  const SmallBlocks small(50);
  const auto a = random_array({500, 4}, random);
  const auto sources = opened({{"a", a}});
  BlockFindings findings;
  for (int stop = 0; stop < 5; ++stop) {
    int count = 0;
    CHECK_THROWS_AS(for_each_block(*sources[0], findings,
                                   [&](const Array&) {
                                     if (count++ == stop) throw std::runtime_error("stop");
                                   }),
                    std::runtime_error);
    CHECK(same_bits(reduce_blocks(Reduction::maximum, sources[0], {0}, findings),
                    reduce(Reduction::maximum, a, {0, false})));
  }
}

TEST_CASE("parts, selections and conversions have the elements of the array in memory") {
  std::mt19937_64 random(83);
  const auto a = random_array({30, 8}, random);
  const auto source = opened({{"a", a}})[0];
  BlockFindings findings;
  for (int round = 0; round < repeats(200); ++round) {
    BlockPart part;
    std::vector<Subscript> subscripts;
    for (const Index extent : {30, 8}) {
      const Index step = 1 + static_cast<Index>(random() % 3), count = 1 + static_cast<Index>(random() % 3);
      const Index start = static_cast<Index>(random() % static_cast<unsigned>(extent - (count - 1) * step));
      part.start.push_back(start);
      part.count.push_back(count);
      part.step.push_back(step);
      subscripts.push_back({Subscript::Kind::run, start, step, count, {}});
    }
    const auto wanted = select(a, subscripts);
    CHECK(same_bits(source->read(part, findings), wanted));
    const auto chosen = selected_source(source, part, {});
    CHECK(same_bits(read_all(*chosen, findings), wanted));
    const BlockPart first{{0, 0}, {1, 1}, {1, 1}};
    CHECK(selected_source(chosen, first, {0, 1})->read({}, findings).at<double>({}) ==
          wanted.copied().data<double>()[0]);
    const auto rounded = converted_source(chosen, ElementType::float32);
    CHECK(read_all(*rounded, findings).to_vector<float>() ==
          wanted.converted(ElementType::float32).to_vector<float>());
  }
}

TEST_CASE("the digest of what was read does not depend on its order, and on nothing else that was not read") {
  std::mt19937_64 random(84);
  auto a = random_array({20, 5}, random);
  const auto digest_of = [&](const std::vector<Index>& rows) {
    const auto digest = std::make_shared<PartsDigest>();
    const auto source = opened({{"a", a}}, 0, digest)[0];
    BlockFindings findings;
    for (const Index row : rows) source->read({{row, 0}, {1, 5}, {1, 1}}, findings);
    return digest->text();
  };
  const auto before = digest_of({1, 7, 3});
  CHECK(before == digest_of({3, 1, 7}));
  CHECK(before != digest_of({3, 1}));
  CHECK(before != digest_of({3, 1, 7, 7}));
  a.mutable_data<double>()[10 * 5] += 1;  // of another row
  CHECK(before == digest_of({1, 7, 3}));
  a.mutable_data<double>()[7 * 5 + 2] += 1e-12;
  CHECK(before != digest_of({1, 7, 3}));
}

TEST_CASE("order statistics of parts are the elements of the sorted array") {
  std::mt19937_64 random(17);
  const SmallBlocks small(64);
  const auto before = most_collected();
  const auto number = [&](int family) -> double {
    const double u = std::uniform_real_distribution(-1.0, 1.0)(random);
    switch (family) {
      case 0: return u;
      case 1: return 15 + 1e-9 * u;  // nearly equal
      case 2: return u < 0.2 ? 4 : 5;
      case 3: return std::ldexp(u, static_cast<int>(1000 * u));
      case 4: return u < -0.9 ? -INFINITY : u > 0.9 ? INFINITY : std::ldexp(u, -1070);
      default: return u < -0.5 ? NAN : std::floor(5 * u) + 0.0;
    }
  };
  for (int round = 0; round < static_cast<int>(repeats(60)); ++round) {
    const int family = round % 6;
    most_collected() = std::uniform_int_distribution<Index>(0, 300)(random);
    Array x(ElementType::float64, {std::uniform_int_distribution<Index>(1, 40)(random), 20});
    std::vector<double> sorted;
    for (Index k = 0; k < x.size(); ++k) {
      const double value = number(family);
      x.mutable_data<double>()[k] = value;
      if (!std::isnan(value)) sorted.push_back(value);
    }
    std::sort(sorted.begin(), sorted.end());
    const auto source = opened({Column{"x", x}})[0];
    BlockFindings findings;
    const OrderedBlocks ordered(*source, findings);
    CAPTURE(round, family, most_collected());
    REQUIRE(ordered.count() == static_cast<Index>(sorted.size()));
    CHECK(ordered.nan_count() == x.size() - ordered.count());
    if (sorted.empty()) continue;
    std::vector<Index> ranks{0, ordered.count() - 1};
    for (int k = 0; k < 5; ++k)
      ranks.push_back(std::uniform_int_distribution<Index>(0, ordered.count() - 1)(random));
    const auto got = ordered.at(ranks);
    for (std::size_t k = 0; k < ranks.size(); ++k)
      CHECK(got[k] == sorted[static_cast<std::size_t>(ranks[k])]);
  }
  most_collected() = before;
}
