// Arrays that are read in parts, against the same arrays in memory.
#include <catch2/catch.hpp>

#include <cmath>
#include <random>

#include "base/memory.h"
#include "blocks/passes.h"
#include "support/effort.h"
#include "support/script.h"
#include "support/small_blocks.h"
#include "value/value.h"

using namespace quill;
using namespace quill::test;

namespace {

bool has_same_bits(const Value& a, const Value& b) {
  if (!same(a, b)) return false;
  if (!a.is_array_like() || !is_real(element_type_of(a))) return true;
  const auto x = to_array(a), y = to_array(b);
  const auto said = [](const Array& array) { return array.label ? *array.label : Label{}; };
  if (said(x).name != said(y).name || said(x).unit != said(y).unit || said(x).axes != said(y).axes)
    return false;
  if (x.type() != y.type() || !(x.shape() == y.shape())) return false;
  const auto u = x.converted(ElementType::float64).to_vector<double>(),
             v = y.converted(ElementType::float64).to_vector<double>();
  for (std::size_t k = 0; k < u.size(); ++k)
    if (!std::isnan(u[k]) && std::signbit(u[k]) != std::signbit(v[k])) return false;
  return true;
}

// Runs a text with `x` once in memory and once opened, and compares what `r` becomes; false when both fail.
bool check_same(const std::string& data, const std::string& options, const std::string& text) {
  const auto before = "save(\"a.nc\", (x: " + data +
                      "), attributes: (x: (units: \"m\", long_name: \"depth of water\"))" + options + ")\n";
  const auto in_memory = run(before + "x = load(\"a.nc\", only: \"x\")\n" + text);
  const auto opened = run(before + "x = open_data(\"a.nc\", name: \"x\")\n" + text);
  CAPTURE(data, options, text, in_memory.messages, opened.messages);
  CHECK(in_memory.ok == opened.ok);
  if (!in_memory.ok || !opened.ok) return false;
  const auto a = value_of(before + "x = load(\"a.nc\", only: \"x\")\n" + text, "r"),
             b = value_of(before + "x = open_data(\"a.nc\", name: \"x\")\n" + text, "r");
  CHECK(has_same_bits(a, b));
  CHECK(in_memory.printed == opened.printed);
  // Warnings name another place, and say the same.
  const auto warning = [](const std::string& messages) {
    const auto begin = messages.find("warning: ");
    return begin == messages.npos ? "" : messages.substr(begin, messages.find('\n', begin) - begin);
  };
  CHECK(warning(in_memory.messages) == warning(opened.messages));
  CHECK(std::count(in_memory.messages.begin(), in_memory.messages.end(), '\n') ==
        std::count(opened.messages.begin(), opened.messages.end(), '\n'));
  return true;
}

}  // namespace

TEST_CASE("reductions of opened arrays have the bits of those in memory") {
  std::mt19937_64 random(51);
  const auto one_of = [&](const auto& list) -> const auto& { return list[random() % std::size(list)]; };
  const std::vector<std::string> shapes = {"random(7)",      "random(1000)",         "random(300, 5)",
                                           "random(5, 300)", "random(40, 3, 20)",    "random(3, 40, 20)",
                                           "random(129, 1)", "random(2, 2, 2, 130)", "random(257, 2)"};
  const std::vector<std::string> types = {
      "A",          "A * 1e3 - 500", "float32(A)",    "int32(A * 1000)", "A > 0.5", "pick(A > 0.9, nan, A)",
      "A * 1e-150", "A * 0 + 2.5",   "int64(A * 1e6)"};
  const std::vector<std::string> calls = {"sum", "mean", "min", "max", "product", "std", "variance"};
  int compared = 0;
  for (int round = 0; round < repeats(400); ++round) {
    auto data = one_of(types);
    const auto& shape = one_of(shapes);
    data.replace(data.find('A'), 1, shape);
    const auto axes = 1 + std::count(shape.begin(), shape.end(), ',');
    std::string over;
    switch (random() % 4) {
      case 0: break;
      case 1: over = ", over: " + std::to_string(1 + random() % static_cast<unsigned>(axes)); break;
      case 2: over = ", over: 1"; break;
      default:
        if (axes > 1) over = random() % 2 ? ", over: [1, 2]" : ", over: [2, 1]";
    }
    if (random() % 3 == 0) over += ", keep: true";
    const SmallBlocks small(static_cast<Index>(std::size_t{50} << (random() % 4)), 20000);
    auto call = one_of(calls);
    if (data.find('>') != data.npos && data[0] != 'p') call = random() % 2 ? "any" : "sum";
    if (call == "any" && data[0] == 'p') call = "sum";
    const auto compression = random() % 2 ? ", compression: 1" : "";
    compared += check_same(data, compression, "r = " + call + "(x" + over + ")\n");
  }
  CHECK(compared > repeats(400) / 2);
}

TEST_CASE("transposed opened arrays and interpolation along an axis have the bits of those in memory") {
  std::mt19937_64 random(53);
  const SmallBlocks small(200, 20000);
  int compared = 0;
  for (const std::string data :
       {"random(300, 7)", "float32(random(7, 300))", "random(40, 3, 20)", "int32(random(90, 9) * 50)"})
    for (const std::string compression : {"", ", compression: 1"})
      for (const std::string text :
           {"r = sum(x', over: 1)", "r = (2 * x')[2, ..]", "r = mean(x' + 1)", "r = std(x', over: 2)",
            "r = sort(x', over: 2)", "r = sum((x')' - 0.5 * x, over: 1)", "r = max(x'[1..2, ..], over: 1)",
            "r = interpolate(1..length(x'), x', 1.5)",
            "r = interpolate(1..length(x), x, [1.25, 2, 2.75, 99])",
            "r = interpolate(1..length(x'), x', [1.5, 2 | 2.5, 3], method: \"spline\")",
            "r = interpolate(1..length(x), x, 3.5, method: \"akima\")",
            "r = interpolate(1..length(x) + 1, x, 3)"})
        compared += check_same(data, compression, text + "\n");
  CHECK(compared > 50);
}

TEST_CASE("warnings and errors about opened arrays name counts and positions in the whole array") {
  const std::string data =
      "a = random(5, 400)\na[3, 321] = nan\na[.., 40] = nan\na[.., 210..217] = nan\na[1..4, 399] = nan\n"
      "a[4, ..] = nan\nsave(\"a.nc\", (x: a))\n";
  const auto said = [](const Ran& ran) {
    const auto line = ran.messages.find("  test.eq");
    return ran.messages.substr(0, line);
  };
  for (const std::string text :
       {"interpolate(1..5, x, 2.5)", "mean(x, over: 1, skip_nan: true)", "mean(x, over: 2, skip_nan: true)",
        "std(x, over: 1, skip_nan: true)", "max(x, over: 1, skip_nan: true)",
        "median(x, over: 1, skip_nan: true)", "quantile(x, [0.1, 0.5], over: 1, skip_nan: true)",
        "median(x, over: 1)", "quantile(x, 0.3, over: 2)", "mean(x, over: 1)", "rms(x, over: 1)",
        "argmin(x, over: 1)", "argmax(x, over: 2)", "cumsum(x, over: 2)", "sort(x, over: 1)",
        "moving_mean(x, 3, over: 2)", "detrend(x, over: 2)", "fft(x, over: 1)", "norm(x, over: 1)"}) {
    const SmallBlocks small(200, 20000);
    const auto in_memory = run(data + "x = load(\"a.nc\", only: \"x\")\nr = " + text);
    const auto opened = run(data + "x = open_data(\"a.nc\", name: \"x\")\nr = " + text);
    CAPTURE(text, in_memory.messages, opened.messages);
    CHECK(in_memory.ok == opened.ok);
    CHECK(said(in_memory) == said(opened));
  }
}

TEST_CASE("expressions, selections and conditions of opened arrays are those of arrays in memory") {
  std::mt19937_64 random(52);
  const SmallBlocks small(100, 20000);
  const std::vector<std::string> texts = {
      "r = sum(x * 2 + 1)",
      "r = (x - mean(x, over: 1))[3, ..]",
      "r = mean(sqrt(abs(x - 0.5)), over: 2)",
      "r = x[2, 3]",
      "r = x[1..10, ..]",
      "r = x[.., 2]",
      "r = x[10..1 by -3, [1, 3]]",
      "r = x[[5, 2, 2, 9], last]",
      "r = x[1..40 by 7, 2..4]",
      "r = x[x > 0.7]",
      "r = x[x[.., 1] > 0.5, 2]",
      "r = sum(x > 0.25)",
      "r = any(x > 2)",
      "r = all(x >= 0 and x <= 1, over: 1)",
      "r = max(not (x > 0.5), over: 1)",
      "r = -x[4, ..]",
      "r = mean(x * [1, 2, 3, 4, 5], over: 1)",
      "r = sum(2 ^ x - x / 3 + atan2(x, 2))",
      "r = histogram_counts(x, bins: 7)",
      "r = histogram_counts(x, bins: [0, 0.25, 1]).counts",
      "r = median(x, over: 1)",
      "r = median(x)",
      "r = median(x, keep: true)",
      "r = quantile(x, 0.3)",
      "r = quantile(x, [0, 0.123, 0.5, 1])",
      "r = quantile(x, [0.25, 0.75], keep: true)",
      "r = quantile(float32(x), [0.1, 0.2])",
      "r = median(int32(floor(x * 10)))",
      "r = median(pick(x > 0.5, 0 / 0, x))",
      "r = quantile(pick(x > 0.5, 0 / 0, x), [0.1, 0.9], skip_nan: true)",
      "r = median(pick(x > -1, 0 / 0, x), skip_nan: true)",
      "r = quantile(x, [0.1, 0.9], over: 1)",
      "r = sort(x, over: 1)",
      "r = cumsum(x, over: 1)",
      "r = mean(x, over: 2, skip_nan: true)",
      "r = (shape(x), size(x), length(x), axes(x))",
      "r = x' *+ x",
      "r = sum(pick(x > 0.5, x, 0), over: 1)",
      "r = pick(x[1..50, ..] > 0.5, 1, -1)[3, ..]",
      "r = sum(int32(floor(x * 100)), over: 2)",
      "r = integrate_samples(1..300, x, over: 1)",
      "r = integrate_samples(1..5, x, over: 2)",
      "r = moving_mean(x, 5, over: 1)",
      "r = correlation(x[.., 1], x[.., 2])",
      "r = diff(x, over: 1)",
      "r = x[..]",
      "r = x[3..3, ..] + x[4..4, ..]",
      "r = flatten(x)[7]",
      "r = float32(x)[5, 1]",
      "r = sum(x[1..200, ..] * x[101..300, ..])",
      "r = max(x, 0.5)[2, ..]",
      "r = [v for v in x[2, ..]]",
      "r = sum(sqrt(x - 0.5)[1, ..])",
      "r = sum(x * complex(1, 2))",
      "r = sum(x * complex(1, 2), over: 1)",
      "r = mean(complex(0.3, 1) / (x + 1), over: 2)",
      "r = sum(x ^ 2, over: 2)[3]",
      "fn step(v) = if v > 0.5 then 1 else 0\nr = sum(each step(x))",
      "f = interpolant([0, 1], [0, 2])\nr = f(x)[3, ..]",
      "save(\"b.nc\", (y: 2 * x, part: (z: x[1..5, ..]), m: mean(x, over: 1)))\nb = load(\"b.nc\")\nr = "
      "(b.y, b.part.z, b.m)",
      "save(\"b.nc\", (y: x > 0.5, z: x), compression: 3)\nr = load(\"b.nc\")",
      "save(\"b.h5\", (y: 2 * x))\nr = load(\"b.h5\")",
      "save(\"b.h5\", x)\nr = load(\"b.h5\")",
      "save(\"b.h5\", (y: x > 0.5, deep: (z: x[2..300 by 2, ..], m: mean(x, over: 1), i: int32(round(100 * "
      "x)))), "
      "compression: 3, attributes: (y: (note: \"wet\")))\nb = load(\"b.h5\")\nr = (b.y, b.deep.z, b.deep.m, "
      "b.deep.i, load(\"b.h5\", attributes: true).attributes.y.note)",
      "save(\"b.h5.gz\", (y: x))\nr = load(\"b.h5.gz\")",
      "y = x + x\nr = mean(y - x, over: 1)"};
  for (const auto& text : texts)
    for (const char* options : {"", ", compression: 2"}) {
      CAPTURE(text);
      CHECK(check_same("random(300, 5)", options, text + "\n"));
    }
}

TEST_CASE(
    "functions along an axis of opened arrays give what they give of arrays in memory, along every axis") {
  const SmallBlocks small(150, 6000);
  const std::vector<std::string> calls = {"median(x, over: A)",
                                          "median(x, over: A, keep: true)",
                                          "quantile(x, [0.2, 0.5, 0.9], over: A)",
                                          "quantile(x, [0.2, 0.5], over: A, keep: true)",
                                          "quantile(x, 0.3, over: A)",
                                          "rms(x, over: A)",
                                          "norm(x, over: A)",
                                          "skewness(x, over: A)",
                                          "argmax(x, over: A)",
                                          "cumsum(x, over: A)",
                                          "diff(x, over: A)",
                                          "running_min(x, over: A)",
                                          "sort(x, over: A)",
                                          "sort_order(x, over: A, descending: true)",
                                          "reverse(x, over: A)",
                                          "rotate(x, 2, over: A)",
                                          "repeat(x, 2, over: A)",
                                          "moving_mean(x, 3, over: A)",
                                          "moving(median, x, window: 3, over: A)",
                                          "detrend(x, over: A)",
                                          "unwrap(6 * x, over: A)",
                                          "fft(x, over: A)",
                                          "real_fft(x, over: A)",
                                          "dct(x, over: A)",
                                          "gradient(x, over: A)",
                                          "mean(x, over: A, skip_nan: true)",
                                          "integrate_samples(1..shape(x)[A], x, over: A)",
                                          "cumulative_integral(1..shape(x)[A], x, over: A)"};
  const std::vector<std::string> all = {"random(6, 5, 40)", "random(40, 3, 6)", "random(9, 9, 9)"};
  const std::vector<std::string> shapes(all.begin(), kIsSanitized ? all.begin() + 1 : all.end());
  for (const auto& call : calls)
    for (const auto& shape : shapes)
      for (const char* axis : {"1", "2", "3"}) {
        auto text = "r = " + call + "\n";
        for (auto at = text.find('A'); at != text.npos; at = text.find('A')) text.replace(at, 1, axis);
        CAPTURE(shape, text);
        CHECK(check_same(shape, "", text));
      }
  for (const char* text : {"r = sort(x, by: fn(v) = -v[1], over: 1)", "r = median(x, over: [3, 1])",
                           "r = split(x, 2, over: 1)[2]", "r = join(x, x, over: 2)"})
    check_same("random(6, 5, 40)", "", std::string(text) + "\n");
}

TEST_CASE("what opened arrays cannot do is refused as in memory, or with the size it takes") {
  const std::string open = "save(\"a.nc\", (x: random(300, 5)))\nx = open_data(\"a.nc\", name: \"x\")\n";
  for (const char* text :
       {"x[301, 1]", "x[1, 2, 3]", "x + [1, 2]", "x + \"a\"", "mean(x, over: 3)", "mean(x, over: [1, 1])",
        "y = x\ny[1, 1] = 5", "x[x > 0.5, 1]", "x[[true, false]]"}) {
    CAPTURE(text);
    const auto messages = error_of(open + (std::string(text).find("y = ") == 0 ? "" : "r = ") + text + "\n");
    CHECK(messages.find("error: ") != messages.npos);
    CHECK(messages.find("error: ") != messages.npos);
  }
  const std::vector<std::array<std::string, 3>> refused = {
      {"open_data(\"a.nc\", name: \"y\")", "open_data: `name` names no variable of a.nc: y", "it has x"},
      {"save(\"a.csv\", [1])\nopen_data(\"a.csv\")", "a.csv is not a NetCDF or HDF5 file", ""},
      {"load(\"a.nc\", only: \"z\")", "a.nc has no variable z", "it has x"},
      {"load(\"a.nc\", ranges: (time: 1..3))", "a.nc: no variable that is read has the dimension time",
       "the dimensions are x_1, x_2"},
      {"load(\"a.nc\", ranges: (x_1: 299..301))",
       "a.nc: the dimension x_1 of x has 300 positions, and 301 is wanted", ""},
      {"load(\"a.nc\", ranges: (x_1: 0))", "load: `ranges` contains 0 for x_1; positions are integers from 1",
       "ranges: (x_1: 1..10)"}};
  for (const auto& [text, message, hint] : refused) {
    const auto messages = error_of(open + text + "\n");
    CAPTURE(text, messages);
    CHECK(messages.find("error: " + message + "\n") != messages.npos);
    CHECK(messages.find(hint) != messages.npos);
  }
  const SmallBlocks small(100, 2000);
  set_memory_ceiling(9000000);
  const auto too_large = error_of(
      "save(\"a.nc\", (x: zeros(3000, 200)), compression: 1)\nx = open_data(\"a.nc\", name: \"x\")\n"
      "mean(x, over: 1)\nmedian(x * 2)\nunique(x * 2)\n");
  set_memory_ceiling(0);
  CAPTURE(too_large);
  CHECK(too_large.find("test.eq, line 5") != too_large.npos);
  CHECK(too_large.find("an expression of x in a.nc (float64 3000×200) takes 4.8 MB in memory") !=
        too_large.npos);
}

TEST_CASE("results that exceed memory are stored on the disk, and have the bits of those in memory") {
  const SmallBlocks small(1000, 200000);
  const std::string open =
      "save(\"a.nc\", (x: down(1..5000) * across(1..200) % 7 / 3), compression: 1)\nx = open_data(\"a.nc\", "
      "name: "
      "\"x\")\n";
  const std::vector<std::string> calls = {
      "sort(x, over: 1)",           "sort(x, over: 2)",
      "cumsum(x, over: 1)",         "reverse(x, over: 1)",
      "sort_order(x, over: 2)",     "fft(float32(x), over: 2)",
      "moving_mean(x, 5, over: 1)", "interpolate(1..5000, x, 1.5..4999.5)"};
  for (std::size_t k = 0; k < calls.size(); k += kIsSanitized ? 3 : 1) {
    const auto& call = calls[k];
    CAPTURE(call);
    const auto text =
        open + "s = " + call +
        "\nr = (s[17, ..], sum(s, over: 1), sum(s, over: 2)[2000..2010], s[2000..5 by -7, 3], (2 * s)[40, "
        "..], (s')[3, 70..90])\n";
    const auto expected = value_of(text, "r");
    const auto shown = run(text + "s\nsave(\"b.h5\", (s: s))\n");
    set_memory_ceiling(15000000);
    const auto stored = run(text + "s\n");
    const auto found = value_of(text, "r");
    set_memory_ceiling(0);
    CAPTURE(stored.messages, stored.printed);
    CHECK(stored.ok);
    CHECK(stored.printed.find("a result from ") != stored.printed.npos);
    CHECK(shown.printed.find("not in memory") == shown.printed.npos);
    CHECK(same(found, expected));
  }
  // It can be saved in its turn, and named when it is too large for something else.
  set_memory_ceiling(15000000);
  const auto saved = run(open + "s = sort(x, over: 1)\nsave(\"b.nc\", (s: s), compression: 1)\n");
  const auto too_large = error_of(open + "s = sort(x, over: 1)\nunique(s)\n");
  set_memory_ceiling(0);
  CAPTURE(saved.messages, too_large);
  CHECK(saved.ok);
  CHECK(too_large.find("a result from x in a.nc (float64 5000×200) takes 8.0 MB in memory") !=
        too_large.npos);
}

TEST_CASE("parts of files are loaded by variable and position") {
  const std::string save =
      "save(\"a.nc\", (time: [0, 1, 2, 3], depth: [5, 10], temp: reshape(1..8, 4, 2), deep: (flow: [1, 2, "
      "3]), "
      "name: [\"a\", \"b\"]), attributes: (temp: (dimensions: [\"time\", \"depth\"])))\n";
  check_calls({});
  CHECK(same(value_of(save + "result = load(\"a.nc\", only: \"temp\", ranges: (time: 2..4 by 2, depth: 2))"),
             value_of("result = [4, 8]")));
  // Places in any order, near each other and far apart.
  const std::string wide =
      "save(\"w.nc\", (row: 1..300, column: 1..40, x: random(300, 40), name: [\"n{k}\" for k in "
      "1..300]))\nrows = "
      "[290, 3, 4, 9, 3, 150]\ncolumns = [40, 1]\n";
  for (const char* places : {"(row: rows)", "(row: rows, column: columns)",
                             "(column: columns, row: 5..9 by 2)", "(row: int32(rows), column: 7)"}) {
    CAPTURE(places);
    const std::string text(places);
    const auto at = [&](const std::string& name, const std::string& otherwise) {
      const auto found = text.find(name + ": ");
      if (found == text.npos) return otherwise;
      const auto begin = found + name.size() + 2;
      return text.substr(begin, std::min(text.find(", ", begin), text.size() - 1) - begin);
    };
    const auto rows = at("row", ".."), columns = at("column", "..");
    CHECK(same(value_of(wide + "result = load(\"w.nc\", ranges: " + text + ").x"),
               value_of(wide + "w = load(\"w.nc\")\nresult = w.x[" + rows + ", " + columns + "]")));
    CHECK(same(value_of(wide + "result = load(\"w.nc\", ranges: " + text + ").name"),
               value_of(wide + "w = load(\"w.nc\")\nresult = w.name[" + rows + "]")));
  }
  CHECK(error_of(wide + "load(\"w.nc\", ranges: (row: [5, 301]))").find("300 positions, and 301 is wanted") !=
        std::string::npos);
  CHECK(same(value_of(save + "result = load(\"a.nc\", only: [\"temp\", \"depth\"], ranges: (depth: 1..1))"),
             value_of("result = (depth: [5], temp: down([1, 3, 5, 7]))")));
  CHECK(
      same(value_of(save + "result = load(\"a.nc\", only: \"deep/flow\")"), value_of("result = [1, 2, 3]")));
  CHECK(same(value_of(save + "result = load(\"a.nc\", only: \"deep\")"),
             value_of("result = (flow: [1, 2, 3],)")));
  CHECK(
      same(value_of(save + "result = load(\"a.nc\", only: \"name\")"), value_of("result = [\"a\", \"b\"]")));
  CHECK(same(value_of("save(\"a.csv\", (x: [1, 2], y: [3, 4]))\nresult = load(\"a.csv\", only: \"y\")"),
             value_of("result = [3.0, 4]")));
}

TEST_CASE(
    "figures of opened arrays that are too large show means of cells, and the extremes of parts of a line") {
  const SmallBlocks small(1000, 4000);
  // Rows of 6000 have their number as mean in each of 2000 cells of three.
  const auto ran =
      run("x = down(1..6000) + across([-1, 0, 1, 0])\nsave(\"a.nc\", (row: 1..6000, column: 1..4, x: x, v: "
          "sin((1..20000) / "
          "50)))\na = open_data(\"a.nc\")\nfigure(\"f\", rows: 2) {\npanel(1, 1) { heatmap(a.row, a.column, "
          "a.x) }\n"
          "panel(2, 1) { line(1..20000, open_data(\"a.nc\", name: \"v\")) }\n}\n");
  CAPTURE(ran.messages);
  CHECK(ran.ok);
  CHECK(ran.messages.find("heatmap: 6000×4 elements are drawn as the means of 2000×4 cells") !=
        std::string::npos);
  CHECK(ran.messages.find("line: of 20000 elements the least and the largest of each 5 are drawn") !=
        std::string::npos);
  CHECK(ran.host.files.contains("out/f.png"));
}

TEST_CASE("axes of HDF5 files without scales have no names") {
  const std::string open = "save(\"a.h5\", (x: random(4, 6), v: 1..4))\nx = open_data(\"a.h5\").x\n";
  const auto ran = run(open + "show(x)\nshow(mean(x, over: 1))\n");
  CHECK(ran.printed.find("x : float64 4 × 6: x in a.h5, not in memory") != ran.printed.npos);
  CHECK(ran.printed.find("dim") == ran.printed.npos);
  CHECK(same(value_of(open + "result = x[2..3, 5]"), value_of(open + "result = load(\"a.h5\").x[2..3, 5]")));
  // Axes of different variables are not taken for different ones.
  CHECK(run(open + "y = open_data(\"a.h5\").v\nx[.., 1] + y\nx[1, ..] * (1..6)\n").messages.find("warning") ==
        std::string::npos);
  const auto error = error_of(open + "load(\"a.h5\", ranges: (time: 1..2))\n");
  CAPTURE(error);
  CHECK(error.find("no variable that is read has the dimension time") != error.npos);
  CHECK(error.find("hint: the dimensions of this file have no names; open_data(\"a.h5\")") != error.npos);
}

TEST_CASE("the sign of zero comes back from files of every format, in memory, opened and packed") {
  for (const std::string file : {"a.csv", "a.json", "a.h5", "a.nc", "a.xlsx", "a.tsv", "a.dat"}) {
    CAPTURE(file);
    CHECK(same(value_of("save(\"" + file + "\", (x: [-0.0, 0.5],))\nresult = 1 / load(\"" + file + "\").x"),
               value_of("result = [-inf, 2]")));
  }
  CHECK(same(value_of("save(\"a.mtx\", [-0.0, 0.5 | 2, 0])\nresult = 1 / load(\"a.mtx\")"),
             value_of("result = [-inf, 2 | 0.5, inf]")));
  for (const std::string type : {"float64", "float32"})
    for (const std::string file : {"a.nc", "a.h5"})
      for (const std::string attributes : {"", ", attributes: (x: (scale_factor: 1.0,))"}) {
        const auto save =
            "save(\"" + file + "\", (x: " + type + "([-0.0, 0, 2, nan])" + ")" + attributes + ")\n";
        for (const auto& read : {"load(\"" + file + "\").x", "open_data(\"" + file + "\").x[1..4]"}) {
          CAPTURE(save, read);
          const auto signs = value_of(save + "result = (1 / " + read + ")[1..3]");
          CHECK(same(signs, value_of("result = " + type + "([-inf, inf, 0.5])")));
        }
      }
}
