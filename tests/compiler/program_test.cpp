// The compiled program in its text form.
#include "compiler/program.h"

#include <catch2/catch.hpp>

#include "builtins/tables.h"
#include "compiler/compiler.h"
#include "engine/machine.h"
#include "language/parser.h"
#include "support/script.h"
#include "value/print.h"

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
  // s and k are registers 0 and 1; the numbers 0.5, 1 and 10 come after them.
  CHECK(program_of("s = 1\nfor k in 1..10 { s += k * 0.5 }") ==
        "top frame 12\n"
        "  r2 = 0.5\n"
        "  r3 = 1\n"
        "  r4 = 10\n"
        "  0 move 0 3 0\n"
        "  1 move 5 3 0\n"
        "  2 move 6 4 0\n"
        "  3 range 5 5 0\n"
        "  4 iterate 6 5 0\n"
        "  5 next 6 1 9\n"
        "  6 multiply 10 1 2\n"
        "  7 add 0 0 10\n"
        "  8 loop_next 6 1 6\n"
        "  9 return_value -1 0 0\n");
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

namespace {

// The same program without anything of the tree but a node that stands for nothing.
std::shared_ptr<const Function> without_nodes(const Function& f) {
  static const Node nowhere = [] {
    Node node;
    node.kind = NodeKind::block;
    for (int k = 0; k < 3; ++k) {
      node.kids.push_back(std::make_unique<Node>());
      node.kids.back()->kind = NodeKind::block;
    }
    return node;
  }();
  auto out = std::make_shared<Function>(f);
  std::fill(out->nodes.begin(), out->nodes.end(), &nowhere);
  for (auto& inner : out->functions) inner = without_nodes(*inner);
  return out;
}

std::vector<std::string> values_of(const std::string& text, bool with_nodes) {
  MemoryHost host;
  quill::test::TestSession session(host, {});
  const auto tree = std::make_shared<Tree>(parse(std::make_shared<Source>("t", text)));
  static std::vector<std::unique_ptr<Module>> modules;  // closures point to theirs
  auto& module = *modules.emplace_back(std::make_unique<Module>());
  ModuleNames names(module, builtins());
  resolve(*tree, names, false);
  auto program = compile(tree, module, builtins());
  REQUIRE(tree->errors.empty());
  if (!with_nodes) program = without_nodes(*program);
  Machine machine(builtins(), session, session);
  machine.run(*program);
  std::vector<std::string> out;
  for (const auto& name : module.names) {
    const auto* value = module.find(name);
    out.push_back(name + " = " + (value ? type_name(*value) + " " + inline_text(*value) : "unset"));
  }
  out.push_back(host.printed);
  return out;
}

}  // namespace

TEST_CASE("a program says all that it does: the tree is for places alone") {
  for (const std::string text :
       {"a = reshape(1..24, 2, 3, 4)\nb = a[1, .., 2]\nc = a[..., last]\nd = a[2, new, ..., 1..last by 2]\ne "
        "= a[a > "
        "20]\nf = b[last..1 by -1]\ng = a[..]\nh = b[[3, 1]]",
        "i = int32([1, 2, 3])\nj = i + 1\nk = 2 * i < 5\nl = i\nl += 1\nm = i\nm[2] += 1\nn = [1, i]\no = "
        "[1, 2 | "
        "int64([3, 4])]\np = max(i, 2)\nq = i + (1 + 1)\nt = i + 1.5\ns = 1 <= i <= 2",
        "r = (depth: 3.5, name: \"buoy\")\nt = \"{r.depth:.2f} m at {r.name}{{\"\nd = {\"a\": 1, 2: "
        "r}\nd[\"c\"] = "
        "(1, 2)\nx = d[\"a\"] + r[\"depth\"]\nu, _ = (1, 2)\nw = with(r, depth: 4, more: none)",
        "fn f(x, y = 2, z = 3) = x + 10 * y + 100 * z\na = f(1)\nb = f(1, z: 5)\nc = f(y: 1, x: 2)\ng = f\nd "
        "= g(z: 1, x: "
        "1)\ns = sum\ne = s([1, 2 | 3, 4], over: 1)\nh = sum([1, 2 | 3, 4], over: 2, keep: true)",
        "sum = 5\na = sum([1, 2])\nfn later() = length([1, 2, 3])\nb = later()\nlength = 7\nc = later()",
        "a = [1, 2, 3, 4]\nw = alias a[2..3]\nw[1] = 9\nw[..] += 1\nv = alias a\nv[4] = 0\nb = a",
        "m = [i * j for i down 1..3, j across [1, 2]]\nv = [k for k in 1..9 if k % 2 == 0]\nx = 0\nfor k in "
        "1..5 { if k == 3 { "
        "continue }\nx += k\nif k == 4 { break } }\nwhile x > 0 { x -= 3 }\ny = if x < 0 then \"n\" else "
        "\"p\"\nf = [fn(t) = "
        "k * t, fn(t) = t]\nz = f[1](2)\nq = each abs([-1, 2])\nn = not (x > 0 and y == \"p\")",
        "print(1, [1, 2])\n1 + 1\n[1, 2 | 3, 4] *+ [1, 1]\nsection \"S\"\ngiven g = 2 \"about\"\nexpect g == "
        "2, "
        "\"no\"\nseed(2)\nr = random(2)"}) {
    CAPTURE(text);
    auto with = values_of(text, true), without = values_of(text, false);
    // Labels of what is shown are places.
    if (text.find("\n1 + 1") != text.npos) with.pop_back(), without.pop_back();
    CHECK(with == without);
  }
}

TEST_CASE("what a text form does not tell apart is the same program") {
  CHECK(program_of("a = [1, 2]\nb = a[..]") != program_of("a = [1, 2]\nb = a[...]"));
  CHECK(program_of("r = (a: 1)") != program_of("r = (b: 1)"));
  CHECK(program_of("t = \"{1}\"") != program_of("t = \"{1:.2f}\""));
  CHECK(program_of("x = 1\ni = int32(1)\ny = i + x") != program_of("x = 1\ni = int32(1)\ny = i + 1"));
  CHECK(program_of("x = 1\nm = [x, 2 | 3, 4]") != program_of("x = 1\nm = [x, 2, 3, 4]"));
  CHECK(program_of("a = sum([1], over: 1)") != program_of("a = sum([1], keep: true)"));
  CHECK(program_of("fn f(x) = x") != program_of("fn f(x) { return x }"));
  CHECK(program_of("x = -0.0") != program_of("x = 0.0"));
  // And of two that differ in nothing but places.
  CHECK(program_of("a = 1 + b(2)\nfn b(x) = x") == program_of("a  =  1+b( 2 )  # here\nfn b(x) = x"));
}
