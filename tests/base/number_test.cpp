#include "base/number.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <cstring>
#include <limits>
#include <random>

using namespace quill;

TEST_CASE("shortest text reads back to the same number") {
  std::mt19937_64 random(5);
  for (int k = 0; k < 20000; ++k) {
    double x = 0;
    const auto bits = random();
    static_assert(sizeof bits == sizeof x);
    std::memcpy(&x, &bits, sizeof x);
    if (!std::isfinite(x)) continue;
    const auto back = parse_number(shortest(x));
    REQUIRE(back.has_value());
    CHECK(*back == x);
  }
  CHECK(shortest(0.1) == "0.1");
  CHECK(shortest(3) == "3");
  CHECK(shortest(1e-9) == "1e-9");
  CHECK(shortest(NAN) == "nan");
  CHECK(shortest(-INFINITY) == "-inf");
}

TEST_CASE("numbers are read whole or not at all") {
  CHECK(parse_number("2.5e3") == 2500.0);
  CHECK(parse_number("+4") == 4.0);
  CHECK(parse_number("-1e400") == -INFINITY);
  CHECK(parse_number("1e-400") == 0.0);
  CHECK(std::isnan(parse_number("NaN").value()));
  for (const char* bad : {"", "abc", "1x", "1.2.3", "--1", "+-1", " 1", "1 ", "e5"}) {
    CAPTURE(bad);
    CHECK_FALSE(parse_number(bad).has_value());
  }
}

TEST_CASE("random strings of digits are read as the C library reads them") {
  std::mt19937_64 random(7);
  const auto below = [&](int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); };
  for (int k = 0; k < 20000; ++k) {
    std::string text = below(3) == 0 ? "-" : "";
    const auto digits = [&](int count, bool zeros) {
      for (int i = 0; i < count; ++i) text += zeros ? '0' : static_cast<char>('0' + below(10));
    };
    digits(1 + below(3), below(2));
    if (below(2)) digits(below(420), below(2));
    if (below(2)) {
      text += ".";
      digits(1 + below(420), below(2));
      digits(1 + below(20), false);
    }
    if (below(2))
      text += (below(2) ? "e" : "E") + std::string(below(3) ? below(2) ? "-" : "+" : "") +
              std::to_string(below(4) ? below(800) : below(20));
    CAPTURE(text);
    const auto read = parse_number(text);
    REQUIRE(read.has_value());
    CHECK(*read == std::strtod(text.c_str(), nullptr));
  }
  CHECK(parse_number("0." + std::string(400, '0') + "1") == 0.0);
  CHECK(parse_number("1" + std::string(400, '0') + "e-5") == INFINITY);
  CHECK(parse_number("1e-99999999999999999999999") == 0.0);
  CHECK(parse_number("0e99999999999999999999999") == 0.0);
}

TEST_CASE("significant digits") {
  CHECK(with_digits(M_PI, 5) == "3.1416");
  CHECK(with_digits(123456.789, 5) == "1.2346e5");
  CHECK(with_digits(1234567, 5) == "1234567");
  CHECK(with_digits(0.000012345678, 3) == "1.23e-5");
  CHECK(with_digits(-0.0, 3) == "0");
}

TEST_CASE("sizes do not wrap") {
  CHECK(checked_product(1000000, 1000000) == 1000000000000);
  CHECK_FALSE(checked_product(std::numeric_limits<Index>::max(), 2).has_value());
  CHECK(bytes_in_prose(512) == "512 bytes");
  CHECK(bytes_in_prose(3.1e6) == "3.1 MB");
  CHECK(grouped(1234567) == "1 234 567");
}
