// Random expressions over random shapes, run by the machine and by a plain evaluator of single elements.
#include <catch2/catch.hpp>
#include <cmath>
#include <functional>
#include <random>

#include "engine/value.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

using Random = std::mt19937_64;
Index pick(Random& random, Index low, Index high) {
  return std::uniform_int_distribution<Index>(low, high)(random);
}

struct Variable {
  std::string name;
  Index rows, columns;  // rows 0: a vector
  std::vector<double> values;

  std::string literal() const {
    std::string out = "[";
    const auto height = std::max<Index>(rows, 1);
    for (Index r = 0; r < height; ++r) {
      if (r > 0) out += " | ";
      for (Index c = 0; c < columns; ++c)
        out += (c ? ", " : "") +
               std::to_string(static_cast<int>(values[static_cast<std::size_t>(r * columns + c)]));
    }
    // A matrix of one row is a row laid across.
    return rows == 1 ? "across(" + out + "])" : out + "]";
  }
  double at(Index r, Index c) const {
    return values[static_cast<std::size_t>((rows <= 1 ? 0 : r) * columns + (columns == 1 ? 0 : c))];
  }
};

struct Expression {
  std::string text;
  std::function<double(Index, Index)> at;
};

Expression random_expression(Random& random, const std::vector<Variable>& variables, int depth) {
  if (depth == 0 || pick(random, 0, 4) == 0) {
    if (pick(random, 0, 3) == 0) {
      const auto n = static_cast<double>(pick(random, -4, 4));
      return {n < 0 ? "(" + std::to_string(static_cast<int>(n)) + ")" : std::to_string(static_cast<int>(n)),
              [n](Index, Index) { return n; }};
    }
    const auto* v =
        &variables[static_cast<std::size_t>(pick(random, 0, static_cast<Index>(variables.size()) - 1))];
    return {v->name, [v](Index r, Index c) { return v->at(r, c); }};
  }
  const auto a = random_expression(random, variables, depth - 1),
             b = random_expression(random, variables, depth - 1);
  switch (pick(random, 0, 8)) {
    case 0:
      return {"(" + a.text + " + " + b.text + ")", [=](Index r, Index c) { return a.at(r, c) + b.at(r, c); }};
    case 1:
      return {"(" + a.text + " - " + b.text + ")", [=](Index r, Index c) { return a.at(r, c) - b.at(r, c); }};
    case 2:
      return {"(" + a.text + " * " + b.text + ")", [=](Index r, Index c) { return a.at(r, c) * b.at(r, c); }};
    case 3: return {"(-" + a.text + ")", [=](Index r, Index c) { return -a.at(r, c); }};
    case 4: return {"abs(" + a.text + ")", [=](Index r, Index c) { return std::fabs(a.at(r, c)); }};
    case 5:
      return {"max(" + a.text + ", " + b.text + ")",
              [=](Index r, Index c) { return std::max(a.at(r, c), b.at(r, c)); }};
    case 6:
      return {"pick(" + a.text + " > " + b.text + ", " + a.text + ", " + b.text + ")",
              [=](Index r, Index c) { return a.at(r, c) > b.at(r, c) ? a.at(r, c) : b.at(r, c); }};
    case 7:
      return {"(" + a.text + " <= " + b.text + " * 1)",
              [=](Index r, Index c) { return a.at(r, c) <= b.at(r, c) ? 1.0 : 0.0; }};
    default: return {"(0.5 * " + a.text + ")", [=](Index r, Index c) { return 0.5 * a.at(r, c); }};
  }
}

}  // namespace

TEST_CASE("random expressions agree with an element by element evaluation") {
  Random random(2024);
  for (int round = 0; round < 400; ++round) {
    const Index rows = pick(random, 1, 4), columns = pick(random, 1, 4);
    std::vector<Variable> variables;
    std::string program;
    for (const char* name : {"a", "b", "c", "d"}) {
      // A full matrix, a row, a column or a vector along the columns.
      const auto form = pick(random, 0, 3);
      Variable v{name, form == 0 || form == 2 ? rows : form == 1 ? 1 : 0, form == 2 ? 1 : columns, {}};
      for (Index k = 0; k < std::max<Index>(v.rows, 1) * v.columns; ++k)
        v.values.push_back(static_cast<double>(pick(random, -9, 9)));
      auto literal = v.literal();
      if (v.rows > 1 && v.columns == 1) {
        std::string flat;
        for (const double x : v.values)
          flat += (flat.empty() ? "" : ", ") + std::to_string(static_cast<int>(x));
        literal = "down([" + flat + "])";
      }
      program += std::string(name) + " = " + literal + "\n";
      variables.push_back(std::move(v));
    }
    const auto e = random_expression(random, variables, 4);
    program +=
        "result = " + e.text + " + zeros(" + std::to_string(rows) + ", " + std::to_string(columns) + ")";
    CAPTURE(program);
    const auto got = to_array(value_of(program)).converted(ElementType::float64);
    REQUIRE(got.shape() == Shape{rows, columns});
    for (Index r = 0; r < rows; ++r)
      for (Index c = 0; c < columns; ++c) CHECK(got.at<double>({r, c}) == e.at(r, c));
  }
}
