// Times in other forms, in zones, and durations.
#include "base/time_format.h"

#include <catch2/catch.hpp>
#include <random>

#include "base/time_text.h"

using namespace quill;

TEST_CASE("times are read in formats, whole or not at all") {
  CHECK(parse_time_as("17.06.2026 12:30", "%d.%m.%Y %H:%M") == parse_time("2026-06-17T12:30"));
  CHECK(parse_time_as("6/17/2026", "%m/%d/%Y") == parse_time("2026-06-17"));
  CHECK(parse_time_as(" 17 Jun 2026 ", "%d %b %Y") == parse_time("2026-06-17"));
  CHECK(parse_time_as("2026-168", "%Y-%j") == parse_time("2026-06-17"));
  CHECK(parse_time_as("17.06.2026 12:30:05.25", "%d.%m.%Y %H:%M:%S") == parse_time("2026-06-17T12:30:05.25"));
  CHECK(parse_time_as("17.06.2026 12:30 +0200", "%d.%m.%Y %H:%M %z") == parse_time("2026-06-17T10:30"));
  CHECK(parse_time_as("17.06.26 01:05 PM", "%d.%m.%y %I:%M %p") == parse_time("2026-06-17T13:05"));
  for (const char* wrong : {"17.06.2026 12:30 x", "31.02.2026 00:00", "17.13.2026 00:00", "17.06.2026", "",
                            "a", "17.06.2026 25:00", "17.06.2026 12:61", "17.06.2026 24:00"})
    CHECK_FALSE(parse_time_as(wrong, "%d.%m.%Y %H:%M"));
  CHECK(format_fault("%d.%m.%Y", true).empty());
  CHECK(format_fault("%H:%M", false).empty());
  CHECK(format_fault("%H:%M", true) == "needs a year (%Y), a month (%m) and a day (%d)");
  CHECK(format_fault("%Q", false) == "has the unknown conversion %Q");
  CHECK(format_fault("%", false) == "ends with %");
}

TEST_CASE("times that are written in a format are read back") {
  std::mt19937_64 random(4);
  for (int k = 0; k < 500; ++k) {
    const double t = static_cast<double>(static_cast<std::int64_t>(random() % 8000000000) - 2000000000);
    CHECK(parse_time_as(time_text_as(t, "%d.%m.%Y %H:%M:%S", nullptr), "%d.%m.%Y %H:%M:%S") == t);
    CHECK(parse_time_as(time_text_as(t, "%Y-%jT%T", nullptr), "%Y-%jT%T") == t);
  }
  CHECK(time_text_as(0.25, "%S", nullptr) == "00.250");
  CHECK(time_text_as(1e300, "%Y", nullptr) == "1e300");
}

TEST_CASE("zones have their offsets, and the hours that clocks repeat and leave out") {
  const auto* zone = find_zone("Europe/Zurich");
  REQUIRE(zone != nullptr);
  CHECK(find_zone("Europe/Velm") == nullptr);
  CHECK(find_zone("../passwd") == nullptr);
  CHECK(find_zone("") == nullptr);
  CHECK(zone_offset(*zone, *parse_time("2026-01-15")) == 3600);
  CHECK(zone_offset(*zone, *parse_time("2026-07-15")) == 7200);
  // Clocks were put back on 2025-10-26 at 03:00, and forward on 2026-03-29 at 02:00.
  const auto twice = from_local(*zone, *parse_time("2025-10-26T02:30"));
  CHECK(twice.is_twice);
  CHECK(twice.seconds == *parse_time("2025-10-26T00:30"));
  const auto skipped = from_local(*zone, *parse_time("2026-03-29T02:30"));
  CHECK(skipped.is_skipped);
  CHECK(skipped.seconds == *parse_time("2026-03-29T01:30"));
  const auto plain = from_local(*zone, *parse_time("2026-06-01T12:00"));
  CHECK(plain.seconds == *parse_time("2026-06-01T10:00"));
  CHECK_FALSE((plain.is_twice || plain.is_skipped));
  CHECK(time_text_as(*parse_time("2026-07-01"), "%H:%M %Z %z", zone) == "02:00 CEST +0200");
}

TEST_CASE("formats of dates are guessed from their look") {
  CHECK(guessed_date_format("17.06.2026") == "%d.%m.%Y");
  CHECK(guessed_date_format("06/17/2026 12:30") == "%m/%d/%Y %H:%M");
  CHECK(guessed_date_format("2026/06/17") == "%Y/%m/%d");
  CHECK(guessed_date_format("17.06.26 12:30:05") == "%d.%m.%y %H:%M:%S");
  for (const char* other :
       {"1.2.3", "192.168.0.17", "v1.2.2026", "12:30", "A", "", "17.06", "99.99.2026", "1-2-3-4"})
    CHECK(guessed_date_format(other) == "");
}

TEST_CASE("durations are texts with units") {
  CHECK(parse_duration("15 min") == 900);
  CHECK(parse_duration("6h") == 21600);
  CHECK(parse_duration("1 d") == 86400);
  CHECK(parse_duration("2 weeks") == 1209600);
  CHECK(parse_duration("0.5 s") == 0.5);
  CHECK(parse_duration("day") == 86400);
  for (const char* wrong : {"", "5", "-1 d", "1 month", "x", "0 d", "1 d d"})
    CHECK_FALSE(parse_duration(wrong));
  CHECK(parse_months("1 month") == 1);
  CHECK(parse_months("2 years") == 24);
  CHECK_FALSE(parse_months("1.5 months"));
  CHECK(months_later(*parse_time("2026-01-31T12:00"), 1) == *parse_time("2026-02-28T12:00"));
  CHECK(months_later(*parse_time("2024-02-29"), 12) == *parse_time("2025-02-28"));
  CHECK(months_later(*parse_time("2026-01-15"), -13) == *parse_time("2024-12-15"));
}
