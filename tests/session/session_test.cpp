#include "session/session.h"

#include <catch2/catch.hpp>

#include "array/buffer.h"
#include "session/snapshot.h"
#include "support/script.h"
#include "value/print.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("a figure is written when its block closes, in every format") {
  const auto ran =
      run("figure(\"curve\", formats: [\"png\", \"svg\", \"pdf\"]) {\n line([1, 4, 9], label: \"squares\")\n "
          "legend()\n}");
  CHECK(ran.ok);
  CHECK(ran.messages == "wrote out/curve.png\nwrote out/curve.svg\nwrote out/curve.pdf\n");
  CHECK(ran.host.files.at("out/curve.png").starts_with("\x89PNG"));
  CHECK(ran.host.files.at("out/curve.pdf").starts_with("%PDF"));
  CHECK(ran.host.files.at("out/curve.svg").find("<svg") != std::string::npos);
}

TEST_CASE("equal scripts give equal bytes") {
  const std::string text =
      "seed(3)\nfigure(\"a\", formats: [\"png\", \"svg\", \"pdf\"]) { scatter(random(50), random(50)) }";
  CHECK(run(text).host.files == run(text).host.files);
}

TEST_CASE("the old file stays when a block fails or the disk is full") {
  MemoryHost host;
  host.files["out/f.png"] = "old";
  TestSession session(host, {});
  CHECK_FALSE(session.run("a", "figure(\"f\") {\n line([1, 2])\n x = [1][5]\n}"));
  CHECK(host.files.at("out/f.png") == "old");
  CHECK(session.run("b", "figure(\"g\") { line([1, 2]) }"));
  host.write_failure = "no space left on device";
  CHECK_FALSE(session.run("c", "figure(\"f\") { line([1, 2]) }"));
  CHECK(host.files.at("out/f.png") == "old");
  CHECK(host.messages.find("cannot write out/f.png: no space left on device") != std::string::npos);
  host.write_failure.clear();
  CHECK(session.run("d", "figure(\"h\") { line([1, 2]) }"));
}

TEST_CASE("a figure drawn twice under one name is warned of, and drawing works inside functions") {
  const auto twice = run("figure(\"f\") { line([1]) }\nfigure(\"f\") { line([1]) }");
  CHECK(twice.ok);
  CHECK(twice.messages.find("the figure \"f\" was drawn before in this run") != std::string::npos);
  const auto ran = run("fn curve(k) {\n line([1, 2] * k)\n}\nfigure(\"f\") { for k in 1..3 { curve(k) } }");
  CHECK(ran.ok);
  // Leaving a loop closes the panels and figures inside of it.
  const auto left =
      run("for k in 1..3 {\n figure(\"f{k}\") {\n line([1, k])\n if k == 2 { break }\n "
          "}\n}\nfigure(\"after\") { line([1]) }");
  CHECK(left.ok);
  CHECK(left.host.files.contains("out/f2.png"));
  CHECK_FALSE(left.host.files.contains("out/f3.png"));
  CHECK(left.host.files.contains("out/after.png"));
}

TEST_CASE("axes take labels and units of columns from files") {
  MemoryHost host;
  host.files["t.csv"] = "depth (m),temperature (°C)\n1,10\n2,8\n3,7\n";
  SessionOptions options;
  TestSession session(host, options);
  REQUIRE(
      session.run("s",
                  "t = load(\"t.csv\")\nfigure(\"f\", formats: \"svg\") { line(t.depth[1..2], "
                  "t.temperature[1..2]) }\nd = t.depth * 2\nsave(\"back.csv\", (depth: t.depth, twice: d))"));
  CHECK(host.files.at("out/back.csv") == "depth (m),twice\n1,2\n2,4\n3,6\n");
}

TEST_CASE("files are read next to the script and written below the output folder") {
  MemoryHost host;
  host.files["data/here/t.csv"] = "a\n1\n";
  SessionOptions options;
  options.script_folder = "data/here";
  options.out_folder = "results";
  TestSession session(host, options);
  CHECK(session.run("s", "t = load(\"t.csv\")\nsave(\"sub/o.csv\", t)"));
  CHECK(host.files.contains("results/sub/o.csv"));
  CHECK_FALSE(session.run("s", "save(\"/etc/o.csv\", [1])"));
  CHECK_FALSE(session.run("s", "save(\"a/../../o.csv\", [1])"));
}

TEST_CASE("wrong mathematics in a label is a warning, and the figure is written") {
  const auto ran = run("figure(\"f\") {\n line([1, 2])\n title(`$\\nosuch$`)\n}");
  CHECK(ran.ok);
  CHECK(ran.messages.find("warning: figure \"f\": unknown command `\\nosuch` at character 2") !=
        std::string::npos);
  CHECK(ran.host.files.contains("out/f.png"));
}

TEST_CASE("a text with errors leaves the session as it was") {
  MemoryHost host;
  TestSession session(host, {});
  CHECK_FALSE(session.run("a", "new_name = 1\nother = ("));
  CHECK(session.find("new_name") == nullptr);
  CHECK(session.names() == std::vector<std::string>{"that"});
  CHECK_FALSE(session.run("a", "x = unknown_name"));
  CHECK(session.names() == std::vector<std::string>{"that"});
}

TEST_CASE("an integer with too many digits is reported") {
  CHECK(run("x = 9007199254740993")
            .messages.find(
                "9007199254740993 has more digits than float64 holds and is rounded to 9007199254740992") !=
        std::string::npos);
  CHECK(run("x = 9007199254740992; y = 10000000000000000; z = 1.5e300; w = 123_456").messages.empty());
}

TEST_CASE("random numbers follow the seed of the run") {
  SessionOptions one, two;
  one.seed = two.seed = 5;
  const std::string text = "print(random(3))";
  CHECK(run(text, one).printed == run(text, two).printed);
  two.seed = 6;
  CHECK(run(text, one).printed != run(text, two).printed);
}

TEST_CASE("a snapshot of a session brings everything back, and names keep their addresses") {
  MemoryHost host;
  SessionOptions options;
  options.interactive = true;
  TestSession session(host, options);
  REQUIRE(session.run("1", "a = [1, 2, 3]; t = (1, \"x\"); seed(3); digits(3); theme(\"night\")"));
  REQUIRE(session.run("2", "fn first() = a[1]"));
  const Snapshot kept(session.state);
  const auto* address = session.find("a");
  const std::string later = "x = random(3); a[1] = x[1]; figure(\"f\") { line(a) }";
  REQUIRE(session.run("3", later));
  const auto once = inline_text(*session.find("x"));
  REQUIRE(session.run("4", "digits(9); theme(\"print\"); b = 7; t = 0"));
  kept.restore(session.state);
  CHECK(session.find("b") == nullptr);
  CHECK(inline_text(*session.find("a")) == "[1, 2, 3]");
  CHECK(inline_text(*session.find("t")) == "(1, \"x\")");
  CHECK(session.find("a") == address);
  CHECK(session.state.settings.digits == 3);
  CHECK(session.state.settings.figure_defaults->theme == "night");
  CHECK(session.state.figures.empty());
  // What ran before runs again in the same way; functions read the names of the session.
  REQUIRE(session.run("3", later));
  CHECK(inline_text(*session.find("x")) == once);
  REQUIRE(session.run("5", "y = first()"));
  CHECK(inline_text(*session.find("y")) == once.substr(1, once.find(',') - 1));
  CHECK(session.state.figures.size() == 1);
  // The copy shares what it holds.
  REQUIRE(session.run("6", "large = zeros(1000, 1000)"));
  const auto before = memory_use().bytes;
  const Snapshot second(session.state);
  CHECK(memory_use().bytes == before);
}
