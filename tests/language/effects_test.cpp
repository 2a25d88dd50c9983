// What pieces of a text do with names.
#include "language/effects.h"

#include <catch2/catch.hpp>
#include <set>

#include "language/parser.h"
#include "language/resolver.h"

using namespace quill;

namespace {

// Knows two built-ins.
class Names : public OuterNames {
 public:
  int find_global(const std::string& name) const override {
    const auto at = std::find(globals_.begin(), globals_.end(), name);
    return at == globals_.end() ? -1 : static_cast<int>(at - globals_.begin());
  }
  int declare_global(const std::string& name) override {
    if (find_global(name) < 0) globals_.push_back(name);
    return find_global(name);
  }
  int find_builtin(const std::string& name) const override {
    return name == "sum" ? 0 : name == "zip" ? 1 : -1;
  }
  std::vector<std::string> known_names() const override { return globals_; }

 private:
  std::vector<std::string> globals_;
};

std::string effects(const std::string& text) {
  Tree tree = parse(std::make_shared<Source>("t", text));
  Names names;
  resolve(tree, names, false);
  for (const auto& e : tree.errors) UNSCOPED_INFO(describe(e));
  CHECK(tree.errors.empty());
  return dump_effects(tree);
}

}  // namespace

TEST_CASE("statements and what they do with names") {
  const std::vector<std::array<std::string, 2>> rows = {
      {"a = 1", "line 1: assigns a; elementwise\n"},
      {"a = 1; b = 2 * a ^ 2 - a % 3",
       "line 1: assigns a; elementwise\nline 1: assigns b; reads a; elementwise\n"},
      {"a = 1; a += 2", "line 1: assigns a; elementwise\nline 1: changes a; elementwise\n"},
      {"a = [1, 2]; a[a[1]] = a[2]", "line 1: assigns a\nline 1: changes a; reads a\n"},
      {"d = {}; d[\"a\"][1] = 2", "line 1: assigns d\nline 1: changes d; elementwise\n"},
      {"a = [1, 2]; w = alias a[1..2]", "line 1: assigns a\nline 1: assigns w; aliases a\n"},
      {"a, b = (1, 2)\na, b = b, a", "line 1: assigns a, b\nline 2: assigns a, b; reads b, a\n"},
      {"a = sum([1, 2])", "line 1: assigns a; uses sum\n"},
      {"for k in 1..3 { x = k }", "line 1: assigns k, x; reads k\n"},
      {"v = [k * 2 for k in 1..3]", "line 1: assigns v; reads k; binds k\n"},
      {"given rate = 0.3", "line 1: assigns rate\n"},
      {"use \"a.eq\" as a", "line 1: assigns a\n"},
      {"x = 1\nfn f(t, u = x) = t * x",
       "line 1: assigns x; elementwise\nline 2: assigns f\n  fn f: reads x, t; binds t, u; elementwise\n"},
      {"fn f(t) {\n  s = 1\n  g = fn(u) = u + s + t\n  return g\n}",
       "line 1: assigns f\n  fn f: assigns s, g; reads g; binds t\n    fn : reads u, s, t; binds u; captures "
       "s, t; elementwise\n"},
      {"1 + 1", "line 1: nothing; elementwise\n"},
      {"a = 1 < 2 and not true", "line 1: assigns a; elementwise\n"},
      {"a = [1, 2] *+ [1, 2]", "line 1: assigns a\n"}};
  for (const auto& [text, expected] : rows) {
    CAPTURE(text);
    CHECK(effects(text) == expected);
  }
}

TEST_CASE("a name is a local of a function when anything in it gives it a value") {
  for (const char* text : {"x = 1\nfn f() {\n  for x in 1..2 { }\n  return x\n}",
                           "x = 1\nfn f() {\n  if true { x = 2 }\n  return x\n}",
                           "x = 1\nfn f() {\n  x, y = (1, 2)\n  return x\n}",
                           "x = 1\nfn f(a) {\n  x = alias a[1..2]\n  return x\n}",
                           "x = 1\nfn f() {\n  fn x(t) = t\n  return x\n}"}) {
    Tree tree = parse(std::make_shared<Source>("t", text));
    Names names;
    resolve(tree, names, false);
    CAPTURE(text);
    REQUIRE(tree.errors.empty());
    const auto& function = tree.root->kid(1).kid(0);
    for (const auto& use : effects_of(function))
      if (use.name == "x" && !use.in_function) CHECK(use.binding.kind == Binding::Kind::local);
  }
}
