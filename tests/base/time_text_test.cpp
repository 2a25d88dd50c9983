// Points in time, read and written.
#include "base/time_text.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <random>

using namespace quill;

TEST_CASE("dates are counted from 1970, over leap years") {
  CHECK(parse_time("1970-01-01") == 0.0);
  CHECK(parse_time("1970-01-02T00:00:01") == 86401.0);
  CHECK(parse_time("2000-03-01") == 951868800.0);
  CHECK(parse_time("1969-12-31T23:59:59.5Z") == -0.5);
  CHECK(parse_time("2026-06-01T12:00+02:00") == parse_time("2026-06-01 10:00"));
  CHECK(parse_time("2026-06-01T12:00-0130") == parse_time("2026-06-01T13:30Z"));
  CHECK(parse_time(" 2026-06-01T24:00 ") == parse_time("2026-06-02"));
  CHECK(*parse_time("2024-02-29") - *parse_time("2024-02-28") == 86400.0);
}

TEST_CASE("what is no date is not taken for one") {
  for (const char* text : {"",
                           "2026",
                           "2026-06",
                           "2026-13-01",
                           "2025-02-29",
                           "2026-06-31",
                           "2026-6-1",
                           "26-06-01",
                           "2026-06-01T",
                           "2026-06-01T25:00",
                           "2026-06-01T12",
                           "2026-06-01T12:60",
                           "2026-06-01T24:01",
                           "2026-06-01T12:00:61",
                           "2026-06-01T12:00:00.",
                           "2026-06-01T12:00 CET",
                           "2026-06-01x",
                           "2026-06-01T12:00+25:00",
                           "2026-06-01T12:00+2",
                           "-2026-06-01",
                           "2026/06/01"}) {
    CAPTURE(text);
    CHECK_FALSE(parse_time(text));
  }
}

TEST_CASE("what is written reads back, with no more digits than needed") {
  CHECK(time_text(0) == "1970-01-01");
  CHECK(time_text(*parse_time("2026-06-01T07:05")) == "2026-06-01T07:05");
  CHECK(time_text(*parse_time("2026-06-01T07:05:09")) == "2026-06-01T07:05:09");
  CHECK(time_text(*parse_time("2026-06-01") + 0.25) == "2026-06-01T00:00:00.25");
  CHECK(time_text(-1) == "1969-12-31T23:59:59");
  CHECK(time_text(NAN) == "nan");
  CHECK(time_text(1e300) == "1e300");
  std::mt19937_64 random(5);
  std::uniform_real_distribution<double> when(-6e10, 2e11);
  for (int k = 0; k < 2000; ++k) {
    const double t = std::round(when(random) * 1000) / 1000;
    CAPTURE(t, time_text(t));
    const auto back = parse_time(time_text(t));
    REQUIRE(back);
    CHECK(*back == Approx(t).margin(1e-4));
  }
}

TEST_CASE("months follow each other, over the ends of years") {
  CHECK(start_of_month(1970, 1) == 0);
  CHECK(start_of_month(1970, 13) == start_of_month(1971, 1));
  CHECK(start_of_month(1971, 0) == start_of_month(1970, 12));
  CHECK(start_of_month(1971, -11) == start_of_month(1970, 1));
  for (int m = 1; m < 200; ++m) {
    const double t = start_of_month(1990, m);
    const auto date = calendar_date(t);
    CHECK(date.day == 1);
    CHECK(static_cast<int>(date.month) == (m - 1) % 12 + 1);
    CHECK(date.second_of_day == 0);
  }
}
