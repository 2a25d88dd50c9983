// Animated figures by scripts: the block runs once for each value of `frame`.
#include <catch2/catch.hpp>

#include "support/program.h"
#include "support/script.h"
#include "support/watched.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("the block of an animated figure runs for each value, with `frame` as its name") {
  const TemporaryFolder folder;
  folder.write("a.eq",
               "values = [\"calm\", \"windy\", \"storm\"]\nruns = []\n"
               "figure(\"a\", frames: values) {\n    runs = append(runs, frame)\n    for k in 1..3 { if k == "
               "2 { break } }\n"
               "    bars([frame, \"mean\"], [1, 2])\n    title(\"wind: {frame}\")\n    frame(\"all\")\n}\n"
               "expect length(runs) == 3 and all(runs == values)\nprint(frame)");
  const auto figures = figures_of(folder.path() + "/a.eq");
  REQUIRE(figures.size() == 1);
  const auto& frames = figures[0].figure.frames;
  REQUIRE(frames.size() == 3);
  CHECK(frames[1].label.find("windy") != std::string::npos);
  CHECK(frames[2].panels[0].title == "wind: storm");
  // Names stand at the same places in all frames.
  CHECK(frames[0].panels[0].layers[0].x == std::vector<double>{1, 2});
  CHECK(frames[1].panels[0].layers[0].x == std::vector<double>{3, 2});
  CHECK(frames[2].panels[0].layers[0].x == std::vector<double>{4, 2});
}

TEST_CASE("what an animated figure cannot be is an error, and leaves no file") {
  const auto told = [](const std::string& script) { return error_of(script); };
  CHECK(told("figure(\"a\", frames: []) { line([1, 2]) }").find("has no frames") != std::string::npos);
  CHECK(told("figure(\"a\", frames: 1..2, formats: \"svg\") { line([1, 2]) }").find("animated") !=
        std::string::npos);
  CHECK(told("figure(\"a\", frames: 1..2) { line([1, 2]) }\nextend(\"a\") { line([1, 2]) }")
            .find("cannot be extended") != std::string::npos);
  CHECK(told("figure(\"a\", frames: 1..2) { x = 1 }").find("is empty") != std::string::npos);
  CHECK(told("for k in 1..2 { figure(\"a\", frames: 1..2) { break } }").find("only allowed in a loop") !=
        std::string::npos);
  CHECK(told("figure(\"a\", frames: 1..1001) { line([1, 2]) }").find("at most 1000 frames") !=
        std::string::npos);
}
