// Names of axes: from files, through selections, arithmetic and reductions, and back into files.
#include <catch2/catch.hpp>

#include <random>

#include "array/axis_names.h"
#include "support/effort.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

// Arrays of 4 times and 3 depths; `w` has unnamed axes, `s` another axis.
const std::string kLake =
    "save(\"a.nc\", (time: 10..13, depth: [1, 5, 9], temp: random(4, 3), salt: random(4, 3), "
    "cube: random(4, 3, 2)))\na = load(\"a.nc\")\nt, s, c, w = (a.temp, a.salt, a.cube, random(4, 3))\n";

using Names = std::vector<std::string>;

Names names_of(const std::string& expression) {
  const auto value = value_of(kLake + "result = " + expression + "\n");
  if (!value.is(Kind::array)) return {};
  const auto names = axis_names(value.array());
  return {names.begin(), names.end()};
}

}  // namespace

TEST_CASE("names of axes go through selections, arithmetic, functions and reductions") {
  const std::vector<std::pair<std::string, Names>> rows = {
      {"t", {"time", "depth"}},
      {"t[1..2, ..]", {"time", "depth"}},
      {"t[1, ..]", {"depth"}},
      {"t[.., 2]", {"time"}},
      {"t[[4, 1], [2, 3]]", {"time", "depth"}},
      {"t[2, 2]", {}},
      {"t[.., new, 1]", {"time", ""}},
      {"t[t > 0]", {}},
      {"t'", {"depth", "time"}},
      {"t + 1", {"time", "depth"}},
      {"2 * t - s / 3 + w", {"time", "depth"}},
      {"w + 1", {}},
      {"t - t[1, ..]", {"time", "depth"}},
      {"[1, 2, 3] * t", {"time", "depth"}},
      {"c * t[.., .., new]", {"time", "depth", "cube_3"}},
      {"-t", {"time", "depth"}},
      {"t > 0.5 and s > 0.5", {"time", "depth"}},
      {"sqrt(t)", {"time", "depth"}},
      {"exp(sin(t) + 1)", {"time", "depth"}},
      {"float32(t) + float32(s)", {"time", "depth"}},
      {"mean(t, over: 1)", {"depth"}},
      {"mean(t, over: \"depth\")", {"time"}},
      {"sum(t * s, over: 2)", {"time"}},
      {"sum(t * s + 1, over: \"time\")", {"depth"}},
      {"max(c, over: [\"time\", \"cube_3\"])", {"depth"}},
      {"median(c, over: 2, keep: true)", {"time", "depth", "cube_3"}},
      {"std(c, over: [1, 2], keep: true)", {"time", "depth", "cube_3"}},
      {"any(t > 0.5, over: \"time\")", {"depth"}},
      {"reshape(t, 3, 4)", {}},
      {"flatten(t)", {}},
      {"a.time", {"time"}},
      {"max(t, 0.5)", {"time", "depth"}},
      {"atan2(t, s)", {"time", "depth"}},
      {"clamp(t, 0, 0.5)", {"time", "depth"}},
      {"pick(t > 0.5, t, 0)", {"time", "depth"}},
      {"is_nan(t)", {"time", "depth"}},
      {"max(t, over: 1)", {"depth"}},
      {"each sqrt(t)", {"time", "depth"}},
  };
  for (const auto& [expression, names] : rows) {
    CAPTURE(expression);
    CHECK(names_of(expression) == names);
  }
  // Names change no number.
  CHECK(value_of(kLake + "result = all(mean(t, over: \"time\") == mean(t + 0 * w, over: 1))\n").boolean());
}

TEST_CASE("axes with other names are warned of, and unknown names refused") {
  const auto ran = run(kLake + "x = t[1..3, ..] + s[1..3, ..]'\n");
  CHECK(ran.ok);
  CHECK(ran.messages.find("warning: the axis \"time\" meets the axis \"depth\"\n") != std::string::npos);
  CHECK(run(kLake + "x = t + s\ny = t + w'[.., 1..3][1, ..]\n").messages.find("warning") ==
        std::string::npos);
  for (const auto& [text, message] : std::vector<std::pair<std::string, std::string>>{
           {"mean(t, over: \"tiem\")", "there is no axis \"tiem\""},
           {"mean(w, over: \"time\")", "there is no axis \"time\": the axes of this array have no names"},
           {"sum(t, over: [\"time\", \"time\"])", "sum: `over` names axis 1 twice"},
           {"sum(t, over: true)", "`over` names an axis by its number or its name, not the boolean true"}}) {
    CAPTURE(text);
    CHECK(error_of(kLake + "r = " + text + "\n").find("error: " + message + "\n") != std::string::npos);
  }
}

TEST_CASE("names of axes are dimensions of files, and names of columns stay those of coordinates") {
  const auto saved = kLake +
                     "save(\"b.nc\", (late: t[3..4, ..], whole: t + s, time: a.time, depth: a.depth, "
                     "profile: mean(t, over: \"time\"), plain: w))\nb = load(\"b.nc\")\n";
  const auto names = [&](const std::string& field) {
    const auto value = value_of(saved + "result = b." + field + "\n");
    const auto all = axis_names(value.array());
    return Names(all.begin(), all.end());
  };
  CHECK(names("whole") == Names{"time", "depth"});
  CHECK(names("time") == Names{"time"});
  CHECK(names("profile") == Names{"depth"});
  CHECK(names("late")[1] == "depth");
  CHECK(names("late")[0] != "time");  // which has 4 positions
}
