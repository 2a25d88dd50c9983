// Variables kept in a file and returned.
#include "session/kept_values.h"

#include <catch2/catch.hpp>
#include <random>

#include "session/alike.h"
#include "session/entries.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

using KeptSession = PromptSession;

const char* kTexts[] = {"a = [1.5, -0.0, nan, inf]",
                        "b = int64([1, 2 | 3, 4])",
                        "c = \"text ä\"",
                        "d = true",
                        "e = 1e-300",
                        "f = 1..10 by 3",
                        "g = (1, \"x\", [2, 3])",
                        "h = (n: 1, deep: (m: [1, 2], t: (1, 2)))",
                        "i = {\"k\": 1, 2: [3]}",
                        "j = none",
                        "k = zeros(0)",
                        "l = zeros(2, 0, 3)",
                        "m = [\"p\", \"\"]",
                        "n = [1 + 2i, 3i]",
                        "o = float32([1, 2])",
                        "fn p(x) = x + e",
                        "q = p",
                        "r = fn(x, y) = x * y",
                        "s = sin",
                        "t = timestamp(\"2026-01-01\")",
                        "u = list(1, \"a\", [2])",
                        "v = [true, false]",
                        "w = 0..1 count 7",
                        "x = uint8([0, 255])",
                        "y = -0.0",
                        "fn z(n) = if n < 2 then 1 else n * z(n - 1)"};

}  // namespace

TEST_CASE("variables come back exactly") {
  KeptSession at;
  for (const char* text : kTexts) {
    CAPTURE(text, at.host.messages);
    REQUIRE(at.session->run("entry", text));
  }
  at.host.files["d.csv"] = "depth (m),n\n1.5,2\n2.5,3\n";
  REQUIRE(at.session->run("entry", "table = load(\"d.csv\")\nwithout = table.depth * 1"));
  REQUIRE(at.session->run(
      "entry",
      "curve = interpolant([1, 2], [3, 4])\nfn make(k) {\n return fn(x) = x + k\n}\nheld = make(2)"));
  const auto kept = keep_values(*at.session);
  REQUIRE(kept.left_out.size() == 2);
  CHECK(kept.left_out[0].first == "curve");
  CHECK(kept.left_out[1].first == "held");
  KeptSession other;
  other.session->run("entry", "z = 5");
  const auto names = restore_values(*other.session, kept.bytes, "work.h5");
  CHECK(names.size() == kept.count);
  for (const auto& name : names) {
    CAPTURE(name);
    const auto *was = at.session->find(name), *is = other.session->find(name);
    REQUIRE(is);
    if (was->is(Kind::function))
      CHECK(text_of(*was->object<FunctionObject>().function) ==
            text_of(*is->object<FunctionObject>().function));
    else
      CHECK(alike(*was, *is));
  }
  CHECK(
      other.session->run("entry", "expect p(1) == 1 + e and q(1) == p(1) and r(2, 3) == 6 and z(5) == 120"));
  CHECK(keep_values(*other.session).count == kept.count);
}

TEST_CASE("kept variables are loaded as an entry, which can be taken back") {
  KeptSession at;
  Entries entries(*at.session);
  entries.run("x = [1, 2]");
  at.host.files["work.h5"] = keep_values(*at.session).bytes;
  entries.run("x = 0");
  CHECK(entries.run(":load work.h5"));
  CHECK(at.session->find("x")->is(Kind::array));
  entries.undo();
  CHECK(at.session->find("x")->is_number());
  CHECK_FALSE(entries.run(":load nothing.h5"));
  at.host.files["other.h5"] = "no such file";
  CHECK_FALSE(entries.run(":load other.h5"));
  CHECK(at.host.messages.find("is not a file of saved variables") != std::string::npos);
  entries.run("save(\"plain.h5\", (a: 1))");
  CHECK_FALSE(entries.run(":load out/plain.h5"));
}

TEST_CASE("damaged files of kept variables give errors or what was there") {
  KeptSession at;
  for (const char* text : kTexts) REQUIRE(at.session->run("entry", text));
  const auto bytes = keep_values(*at.session).bytes;
  std::mt19937_64 random(4);
  for (int trial = 0; trial < 300; ++trial) {
    auto damaged = bytes;
    if (trial % 3 == 0)
      damaged.resize(random() % damaged.size());
    else
      for (int k = 0; k < 3; ++k) damaged[random() % damaged.size()] ^= static_cast<char>(1 << random() % 8);
    KeptSession other;
    other.session->run("entry", "mine = 1");
    try {
      restore_values(*other.session, damaged, "work.h5");
    } catch (const Error& error) {
      CHECK_FALSE(error.message.empty());
      CHECK(other.session->variables().size() == 1);
    }
  }
}
