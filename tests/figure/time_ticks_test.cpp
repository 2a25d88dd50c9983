// Ticks of axes of time: at round places, inside, about as many as wanted, and saying which day it is.
#include "figure/time_ticks.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <random>
#include <set>

#include "base/time_text.h"

using namespace quill;

namespace {

TimeTicks between(const char* low, const char* high, double wanted = 6) {
  return time_ticks(*parse_time(low), *parse_time(high), wanted);
}

}  // namespace

TEST_CASE("ticks of time stand at round places of clock and calendar") {
  CHECK(between("2026-06-01T10:00", "2026-06-01T10:06").ticks.labels ==
        std::vector<std::string>{"10:00", "10:01", "10:02", "10:03", "10:04", "10:05", "10:06"});
  CHECK(between("2026-06-01T10:00", "2026-06-01T10:06").context == "1 Jun 2026");
  const auto days = between("2026-05-30", "2026-06-04");
  CHECK(days.ticks.labels ==
        std::vector<std::string>{"30 May", "31 May", "1 Jun", "2 Jun", "3 Jun", "4 Jun"});
  CHECK(days.context == "2026");
  const auto night = between("2026-06-01T15:00", "2026-06-02T13:00");
  CHECK(night.ticks.labels ==
        std::vector<std::string>{"15:00", "18:00", "21:00", "2 Jun", "03:00", "06:00", "09:00", "12:00"});
  CHECK(night.context == "2026");
  const auto months = between("2025-10-15", "2026-04-10");
  CHECK(months.ticks.labels == std::vector<std::string>{"Nov", "Dec", "2026", "Feb", "Mar", "Apr"});
  CHECK(months.context.empty());
  CHECK(between("1949-05-01", "2010-05-01").ticks.labels ==
        std::vector<std::string>{"1950", "1960", "1970", "1980", "1990", "2000", "2010"});
  for (const double t : between("2026-06-01", "2026-08-10", 12).ticks.positions)
    CHECK(std::fmod(t / 86400, 7) == Approx(4));  // Mondays
  CHECK(between("2026-06-01T10:00:00", "2026-06-01T10:00:01").ticks.labels[1] == "10:00:00.2");
}

TEST_CASE("ticks of time rise, lie inside, are few, and their labels tell them apart") {
  std::mt19937_64 random(9);
  std::uniform_real_distribution<double> start(-5e9, 5e9), log_range(-1, 10);
  for (int k = 0; k < 500; ++k) {
    const double low = start(random), range = std::pow(10.0, log_range(random));
    const auto found = time_ticks(low, low + range, 6);
    CAPTURE(low, range);
    CHECK(found.ticks.positions.size() <= 14);
    CHECK(found.ticks.positions.size() == found.ticks.labels.size());
    if (range > 20) CHECK(found.ticks.positions.size() >= 1);
    for (std::size_t i = 0; i < found.ticks.positions.size(); ++i) {
      CHECK(found.ticks.positions[i] >= low);
      CHECK(found.ticks.positions[i] <= low + range);
      if (i > 0) CHECK(found.ticks.positions[i] > found.ticks.positions[i - 1]);
    }
    // Within a day or a year no label occurs twice.
    if (range < 80000 || (range > 4e6 && range < 3e7)) {
      const std::set<std::string> different(found.ticks.labels.begin(), found.ticks.labels.end());
      CHECK(different.size() == found.ticks.labels.size());
    }
  }
  CHECK(time_ticks(0, 1e15, 6).ticks.positions.size() > 1);
  CHECK(time_ticks(-1e300, 1e300, 6).ticks.positions.size() > 1);
}
