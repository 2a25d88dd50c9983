// The text of the line that reports progress, and who is asked for it.
#include "app/progress_line.h"

#include <catch2/catch.hpp>

#include "base/interrupt.h"
#include "base/progress.h"

using namespace quill;

TEST_CASE("the line says what, how far and how long yet") {
  CHECK(progress_text("reading a.csv", 0.25, 10, 80) == "reading a.csv: 25 %, 30 s left");
  CHECK(progress_text("reading a.csv", 0.5, 600, 80) == "reading a.csv: 50 %, 10 min 0 s left");
  CHECK(progress_text("reading a.csv", 0, 10, 80) == "reading a.csv: 0 %");
  CHECK(progress_text("x", 7, 10, 80) == "x: 100 %, 0 s left");
  const auto cut = progress_text(std::string(200, 'x'), 0.25, 10, 40);
  CHECK(cut.size() <= 42);  // the sign for what is left out takes three bytes
  CHECK(cut.ends_with(": 25 %, 30 s left"));
}

TEST_CASE("the outermost work that knows its share is asked") {
  CHECK_FALSE(Progress::now());
  const Progress unknown([]() -> std::optional<Progress::State> { return std::nullopt; });
  CHECK_FALSE(Progress::now());
  const Progress outer("outer", [] { return 0.25; });
  {
    const Progress inner("inner", [] { return 0.5; });
    CHECK(Progress::now()->what == "outer");
  }
  CHECK(Progress::now()->share == 0.25);
}

TEST_CASE("a request for progress is reported once, and stops nothing") {
  int told = 0;
  set_progress_teller([&] { ++told; });
  poll_interrupt();
  CHECK(told == 0);
  request_progress();
  poll_interrupt();
  poll_interrupt();
  CHECK(told == 1);
  CHECK_FALSE(stop_requested());
  set_progress_teller(nullptr);
  request_progress();
  poll_interrupt();
  CHECK_FALSE(interrupt_requested());
}
