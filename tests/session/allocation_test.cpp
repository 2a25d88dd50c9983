// Memory that ends anywhere: an error, and a session that goes on.
#include <catch2/catch.hpp>

#include "base/allocation_failure.h"
#include "session/entries.h"
#include "support/script.h"
#include "value/print.h"

using namespace quill;
using namespace quill::test;

namespace {

// Each text with the allocation behind `behind` failing; until none is left to fail.
[[maybe_unused]] void fail_everywhere(const std::string& text, int most) {
  int failures = 0;
  for (std::int64_t behind = 0; failures < most; behind += 1 + behind / 40) {
    MemoryHost host;
    host.files["t.csv"] = "a,b\n1,x\n2.5,y\n";
    SessionOptions options;
    options.interactive = true;
    TestSession session(host, options);
    REQUIRE(session.run("before", "kept = [1, 2, 3]"));
    fail_allocation_after(behind);
    const bool fine = session.run("entry", text);
    const bool has_not_come = fail_allocation_after(-1);
    CAPTURE(text, behind, host.messages);
    if (!fine) {
      ++failures;
      CHECK(host.messages.find("memory") != std::string::npos);
    }
    REQUIRE(session.run("after", "sum_after = sum(kept) + 1"));
    CHECK(inline_text(*session.find("sum_after")) == "7");
    if (has_not_come) return;
  }
}

}  // namespace

#ifndef __SANITIZE_ADDRESS__  // which counts what libraries lose when memory ends within them
TEST_CASE("an allocation that fails anywhere is an error, and the session goes on") {
  // Not of JSON: the library allocates where it takes values down, and cannot tell of a failure there.
  for (const char* text : {
           "x = [k * 2 for k in 1..50 if k % 3 == 0]\ny = sum(x)",
           "fn f(n) = if n > 0 then f(n - 1) + 1 else 0\ny = f(40)",
           "t = (a: [\"one\", \"two\"], b: {\"k\": [1, 2]})\nu = \"{t.a[1]} and {t.b[\"k\"]}\"",
           "t = load(\"t.csv\")\nsave(\"u.csv\", t)\nu = load(\"u.csv\")",
           "g = fn(x) = x^2 - 2\nr = find_root(g, (0, 2)); i = integrate(g, 0, 1)",
           "m = reshape(1..16, 4, 4) + identity(4)\ns = solve(m, [1, 2, 3, 4]); e = eigen(m)",
           "a = [1, 2, 3]\nw = alias a[1..2]\nw[1] = 9\nfor k in 1..3 { a[k] = a[k] + k }\nprint(a)",
       })
    fail_everywhere(text, 400);
}

TEST_CASE("an entry whose memory ends anywhere changes nothing or is complete") {
  int failures = 0;
  for (std::int64_t behind = 0; failures < 400; behind += 1 + behind / 40) {
    MemoryHost host;
    SessionOptions options;
    options.interactive = true;
    TestSession session(host, options);
    Entries entries(session);
    REQUIRE(entries.run("kept = [1, 2, 3]"));
    bool fine = false, has_thrown = false;
    fail_allocation_after(behind);
    try {
      fine = entries.run("kept[2] = 20; x = kept * 2");
    } catch (const std::bad_alloc&) { has_thrown = true; }
    const bool has_not_come = fail_allocation_after(-1);
    CAPTURE(behind, has_thrown, host.messages);
    failures += !fine;
    CHECK(inline_text(*session.find("kept")) == (fine ? "[1, 20, 3]" : "[1, 2, 3]"));
    CHECK(entries.out_of_reach() == 0);
    REQUIRE(entries.run("y = sum(kept)"));
    CHECK(entries.undo()->text == "y = sum(kept)");
    while (entries.done().size() > 1) entries.undo();
    CHECK(inline_text(*session.find("kept")) == "[1, 2, 3]");
    if (has_not_come) return;
  }
}
#endif
