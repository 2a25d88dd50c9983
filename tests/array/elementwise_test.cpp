#include "array/elementwise.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

// The operators once more, as plainly as can be.
double twin(Binary op, double x, double y) {
  switch (op) {
    case Binary::add: return x + y;
    case Binary::subtract: return x - y;
    case Binary::multiply: return x * y;
    case Binary::divide: return x / y;
    case Binary::remainder: return y == 0 ? NAN : x - y * std::floor(x / y);
    case Binary::minimum: return x < y ? x : y;
    case Binary::maximum: return x > y ? x : y;
    case Binary::equal: return x == y;
    case Binary::not_equal: return x != y;
    case Binary::less: return x < y;
    case Binary::less_equal: return x <= y;
    case Binary::greater: return x > y;
    default: return x >= y;
  }
}

}  // namespace

TEST_CASE("operators agree with plain loops over all shapes and layouts") {
  Random random(3);
  const Binary operators[] = {Binary::add,          Binary::subtract, Binary::multiply,   Binary::divide,
                              Binary::remainder,    Binary::minimum,  Binary::maximum,    Binary::equal,
                              Binary::not_equal,    Binary::less,     Binary::less_equal, Binary::greater,
                              Binary::greater_equal};
  int compared = 0;
  for (int round = 0; round < 3000; ++round) {
    const auto op = operators[round % std::size(operators)];
    auto shape_a = random_shape(random), shape_b = random_shape(random);
    if (round % 2) shape_b = shape_a;
    for (int i = 0; i < shape_b.count(); ++i)
      if (pick(random, 0, 3) == 0) shape_b[i] = 1;
    const auto a = in_random_layout(random, random_array(random, shape_a)),
               b = in_random_layout(random, random_array(random, shape_b));
    CAPTURE(dump(a), dump(b), symbol_of(op));
    if (!can_broadcast(a.shape(), b.shape())) {
      CHECK_THROWS_AS(apply(op, a, b), ShapeMismatch);
      continue;
    }
    const auto got = plain(apply(op, a, b));
    const auto x = plain(a), y = plain(b);
    std::size_t k = 0;
    for_each_position(got.shape, [&](const std::vector<Index>& at) {
      const double expected = twin(op, stretched(x, got.shape, at), stretched(y, got.shape, at)),
                   found = got.values[k++];
      ++compared;
      if (!(found == expected || (std::isnan(found) && std::isnan(expected))))
        FAIL_CHECK(found << " instead of " << expected);
    });
  }
  CHECK(compared > 5000);
}

TEST_CASE("in place gives what the operator gives") {
  Random random(4);
  for (int round = 0; round < 500; ++round) {
    const auto op = std::array{Binary::add, Binary::subtract, Binary::multiply,
                               Binary::divide}[static_cast<std::size_t>(round) % 4];
    const auto shape = random_shape(random);
    if (shape.empty()) continue;
    const auto b = in_random_layout(random, random_array(random, shape));
    auto a = random_array(random, shape).copied();
    const auto expected = plain(apply(op, a, b));
    REQUIRE(apply_in_place(op, a, b));
    const auto got = plain(a);
    for (std::size_t k = 0; k < got.values.size(); ++k)
      CHECK((got.values[k] == expected.values[k] || std::isnan(expected.values[k])));
  }
  auto a = Array::filled<double>({3}, 1.0);
  const auto shared = a;
  CHECK_FALSE(apply_in_place(Binary::add, a, shared));
}

TEST_CASE("the remainder has the sign of the divisor") {
  CHECK(remainder_of(7, 3) == 1);
  CHECK(remainder_of(-7, 3) == 2);
  CHECK(remainder_of(7, -3) == -2);
  CHECK(remainder_of(-7, -3) == -1);
  CHECK(remainder_of(5.5, 2) == 1.5);
  CHECK(std::isnan(remainder_of(1, 0)));
}

TEST_CASE("identities of the elementary functions") {
  for (double x = -4; x <= 4; x += 0.173) {
    CAPTURE(x);
    const auto f = [&](Unary op, double v) { return apply(op, v); };
    CHECK(std::pow(f(Unary::sin, x), 2) + std::pow(f(Unary::cos, x), 2) == Approx(1));
    CHECK(f(Unary::log, f(Unary::exp, x)) == Approx(x));
    CHECK(f(Unary::atan, f(Unary::tan, x / 3)) == Approx(x / 3));
    CHECK(f(Unary::asinh, f(Unary::sinh, x)) == Approx(x));
    CHECK(f(Unary::cbrt, x * x * x) == Approx(x));
    CHECK(f(Unary::erf, x) + f(Unary::erfc, x) == Approx(1));
    CHECK(f(Unary::floor, x) <= x);
    CHECK(f(Unary::ceil, x) >= x);
    CHECK(std::fabs(f(Unary::truncate, x)) <= std::fabs(x));
  }
  CHECK(apply(Unary::sinc, 0.0) == 1);
  for (int n = 1; n < 50; ++n) CHECK(apply(Unary::sinc, double(n)) == 0);
  CHECK(apply(Unary::sinc, 0.5) == Approx(2 / M_PI));
  CHECK(apply(Unary::gamma, 6.0) == Approx(120));
}

TEST_CASE("real functions stay real and tell when they could not") {
  Domain domain;
  const auto r = apply(Unary::sqrt, Array::vector(std::vector<double>{4, -1}), &domain);
  CHECK(r.at<double>({0}) == 2);
  CHECK(std::isnan(r.at<double>({1})));
  CHECK(domain.exceeded);
  Domain fine;
  apply(Unary::sqrt, Array::vector(std::vector<double>{4, NAN}), &fine);
  CHECK_FALSE(fine.exceeded);
  const auto z = apply(Unary::sqrt, Array::filled<Complex>({1}, Complex(-4, 0)));
  CHECK(z.at<Complex>({0}).imag() == Approx(2));
}

TEST_CASE("types mix as they should") {
  const auto mask = Array::of<bool>({2}, std::array<bool, 2>{true, false});
  CHECK(apply(Binary::add, mask, mask).to_vector<Index>() == std::vector<Index>{2, 0});
  CHECK(apply(Binary::multiply, mask, 3.5).to_vector<double>() == std::vector<double>{3.5, 0});
  const auto z = apply(Binary::multiply, Array::filled<Complex>({}, Complex(0, 1)),
                       Array::filled<Complex>({}, Complex(0, 1)));
  CHECK(*z.data<Complex>() == Complex(-1, 0));
  const auto names = Array::vector(std::vector<std::string>{"a", "b"});
  CHECK(apply(Binary::equal, names, std::string("b")).to_vector<bool>() == std::vector<bool>{false, true});
  CHECK(apply(Binary::less, names, std::string("b")).to_vector<bool>() == std::vector<bool>{true, false});
  CHECK_THROWS_AS(apply(Binary::add, names, 1.0), Error);
  CHECK_THROWS_AS(apply(Binary::less, Array::filled<Complex>({1}, Complex(0, 1)), 1.0), Error);
  CHECK_THROWS_AS(apply(Binary::logical_and, mask, 1.0), Error);
  CHECK(quill::pick(mask, 1.0, 2.0).to_vector<double>() == std::vector<double>{1, 2});
}

TEST_CASE("whole powers of complex numbers are products, and the power 0 is 1") {
  const auto power = [](Complex a, double b) {
    return apply(Binary::power, Array::filled<Complex>({}, a), b).at<Complex>({});
  };
  CHECK(power({0, 1}, 2) == Complex(-1, 0));
  CHECK(power({0, 1}, 3) == Complex(0, -1));
  CHECK(power({1, 1}, 8) == Complex(16, 0));
  CHECK(power({3, -4}, 1) == Complex(3, -4));
  CHECK(power({0, 2}, -2) == Complex(-0.25, 0));
  CHECK(power({0, 0}, 0) == Complex(1, 0));
  CHECK(power({2, 5}, 0) == Complex(1, 0));
  // Others by the logarithm.
  CHECK(std::abs(power({2, 5}, 0.5) - std::sqrt(Complex(2, 5))) < 1e-14);
}

TEST_CASE("complex numbers from parts keep the signs of zeros") {
  const auto z = complex_from(Array::single(-1), Array::single(-0.0)).at<Complex>({});
  CHECK(std::signbit(z.imag()));
  CHECK(std::sqrt(z).imag() == -1);
  CHECK(std::signbit(complex_from(Array::single(-0.0), Array::single(0)).at<Complex>({}).real()));
  const auto turned =
      complex_from(Array::filled<Complex>({}, Complex(1, 2)), Array::filled<Complex>({}, Complex(3, 4)));
  CHECK(turned.at<Complex>({}) == Complex(1 - 4, 2 + 3));
}

TEST_CASE("special functions at orders and angles far off") {
  const auto of_two = [](Binary op, double a, double b) {
    return apply(op, Array::single(a), Array::single(b)).at<double>({});
  };
  CHECK(of_two(Binary::bessel_j, 3e9, 5) == 0);
  CHECK(of_two(Binary::bessel_y, 3e9, 5) == -INFINITY);
  CHECK(of_two(Binary::bessel_y, 100, 0.001) == -INFINITY);
  CHECK(of_two(Binary::bessel_y, 101.0, 0.001) == -INFINITY);
  // At its turning point J of order v is Γ(1/3) / (2^(2/3) 3^(1/6) π v^(1/3)).
  for (const double v : {2.2e9, 1e12})
    CHECK(of_two(Binary::bessel_j, v, v) ==
          Approx(std::tgamma(1.0 / 3) /
                 (std::pow(2, 2.0 / 3) * std::pow(3, 1.0 / 6) * std::acos(-1.0) * std::cbrt(v)))
              .epsilon(1e-7)
              .margin(0));
  // The recurrence between neighbours holds: J(v-1) + J(v+1) = 2v/x J(v); below and above the turning point.
  for (const double v : {2e7, 3e9})
    for (const double x : {v - 0.3 * std::cbrt(v), v + 2 * std::cbrt(v), 1.5 * v})
      for (const auto op : {Binary::bessel_j, Binary::bessel_y}) {
        const double both = of_two(op, v - 1, x) + of_two(op, v + 1, x), middle = of_two(op, v, x);
        CHECK(both == Approx(2 * v / x * middle).margin(1e-8 * std::sqrt(1 / v)));
      }
  // The cosine of a number next to an odd multiple of a quarter turn, known to its last place.
  CHECK(apply(Unary::cos, Array::single(std::ldexp(6381956970095103.0, 797))).at<double>({}) ==
        Approx(-4.68716592425462761112e-19).epsilon(2e-16).margin(0));
  for (const double pole : {0.0, -1.0, -5.0}) {
    Domain domain;
    CHECK(std::isnan(apply(Unary::gamma, Array::single(pole), &domain).at<double>({})));
    CHECK(domain.exceeded);
  }
}
