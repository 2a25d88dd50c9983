// Statements of a session: timed, use, ask, given, section.
#include <catch2/catch.hpp>

#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

// A host whose clock runs on by a millisecond whenever somebody looks.
class ClockHost : public MemoryHost {
 public:
  double seconds() override { return now += 0.001; }
};

bool holds(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

}  // namespace

TEST_CASE("a timed block reports time and memory") {
  ClockHost host;
  TestSession session(host, {});
  REQUIRE(session.run("s", "timed \"doubling\" { a = ones(1000) * 2 }"));
  CHECK(host.messages == "timed \"doubling\": 1.00 ms, 8.0 kB in 1 array, 1 pass over elements\n");
  host.messages.clear();
  REQUIRE(session.run("s", "timed { s = 1 + 2 }"));
  CHECK(host.messages == "timed: 1.00 ms, no arrays\n");
}

TEST_CASE("every repetition starts from the same values and random numbers") {
  const auto ran =
      run("a = [1, 2]\nn = 0\nd = {\"k\": 1}\nr = list()\n"
          "timed \"x\" (repeat: 4) {\n  a[1] += 1\n  n += 1\n  d[\"k\"] += 1\n  x = random(3)\n}\n"
          "print(a[1], n, d[\"k\"])\nseed(1)\nexpect same(x, random(3))");
  CHECK(ran.printed == "2 1 2\n");
  CHECK(holds(ran.messages, "of 4 runs, interquartile range"));
  // A block that changes an array in place makes no array, however often it is repeated.
  CHECK(
      holds(run("a = zeros(100)\ntimed \"in place\" (repeat: 3) { a[..] += 1 }\nexpect all(a == 1)").messages,
            "no arrays, 1 pass over elements each"));
  // Through an alias the owner is changed; it starts from the same values too.
  CHECK(run("a = [1, 2]\nw = alias a[1..1]\ntimed \"x\" (repeat: 3) {\n  w[1] += 1\n  a[2] += 1\n}\nprint(a)")
            .printed == "  2  3\n");
}

TEST_CASE("timings of a section end with their ratios") {
  ClockHost host;
  TestSession session(host, {});
  REQUIRE(session.run("s",
                      "section \"A\"\ntimed \"one\" { a = 1 }\ntimed \"two\" (repeat: 3) { b = zeros(10) }\n"
                      "section \"B\"\ntimed \"alone\" { a = 1 }"));
  session.tell_summary();
  CHECK(holds(host.messages,
              "  timings     time  ratio  memory\n"
              "  one      1.00 ms    1.0  no arrays\n"
              "  two      1.00 ms    1.0  80 bytes in 1 array\n"));
  CHECK(host.messages.find("timings") == host.messages.rfind("timings"));
}

TEST_CASE("a timed block is left by return, break and errors") {
  CHECK(run("fn f() {\n  timed \"x\" (repeat: 5) { return 7 }\n}\nprint(f())").printed == "7\n");
  const auto ran = run("for k in 1..3 {\n  timed \"x\" { if k == 2 { break } }\n}\nprint(k)");
  CHECK(ran.printed == "2\n");
  CHECK_FALSE(run("timed \"x\" { [1][2] }").ok);
  check_errors({{"timed \"x\" (repeat: 0) { a = 1 }",
                 "`repeat` must be an integer from 1 to 1000000, not the number 0", ""},
                {"timed \"x\" (times: 2) { a = 1 }", "`timed` has no argument `times`",
                 "timed \"label\" (repeat: 20) { … }"}});
}

TEST_CASE("a used file runs once, with its own names") {
  MemoryHost host;
  host.files["lib/tides.eq"] =
      "use \"deep/base.eq\" as base\nprint(\"loading\")\nscale = 3\nfn level(t) = scale * base.one(t)\nw = "
      "[1, 2]\n"
      "v = alias w[1..1]\nv[1] = 9";
  host.files["lib/deep/base.eq"] = "fn one(t) = t + from_file[1]\nt = load(\"t.csv\")\nfrom_file = t.a";
  host.files["lib/deep/t.csv"] = "a\n0.5\n";
  TestSession session(host, {});
  REQUIRE(session.run("main",
                      "scale = 100\nuse \"lib/tides.eq\" as tides\nuse \"lib/tides.eq\" as again\n"
                      "x = tides.level(1)\ny = again.scale\nz = tides.w\nt = each tides.level([1, 2])"));
  CHECK(host.printed == "loading\n");
  CHECK(session.find("x")->number() == 4.5);
  CHECK(session.find("y")->number() == 3);
  CHECK(to_array(*session.find("z")).at<double>({0}) == 9);
  CHECK(to_array(*session.find("t")).at<double>({1}) == 7.5);
  host.files["a.eq"] = "use \"b.eq\" as b";
  host.files["b.eq"] = "use \"a.eq\" as a";
  host.files["wrong.eq"] = "x = (";
  for (const auto& [program, message] : std::vector<std::pair<std::string, std::string>>{
           {"use \"a.eq\" as a", "\"a.eq\" uses itself, directly or through another file"},
           {"use \"none.eq\" as a", "cannot read none.eq: no such file"},
           {"use \"wrong.eq\" as a", "wrong.eq, line 1"},
           {"use \"lib/tides.eq\" as t\nt.levle(1)", "hint: did you mean level?"},
           {"use \"lib/tides.eq\" as t\nt.w[1] = 3", "error: "}}) {
    host.messages.clear();
    CAPTURE(program);
    CHECK_FALSE(session.run("m", program));
    CHECK(holds(host.messages, message));
  }
}

TEST_CASE("at the prompt a changed file is used anew, and what was made of the old one goes on") {
  MemoryHost host;
  host.files["tides.eq"] = "scale = 3\nfn level(t) = scale * t\nfn maker(k) = fn(t) = k * level(t)";
  SessionOptions options;
  options.interactive = true;
  TestSession session(host, options);
  REQUIRE(session.run("1", "use \"tides.eq\" as tides"));
  REQUIRE(session.run("2", "old = tides.level; made = tides.maker(10)"));
  host.files["tides.eq"] = "scale = 5\nfn level(t) = scale * t";
  REQUIRE(session.run("3", "use \"tides.eq\" as tides"));
  REQUIRE(session.run("4", "a = old(1); b = made(1); c = tides.level(1)"));
  CHECK(session.find("a")->number() == 3);
  CHECK(session.find("b")->number() == 30);
  CHECK(session.find("c")->number() == 5);
}

TEST_CASE("an error in a used file has its place there and the calls around it") {
  MemoryHost host;
  host.files["bad.eq"] = "fn f(x) = x[5]\ny = f([1])";
  TestSession session(host, {});
  CHECK_FALSE(session.run("main", "use \"bad.eq\" as b"));
  CHECK(holds(host.messages, "  bad.eq, line 1, column 11\n"));
  CHECK(holds(host.messages, "  in f, called from bad.eq, line 2, column 5\n"));
  CHECK(holds(host.messages, "  in use \"bad.eq\", called from main, line 1, column 1\n"));
}

TEST_CASE("questions are answered from outside, at the terminal, or by their default") {
  const std::string text = "s = ask(\"sequence\", default: [2, 0])\nprint(sum(s))";
  CHECK(run(text).printed == "2\n");
  SessionOptions options;
  options.inputs = {{"sequence", "[1, 2, 3]"}};
  CHECK(run(text, options).printed == "6\n");
  options.inputs = {{"sequence", "\"abc\""}};
  CHECK(holds(run(text, options).messages,
              "the input sequence is the text \"abc\", and its default is a vector of 2"));
  MemoryHost host;
  host.answers = {"(", "\"a\"", "[5, 6]"};
  TestSession session(host, {});
  CHECK(session.run("s", text));
  CHECK(host.printed == "11\n");
  CHECK(holds(host.messages, "sequence [[2, 0]]: "));
  CHECK(
      holds(host.messages, "error: the answer is the text \"a\", and the default is a vector of 2 float64"));
  // An empty answer is the default, however long it is and whatever its type, also when it is given again.
  for (const std::string fallback : {"sqrt(1..50)", "int64(9007199254740993)", "float32(0.1)"}) {
    const auto asked = "x = ask(\"x\", default: " + fallback + ")\nsame = type(x) == type(" + fallback +
                       ") and all(x == " + fallback + ")\nprint(same)";
    CAPTURE(fallback);
    MemoryHost answering;
    answering.answers = {""};
    TestSession first(answering, {});
    CHECK(first.run("s", asked));
    CHECK(answering.printed == "true\n");
    CHECK(first.note().answers == std::vector<std::string>{""});
    MemoryHost without_terminal;
    TestSession again(without_terminal, {});
    again.answer_beforehand(first.note().answers, 0);
    CHECK(again.run("s", asked));
    CHECK(without_terminal.printed == "true\n");
  }
  check_errors({{"x = ask(\"n\")", "there is no terminal to ask for \"n\", and it has no default",
                 "--set \"n=…\" answers in advance"}});
}

TEST_CASE("inputs take any literal of the kind of their default") {
  const auto with = [](const std::string& text, const std::string& value) {
    SessionOptions options;
    options.inputs = {{"x", value}};
    return run("given x = " + text + " \"about\"\nprint(type(x), x)", options);
  };
  CHECK(with("1", "2.5").printed == "float64 2.5\n");
  CHECK(with("[1, 2]", "5").printed == "float64 5\n");
  CHECK(with("(a: 1)", "(a: 2, b: 3)").ok);
  CHECK(with("none", "{\"k\": 1}").ok);
  CHECK(with("\"a\"", "\"b\"").printed == "text b\n");
  CHECK(with("1", "[1, 2]").printed == "float64   1  2\n");
  CHECK_FALSE(with("true", "1").ok);
  CHECK(with("1", "-pi / 2").printed == "float64 -1.5708\n");
  CHECK(with("[1]", "0..1 by 0.25").printed == "range   0.00  0.25  0.50  0.75  1.00\n");
  CHECK(with("none", "[1, 2 | 3, 4]").ok);
  CHECK(with("1i", "2 - 3i").printed == "complex128 2 - 3i\n");
  CHECK(with("none", "(1, list(\"a\", none))").ok);
  // Numbers keep their digits where they have a type for them, and tell when they are rounded.
  const auto kept = with("1", "int64(9007199254740993)");
  CHECK(kept.printed == "int64 9007199254740993\n");
  CHECK(kept.messages.empty());
  CHECK(with("1", "float32(0.1)").printed == "float32 0.1\n");
  const auto rounded = with("1", "9007199254740993");
  CHECK(holds(rounded.messages,
              "warning: the input x: 9007199254740993 has more digits than float64 holds and "
              "is rounded to 9007199254740992"));
  CHECK(holds(rounded.messages, "hint: int64(9007199254740993) keeps all digits"));
  CHECK_FALSE(with("1", "int64(x)").ok);
  CHECK(holds(with("1", "int64(1.5)").messages,
              "error: the input x: 1.5 cannot become int64: it is not an integer\n  test.eq, line 1"));
  // A function would read names that are not there, and so would anything that calls one.
  for (const char* text : {"fn(x) = x", "fn(x) = value", "(1, fn() = 2)", "{\"f\": sqrt}", "sqrt(2)",
                           "random(3)", "load(\"t.csv\")", "\"{1 + 1}\"", "[k for k in 1..3]", "x", "1) + (2",
                           "1\ny = 2", "[1, 2][1]", "if true then 1 else 2"}) {
    const auto ran = with("none", text);
    CAPTURE(text, ran.messages);
    CHECK_FALSE(ran.ok);
    CHECK(holds(ran.messages, "the input x cannot be read: "));
  }
  CHECK_FALSE(with("[1, 2]", "[1, \"a\"]").ok);
  CHECK_FALSE(with("[\"a\"]", "[1, 2]").ok);
  CHECK_FALSE(with("1", "2; y = 3").ok);
  CHECK_FALSE(with("1", "unknown").ok);
  CHECK_FALSE(with("1", "2\nprint(5)").ok);
}

TEST_CASE("a run can end with a section") {
  const std::string text =
      "print(1)\nsection \"A\"\nprint(2)\nsection \"B\"\nprint(3)\nsection \"C\"\nprint(4)";
  SessionOptions options;
  options.last_section = "B";
  CHECK(run(text, options).printed == "1\n\nA\n2\n\nB\n3\n");
  options.last_section = "D";
  const auto ran = run(text, options);
  CHECK_FALSE(ran.ok);
  CHECK(holds(ran.messages, "there is no section \"D\""));
  CHECK(ran.printed.empty());
}

TEST_CASE("a theme sets look, sizes and formats of the figures that follow, until they say their own") {
  const auto r =
      run("figure(\"before\") { line([1, 2]) }\ntheme(\"night\", width: 80, height: 50, formats: [\"svg\", "
          "\"pdf\"])\n"
          "figure(\"after\") { line([1, 2]) }\nfigure(\"own\", width: 100, formats: \"png\") { line([1, 2]) "
          "}\nline([1, 2])\n");
  CAPTURE(r.messages);
  REQUIRE(r.ok);
  const auto& files = r.host.files;
  CHECK(files.contains("out/before.png"));
  CHECK_FALSE(files.contains("out/before.svg"));
  REQUIRE(files.contains("out/after.svg"));
  CHECK(files.contains("out/after.pdf"));
  CHECK_FALSE(files.contains("out/after.png"));
  CHECK(files.at("out/after.svg").find("width=\"80mm\" height=\"50mm\"") != std::string::npos);
  CHECK(files.contains("out/own.png"));
  CHECK_FALSE(files.contains("out/own.svg"));
  CHECK(files.contains("out/line-1.svg"));
}

TEST_CASE("panels placed by shares and hints reach the user") {
  const auto r =
      run("figure(\"f\") {\n    title(\"of all\")\n    panel(x: 0, y: 0, width: 0.5, height: 1) { line([1, "
          "2]) }\n"
          "    panel(x: 0.5, y: 0, width: 0.5, height: 1) { line([3, 9]) }\n}\n"
          "figure(\"g\", columns: 2) {\n    panel(1, 1) {\n        line([1, 2])\n        y_axis(\"level "
          "(m)\")\n    }\n"
          "    panel(1, 2) {\n        line([3, 9])\n        y_axis(\"level (m)\")\n    }\n}\n");
  CAPTURE(r.messages);
  CHECK(r.ok);
  CHECK(r.messages.find(
            "hint: figure \"g\": panel(1, 1) and panel(1, 2) show \"level (m)\" between different limits; "
            "link_y: \"rows\" makes them comparable\n") != std::string::npos);
  CHECK(r.messages.find("figure \"f\"") == std::string::npos);
  const auto lies_over =
      run("figure(\"f\") {\n    panel(x: 0, y: 0, width: 0.6, height: 1) { line([1, 2]) }\n"
          "    panel(x: 0.4, y: 0, width: 0.6, height: 1) { line([3, 9]) }\n}\n");
  CHECK_FALSE(lies_over.ok);
  CHECK(lies_over.messages.find("overlaps panel(x: 0, y: 0, width: 0.6, height: 1)") != std::string::npos);
  CHECK(lies_over.host.files.empty());
}
