// Native code against the machine: the same values, bit by bit, the same warnings and errors.
#include <fmt/format.h>

#include <catch2/catch.hpp>
#include <cstdlib>
#include <fstream>
#include <iterator>
#include <utility>

#include "engine/hot.h"
#include "support/choices.h"
#include "support/effort.h"
#include "support/loop_programs.h"
#include "support/outcome.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

// Programs with loops whose counters run through arrays with all kinds of steps and ends: some leave the
// array, some pass 2^53, some have no iteration at all.
class CounterPrograms : private Choices {
 public:
  explicit CounterPrograms(unsigned seed) : Choices(seed) {}

  std::string program() {
    const int n = one_of({3, 7, 40, 1100, 3000});
    text_ = fmt::format("n = {}\nx = {}\nw = {}\ns = 0\nt = 0\nrounds = 0\n", n, array(), array());
    if (chance(50)) text_ = "fn work() {\n" + text_;
    const bool is_function = text_.starts_with("fn");
    const int outer = below(3);
    if (outer == 1) text_ += fmt::format("for o in 1..{} {{\n", 1 + below(6));
    if (outer == 2) text_ += fmt::format("o = 1\nwhile o <= {} {{\n", 1 + below(6));
    has_outer_ = outer > 0;
    if (chance(60))
      while_loop(n);
    else
      for_loop(n);
    if (outer == 2) text_ += "o += 1\n";
    if (outer > 0) text_ += "}\n";
    if (is_function) text_ += "return (x, w, s, t, rounds)\n}\nresult = work()\n";
    return text_;
  }

 private:
  std::string array() {
    return one_of<std::string>({"(1..n) % 7 * 0.5", "int32((1..n) % 5)", "uint8((1..n) % 3)",
                                "(1..n) % 2 == 0", "int64(1..n)", "float32((1..n) % 7 * 0.25)",
                                "[0.5, 1.5, 2.5]"});
  }

  std::string subscript() {
    return one_of<std::string>({"i", "i", "i", "i + 1", "i - 1", "i + 3", "2*i", "2*i - 1", "n - i",
                                "n + 1 - i", "3 - i", has_outer_ ? "i + o" : "i", has_outer_ ? "o" : "1"});
  }

  void statements() {
    const int count = 1 + below(3);
    for (int k = 0; k < count; ++k) {
      const auto at = subscript();
      const auto name = one_of<std::string>({"x", "w"});
      switch (below(8)) {
        case 0: text_ += fmt::format("s += number({}[{}])\n", name, at); break;
        case 1: text_ += fmt::format("if i > 5 {{ t += number({}[{}]) }}\n", name, at); break;
        case 2: text_ += fmt::format("{}[{}] = {}[{}]\n", name, at, name, subscript()); break;
        case 3:
          text_ += fmt::format("if {}[{}] == {}[{}] {{ t += 1 }} else {{ s -= 0.5 }}\n", name, at, name,
                               subscript());
          break;
        case 4: text_ += fmt::format("s = s * 0.5 + i\n"); break;
        case 5: text_ += fmt::format("if s > {} {{ break }}\n", below(2000)); break;
        case 6: text_ += fmt::format("if i % 3 == 1 {{ i += 0; t += 2 }}\n"); break;
        default: text_ += fmt::format("x[{}] = w[{}]\n", at, subscript());
      }
    }
  }

  void while_loop(int n) {
    const bool is_down = chance(30);
    const auto step = one_of<std::string>(
        {"1", "1", "1", "2", "3", "7", has_outer_ ? "o" : "1", has_outer_ ? "o*o" : "5", "k", "k", "0.5"});
    const auto start = one_of<std::string>({"1", "1", "2", "0", "-3", "n", "n - 1", has_outer_ ? "o" : "1",
                                            "9007199254740000", "-9007199254740500", "1.5"});
    const auto end =
        one_of<std::string>({"n", "n", "n", "n - 1", "n + 1", "n / 2", "0", "1", "20 * n", "1e17", "-1e17"});
    text_ += fmt::format("i = {}\nk = {}\nrounds = 0\n",
                         is_down ? one_of<std::string>({"n", "n", start}) : start, 1 + below(n));
    const auto sign =
        is_down ? one_of<std::string>({">=", ">", "!="}) : one_of<std::string>({"<=", "<=", "<", "!="});
    const auto limit = is_down ? one_of<std::string>({"1", "1", "0", end}) : end;
    text_ += fmt::format("while i {} {}{} {{\n", sign, limit, chance(20) ? " and rounds < 4000" : "");
    if (chance(40))
      text_ += fmt::format("i {} {}\n", is_down ? "-=" : "+=", step), statements();
    else
      statements(), text_ += fmt::format("i {} {}\n", is_down ? "-=" : "+=", step);
    text_ += "rounds += 1\nif rounds > 4500 { break }\n}\n";
  }

  void for_loop(int n) {
    const auto from = one_of<std::string>({"1", "1", "2", "0", "-2", has_outer_ ? "o" : "1", "n"});
    const auto to = one_of<std::string>({"n", "n", "n - 1", "n + 2", "n / 2", "0", "2 * n"});
    text_ += fmt::format("for i in {}..{}{} {{\n", from, to,
                         chance(20) ? fmt::format(" step {}", one_of({2, 3, 1, -1})) : "");
    statements();
    text_ += "rounds += 1\n}\n";
    (void)n;
  }

  std::string text_;
  bool has_outer_ = false;
};

}  // namespace

TEST_CASE("random loops give the same with native code as without") {
  compare_programs([](unsigned seed) { return LoopPrograms(seed).program(); }, 100, 0.25);
}

TEST_CASE("loops that count through arrays give the same with native code as without") {
  compare_programs([](unsigned seed) { return CounterPrograms(seed).program(); }, 120, 0.16);
}

TEST_CASE("the program in the file QUILL_TEST_PROGRAM gives the same", "[.]") {
  const char* const name = std::getenv("QUILL_TEST_PROGRAM");
  if (native_maker() == nullptr || name == nullptr) return;
  std::ifstream file(name);
  const std::string program(std::istreambuf_iterator<char>(file), {});
  is_same(outcome_of(program, NativeUse::at_once), outcome_of(program, NativeUse::off));
}

TEST_CASE("random loops give the same when native code begins after some rounds") {
  if (native_maker() == nullptr) return;
  const int before = std::exchange(hot_instructions(), 60);
  for (unsigned seed = 5001; seed < 5001 + static_cast<unsigned>(repeats(40)); ++seed) {
    const auto program = LoopPrograms(seed).program();
    CAPTURE(seed, program);
    if (!is_same(outcome_of(program, NativeUse::when_hot), outcome_of(program, NativeUse::off))) break;
  }
  hot_instructions() = before;
}

TEST_CASE("native code can be left at every check") {
  if (native_maker() == nullptr) return;
  int left = 0;
  for (unsigned seed = 7001; seed < 7001 + static_cast<unsigned>(repeats(6)); ++seed) {
    const auto program = LoopPrograms(seed).program();
    CAPTURE(seed, program);
    const auto wanted = outcome_of(program, NativeUse::off);
    bool is_fine = true;
    for (std::int64_t k = 1; k < 400 && is_fine; k += 1 + k / 6) {
      CAPTURE(k);
      native_checks_left() = k;
      is_fine = is_same(outcome_of(program, NativeUse::at_once), wanted);
      left += native_checks_left() <= 0;
    }
    native_checks_left() = -1;
    if (!is_fine) break;
  }
  CHECK(left > 5 * static_cast<int>(repeats(6)));
}

TEST_CASE("functions see the present values of the names that a native loop changes") {
  const std::string program =
      "s = 0.5\nrow = [1, 2, 3]\nfn next_of(x) = x * 0.001 + s * 0.5 + row[2]\n"
      "for k in 1..50 {\n  s = next_of(k)\n  row[2] = 1 / k\n}\nresult = s";
  // By hand.
  double s = 0.5, second = 2;
  for (int k = 1; k <= 50; ++k) {
    s = k * 0.001 + s * 0.5 + second;
    second = 1.0 / k;
  }
  for (const auto use : {NativeUse::off, NativeUse::at_once}) {
    SessionOptions options;
    options.native = use;
    MemoryHost host;
    TestSession session(host, options);
    REQUIRE(session.run("test.eq", program));
    CHECK(session.find("result")->number() == s);
  }
}
