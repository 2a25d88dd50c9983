// The built program, driven as a user would.
#include <catch2/catch.hpp>

#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;

namespace {

Result quill_run(const std::vector<std::string>& arguments, const std::string& input = "",
                 const std::string& folder = "") {
  return run_program(kProgram, arguments, input, folder);
}

}  // namespace

TEST_CASE("eval prints the value") {
  const auto r = quill_run({"eval", "[1, 2 | 3, 4] *+ [1, 1]"});
  CHECK(r.status == 0);
  CHECK(r.out == "[1, 2 | 3, 4] *+ [1, 1] : float64 2\n  3  7\n");
  CHECK(r.err.empty());
  CHECK(quill_run({"eval", "-1 + 3"}).out == "-1 + 3 = 2\n");
  CHECK(quill_run({"eval", "1 +"}).status == 1);
  CHECK(quill_run({"eval", "[1][2]"}).err.find("index 2 is out of range") != std::string::npos);
}

TEST_CASE("help, version and usage") {
  CHECK(quill_run({"--version"}).out.starts_with("eager-quill "));
  const auto help = quill_run({"--help"});
  CHECK(help.status == 0);
  CHECK(help.out.find("eager-quill run SCRIPT") != std::string::npos);
  for (const char* command : {"run", "eval", "help"})
    CHECK(quill_run({command, "--help"}).out.find("Usage: eager-quill") == 0);
  CHECK(quill_run({"help", "interpolate"}).out.find("interpolate(x, y, at, method: \"linear\"") == 0);
  CHECK(quill_run({"help"}).out.find("interpolation") != std::string::npos);
  CHECK(quill_run({"help", "--search", "spline"}).out.find("interpolant") != std::string::npos);
  const auto unknown = quill_run({"help", "interpolat"});
  CHECK(unknown.status == 1);
  CHECK(unknown.err == "error: no help for `interpolat`\n  hint: did you mean interpolate?\n");
}

TEST_CASE("the stages of a script are shown, and nothing else") {
  const TemporaryFolder folder;
  folder.write("a.eq", "x = 1 + 2\nprint(x)\nfigure(\"f\") { line([1, 3]) }\n");
  const auto stage = [&](const char* name) {
    const auto r = quill_run({"--dump", name, folder.path("a.eq")}, "", folder.path());
    CAPTURE(name, r.err);
    CHECK(r.status == 0);
    CHECK(r.err.empty());
    return r.out;
  };
  CHECK(stage("tokens").starts_with("| x = 1 + 2"));
  CHECK(stage("tree").starts_with("(block (= x (+ 1 2))"));
  CHECK(stage("effects") ==
        "line 1: assigns x; elementwise\nline 2: reads x; uses print\nline 3: uses line\n");
  CHECK(stage("program").starts_with("top frame "));
  const auto figure = stage("figure");
  CHECK(figure.starts_with("figure f\npage "));
  CHECK(figure.find("1.1 stroke ") != std::string::npos);
  CHECK_FALSE(folder.has("out/f.png"));
  folder.write("b.eq", "x = (");
  CHECK(quill_run({"--dump", "program", folder.path("b.eq")}).status == 1);
}

TEST_CASE("wrong usage is one line and status 2") {
  const std::vector<std::pair<std::vector<std::string>, std::string>> rows = {
      {{"--nosuch"}, "unknown option --nosuch"},
      {{"run", "--nosuch", "a.eq"}, "unknown option --nosuch"},
      {{"rum", "a.eq"}, "unknown command `rum` (did you mean run?)"},
      {{"a.eq"}, "unknown command `a.eq` (did you mean: eager-quill run a.eq?)"},
      {{"run"}, "`run` needs a script"},
      {{"run", "a.eq", "b.eq"}, "expected one script, not 2"},
      {{"run", "a.eq", "--seed", "x"}, "--seed takes an integer from 0, not `x`"},
      {{"run", "a.eq", "--set", "x"}, "--set takes name=value, not `x`"},
      {{"run", "a.eq", "--out"}, "option --out needs an argument"},
      {{"reprot", "a.eq"}, "unknown command `reprot`"},
      {{"--dump", "nothing", "a.eq"},
       "--dump takes tokens, tree, effects, program, flow, types, native or figure, not `nothing`"},
      {{"--dump", "tree"}, "--dump needs a script"},
  };
  for (const auto& [arguments, message] : rows) {
    const auto r = quill_run(arguments);
    CAPTURE(message, r.err);
    CHECK(r.status == 2);
    CHECK(r.out.empty());
    CHECK(r.err.find("error: " + message) == 0);
    CHECK(r.err.find('\n') == r.err.size() - 1);
  }
}

TEST_CASE("a script that cannot be read is one line and status 1") {
  CHECK(quill_run({"run", "nosuch.eq"}).err == "error: cannot read nosuch.eq: No such file or directory\n");
  for (const char* path : {"nosuch.eq", "/"})
    for (const char* command : {"run", "check", "report"}) CHECK(quill_run({command, path}).status == 1);
}

TEST_CASE("an output folder that cannot be written is one line") {
  const TemporaryFolder folder;
  folder.write("a.eq", "print(1)");
  folder.write("file", "x");
  const auto r = quill_run({"run", folder.path("a.eq"), "--out", folder.path("file") + "/out"});
  CHECK(r.status == 1);
  CHECK(r.err == "error: cannot write below " + folder.path("file") + "/out: " + folder.path("file") +
                     " is not a folder\n");
}

TEST_CASE("a script runs from any folder, with spaces in paths") {
  const TemporaryFolder folder("eager quill with spaces");
  folder.write("a script.eq",
               "t = load(\"the data.csv\")\nprint(sum(t.x))\nfigure(\"a figure\") { line(t.x) "
               "}\nsave(\"o.csv\", t)\n");
  folder.write("the data.csv", "x\n1\n2\n");
  const auto r = quill_run({"run", folder.path("a script.eq"), "--out", folder.path("my out")}, "", "/");
  CHECK(r.status == 0);
  CHECK(r.out == "3\n");
  CHECK(r.err ==
        "wrote " + folder.path("my out") + "/a figure.png\nwrote " + folder.path("my out") + "/o.csv\n");
  CHECK(folder.has("my out/a figure.png"));
  CHECK(folder.read("my out/o.csv") == "x\n1\n2\n");
  const auto quiet = quill_run({"run", "a script.eq", "--quiet"}, "", folder.path());
  CHECK(quiet.status == 0);
  CHECK(quiet.err.empty());
  CHECK(folder.has("out/o.csv"));
}

TEST_CASE("a failing script has status 1, keeps what it printed and shows the place") {
  const TemporaryFolder folder;
  folder.write("a.eq", "print(\"before\")\nx = [1, 2][3]\nprint(\"after\")\n");
  const auto r = quill_run({"run", folder.path("a.eq")}, "", folder.path());
  CHECK(r.status == 1);
  CHECK(r.out == "before\n");
  CHECK(r.err.find("a.eq, line 2, column 5") != std::string::npos);
}

TEST_CASE("inputs from the command line") {
  const TemporaryFolder folder;
  folder.write("a.eq", "given rate = 0.3 \"decay (1/d)\"\nprint(rate)\n");
  CHECK(quill_run({"run", folder.path("a.eq"), "--set", "rate=0.5"}).out == "0.5\n");
  const auto unknown = quill_run({"run", folder.path("a.eq"), "--set", "rat=0.5"});
  CHECK(unknown.status == 1);
  CHECK(unknown.err.find("the script has no input `rat`\n  hint: did you mean rate?") != std::string::npos);
  CHECK(unknown.out.empty());  // refused before anything ran
  // Inputs of files in use are known too, and so is the time of the run.
  folder.write("b.eq", "use \"a.eq\" as decay\nprint(now())\n");
  const auto set = quill_run({"run", folder.path("b.eq"), "--set", "rate=2", "--set", "now=\"2026-06-01\""});
  CHECK(set.out == "2\n2026-06-01\n");
  CHECK(quill_run({"run", folder.path("b.eq"), "--set", "now=\"june\""})
            .err.find("the input now must be a date") != std::string::npos);
}

TEST_CASE("the prompt reads entries from a pipe") {
  const auto r = quill_run({},
                           "a = [1, 2, 3]\na[9]\nfn f(x) {\n  return x + 1\n}\nf(2)\nthat * "
                           "10\n:vars\n?sum\n:nosuch\n:qiut\n:quit\nprint(5)\n");
  CHECK(r.status == 0);
  CHECK(r.out.find("a : float64 3, 1, 2, 3\n") == 0);
  CHECK(r.out.find("f(2) = 3\n") != std::string::npos);
  CHECK(r.out.find("that * 10 = 30\n") != std::string::npos);
  CHECK(r.out.find("  a    : float64 3, 1, 2, 3\n") != std::string::npos);
  CHECK(r.out.find("sum(a, over: none") != std::string::npos);
  CHECK(r.out.find("5\n\n") == std::string::npos);
  CHECK(r.err.find("entry 2, line 1, column 1") != std::string::npos);
  CHECK(r.err.find("unknown command :nosuch") != std::string::npos);
  CHECK(r.err.find("unknown command :qiut\n  hint: did you mean :quit?") != std::string::npos);
}

TEST_CASE("the prompt goes back and forth, and writes its entries as a script") {
  const TemporaryFolder folder;
  const auto r =
      quill_run({},
                "x = [1, 2]\nx[1] = 5\n:undo\nx\n:redo\n:history\nfigure(\"f\") { line(x) }\n:figures\n"
                "y = [1][2]\n:card x\n:write study.eq\n:time sum(x)\n:write study.eq\n:undo\n:write\n",
                folder.path());
  CAPTURE(r.out, r.err);
  CHECK(r.out.find("  undone: 2 ~ x[1] = 5\nx : float64 2, 1, 2\n") == std::string::npos);
  CHECK(r.out.find("  undone: 2 ~ x[1] = 5\nx : float64 2\n  1  2\n") != std::string::npos);
  CHECK(r.err.find("there is nothing to redo") != std::string::npos);
  CHECK(r.out.find("  1 ~ x = [1, 2]\n  3 ~ x\n") != std::string::npos);
  CHECK(r.out.find("  f : out/f.png\n") != std::string::npos);
  CHECK(r.out.find("x : float64 2, 1, 2\n") != std::string::npos);
  CHECK(folder.read("study.eq") == "x = [1, 2]\nx\nfigure(\"f\") { line(x) }\ntimed { sum(x) }\n");
  CHECK(r.err.find("`:write` needs the name of a script") != std::string::npos);
  CHECK(quill_run({"run", "study.eq"}, "", folder.path()).status == 0);
  const auto refused = quill_run({}, ":write study.eq\n", folder.path());
  CHECK(refused.err.find("study.eq exists already") != std::string::npos);
}

TEST_CASE("the prompt has help for functions of one's own, in used files too") {
  const TemporaryFolder folder;
  const auto r =
      quill_run({}, "#: The level in metres.\nfn level(h) = 710 + h\n?level\n:vars\n:help average\n");
  CHECK(r.out.find("level(h)\n  The level in metres.\n") != std::string::npos);
  CHECK(r.out.find("level : function (h) — The level in metres.") != std::string::npos);
  CHECK(r.err.find("did you mean mean?") != std::string::npos);
}

TEST_CASE("bytes that are no text do no harm") {
  const TemporaryFolder folder;
  folder.write("a.eq", std::string("\x00\xff\xfe print(1)\x80", 14));
  CHECK(quill_run({"run", folder.path("a.eq")}).status == 1);
  folder.write("b.eq", std::string(100000, '('));
  CHECK(quill_run({"run", folder.path("b.eq")}).status == 1);
}

TEST_CASE("the same script gives the same bytes in every format, from another folder too") {
  const std::string script =
      "x = 0..10 count 50\nfigure(\"twice\", formats: [\"png\", \"svg\", \"pdf\"], columns: 2) {\n"
      "    panel(1, 1) {\n        line(x, sin(x), label: `$\\sin \\omega t$`)\n        scatter(x, cos(x), "
      "values: x)\n"
      "        legend()\n    }\n    panel(1, 2) { surface(fn(x, y) = sinc(x + y) + sinc(x - y), -3..3, "
      "-3..3) }\n}\n";
  const TemporaryFolder one, two("another one");
  for (const auto* folder : {&one, &two}) {
    folder->write("twice.eq", script);
    const auto r = run_program(kProgram, {"run", folder->path("twice.eq"), "--out", folder->path()}, "",
                               folder == &one ? one.path() : "/");
    CAPTURE(r.err);
    REQUIRE(r.status == 0);
  }
  for (const char* file : {"twice.png", "twice.svg", "twice.pdf"}) {
    CAPTURE(file);
    CHECK(one.read(file).size() > 5000);
    CHECK(one.read(file) == two.read(file));
  }
}
