// Operands, blocks and live registers of programs.
#include "compiler/flow.h"

#include <catch2/catch.hpp>
#include <functional>
#include <random>

#include "builtins/tables.h"
#include "compiler/compiler.h"
#include "compiler/operands.h"
#include "language/parser.h"
#include "support/loop_programs.h"

using namespace quill;

namespace {

struct Compiled {
  explicit Compiled(const std::string& text) {
    const auto tree = std::make_shared<Tree>(parse(std::make_shared<Source>("t", text)));
    ModuleNames names(module, builtins());
    resolve(*tree, names, false);
    program = compile(tree, module, builtins());
    for (const auto& e : tree->errors) UNSCOPED_INFO(describe(e));
    CHECK(tree->errors.empty());
  }
  Module module;
  std::shared_ptr<const Function> program;
};

void visit_all(const Function& f, const std::function<void(const Function&)>& visit) {
  visit(f);
  for (const auto& inner : f.functions) visit_all(*inner, visit);
}

// Calls visit(function, seed) for all functions of random programs.
template <class F>
void visit_programs(F visit) {
  for (unsigned seed = 1; seed <= 40; ++seed) {
    const Compiled compiled(test::LoopPrograms(seed).program());
    visit_all(*compiled.program, [&](const Function& f) { visit(f, seed); });
  }
}

// Whether a result is written on the way from `at` to `next`.
bool is_written(const Function& f, std::size_t at, std::size_t next) {
  const auto way = written_on(f.code[at].op);
  if (way == Way::both) return true;
  const bool is_jump = static_cast<int>(next) == jump_target(f.code[at]);
  return is_jump == (way == Way::jump);
}

}  // namespace

TEST_CASE("a register that is read before it is written, on any way, is live") {
  std::mt19937 random(7);
  int reads = 0;
  visit_programs([&](const Function& f, unsigned seed) {
    const Flow flow(f);
    for (int walk = 0; walk < 60; ++walk) {
      auto at = std::uniform_int_distribution<std::size_t>(0, f.code.size() - 1)(random);
      const auto from = at;
      RegisterSet written(f.frame_size);
      for (int step = 0; step < 60; ++step) {
        std::vector<int> results;
        visit_operands(f, at, [&](int r, Access access) {
          REQUIRE((r >= 0 && r < f.frame_size));
          if (access == Access::write) {
            results.push_back(r);
            return;
          }
          if (written.contains(r)) return;
          ++reads;
          CAPTURE(seed, f.name, from, at, r);
          CHECK(flow.live[from].contains(r));
        });
        const auto ways = successors(f, at);
        if (ways.empty()) break;
        const auto next = ways[std::uniform_int_distribution<std::size_t>(0, ways.size() - 1)(random)];
        if (is_written(f, at, next))
          for (const int r : results) written.insert(r);
        at = next;
      }
    }
  });
  CHECK(reads > 10000);
}

TEST_CASE("blocks cover the code, and loops lie within each other") {
  visit_programs([&](const Function& f, unsigned) {
    const Flow flow(f);
    std::size_t end = 0;
    for (const auto& block : flow.blocks) {
      CHECK(block.begin == end);
      end = block.end;
      for (const int next : block.successors) CHECK(next < static_cast<int>(flow.blocks.size()));
    }
    CHECK(end == f.code.size());
    for (const auto& loop : flow.loops) {
      CHECK(loop.head < loop.end);
      if (loop.parent < 0) continue;
      const auto& outer = flow.loops[static_cast<std::size_t>(loop.parent)];
      CHECK((outer.head <= loop.head && loop.end <= outer.end));
    }
  });
}

TEST_CASE("the flow of a loop as text") {
  const Compiled compiled("fn f(n) {\n  s = 0\n  for k in 1..n { s += k }\n  return s\n}");
  const auto text = dump_flow(*compiled.program->functions[0]);
  CAPTURE(text);
  CHECK(text.find("  loop: ") != std::string::npos);
  CHECK(text.find("unreachable") != std::string::npos);  // the end without a result
}
