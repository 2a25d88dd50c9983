// Times and series as a script asks for them.
#include <catch2/catch.hpp>

#include <fmt/format.h>

#include "support/script.h"

using namespace quill::test;

TEST_CASE("parts of random dates are those that their texts state") {
  // From the year -9990 to 9990, with fractions of seconds, and some near midnight and the end of a year.
  const std::string times =
      "seed(4)\nt = [(random(3000) - 0.5) * 6.3e11, floor(random(2000) * 2e4) * 86400 - [0, 1, 0.5, 86399][1 "
      "+ "
      "floor(4 * random(2000))], nan]\n";
  for (const char* zone : {"UTC", "Europe/Zurich", "America/New_York", "Australia/Lord_Howe"}) {
    CAPTURE(zone);
    const auto ran = run(times + fmt::format(R"(
p = date_parts(t, zone: "{0}")
for k in 1..5000 {{
  if t[k] > -6e10 and t[k] < 2.4e11 {{
    words = split_text(timestamp_text(floor(t[k]), format: "%Y %m %d %H %M %S %j %a", zone: "{0}"), " ")
    parts = [p.year[k], p.month[k], p.day[k], p.hour[k], p.minute[k], floor(p.second[k]), p.day_of_year[k]]
    expect all([number(w) for w in words[1..7]] == parts)
    expect words[8] == ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"][p.weekday[k]]
  }}
}}
expect is_nan(p.year[5001]) and is_nan(p.second[5001])
)",
                                             zone));
    CAPTURE(ran.messages);
    CHECK(ran.ok);
  }
}

TEST_CASE("timestamps take formats and zones, and are written in them") {
  check_calls(
      {{"timestamp_text(timestamp(\"17.06.2026 12:30\", format: \"%d.%m.%Y %H:%M\"))", "2026-06-17T12:30"},
       {"timestamp_text(timestamp(\"2026-06-17T12:30\", zone: \"Europe/Zurich\"))", "2026-06-17T10:30"},
       {"timestamp_text(timestamp(\"2026-06-17T12:30Z\", zone: \"Europe/Zurich\"))", "2026-06-17T12:30"},
       {"timestamp_text(timestamp(\"2026-06-17T12:30\"), format: \"%d %b, %H h\", zone: \"Europe/Zurich\")",
        "17 Jun, 14 h"},
       {"timestamp_text(timestamp(\"2026-06-17T12:30\"), zone: \"Europe/Zurich\")", "2026-06-17T14:30+0200"},
       {"date_parts(timestamp(\"2026-06-17T23:30\"), zone: \"Europe/Zurich\").day", "18"},
       {"timestamp_text(start_of(timestamp(\"2026-06-17T23:30\"), \"day\", zone: \"Europe/Zurich\"))",
        "2026-06-17T22:00"},
       {"timestamp_text(add_months(timestamp([\"2026-01-31\", \"2024-02-29\"]), 12))",
        "[\"2027-01-31\", \"2025-02-28\"]"}});
  check_errors(
      {{"timestamp(\"17.06.2026\")", "timestamp: `t` must be a calendar date, not \"17.06.2026\"",
        "format: \"%d.%m.%Y\""},
       {"timestamp(\"17.06\", format: \"%d.%m.%Y\")",
        "timestamp: `t` must be dates in the format \"%d.%m.%Y\", not \"17.06\"",
        "timestamp(\"2026-06-01T12:30\")"},
       {"timestamp(\"a\", format: \"%H\")",
        "timestamp: `format` needs a year (%Y), a month (%m) and a day (%d)", "format: \"%d.%m.%Y %H:%M\""},
       {"timestamp(\"2026-06-17\", zone: \"Lake/Velm\")",
        "timestamp: `zone` names no time zone that is known here: \"Lake/Velm\"",
        "names are those of the tz database, such as \"Europe/Zurich\""}});
  CHECK(run("t = timestamp(\"2025-10-26T02:30\", zone: \"Europe/Zurich\")")
            .messages.find("1 local time occurs twice") != std::string::npos);
  CHECK(run("t = timestamp(\"2026-03-29T02:30\", zone: \"Europe/Zurich\")")
            .messages.find("1 local time does not exist") != std::string::npos);
}

TEST_CASE("series are aggregated, made regular, filled and compared by season") {
  check_calls({{"aggregate(sum, [0, 10, 20, 70], [1, 2, nan, 4], every: \"1 min\").value", "[3, 4]"},
               {"aggregate(sum, [0, 10, 20, 70], [1, 2, nan, 4], every: \"1 min\").count", "[2, 1]"},
               {"aggregate(fn(v) = v[1], 10 * (0..11), 1..12, every: 60, at_least: 0.9).value", "[1, 7]"},
               {"aggregate(max, 10 * (0..8), 1..9, every: 60, at_least: 0.9).value", "[6, nan]"},
               {"timestamp_text(aggregate(mean, timestamp([\"2026-01-31\", \"2026-03-01\"]), [1, 2], every: "
                "\"1 month\").time)",
                "[\"2026-01-01\", \"2026-02-01\", \"2026-03-01\"]"},
               {"regular([0, 61, 119], [1, 2, 4], every: \"1 min\").value", "[1, 2, 4]"},
               {"fill_gaps([0, 1, 2], [5, nan, 7], longest: 2)", "[5, 6, 7]"},
               {"trend([0, 1, 2, 3], [1, 2, 3, 4]).slope", "1"},
               {"trend(timestamp(\"2026-01-01\") + 86400 * (0..30), 0..30, per: \"1 d\").slope", "1"},
               {"trend(timestamp(\"2026-01-01\") + 86400 * (0..30), 0..30).per", "1 year"}});
  check_errors({{"aggregate(sum, [0, 1], [1, 2], every: \"1 fortnight\")",
                 "aggregate: `every` must be a duration, not \"1 fortnight\"",
                 "\"15 min\", \"6 h\", \"1 d\", \"2 weeks\", \"1 month\", \"1 year\", or seconds"},
                {"aggregate(sum, [1, 0], [1, 2], every: \"1 d\")",
                 "aggregate: `times` must rise; element 2 does not", "sort(t, by: \"time\") sorts a table"},
                {"aggregate(sum, [0, 1e11], [1, 2], every: 1)", "there would be more than 10 million steps",
                 "is `every` too short, or a time wrong?"},
                {"fill_gaps([0, 1], [1], longest: 1)",
                 "fill_gaps: `values` must have as many elements as `times`, 2; not 1", ""}});
}
