#include "language/parser.h"

#include <catch2/catch.hpp>

#include "language/resolver.h"

using namespace quill;

namespace {

Tree parsed(const std::string& text) { return parse(std::make_shared<Source>("t", text)); }

// The tree of a single statement without the words around it.
std::string tree_of(const std::string& text) {
  const auto tree = parsed(text);
  for (const auto& e : tree.errors) UNSCOPED_INFO(describe(e));
  CHECK(tree.errors.empty());
  auto out = dump(*tree.root);
  if (out.starts_with("(block ")) out = out.substr(7, out.size() - 8);
  return out;
}

}  // namespace

TEST_CASE("the whole grammar as trees") {
  struct Row {
    std::string text, tree;
  };
  const std::vector<Row> rows = {
      // operators and their strengths
      {"a = 1 + 2 * 3", "(= a (+ 1 (* 2 3)))"},
      {"a = -x^2", "(= a (- (^ x 2)))"},
      {"a = 2^-1", "(= a (^ 2 -1))"},
      {"a = 2^3^2", "(= a (^ 2 (^ 3 2)))"},
      {"a = x - y - z", "(= a (- (- x y) z))"},
      {"a = A *+ b'", "(= a (*+ A (' b)))"},
      {"a = not x == 1 and y or z", "(= a (or (and (not (== x 1)) y) z))"},
      {"a = 2 < x <= 4", "(= a (<,<= 2 x 4))"},
      {"a = 1..n-1", "(= a (range 1 (- n 1) -))"},
      {"a = 0..1 by 0.1", "(= a (range 0 1 0.1))"},
      {"a = 0..2*pi count 200", "(= a (range-count 0 (* 2 pi) 200))"},
      {"a = if c then x else y + 1", "(= a (if c x (+ y 1)))"},
      {"a = (x + y) * z", "(= a (* (+ x y) z))"},
      // places and choices
      {"a[2..4] = 0", "(= (index a (range 2 4 -)) 0)"},
      {"m[.., 1] = v", "(= (index m (range - - -) 1) v)"},
      {"a[last-2..]", "(show (index a (range (- last 2) - -)))"},
      {"a[..3]", "(show (index a (range - 3 -)))"},
      {"a[last..1 by -1]", "(show (index a (range last 1 -1)))"},
      {"a[new, ..., 1]", "(show (index a new ... 1))"},
      {"a[min(last, 5)]", "(show (index a (call min last 5)))"},
      {"d[\"a\"][2] = 5", "(= (index (index d (text \"a\")) 2) 5)"},
      {"a[1..3] += 1", "(+= (index a (range 1 3 -)) 1)"},
      {"a, _ = f(x)", "(= a _ (call f x))"},
      {"a, b = b, a", "(= a b (tuple b a))"},
      // making
      {"a = [1, 2 | 3, 4]", "(= a (matrix (row 1 2) (row 3 4)))"},
      {"a = []", "(= a (matrix))"},
      {"a = [k^2 for k in 1..10 if k > 2]", "(= a (comprehension (^ k 2) (in k (range 1 10 -)) (> k 2)))"},
      {"a = [f(a, b) for a down u, b across v]",
       "(= a (comprehension (call f a b) (down a u) (across b v) -))"},
      {"a = (1, \"x\")", "(= a (tuple 1 (text \"x\")))"},
      {"a = (depth: 3.5, name: \"b\")", "(= a (record depth: 3.5 name: (text \"b\")))"},
      {"a = {\"a\": 1, 2: [1]}", "(= a (dictionary (text \"a\") 1 2 (matrix (row 1))))"},
      {"a = \"d {x + 1:.2f} m\" \"!\"", "(= a (text \"d \" (hole:.2f (+ x 1)) \" m\" \"!\"))"},
      // functions
      {"fn f(x, h = 1) = x * h", "(define (fn f x h=1 (* x h)))"},
      {"fn f(x) { return x, 1 }", "(define (fn f x (block (return (tuple x 1)))))"},
      {"g = fn(x) = x^2", "(= g (fn x (^ x 2)))"},
      {"g = fn() { }", "(= g (fn (block)))"},
      {"y = each f(x, down(y)) + 1", "(= y (+ (each (call f x (call down y))) 1))"},
      {"y = each r.f(x)", "(= y (each (call (.f r) x)))"},
      {"w = alias a[1..2, ..]", "(= w (alias (index a (range 1 2 -) (range - - -))))"},
      {"f(1, height: 2)", "(show (call f 1 height: 2))"},
      // statements
      {"if a { b = 1 } else if c { b = 2 } else { b = 3 }",
       "(branch a (block (= b 1)) (branch c (block (= b 2)) (block (= b 3))))"},
      {"for k in 1..3 { continue }", "(for k (range 1 3 -) (block (continue)))"},
      {"for a, b in zip(u, v) { break }", "(for a b (call zip u v) (block (break)))"},
      {"while x > 0 { x -= 1 }", "(while (> x 0) (block (-= x 1)))"},
      {"section \"Bed\"", "(section \"Bed\")"},
      {"given rate = 0.3 \"decay (1/d)\"", "(given rate 0.3)"},
      {"use \"tides.eq\" as tides", "(use \"tides.eq\" tides)"},
      {"figure(\"f\", rows: 2) { panel(1, 1) { line(x) } }",
       "(figure (text \"f\") rows: 2 (block (panel 1 1 (block (show (call line x))))))"},
      {"extend(\"f\") { }", "(extend (text \"f\") (block))"},
      {"timed \"loop\" (repeat: 20) { a = 1 }", "(timed (text \"loop\") repeat: 20 (block (= a 1)))"},
      {"expect a > 0, \"positive\"", "(expect (> a 0) (text \"positive\"))"},
      // words that are free elsewhere
      {"by = 1", "(= by 1)"},
      {"count = count + down", "(= count (+ count down))"},
      {"section = 2", "(= section 2)"},
      {"figure = 3", "(= figure 3)"},
      {"each = 4", "(= each 4)"},
      {"expect = 5", "(= expect 5)"},
      {"given + 1", "(show (+ given 1))"},
      // line ends
      {"a = 1 +\n  2", "(= a (+ 1 2))"},
      {"a = [1,\n 2 |\n 3, 4]", "(= a (matrix (row 1 2) (row 3 4)))"},
      {"f(a,\n  b)", "(show (call f a b))"},
      {"a = fn(x) {\n  y = x\n  return y\n}", "(= a (fn x (block (= y x) (return y))))"},
      {"f(fn(x) {\n a = x\n return a\n}, 2)", "(show (call f (fn x (block (= a x) (return a))) 2))"},
      {"a\n-b", "(show a) (show (- b))"},
      {"a\n[1]", "(show a) (show (matrix (row 1)))"},
      {"a = 1; b = 2", "(= a 1) (= b 2)"},
      {"x = if c then\n 1 else\n 2", "(= x (if c 1 2))"},
  };
  for (const auto& row : rows) {
    CAPTURE(row.text);
    CHECK(tree_of(row.text) == row.tree);
  }
}

TEST_CASE("mistakes of syntax are reported with place and hint") {
  struct Row {
    std::string text, message, hint, marked;
  };
  const std::vector<Row> rows = {
      {"a = ", "expected an expression, but the text ends", "", "="},
      {"a = (1", "`(` in line 1 is not closed", "add )", "("},
      {"a = [1, 2; 3]", "rows are separated by |", "[1, 2 | 3, 4]", ";"},
      {"a = [[1, 2], [3, 4]]", "items of a row are concatenated, so nested brackets do not make a matrix",
       "[1, 2 | 3, 4]", "[1, 2], [3, 4]"},
      {"a = 1\n+ 2", "a statement cannot start with `+`",
       "to continue the line above, put the operator at its end", "+"},
      {"a = +2", "there is no unary plus", "leave it out", "+"},
      {"a = 'x'", "missing operand before '", "texts are written in double quotes: \"abc\"", "'"},
      {"if x = 3 { }", "`=` assigns and is not allowed in a condition", "to compare, write ==", "="},
      {"f(x = 2)", "write a named argument with a colon", "x: 2", "="},
      {"f(a: 1, 2)", "a positional argument cannot follow a named one", "write positional arguments first",
       "2"},
      {"f(a: 1, a: 2)", "the argument `a` is given twice", "", "a: 2"},
      {"a b", "missing operator or parentheses between two names", "a(b) calls a function, a * b multiplies",
       "a b"},
      {"a = 2 b", "missing operator", "2 * b", "2 b"},
      {"1 = a", "a value cannot be assigned to", "", "1"},
      {"a = b = 1", "one assignment per statement", "a = 1; b = 1", "="},
      {"a, b", "these values are not used", "write a tuple in parentheses: (a, b)", "a, b"},
      {"a = last", "`last` is the end of an axis and is only allowed inside index brackets",
       "a[last]; the number of elements is length(a)", "last"},
      {"a = 1..2 by 1 count 3", "a range takes `by` or `count`, not both", "", "count"},
      {"a = 2..", "expected an expression, but the text ends", "", ".."},
      {"a = ..2", "`..` needs a start here", "open ranges are only allowed inside index brackets: a[2..]",
       ".."},
      {"a[]", "empty index brackets", "a[..] selects everything", "a[]"},
      {"a = ()", "empty parentheses", "", "()"},
      {"{\"a\": 1}", "a statement cannot start with a brace", "assign a dictionary to a name: d = {\"a\": 1}",
       "{"},
      {"else { }", "`else` must be on the line of the closing brace", "} else {", "else"},
      {"break", "`break` is only allowed in a loop", "", "break"},
      {"return 1", "`return` is only allowed in a function", "", "return"},
      {"fn f(x) { x + 1 }", "inside a function only calls can be statements: this value is not used",
       "return x + 1", "x + 1"},
      {"fn f(x, x) = x", "the parameter `x` occurs twice", "", "x"},
      {"fn f(x = 1, y) = x", "a parameter without a default cannot follow one with a default", "", "y"},
      {"fn f(x) x", "expected `=` after the parameters, but `x` stands here", "fn f(x) = x", "x"},
      {"for k = 1..3 { }", "write a loop with `in`", "for k in 1..n { … }", "="},
      {"while x { ", "unclosed block", "end it with }", "{"},
      {"a = \"{}\"", "no expression in the braces of this text", "write {{ for a brace", "{}"},
      {"a = \"{1 2}\"", "missing operator or comma between two numbers",
       "[1, 2] is a vector, 1 * 2 multiplies", "1 2"},
      {"given x", "an input needs a default", "given x = 0.3 \"description (unit)\"", "given x"},
      {"section \"a {b}\"", "the title of a section must not contain expressions", "", "\"a {b}\""},
      {"figure(\"f\")", "`figure(…)` must be followed by a block", "figure(…) { line(x, y) }",
       "figure(\"f\")"},
      {"a = [k for k down v]", "`down` and `across` must be used together",
       "[f(a, b) for a down u, b across v]; with one name write in", "k down v"},
      {"a = each f", "`each` takes a name and one call", "each f(x, down(y))", "each f"},
      {"a)", "unmatched `)`", "", ")"},
      {"a = [1, | 2]", "missing item after the comma", "", "|"},
      {"a = (x: 1, 2)", "a positional argument cannot follow a named one", "write positional arguments first",
       "2"},
      {"a = if c then 1", "expected `else` in a choice that gives a value, but the text ends",
       "if c then a else b", "1"},
  };
  for (const auto& row : rows) {
    const auto tree = parsed(row.text);
    CAPTURE(row.text);
    REQUIRE_FALSE(tree.errors.empty());
    const auto& e = tree.errors[0];
    CHECK(e.message == row.message);
    CHECK(e.hint == row.hint);
    CHECK(std::string(tree.source->text(e.location.span)) == row.marked);
  }
}

TEST_CASE("several mistakes are reported, each at its statement") {
  const auto tree = parsed("a = (1\nb = 2\nif x = 3 { c = 1 }\nd = 4 +\n\ne = )\nf = 1\n");
  CHECK(tree.errors.size() >= 2);
  const auto inner = parsed("fn f(x) {\n  a = 1 +* 2\n  b = 2\n  c = ,\n}\nd = ]\n");
  REQUIRE(inner.errors.size() == 3);
  CHECK(inner.source->position(inner.errors[0].location.span.begin).line == 2);
  CHECK(inner.source->position(inner.errors[1].location.span.begin).line == 4);
  CHECK(inner.source->position(inner.errors[2].location.span.begin).line == 6);
}

TEST_CASE("deep nesting and long chains are errors, not crashes") {
  const auto deep = [](const std::string& open, int count) {
    std::string text = "a = ";
    for (int k = 0; k < count; ++k) text += open;
    return text + "1";
  };
  for (const std::string open : {"(", "[", "f(", "-", "not ", "{1:", "fn(x) = ", "if a then 1 else ", "a[",
                                 "\"{", "1 + (", "each f(", "2^"}) {
    CAPTURE(open);
    CHECK_FALSE(parsed(deep(open, 3000)).errors.empty());
  }
  std::string chain = "a = 1";
  for (int k = 0; k < 20000; ++k) chain += " + 1";
  CHECK(parsed(chain).errors.at(0).message == "this expression has too many parts");
  std::string blocks;
  for (int k = 0; k < 3000; ++k) blocks += "if a { ";
  CHECK_FALSE(parsed(blocks).errors.empty());
  std::string postfix = "a = x";
  for (int k = 0; k < 5000; ++k) postfix += "'";
  CHECK_FALSE(parsed(postfix).errors.empty());
}

TEST_CASE("a range that swallows a sum warns") {
  const auto tree = parsed("a = 1..10 + 5");
  REQUIRE(tree.warnings.size() == 1);
  CHECK(tree.warnings[0].message == "`..` binds less tightly than +, so the range ends at 10 + 5");
  CHECK(tree.warnings[0].hint == "(1..10) + 5");
  for (const char* fine : {"a = 1..n-1", "a = 1..n+1", "a = 1 .. n + 1", "a = 1..(n + 1)"})
    CHECK(parsed(fine).warnings.empty());
}

TEST_CASE("unfinished entries are reported from wrong ones") {
  const auto unfinished = [](const std::string& text) {
    return is_unfinished(std::make_shared<Source>("t", text));
  };
  for (const char* open : {"a = (1,", "fn f(x) {", "a = 1 +", "a = [1, 2 |", "a = \"\"\"text",
                           "if x {\n y = 1", "a =", "f(1,"}) {
    CAPTURE(open);
    CHECK(unfinished(open));
  }
  for (const char* whole : {"a = 1", "a = )", "a = \"open", "fn f(x) { return x }", "", "a b"}) {
    CAPTURE(whole);
    CHECK_FALSE(unfinished(whole));
  }
}

namespace {

class FewNames : public OuterNames {
 public:
  int find_global(const std::string& name) const override {
    for (std::size_t k = 0; k < globals.size(); ++k)
      if (globals[k] == name) return static_cast<int>(k);
    return -1;
  }
  int declare_global(const std::string& name) override {
    if (find_global(name) < 0) globals.push_back(name);
    return find_global(name);
  }
  int find_builtin(const std::string& name) const override { return name == "sum" ? 0 : -1; }
  std::vector<std::string> known_names() const override {
    auto all = globals;
    all.push_back("sum");
    return all;
  }
  std::vector<std::string> globals;
};

}  // namespace

TEST_CASE("names are found in their scopes") {
  FewNames names;
  auto tree = parsed(
      "k = 3\nfn f(x) {\n  y = x + k\n  g = fn(z) = y + z\n  return g\n}\nv = [k * 2 for k in 1..3]\n");
  resolve(tree, names, false);
  for (const auto& e : tree.errors) UNSCOPED_INFO(describe(e));
  CHECK(tree.errors.empty());
  CHECK(names.globals == std::vector<std::string>{"k", "f", "v"});
  const auto& f = tree.root->kid(1).kid(0);
  CHECK(f.scope->locals == std::vector<std::string>{"x", "y", "g"});
  CHECK(f.scope->captures.empty());
  const auto& g = f.kids.back()->kid(1).kid(1);
  REQUIRE(g.kind == NodeKind::function);
  CHECK(g.scope->captured == std::vector<std::string>{"y"});
  CHECK(tree.root->scope->locals == std::vector<std::string>{"k"});  // of the comprehension
}

TEST_CASE("unknown names get the nearest known one") {
  FewNames names;
  auto tree = parsed("depth = 1\na = dept + summ\nb = dept");
  resolve(tree, names, false);
  REQUIRE(tree.errors.size() == 2);
  CHECK(tree.errors[0].message == "unknown name `dept`");
  CHECK(tree.errors[0].hint == "did you mean depth?");
  CHECK(tree.errors[1].hint == "did you mean sum?");
  FewNames later;
  auto open = parsed("fn f(x) = g(x)");
  resolve(open, later, true);
  CHECK(open.errors.empty());
  FewNames builtin;
  auto over = parsed("sum = 3\nsum = 4");
  resolve(over, builtin, false);
  CHECK(over.warnings.size() == 1);
}
