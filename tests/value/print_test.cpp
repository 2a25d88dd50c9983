#include "value/print.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <random>
#include <sstream>

#include "base/text.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("values are laid out for reading") {
  struct Row {
    std::string expression, text;
  };
  const std::vector<Row> rows = {
      {"pi", "3.1416"},
      {"1234567", "1234567"},
      {"1/3 * 1e-7", "3.3333e-8"},
      {"true", "true"},
      {"none", "none"},
      {"6 - 2i", "6 - 2i"},
      {"[1, 2, 3]", "  1  2  3"},
      {"[1.5, 22.25, -3]", "   1.50  22.25  -3.00"},
      {"[1, nan, inf]", "    1  nan  inf"},
      {"[1, 20 | 300, 4]", "    1  20\n  300   4"},
      {"[0.001, 1000.5]", "     0.001  1000.5"},
      {"[1 + 2i, 3.5 - 1i]", "  1.0 + 2.0i  3.5 - 1.0i"},
      {"[\"a\", \"湖\"]", "  \"a\"   \"湖\""},
      {"[]", "  (empty, float64 0)"},
      {"zeros(0, 3)", "  (empty, float64 0×3)"},
      {"(1, \"x\", [1, 2])", "(1, \"x\", [1, 2])"},
      {"(depth: 3.5, name: \"buoy\")", "  depth  3.5\n  name   \"buoy\""},
      {"{\"a\": 1}", "  \"a\"  1"},
      {"ones(2, 1, 2)", "[1, .., ..]\n  1  1\n[2, .., ..]\n  1  1"},
      {"fn(x, y) = x", "fn(x, y)"},
  };
  for (const auto& row : rows) {
    CAPTURE(row.expression);
    CHECK(layout(value_of("result = " + row.expression)) == row.text);
  }
}

TEST_CASE("large arrays show their edges within the width") {
  for (const int width : {40, 60, 80, 120, 200})
    for (const char* text : {"random(200, 300)", "1e9 * random(50, 50)", "reshape(1..100000, 100, 1000)",
                             "1..5000", "random(3000)", "random(4, 5, 60)"}) {
      CAPTURE(width, text);
      const auto out = layout(value_of(std::string("result = ") + text), {5, width});
      std::size_t from = 0, lines = 0;
      while (from <= out.size()) {
        const auto end = std::min(out.find('\n', from), out.size());
        CHECK(display_width(out.substr(from, end - from)) <= static_cast<std::size_t>(width));
        from = end + 1;
        ++lines;
      }
      CHECK(lines <= 120);
    }
  CHECK(layout(value_of("result = reshape(1..100000, 100, 1000)")).find("…") != std::string::npos);
}

TEST_CASE("what is printed reads back to so many digits, with decimal points under each other") {
  std::mt19937_64 random(50);
  std::normal_distribution<double> normal;
  for (int round = 0; round < 300; ++round) {
    const Index rows = 1 + static_cast<Index>(random() % 6), columns = 1 + static_cast<Index>(random() % 4);
    const double size = std::pow(10, static_cast<double>(random() % 9) - 4),
                 spread = std::pow(10, static_cast<double>(random() % 3));
    std::vector<double> numbers;
    for (Index k = 0; k < rows * columns; ++k)
      numbers.push_back(size * normal(random) * std::pow(spread, normal(random)));
    const int digits = 3 + round % 5;
    const auto text = layout(Value::array(Array::of<double>({rows, columns}, numbers)), {digits, 200});
    CAPTURE(text, digits);
    std::istringstream lines(text);
    std::vector<std::vector<std::size_t>> points(static_cast<std::size_t>(columns));
    std::size_t at = 0;
    for (std::string line; std::getline(lines, line);) {
      std::istringstream words(line);
      std::size_t column = 0, from = 0;
      for (std::string word; words >> word; ++column) {
        const double shown = std::stod(word), meant = numbers.at(at++);
        // Either all significant digits, or the decimals that the block has.
        CHECK(std::fabs(shown - meant) <= std::max(std::fabs(meant) * std::pow(10, 1 - digits),
                                                   std::fabs(size) * 1e3 * std::pow(10, -digits)));
        const auto place = line.find(word, from);
        from = place + word.size();
        const auto point = word.find_first_of(".e");
        points.at(column).push_back(place + (point == std::string::npos ? word.size() : point));
      }
      CHECK(column == static_cast<std::size_t>(columns));
    }
    CHECK(at == numbers.size());
    for (const auto& column : points)
      for (const auto point : column) CHECK(point == column[0]);
  }
}

TEST_CASE("cards put shapes in sight") {
  const auto of = [](const std::string& expression) { return card("x", value_of("result = " + expression)); };
  CHECK(of("3.5") == "x = 3.5");
  CHECK(of("zeros(81, 121)") == "x : float64 81×121, all 0");
  CHECK(of("reshape(1..12, 3, 4)") == "x : float64 3×4, 1 … 12");
  CHECK(of("[1, nan, 3, 4, 5, 6, 7]") == "x : float64 7, 1 … 7, 1 nan");
  CHECK(of("1..10 by 3") == "x : range of 4, 1 … 10 by 3");
  CHECK(of("[1, 2] > 1") == "x : bool 2, false, true");
  CHECK(of("\"lake\"") == "x : text \"lake\"");
  CHECK(of("(a: 1, b: 2)") == "x : record of 2: a, b");
  CHECK(of("fn(t, y) = t") == "x : function (t, y)");
}

TEST_CASE("digits() sets how much is shown") {
  CHECK(run("digits(3)\npi\n[pi, 2]").printed == "pi = 3.14\n[pi, 2] : float64 2\n  3.14  2.00\n");
  CHECK_FALSE(run("digits(0)").ok);
}

TEST_CASE("every kind of value keeps to the width of the terminal") {
  const std::vector<std::string> expressions = {
      "random(40, 30)",
      "random_normal(500)",
      "1..1000",
      "reshape((1..24) / 7, 2, 3, 4)",
      "zeros(0, 3)",
      "[1.5, nan, inf, -inf]",
      "[1 + 2i, -0.5 - 1e-3i]",
      "complex(random(9, 9), random(9, 9))",
      "identity(30)",
      "int32([1, -20, 300])",
      "[true, false | false, true]",
      "[1e-8, 3, 250000, -0.5]",
      "(depth: [1, 2, 3], temperature: zeros(4, 4), name: \"buoy\", f: fn(x) = x)",
      "list(1, \"a\", none, [1, 2])",
      "filled(\"湖\", 3, 40)",
      "uint8(random_whole(0, 255, 12, 50))"};
  for (const int width : {40, 57, 80, 120, 200})
    for (const auto& expression : expressions) {
      CAPTURE(width, expression);
      const auto text = labelled(expression, value_of("result = " + expression), {5, width});
      for (std::size_t at = 0; at < text.size();) {
        const auto end = std::min(text.find('\n', at), text.size());
        CHECK(display_width(text.substr(at, end - at)) <= static_cast<std::size_t>(width));
        at = end + 1;
      }
    }
}

TEST_CASE("what stands inside of records and dictionaries is printed by the same rules") {
  CHECK(run("r = (third: 1/3, at: timestamp(\"2026-06-01\"), v: [1/3, 2], long: (1..100) / 3)\nr").printed ==
        "r : record of 4: third, at, v, long\n  third  0.33333\n  at     2026-06-01\n  v      [0.33333, 2]\n"
        "  long   [0.33333, 0.66667, 1 … 32.667, 33, 33.333] : float64 100\n");
  CHECK(run("d = {\"t\": join_text([repeat_text(\"a\", 90), repeat_text(\"b\", 90)])}\nd")
            .printed.find("aaa…bbb") != std::string::npos);
  CHECK(run("[(a: 1, b: \"x\"), (a: 2.5, b: \"yy\")]").printed ==
        "[(a: 1, b: \"x\"), (a: 2.5, b: \"yy\")] : 2 records: a, b\n    a  b\n  1.0  x\n  2.5  yy\n");
  // Records with different fields stand under each other as they did.
  CHECK(run("[(a: 1), (b: 2)]").printed.find("record of 1: a") != std::string::npos);
  CHECK(run("timestamp(\"2026-06-01T12:00\")").printed ==
        "timestamp(\"2026-06-01T12:00\") = 2026-06-01T12:00\n");
  CHECK(run("digits(3)\nr = (third: 1/3)\nr").printed == "r : record of 1: third\n  third  0.333\n");
}

TEST_CASE("lines of prose above a function are its help") {
  const auto ran =
      run("#: The level in metres.\n#: Counted from the sea.\nfn level(h) = 710 + h\nshow(level)\nlevel");
  CHECK(ran.printed ==
        "level : function (h) — The level in metres.\nfn level(h)\n  The level in metres.\n  Counted from "
        "the sea.\n"
        "level =\nfn level(h)\n  The level in metres.\n  Counted from the sea.\n");
}
