// Element types: what comes out of each pair, exact arithmetic of integers, conversions.
#include <catch2/catch.hpp>
#include <limits>
#include <random>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

constexpr ElementType kNumeric[] = {ElementType::float64,   ElementType::float32, ElementType::int32,
                                    ElementType::int64,     ElementType::uint8,   ElementType::boolean,
                                    ElementType::complex128};

template <class T>
Array vector_of(std::initializer_list<T> values) {
  return Array::of<T>({static_cast<Index>(values.size())}, std::span(values.begin(), values.size()));
}

Operand literal(const double& value) {
  Operand o(value);
  o.literal = true;
  return o;
}

// Elements small enough for every type: 0, 1 for bool; 0..9 otherwise.
Array random_of_type(Random& random, ElementType type, const Shape& shape) {
  Array numbers(ElementType::float64, shape);
  for (Index k = 0; k < numbers.size(); ++k)
    numbers.mutable_data<double>()[k] =
        static_cast<double>(pick(random, 0, type == ElementType::boolean ? 1 : 9));
  return numbers.converted(type);
}

}  // namespace

TEST_CASE("the type of a sum: the wider one, integers with reals float64") {
  using E = ElementType;
  const auto type = [](E a, E b) {
    const auto one = Array::filled<bool>({1}, true);
    return apply(Binary::add, one.converted(a), one.converted(b)).type();
  };
  CHECK(result_type(Binary::add, Array(E::int32, {2}), Array(E::int64, {2})) == E::int64);
  CHECK(result_type(Binary::add, Array(E::uint8, {2}), Array(E::int32, {2})) == E::int32);
  CHECK(result_type(Binary::add, Array(E::int32, {2}), Array(E::float32, {2})) == E::float64);
  CHECK(result_type(Binary::add, Array(E::float32, {2}), Array(E::float64, {2})) == E::float64);
  CHECK(result_type(Binary::add, Array(E::boolean, {2}), Array(E::boolean, {2})) == E::int64);
  CHECK(result_type(Binary::add, Array(E::boolean, {2}), Array(E::uint8, {2})) == E::uint8);
  CHECK(result_type(Binary::subtract, Array(E::uint8, {2}), Array(E::uint8, {2})) == E::int32);
  CHECK(result_type(Binary::divide, Array(E::int32, {2}), Array(E::int32, {2})) == E::float64);
  CHECK(result_type(Binary::divide, Array(E::float32, {2}), Array(E::float32, {2})) == E::float32);
  CHECK(result_type(Binary::less, Array(E::int32, {2}), Array(E::float64, {2})) == E::boolean);
  // Addition is symmetric in types, and complex takes all.
  for (const auto a : kNumeric)
    for (const auto b : kNumeric) {
      CHECK(result_type(Binary::add, Array(a, {2}), Array(b, {2})) ==
            result_type(Binary::add, Array(b, {2}), Array(a, {2})));
      CHECK(type(a, E::complex128) == E::complex128);
    }
}

TEST_CASE("single reals and literals do not widen") {
  using E = ElementType;
  const double three = 3, half = 0.5, large = 300;
  CHECK(result_type(Binary::multiply, Array(E::float32, {2}), half) == E::float32);
  CHECK(result_type(Binary::multiply, Array(E::int32, {2}), half) == E::float64);
  CHECK(result_type(Binary::multiply, Array(E::int32, {2}), three) == E::float64);
  CHECK(result_type(Binary::multiply, Array(E::int32, {2}), literal(three)) == E::int32);
  CHECK(result_type(Binary::add, literal(three), Array(E::uint8, {2})) == E::uint8);
  CHECK(result_type(Binary::add, Array(E::boolean, {2}), literal(three)) == E::int64);
  CHECK_THROWS_AS(apply(Binary::add, vector_of<std::uint8_t>({1}), literal(large)), Error);
  CHECK(apply(Binary::less, vector_of<std::uint8_t>({1}), literal(large)).to_vector<bool>() ==
        std::vector<bool>{true});
}

TEST_CASE("integers never wrap") {
  const auto most = std::numeric_limits<std::int32_t>::max();
  const auto least = std::numeric_limits<std::int32_t>::min();
  const auto top = vector_of<std::int32_t>({most}), bottom = vector_of<std::int32_t>({least});
  const auto one = vector_of<std::int32_t>({1}), minus = vector_of<std::int32_t>({-1});
  CHECK_THROWS_WITH(apply(Binary::add, top, one), "integer overflow: 2147483647 + 1 does not fit int32");
  CHECK_THROWS_AS(apply(Binary::subtract, bottom, one), Error);
  CHECK_THROWS_AS(apply(Binary::multiply, bottom, minus), Error);
  CHECK_THROWS_AS(apply(Unary::negate, bottom), Error);
  CHECK_THROWS_AS(apply(Unary::abs, bottom), Error);
  CHECK(apply(Binary::remainder, bottom, minus).to_vector<std::int32_t>() == std::vector<std::int32_t>{0});
  CHECK_THROWS_AS(apply(Binary::remainder, one, vector_of<std::int32_t>({0})), Error);
  CHECK_THROWS_AS(apply(Binary::power, one, minus), Error);
  CHECK_THROWS_AS(reduce(Reduction::sum, vector_of<std::int32_t>({most, 1})), Error);
  CHECK(*reduce(Reduction::sum, vector_of<std::int32_t>({most, 1, -1})).data<std::int32_t>() == most);
  CHECK_THROWS_AS(reduce(Reduction::product, vector_of<std::int32_t>({most, 2})), Error);
  CHECK_THROWS_AS(running(Running::sum, vector_of<std::int32_t>({most, 1}), 0), Error);
  const auto bytes = vector_of<std::uint8_t>({200, 100});
  CHECK_THROWS_AS(apply(Binary::add, bytes, bytes), Error);
  CHECK(apply(Binary::subtract, vector_of<std::uint8_t>({1}), vector_of<std::uint8_t>({2}))
            .to_vector<std::int32_t>() == std::vector<std::int32_t>{-1});
  CHECK(*reduce(Reduction::sum, bytes).data<Index>() == 300);
  CHECK_THROWS_WITH(apply(Binary::power, vector_of<std::int64_t>({3}), vector_of<std::int64_t>({40})),
                    "integer overflow: 3 ^ 40 does not fit int64");
  CHECK(
      apply(Binary::power, vector_of<std::int64_t>({-3}), vector_of<std::int64_t>({39})).to_vector<Index>() ==
      std::vector<Index>{-4052555153018976267});
}

TEST_CASE("arithmetic of every pair of types agrees with float64") {
  Random random(41);
  for (int round = 0; round < 400; ++round) {
    const auto shape = random_shape(random, 2);
    const auto a = random_of_type(random, kNumeric[pick(random, 0, 5)], shape);
    const auto b = random_of_type(random, kNumeric[pick(random, 0, 5)], shape);
    const auto x = a.converted(ElementType::float64), y = b.converted(ElementType::float64);
    CAPTURE(dump(a), dump(b));
    for (const auto op : {Binary::add, Binary::subtract, Binary::multiply, Binary::minimum, Binary::maximum,
                          Binary::less, Binary::equal, Binary::greater_equal}) {
      const auto out = apply(op, a, b);
      CHECK(out.converted(ElementType::float64).to_vector<double>() ==
            apply(op, x, y).converted(ElementType::float64).to_vector<double>());
      CHECK(out.type() == result_type(op, a, b));
    }
    if (a.size() == 0) continue;
    CHECK(plain(reduce(Reduction::sum, a)).values == plain(reduce(Reduction::sum, x)).values);
    CHECK(plain(reduce(Reduction::maximum, a)).values == plain(reduce(Reduction::maximum, x)).values);
    CHECK(plain(arg_extreme(a, false, {})).values == plain(arg_extreme(x, false, {})).values);
  }
}

TEST_CASE("functions of float32 are the float64 ones, rounded once") {
  const auto x = vector_of<float>({0.1F, 0.7F, 1.5F});
  for (const auto f : {Unary::sqrt, Unary::exp, Unary::sin, Unary::log, Unary::erf}) {
    const auto out = apply(f, x);
    CHECK(out.type() == ElementType::float32);
    for (Index k = 0; k < 3; ++k)
      CHECK(out.data<float>()[k] == static_cast<float>(apply(f, static_cast<double>(x.data<float>()[k]))));
  }
  CHECK(apply(Unary::sqrt, vector_of<std::int32_t>({4})).type() == ElementType::float64);
  CHECK(apply(Unary::floor, vector_of<std::int32_t>({4})).type() == ElementType::int32);
  CHECK(apply(Unary::negate, vector_of<std::uint8_t>({4})).to_vector<std::int32_t>() ==
        std::vector<std::int32_t>{-4});
}

TEST_CASE("conversions are exact or an error, and round into real types") {
  using E = ElementType;
  const auto reals = Array::vector(std::vector<double>{0, 1, 255});
  for (const auto type : kNumeric) {
    if (type == E::boolean) continue;
    CHECK(reals.converted(type).converted(E::float64).to_vector<double>() == reals.to_vector<double>());
  }
  const auto fails = [](double x, E type) {
    CHECK_THROWS_AS(Array::vector(std::vector<double>{x}).converted(type), Error);
  };
  fails(0.5, E::int32);
  fails(NAN, E::int64);
  fails(INFINITY, E::int64);
  fails(2147483648.0, E::int32);
  fails(9223372036854775808.0, E::int64);
  fails(-1, E::uint8);
  fails(256, E::uint8);
  fails(2, E::boolean);
  CHECK(
      Array::vector(std::vector<double>{-9223372036854775808.0}).converted(E::int64).to_vector<Index>()[0] ==
      std::numeric_limits<Index>::min());
  CHECK_THROWS_AS(vector_of<Index>({Index{1} << 40}).converted(E::int32), Error);
  CHECK_THROWS_AS(vector_of<Complex>({Complex(0, 1)}).converted(E::int32), Error);
  CHECK(Array::vector(std::vector<double>{0.1}).converted(E::float32).data<float>()[0] == 0.1F);
}

TEST_CASE("special functions of two arguments agree with their integrals and recurrences") {
  for (const double a : {0.5, 1.0, 3.5})
    for (const double b : {0.25, 2.0}) {
      CHECK(apply(Binary::beta, a, b) == Approx(std::tgamma(a) * std::tgamma(b) / std::tgamma(a + b)));
      CHECK(apply(Binary::beta, a, b) ==
            Approx(apply(Binary::beta, a + 1, b) + apply(Binary::beta, a, b + 1)));
    }
  for (const double x : {0.5, 2.0, 30.0})
    for (const double n : {1.0, 2.5, 4.0}) {
      // J(n-1) + J(n+1) = 2n/x J(n), and the Wronskian J(n+1) Y(n) - J(n) Y(n+1) = 2/(πx).
      const auto j = [&](double order) { return apply(Binary::bessel_j, order, x); };
      const auto y = [&](double order) { return apply(Binary::bessel_y, order, x); };
      CHECK(j(n - 1) + j(n + 1) == Approx(2 * n / x * j(n)).margin(1e-14));
      CHECK(j(n + 1) * y(n) - j(n) * y(n + 1) == Approx(2 / (M_PI * x)));
    }
  CHECK(apply(Binary::bessel_j, 1, -2) == Approx(-apply(Binary::bessel_j, 1, 2)));
  CHECK(std::isnan(apply(Binary::bessel_y, 0, -1)));
  CHECK(std::isnan(apply(Binary::beta, 0, 1)));
}

TEST_CASE("remainders by one integer are those of the definition, for every sign and size") {
  std::mt19937_64 random(12);
  for (const std::int64_t divisor :
       {std::int64_t{1}, std::int64_t{2}, std::int64_t{7}, std::int64_t{64}, std::int64_t{1000003},
        std::int64_t{1} << 40, INT64_MAX - 1, INT64_MAX}) {
    std::vector<std::int64_t> values = {0,       1,        -1,         INT64_MAX, INT64_MIN, INT64_MIN + 1,
                                        divisor, -divisor, divisor - 1};
    for (int k = 0; k < 500; ++k) values.push_back(static_cast<std::int64_t>(random()) >> (random() % 60));
    const auto got = apply(Binary::remainder, Array::of<std::int64_t>({std::ssize(values)}, values),
                           Array::filled<std::int64_t>({}, divisor));
    REQUIRE(got.type() == ElementType::int64);
    for (std::size_t k = 0; k < values.size(); ++k) {
      const auto r = values[k] % divisor;
      CAPTURE(values[k], divisor);
      CHECK(got.data<std::int64_t>()[k] == (r < 0 ? r + divisor : r));
    }
  }
}

TEST_CASE("products of integers are exact in float64, in int64, and where they overflow") {
  std::mt19937_64 random(13);
  for (const std::int64_t size : {std::int64_t{100}, std::int64_t{1} << 28, std::int64_t{3} << 29}) {
    std::vector<std::int64_t> a(12), b(12);
    for (auto* v : {&a, &b})
      for (auto& x : *v)
        x = static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(2 * size)) - size;
    const auto x = Array::of<std::int64_t>({3, 4}, a), y = Array::of<std::int64_t>({4, 3}, b);
    const auto got = matrix_product(x, y);
    for (std::size_t i = 0; i < 3; ++i)
      for (std::size_t k = 0; k < 3; ++k) {
        std::int64_t sum = 0;
        for (std::size_t j = 0; j < 4; ++j) sum += a[4 * i + j] * b[3 * j + k];
        CHECK(got.data<std::int64_t>()[3 * i + k] == sum);
      }
  }
  const std::vector<std::int64_t> huge(4, INT64_MAX / 2);
  CHECK_THROWS_AS(matrix_product(Array::of<std::int64_t>({4}, huge), Array::of<std::int64_t>({4}, huge)),
                  Error);
}
