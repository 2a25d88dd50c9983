// Loops that become machine code, through the program.
#include <catch2/catch.hpp>
#include <csignal>

#include "engine/hot.h"
#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;

namespace {

const std::string kCollatz =
    "best = 0\n"
    "for k in 1..30000 {\n"
    "  n = k\n"
    "  c = 0\n"
    "  while n > 1 {\n"
    "    n = if n % 2 == 0 then n / 2 else 3 * n + 1\n"
    "    c += 1\n"
    "  }\n"
    "  if c > best { best = c }\n"
    "}\n"
    "print(best)\n";

}  // namespace

TEST_CASE("cli: a run prints the same with machine code and without") {
  const TemporaryFolder folder;
  folder.write("collatz.eq", kCollatz);
  folder.write("config", "native = off\n");
  for (const std::vector<std::string>& options :
       {std::vector<std::string>{"--no-config"}, {"--no-config", "--no-native"}, {"--config", "config"}}) {
    std::vector<std::string> arguments{"run", "collatz.eq", "--no-record"};
    arguments.insert(arguments.end(), options.begin(), options.end());
    const auto ran = run_program(kProgram, arguments, "", folder.path());
    CHECK(ran.status == 0);
    CHECK(ran.out == "307\n");  // of 17647, at most 30000
    CHECK(ran.err.empty());
  }
}

TEST_CASE("cli: --explain reports loops that became machine code, and what they leave to the machine") {
  if (quill::native_maker() == nullptr) return;
  const TemporaryFolder folder;
  folder.write("sum.eq",
               "s = 0\nfor k in 1..400000 {\n  s += k % 7\n  if k % 200000 == 0 { print(\"at {k}\") }\n}\n");
  const auto ran =
      run_program(kProgram, {"run", "sum.eq", "--explain", "--no-record", "--no-config"}, "", folder.path());
  CHECK(ran.status == 0);
  CAPTURE(ran.out);
  CHECK(ran.out.find("\nLoops\nsum.eq, line 2\n  for k in 1..400000\n  machine code: made in ") !=
        std::string::npos);
  CHECK(ran.out.find("  slower, step by step: line 4, print(\"at {k}\")") != std::string::npos);
  const auto without =
      run_program(kProgram, {"run", "sum.eq", "--explain", "--no-record", "--no-config", "--no-native"}, "",
                  folder.path());
  CHECK(without.out.find("Loops") == std::string::npos);
}

TEST_CASE("cli: an interrupt ends machine code where it is") {
  const TemporaryFolder folder;
  folder.write("endless.eq", "print(\"begin\")\nx = 0.5\nwhile x > 0 {\n  x = 3.7 * x * (1 - x)\n}\n");
  RunningProgram program(kProgram, {"run", "endless.eq", "--no-record", "--no-config"}, "", folder.path());
  wait_seconds(0.5);
  program.send(SIGINT);
  const auto ran = program.finish();
  CHECK(ran.status != 0);
  CAPTURE(ran.err);
  CHECK(ran.err.find("interrupted") != std::string::npos);
  CHECK(ran.err.find("endless.eq, line ") != std::string::npos);
}

TEST_CASE("cli: memory that ends in machine code is an error with its location") {
  const TemporaryFolder folder;
  folder.write("grow.eq", "t = [0]\nfor k in 1..100000000 {\n  t = append(t, k)\n}\n");
  const auto ran = run_program(kProgram, {"run", "grow.eq", "--memory", "60MB", "--no-record", "--no-config"},
                               "", folder.path());
  CHECK(ran.status == 1);
  CAPTURE(ran.err);
  CHECK(ran.err.find("not enough memory") != std::string::npos);
  CHECK(ran.err.find("grow.eq, line 3") != std::string::npos);
}

TEST_CASE("cli: an error half way has the location and the values of the machine") {
  const TemporaryFolder folder;
  folder.write("half.eq",
               "u = zeros(1000)\nfor sweep in 1..200 {\n  for k in 1..1000 {\n    u[k + (sweep - 1) / 199] "
               "+= k\n  }\n}\n");
  std::string first;
  for (const std::string option : {"--no-native", "--no-record"}) {
    const auto ran = run_program(kProgram, {"run", "half.eq", "--no-config", option}, "", folder.path());
    CHECK(ran.status == 1);
    CHECK(ran.err.find("half.eq, line 4") != std::string::npos);
    if (first.empty()) first = ran.err;
    CHECK(ran.err == first);
  }
}

TEST_CASE("cli: the stages of machine code are printed") {
  if (quill::native_maker() == nullptr) return;
  const TemporaryFolder folder;
  folder.write("s.eq",
               "fn f(u) {\n  s = 0\n  for k in 1..3 { s += u[k] }\n  return s\n}\ns = f([1, 2, 3])\n");
  const auto flow = run_program(kProgram, {"--dump", "flow", "s.eq"}, "", folder.path());
  CHECK(flow.out.find("  loop: ") != std::string::npos);
  const auto types = run_program(kProgram, {"--dump", "types", "s.eq"}, "", folder.path());
  CHECK(types.out.find("float64 array, 1 axis") != std::string::npos);
  const auto native = run_program(kProgram, {"--dump", "native", "s.eq"}, "", folder.path());
  CHECK(native.out.find("    load v") != std::string::npos);
}
