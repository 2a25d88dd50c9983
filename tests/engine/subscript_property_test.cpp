// Random subscripts as a script writes them, against plain lists of positions; and random programs of copies
// and changes, against a model in which every variable has its own memory.
#include <fmt/format.h>
#include <algorithm>
#include <catch2/catch.hpp>
#include <map>
#include <random>

#include "support/script.h"
#include "value/print.h"

using namespace quill;
using namespace quill::test;

namespace {

using Random = std::mt19937_64;
Index pick(Random& random, Index low, Index high) {
  return std::uniform_int_distribution<Index>(low, high)(random);
}

struct Written {
  std::string text;
  std::vector<Index> positions;  // from 1
  int axes = 1;                  // of what it chooses along its axis
};

Written random_subscript(Random& random, Index n) {
  Written w;
  const auto run = [&](Index a, Index b, Index step) {
    for (Index p = a; step > 0 ? p <= b : p >= b; p += step) w.positions.push_back(p);
  };
  const Index a = pick(random, 1, n), b = pick(random, a, n);
  switch (pick(random, 0, 10)) {
    case 0: w = {std::to_string(a), {a}, 0}; break;
    case 1: w = {"last", {n}, 0}; break;
    case 2: w = {"last-" + std::to_string(n - a), {a}, 0}; break;
    case 3: w.text = "..", run(1, n, 1); break;
    case 4: w.text = std::to_string(a) + "..", run(a, n, 1); break;
    case 5: w.text = ".." + std::to_string(b), run(1, b, 1); break;
    case 6: w.text = std::to_string(a) + ".." + std::to_string(b), run(a, b, 1); break;
    case 7: w.text = "last..1 by -2", run(n, 1, -2); break;
    case 8: w.text = std::to_string(a) + "..last by 2", run(a, n, 2); break;
    case 9: {
      const auto p = std::to_string(a), q = std::to_string(b);
      w = {fmt::format("[{0}, {1} | {1}, {0} | {1}, {1}]", p, q), {a, b, b, a, b, b}, 2};
      break;
    }
    default:
      w.text = "[" + std::to_string(a) + ", " + std::to_string(b) + ", " + std::to_string(a) + "]",
      w.positions = {a, b, a};
  }
  return w;
}

}  // namespace

TEST_CASE("written subscripts choose and assign what they say") {
  Random random(99);
  for (int round = 0; round < 600; ++round) {
    const Index rows = pick(random, 1, 5), columns = pick(random, 1, 5);
    const auto r = random_subscript(random, rows), c = random_subscript(random, columns);
    const auto size = std::to_string(rows * columns);
    const auto made =
        "m = reshape(1.." + size + ", " + std::to_string(rows) + ", " + std::to_string(columns) + ")\n";
    const auto place = "m[" + r.text + ", " + c.text + "]";
    CAPTURE(made, place);
    std::vector<double> expected;
    for (const auto i : r.positions)
      for (const auto j : c.positions) expected.push_back(static_cast<double>((i - 1) * columns + j));
    const auto chosen = to_array(value_of(made + "result = " + place));
    CHECK(chosen.to_vector<double>() == expected);
    CHECK(chosen.axes() == r.axes + c.axes);
    // The same with the matrix turned in memory.
    const auto turned = to_array(value_of(made + "t = m'\nresult = t[" + c.text + ", " + r.text + "]"));
    CHECK(turned.size() == chosen.size());
    // An array of the shape of the place is assigned element by element.
    const auto negated = to_array(value_of(made + place + " = -" + place + "\nresult = -" + place));
    CHECK(negated.to_vector<double>() == expected);
    // Assigning a number to the place changes these elements and no others.
    const auto changed = to_array(value_of(made + place + " = -1\nresult = m")).to_vector<double>();
    for (Index i = 1; i <= rows; ++i)
      for (Index j = 1; j <= columns; ++j) {
        const bool hit = std::count(r.positions.begin(), r.positions.end(), i) &&
                         std::count(c.positions.begin(), c.positions.end(), j);
        CHECK(changed[static_cast<std::size_t>((i - 1) * columns + j - 1)] ==
              (hit ? -1 : static_cast<double>((i - 1) * columns + j)));
      }
  }
}

TEST_CASE("values never alias: random programs against a model that copies everything") {
  Random random(314);
  for (int round = 0; round < 200; ++round) {
    std::map<std::string, std::vector<double>> model = {
        {"a", {1, 2, 3, 4}}, {"b", {5, 6, 7, 8}}, {"c", {9, 10, 11, 12}}};
    std::string program =
        "a = [1, 2, 3, 4]\nb = [5, 6, 7, 8]\nc = [9, 10, 11, 12]\nfn change(v, k) {\n v[k] = 0\n return "
        "v\n}\n";
    const auto name = [&] { return std::string(1, static_cast<char>('a' + pick(random, 0, 2))); };
    for (int step = 0; step < 30; ++step) {
      const auto x = name(), y = name();
      const Index k = pick(random, 1, 4), l = pick(random, 1, 4);
      const auto at = [&](Index p) { return static_cast<std::size_t>(p - 1); };
      switch (pick(random, 0, 8)) {
        case 0:
          program += x + " = " + y + "\n";
          model[x] = std::vector<double>(model[y]);
          break;
        case 1:
          program += x + "[" + std::to_string(k) + "] = " + y + "[" + std::to_string(l) + "]\n";
          model[x][at(k)] = model[y][at(l)];
          break;
        case 2:
          program += x + " += 1\n";
          for (auto& v : model[x]) v += 1;
          break;
        case 3:
          program += x + "[2..4] = " + y + "[1..3]\n";
          {
            const auto old = model[y];
            for (std::size_t i = 0; i < 3; ++i) model[x][i + 1] = old[i];
          }
          break;
        case 4:
          program += x + " = change(" + y + ", " + std::to_string(k) + ")\n";
          {
            auto copy = model[y];
            copy[at(k)] = 0;
            model[x] = copy;
          }
          break;
        case 5:
          program +=
              "t = (" + x + ", " + y + ")\n" + x + "[" + std::to_string(k) + "] = 100\n" + y + " = t[1]\n";
          {
            const auto old = model[x];
            model[x][at(k)] = 100;
            model[y] = old;
          }
          break;
        case 6:
          program += x + "[" + x + " > 50] = 1\n";
          for (auto& v : model[x]) v = v > 50 ? 1 : v;
          break;
        case 7:
          program += x + " = reverse(" + y + ")\n";
          {
            auto copy = model[y];
            std::reverse(copy.begin(), copy.end());
            model[x] = copy;
          }
          break;
        default:
          program += "d = {\"k\": " + x + "}\ne = d\nd[\"k\"][" + std::to_string(k) + "] = 7\n" + y +
                     " = e[\"k\"]\n";
          {
            const auto old = model[x];
            model[y] = old;
          }
      }
    }
    CAPTURE(program);
    MemoryHost host;
    TestSession session(host, {});
    REQUIRE(session.run("test.eq", program));
    for (const auto& [variable, values] : model) {
      CAPTURE(variable);
      CHECK(to_array(*session.find(variable)).to_vector<double>() == values);
    }
  }
}

namespace {

// The memory of a variable: its own cell, or some places of another variable's.
struct Held {
  std::shared_ptr<std::vector<double>> cell;
  bool is_alias = false;
  std::vector<std::size_t> places;

  std::vector<double> value() const {
    if (!is_alias) return *cell;
    std::vector<double> out;
    for (const auto p : places) out.push_back((*cell)[p]);
    return out;
  }
  void set(std::size_t k, double x) const { (*cell)[is_alias ? places[k] : k] = x; }
  static Held of(std::vector<double> values) {
    return {std::make_shared<std::vector<double>>(std::move(values)), false, {}};
  }
};

}  // namespace

TEST_CASE("aliases write through and nothing else does: random programs against a model of cells") {
  Random random(271);
  for (int round = 0; round < 300; ++round) {
    std::map<std::string, Held> model;
    std::string program = "fn change(v) {\n  v[1] = -1\n  v[..] *= 2\n  return v\n}\n";
    for (const char* name : {"a", "b", "c", "d"}) {
      std::vector<double> values;
      std::string text;
      for (int k = 0; k < 5; ++k) {
        values.push_back(static_cast<double>(pick(random, 0, 9)));
        text += (k ? ", " : "") + std::to_string(static_cast<int>(values.back()));
      }
      program += std::string(name) + " = [" + text + "]\n";
      model[name] = Held::of(values);
    }
    for (int step = 0; step < 25; ++step) {
      const std::string x(1, static_cast<char>('a' + pick(random, 0, 3))),
          y(1, static_cast<char>('a' + pick(random, 0, 3)));
      const auto n = static_cast<Index>(model[x].value().size());
      const Index k = pick(random, 1, n);
      const auto c = static_cast<double>(pick(random, 10, 99));
      const auto number = std::to_string(static_cast<int>(c)), place = std::to_string(k);
      switch (pick(random, 0, 9)) {
        case 0:
          program += x + " = " + y + "\n";
          model[x] = Held::of(model[y].value());
          break;
        case 1:
          program += x + "[" + place + "] = " + number + "\n";
          model[x].set(static_cast<std::size_t>(k - 1), c);
          break;
        case 2:
          program += x + "[..] += " + number + "\n";
          for (std::size_t i = 0; i < static_cast<std::size_t>(n); ++i)
            model[x].set(i, model[x].value()[i] + c);
          break;
        case 3:
        case 4: {
          if (x == y || model[y].is_alias) break;
          const auto m = static_cast<Index>(model[y].value().size());
          const Index from = pick(random, 1, m - 1), to = pick(random, from + 1, m);
          const bool turned = pick(random, 0, 1);
          program += x + " = alias " + y + "[" +
                     (turned ? std::to_string(to) + ".." + std::to_string(from) + " by -1"
                             : std::to_string(from) + ".." + std::to_string(to)) +
                     "]\n";
          Held alias{model[y].cell, true, {}};
          for (Index p = from; p <= to; ++p) alias.places.push_back(static_cast<std::size_t>(p - 1));
          if (turned) std::reverse(alias.places.begin(), alias.places.end());
          model[x] = alias;
          break;
        }
        case 5: {
          program += x + " = append(" + x + ", " + number + ")\n";
          auto values = model[x].value();
          values.push_back(c);
          model[x] = Held::of(values);
          break;
        }
        case 6: {
          program += x + " = change(" + y + ")\n";
          auto values = model[y].value();
          values[0] = -1;
          for (auto& v : values) v *= 2;
          model[x] = Held::of(values);
          break;
        }
        case 7: {
          program += x + "[2..last] = " + x + "[1..last-1]\n";
          const auto old = model[x].value();
          for (std::size_t i = 1; i < old.size(); ++i) model[x].set(i, old[i - 1]);
          break;
        }
        case 8: {
          program += x + " += 1\n";
          auto values = model[x].value();
          for (auto& v : values) v += 1;
          // An alias writes through; another variable gets a new value.
          if (model[x].is_alias)
            for (std::size_t i = 0; i < values.size(); ++i) model[x].set(i, values[i]);
          else
            model[x] = Held::of(values);
          break;
        }
        default: {
          program += x + "[" + x + " > 20] -= 20\n";
          const auto old = model[x].value();
          for (std::size_t i = 0; i < old.size(); ++i)
            if (old[i] > 20) model[x].set(i, old[i] - 20);
        }
      }
    }
    CAPTURE(program);
    MemoryHost host;
    TestSession session(host, {});
    REQUIRE(session.run("test.eq", program + "ra = a; rb = b; rc = c; rd = d"));
    // The same inside of a function.
    REQUIRE(session.run("again.eq", "fn all_of_it() {\n" + program.substr(program.find("a = [")) +
                                        "return a, b, c, d\n}\n" + program.substr(0, program.find("a = [")) +
                                        "fa, fb, fc, fd = all_of_it()"));
    for (const auto& [variable, held] : model) {
      CAPTURE(variable);
      CHECK(to_array(*session.find("r" + variable)).to_vector<double>() == held.value());
      CHECK(to_array(*session.find("f" + variable)).to_vector<double>() == held.value());
    }
  }
}
