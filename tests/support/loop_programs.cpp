#include "support/loop_programs.h"

namespace quill::test {

void LoopPrograms::line(const std::string& text) {
  text_ += std::string(static_cast<std::size_t>(indent_) * 2, ' ') + text + "\n";
}

std::string LoopPrograms::literal() {
  return one_of<std::string>({"0", "1", "2", "3", "7", "0.5", "0.1", "-1", "-2.5", "1e3", "1e15", "1e-3"});
}

std::string LoopPrograms::place() {
  if (!indices_.empty() && chance(60)) return one_of(indices_);
  return one_of<std::string>({"1", "2", "3", "4"});
}

std::string LoopPrograms::whole(int depth) {
  if (depth <= 0 || chance(50)) return place();
  switch (below(4)) {
    case 0: return place() + " % 4 + 1";
    case 1: return "abs(" + place() + " - 2) + 1";
    case 2: return "floor(abs(" + number(0) + ")) % 4 + 1";
    default: return "min(" + place() + ", 4)";
  }
}

std::string LoopPrograms::number(int depth) {
  if (depth <= 0 || chance(20)) {
    switch (below(5)) {
      case 0: return literal();
      case 1: return "x";
      case 2: return "y";
      case 3: return "n";
      default: return place();
    }
  }
  const auto a = [&] { return number(depth - 1); };
  switch (below(28)) {
    case 0: return "(" + a() + " + " + a() + ")";
    case 1: return "(" + a() + " - " + a() + ")";
    case 2: return "(" + a() + " * " + a() + ")";
    case 3: return "(" + a() + " / " + a() + ")";
    case 4: return "(" + a() + " % " + a() + ")";
    case 5: return "(" + a() + ")^2";
    case 6: return "-" + a();
    case 7: return "u[" + whole(depth - 1) + "]";
    case 8: return "m[" + whole(depth - 1) + ", " + whole(depth - 1) + "]";
    case 9:
      return one_of<std::string>({"abs", "floor", "sin", "sqrt", "round", "sinc", "sign"}) + "(" + a() + ")";
    case 10: return one_of<std::string>({"min", "max"}) + "(" + a() + ", " + a() + ")";
    case 11: return "(if " + boolean(depth - 1) + " then " + a() + " else " + a() + ")";
    case 12: return "f(" + a() + ", " + a() + ")";
    case 13: return "v[" + one_of<std::string>({"1", "2", place()}) + "]";
    case 14: return chance(50) ? "float64(h[" + whole(0) + "])" : "abs(" + complex(depth - 1) + ")";
    case 15: return "real(" + complex(depth - 1) + ")";
    case 16: return "(h[" + whole(0) + "] * " + a() + ")";
    case 17: return "(" + integer(depth - 1) + " * 0.5)";
    case 18: return "at(u, " + whole(depth - 1) + ")";
    case 19: return one_of<std::string>({"nearby(" + a() + ")", "behind(" + whole(0) + ")"});
    case 20: return "spread(" + a() + ", " + whole(0) + ")";
    case 21: return "folded(" + whole(0) + ", " + a() + ")";
    case 22: return "summed(u, " + whole(0) + ")";
    case 23: return "shrunk(fn(e) = e * 0.5 + " + one_of<std::string>({"x", "y", place()}) + ", " + a() + ")";
    case 24: return one_of<std::string>({"random()", "random_normal()", "random_whole(1, 4) * 0.5"});
    case 25: return "sum(" + row(depth - 1) + ")";
    case 26: return one_of<std::string>({"max", "mean"}) + "(" + row(depth - 1) + ")";
    default: return "float64(" + integer(depth - 1) + ")";
  }
}

// Of five numbers.
std::string LoopPrograms::row(int depth) {
  if (depth <= 0 || chance(30))
    return one_of<std::string>(
        {"u", "w", "m[" + whole(0) + ", ..]", "m[.., " + whole(0) + "]", "u[1..5]", "h"});
  const auto a = [&] { return row(depth - 1); };
  switch (below(6)) {
    case 0: return "(" + a() + one_of<std::string>({" + ", " - ", " * ", " / "}) + a() + ")";
    case 1: return "(" + number(0) + one_of<std::string>({" * ", " + ", " / "}) + a() + ")";
    case 2: return one_of<std::string>({"abs", "sqrt", "sin"}) + "(" + a() + ")";
    case 3: return "(" + a() + one_of<std::string>({"^2", " - 0.5", " * 2", "^3", "^-2"}) + ")";
    case 4: return "(" + a() + " + 0.1 * (" + a() + " - 2 * " + a() + "))";
    default: return "-" + a();
  }
}

// Statements on parts of arrays.
void LoopPrograms::parts() {
  const auto both = one_of<std::string>({" = ", " += ", " -= ", " *= "});
  switch (below(10)) {
    case 8: line(one_of<std::string>({"w = u", "u = w", "v = [u[1], w[2]]", "w = u\nu = w"})); return;
    case 9:
      line("w = u");
      line("for j in 1..3 { w[j] = u[j + 1] + x }");
      line("u = w");
      return;
    case 0: line("u[2..4] = u[1..3] + 0.1 * (u[3..5] - 2 * u[2..4])"); return;
    case 1: line("m[" + whole(0) + ", ..]" + both + row(2)); return;
    case 2: line("m[.., " + whole(0) + "]" + both + row(2)); return;
    case 3: line("u" + both + row(2)); return;
    case 4: line("w = " + row(1)); return;
    case 5:
      line("m[2..last-1, 2..last-1] = 0.25 * (m[1..last-2, 2..last-1] + m[3..last, 2..last-1])");
      return;
    case 6: line("u[" + whole(0) + "..5]" + both + number(1)); return;
    default:
      line("w = m[" + whole(0) + ", ..]");
      line("m[" + whole(0) + ", " + whole(0) + "] = w[" + whole(0) + "] + 1");
  }
}

std::string LoopPrograms::integer(int depth) {
  if (depth <= 0 || chance(40)) return "g[" + whole(0) + ", " + whole(0) + "]";
  switch (below(5)) {
    case 0: return "(" + integer(depth - 1) + " + " + one_of<std::string>({"1", "2", "-3"}) + ")";
    case 1: return "(" + integer(depth - 1) + " - " + integer(depth - 1) + ")";
    case 2: return "(" + integer(depth - 1) + " * 2)";
    case 3: return "(" + integer(depth - 1) + " % 5)";
    default: return "int32(" + place() + ")";
  }
}

std::string LoopPrograms::complex(int depth) {
  if (depth <= 0 || chance(40)) return "z[" + whole(0) + "]";
  const auto a = [&] { return complex(depth - 1); };
  switch (below(6)) {
    case 0: return "(" + a() + " + " + a() + ")";
    case 1: return "(" + a() + " * " + a() + ")";
    case 2: return "(" + a() + " - " + number(0) + ")";
    case 3: return "conj(" + a() + ")";
    case 4: return "(" + a() + ")^2";
    default: return "complex(" + number(0) + ", " + number(0) + ")";
  }
}

std::string LoopPrograms::boolean(int depth) {
  if (depth <= 0 || chance(20)) return one_of<std::string>({"p[" + whole(0) + "]", "b", "x < y"});
  const auto compare = one_of<std::string>({" < ", " <= ", " > ", " >= ", " == ", " != "});
  switch (below(5)) {
    case 0: return "(" + boolean(depth - 1) + " and " + boolean(depth - 1) + ")";
    case 1: return "(" + boolean(depth - 1) + " or " + boolean(depth - 1) + ")";
    case 2: return "not " + boolean(depth - 1);
    case 3: return integer(depth - 1) + compare + one_of<std::string>({"1", "2", integer(0)});
    default: return number(depth - 1) + compare + number(depth - 1);
  }
}

std::string LoopPrograms::vector(int depth) {
  if (depth <= 0 || chance(30)) return "v";
  switch (below(5)) {
    case 0: return "[" + number(depth - 1) + ", " + number(depth - 1) + "]";
    case 1:
      return "(" + vector(depth - 1) + one_of<std::string>({" + ", " - ", " * "}) + vector(depth - 1) + ")";
    case 2: return "(" + number(depth - 1) + " * " + vector(depth - 1) + ")";
    case 3: return "turned(" + vector(depth - 1) + ")";
    default: return "-" + vector(depth - 1);
  }
}

void LoopPrograms::assignment() {
  // At top level also a name that functions read.
  const auto name = one_of<std::string>({"x", "y", "n", is_top_ ? "outside" : "x"});
  if (chance(40))
    line(name + one_of<std::string>({" += ", " -= ", " *= "}) + number(2));
  else
    line(name + " = " + number(3));
}

void LoopPrograms::element() {
  switch (below(9)) {
    case 5: line("z[" + whole(1) + "]" + one_of<std::string>({" = ", " += "}) + complex(2)); return;
    case 6: line("h[" + whole(1) + "]" + one_of<std::string>({" = ", " += "}) + number(1)); return;
    case 8:
      line("h[" + whole(1) + "] = h[" + whole(1) + one_of<std::string>({"] + h[", "] * h[", "] / h["}) +
           whole(1) + "]");
      return;
    case 7:
      if (is_top_) {
        line("row[" + whole(1) + "] = " + number(1));
        return;
      }
      [[fallthrough]];
    case 0: line("u[" + whole(1) + "]" + one_of<std::string>({" = ", " += ", " *= "}) + number(2)); return;
    case 1: line("m[" + whole(1) + ", " + whole(1) + "] = " + number(2)); return;
    case 2: line("p[" + whole(1) + "] = " + boolean(2)); return;
    case 3: line("g[" + whole(1) + ", " + whole(1) + "] = " + integer(2)); return;
    default: line("g[" + whole(1) + ", " + whole(1) + "] += " + one_of<std::string>({"1", "2", integer(1)}));
  }
}

void LoopPrograms::short_values() {
  switch (below(5)) {
    case 0: line("v = " + vector(2)); return;
    case 1:
      if (chance(50))
        line("x, y = pair(" + number(1) + ", " + number(1) + ")");
      else
        line("x, v = moved(" + number(1) + ", " + vector(1) + ")");
      return;
    case 2:
      line("w = u\n" + std::string(static_cast<std::size_t>(indent_) * 2, ' ') + "w[" + whole(0) +
           "] = " + number(1));
      return;
    case 3: line("b = " + boolean(2)); return;
    default:
      line(one_of<std::string>(
          {"s = s + x * u", "t = append(t, n)", "y = sum(v)", "u = u * 0.5", "s = 2 * s"}));
  }
}

void LoopPrograms::jump() {
  if (loops_ > 0) line("if " + boolean(1) + " { " + one_of<std::string>({"break", "continue"}) + " }");
}

void LoopPrograms::branch(int depth) {
  line("if " + boolean(2) + " {");
  block(depth - 1, 1 + below(2));
  if (chance(50)) {
    line("} else {");
    block(depth - 1, 1 + below(2));
  }
  line("}");
}

// Over the elements of arrays.
void LoopPrograms::element_loop() {
  switch (below(3)) {
    case 0:
      line("for e in " + one_of<std::string>({"u", "m", "0..1 by 0.25", "v"}) + " { x += sum(e) * 0.5 }");
      return;
    case 1:
      line("for e in " + one_of<std::string>({"g[1, ..]", "h", "p"}) + " { n = float64(e) - n }");
      return;
    default: line("for e in z { x += abs(e) }");
  }
}

void LoopPrograms::loop(int depth) {
  if (chance(25)) return element_loop();
  ++loops_;
  const auto index = "k" + std::to_string(++counters_);
  if (chance(75)) {
    const auto last = one_of<std::string>({"3", "4", "5", "4.5"});
    line("for " + index + " in " +
         (chance(80) ? one_of<std::string>({"1", "2", place()}) + ".." + last : std::string("[3, 1, 2.5]")) +
         " {");
    indices_.push_back(index);
    block(depth - 1, 1 + below(4));
    indices_.pop_back();
  } else {
    line(index + " = 0");
    line("while " + index + " < " + one_of<std::string>({"4", "6"}) + " {");
    indices_.push_back(index);
    ++indent_;
    line(index + " += 1");
    --indent_;
    block(depth - 1, 1 + below(4));
    indices_.pop_back();
  }
  line("}");
  --loops_;
}

void LoopPrograms::statement(int depth) {
  const int kind = below(100);
  if (kind < 30)
    assignment();
  else if (kind < 55)
    element();
  else if (kind < 60)
    parts();
  else if (kind < 68)
    short_values();
  else if (kind < 74)
    jump();
  else if (depth > 0 && kind < 86)
    branch(depth);
  else if (depth > 0)
    loop(depth);
  else
    assignment();
}

void LoopPrograms::block(int depth, int statements) {
  ++indent_;
  for (int k = 0; k < statements; ++k) statement(depth);
  --indent_;
}

std::string LoopPrograms::program() {
  text_ =
      "outside = 0.75\nrow = [4, 3, 2, 1, 0]\n"
      "fn nearby(a) = a * 0.5 + outside\n"
      "fn behind(k) = row[k] - outside\n"
      "fn f(a, c) = if a < c then a * 0.5 + c else c - a\n"
      "fn at(a, k) = a[k]\n"
      "fn pair(a, c) {\n  d = a + c\n  return (d * 0.5, a - c)\n}\n"
      "fn turned(a) = [a[2], -a[1]]\n"
      "fn moved(a, c) {\n  d = turned(c)\n  return a + 0.5, c + 0.1 * d\n}\n"
      "fn spread(a, c) {\n  d = 0\n  for k in 1..c {\n    d += a / k\n    if d > 100 { return d - 1 }\n  }\n"
      "  return d\n}\n"
      "fn folded(k, a) = if k < 1 then a else 0.5 * folded(k - 1, a + k) + folded(k - 2, a)\n"
      "fn summed(a, k) = if k == 0 then 0 else a[k] + summed(a, k - 1)\n"
      "fn shrunk(g, a) {\n  d = 0\n  while abs(a) > 3 and d < 9 {\n    a = g(a) * 0.25\n    d += 1\n  }\n  "
      "return a\n}\n"
      "seed(7)\n";
  const bool in_function = chance(50);
  is_top_ = !in_function;
  if (in_function) line("fn work(x, u, v) {");
  indent_ = in_function ? 1 : 0;
  const std::string more = in_function ? "" : "x = 0.25\nu = [1.5, -2, 3, 0.5, 8]\nv = [1, 2]\n";
  text_ += more;
  for (const std::string name :
       {"y = 2", "n = 0", "b = true", "s = 0", "t = [0]", "w = u", "m = outer(1..5, 1..5) / 2",
        "g = int32(outer(1..5, 1..5)) - 7", "p = (1..5) % 2 == 0", "h = float32((1..5) / 3)",
        "z = complex(1..5, 0.5) / 4"})
    line(name);
  line("for k in 1.." + std::to_string(5 + below(20)) + " {");
  indices_ = {"k % 5 + 1"};
  ++loops_;
  block(3, 2 + below(5));
  --loops_;
  line("}");
  if (in_function) {
    line("return (x, y, n, b, s, t, u, v, w, m, g, p, h, z)");
    indent_ = 0;
    line("}");
    line("result = work(0.25, [1.5, -2, 3, 0.5, 8], [1, 2])");
  } else {
    line("result = (x, y, n, b, s, t, u, v, w, m, g, p, h, z)");
  }
  return text_;
}

}  // namespace quill::test
