#include "base/error.h"

#include <catch2/catch.hpp>

#include "base/host.h"
#include "base/interrupt.h"

using namespace quill;

TEST_CASE("an error shows place, marked line, notes and hint") {
  const auto source = std::make_shared<Source>("casts.eq", "a = 1\n    total = readings + offsets\n");
  Error error("shapes do not match: 6×8 + 1×6", "to add one number per row, write  readings + down(offsets)");
  error.location = {source, {18, 36}};
  error.notes = {"readings   6 × 8"};
  CHECK(describe(error) ==
        "error: shapes do not match: 6×8 + 1×6\n"
        "  casts.eq, line 2, column 13\n"
        "      total = readings + offsets\n"
        "              ‾‾‾‾‾‾‾‾‾‾‾‾‾‾‾‾‾‾\n"
        "      readings   6 × 8\n"
        "  hint: to add one number per row, write  readings + down(offsets)\n");
}

TEST_CASE("columns count characters and marks count columns") {
  const auto source = std::make_shared<Source>("x.eq", "λ湖 = zz");
  Error error("no");
  error.location = {source, {8, 10}};
  CHECK(describe(error) == "error: no\n  x.eq, line 1, column 6\n      λ湖 = zz\n            ‾‾\n");
}

TEST_CASE("places at the edges of a text are safe") {
  for (const std::string text : {"", "\n", "a", "a\r\nb", "\t\tx"}) {
    const auto source = std::make_shared<Source>("e", text);
    for (std::uint32_t begin = 0; begin < 6; ++begin)
      for (std::uint32_t end = begin; end < 8; ++end) {
        Error error("e");
        error.location = {source, {begin, end}};
        CHECK(describe(error).starts_with("error: e\n"));
      }
  }
}

TEST_CASE("an interrupt becomes an error once") {
  request_interrupt();
  CHECK_THROWS_AS(poll_interrupt(), Error);
  CHECK_NOTHROW(poll_interrupt());
}

TEST_CASE("the host in memory keeps files and fails on demand") {
  MemoryHost host;
  CHECK_FALSE(host.read_file("a").ok());
  CHECK(host.write_file("a", "text").ok());
  host.write_failure = "the disk is full";
  CHECK(host.write_file("a", "other").reason == "the disk is full");
  CHECK(host.read_file("a").value == "text");
  CHECK(path_below("/data", "x.csv") == "/data/x.csv");
  CHECK(path_below("/data", "/x.csv") == "/x.csv");
  CHECK(path_below("", "x.csv") == "x.csv");
}
