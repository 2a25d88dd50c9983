// The compiled program in its text form.
#include "compiler/program.h"

#include <catch2/catch.hpp>

#include "builtins/tables.h"
#include "compiler/compiler.h"
#include "language/parser.h"

using namespace quill;

namespace {

std::string program_of(const std::string& text) {
  const auto tree = std::make_shared<Tree>(parse(std::make_shared<Source>("t", text)));
  Module module;
  ModuleNames names(module, builtins());
  resolve(*tree, names, false);
  const auto program = compile(tree, module, builtins());
  for (const auto& e : tree->errors) UNSCOPED_INFO(describe(e));
  CHECK(tree->errors.empty());
  return dump(*program);
}

int count_of(const std::string& text, const std::string& word) {
  int n = 0;
  for (auto at = text.find(" " + word + " "); at != std::string::npos;
       at = text.find(" " + word + " ", at + 1))
    ++n;
  return n;
}

}  // namespace

TEST_CASE("names and numbers are registers, and nothing is looked up") {
  // s and k are registers 0 and 1; the numbers 0.5, 1 and 10 come behind them.
  CHECK(program_of("s = 1\nfor k in 1..10 { s += k * 0.5 }") ==
        "top frame 11\n"
        "  r2 = 0.5\n"
        "  r3 = 1\n"
        "  r4 = 10\n"
        "  0 move 0 3 0\n"
        "  1 move 5 3 0\n"
        "  2 move 6 4 0\n"
        "  3 range 5 5 0\n"
        "  4 iterate 6 5 0\n"
        "  5 next 6 1 9\n"
        "  6 multiply 9 1 2\n"
        "  7 add 0 0 9\n"
        "  8 again 6 1 6\n"
        "  9 give_back -1 0 0\n");
}

TEST_CASE("values are written where they are wanted, without moves") {
  const auto p = program_of("x = 2\ny = x * x + x\ny += 1");
  CHECK(count_of(p, "move") == 1);
  CHECK(count_of(p, "load") == 0);
  const auto function = program_of("fn f(a, b) = a * b - a");
  CHECK(count_of(function, "move") == 0);
  CHECK(count_of(function, "multiply") == 1);
  CHECK(count_of(function, "get_global") == 0);
}

TEST_CASE("elementwise functions of one argument need no call") {
  const auto p = program_of("x = 2\ny = sin(x) + sqrt(x)");
  CHECK(count_of(p, "apply") == 2);
  CHECK(count_of(p, "call_builtin") == 0);
  CHECK(count_of(program_of("y = max([1, 2])"), "call_builtin") == 1);
  CHECK(count_of(program_of("sin = fn(x) = x\ny = sin(2)"), "call") == 1);
}

TEST_CASE("names that surely have a value are not checked again") {
  CHECK(count_of(program_of("x = 1\ny = x + x"), "check") == 0);
  CHECK(count_of(program_of("if true { x = 1 }\ny = x"), "check") == 1);
  CHECK(count_of(program_of("if true { x = 1 } else { x = 2 }\ny = x"), "check") == 0);
  CHECK(count_of(program_of("fn f(n) {\n while n > 0 { x = n\n n -= 1 }\n return x\n}"), "check") == 1);
}

TEST_CASE("only names with aliases are read with care") {
  CHECK(count_of(program_of("a = [1, 2]\nb = a[1]\na[1] = 5"), "read_shared") == 0);
  const auto p = program_of("a = [1, 2]\nw = alias a[1..1]\nb = a\nc = [3]\nd = c");
  CHECK(count_of(p, "make_alias") == 1);
  CHECK(count_of(p, "read_shared") == 2);  // for the alias, and for b
}

TEST_CASE("leaving a loop closes the figures inside of it") {
  CHECK(count_of(program_of("for k in 1..2 { figure(\"a\") { break } }"), "close_block") == 2);
  CHECK(count_of(program_of("figure(\"a\") { for k in 1..2 { break } }"), "close_block") == 1);
  CHECK(count_of(program_of("fn f() {\n figure(\"a\") { panel(1, 1) { return 1 } }\n}"), "close_block") == 4);
}
