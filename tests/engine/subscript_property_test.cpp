// Random subscripts as a script writes them, against plain lists of positions; and random programs of copies
// and changes, against a model in which every variable has its own memory.
#include <algorithm>
#include <catch2/catch.hpp>
#include <map>
#include <random>

#include "engine/print.h"
#include "support/script.h"

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
  bool single = false;
};

Written random_subscript(Random& random, Index n) {
  Written w;
  const auto run = [&](Index a, Index b, Index step) {
    for (Index p = a; step > 0 ? p <= b : p >= b; p += step) w.positions.push_back(p);
  };
  const Index a = pick(random, 1, n), b = pick(random, a, n);
  switch (pick(random, 0, 9)) {
    case 0: w = {std::to_string(a), {a}, true}; break;
    case 1: w = {"last", {n}, true}; break;
    case 2: w = {"last-" + std::to_string(n - a), {a}, true}; break;
    case 3: w.text = "..", run(1, n, 1); break;
    case 4: w.text = std::to_string(a) + "..", run(a, n, 1); break;
    case 5: w.text = ".." + std::to_string(b), run(1, b, 1); break;
    case 6: w.text = std::to_string(a) + ".." + std::to_string(b), run(a, b, 1); break;
    case 7: w.text = "last..1 by -2", run(n, 1, -2); break;
    case 8: w.text = std::to_string(a) + "..last by 2", run(a, n, 2); break;
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
    CHECK(chosen.axes() == (r.single ? 0 : 1) + (c.single ? 0 : 1));
    // The same with the matrix turned in memory.
    const auto turned = to_array(value_of(made + "t = m'\nresult = t[" + c.text + ", " + r.text + "]"));
    CHECK(turned.size() == chosen.size());
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
    Session session(host, {});
    REQUIRE(session.run("test.eq", program));
    for (const auto& [variable, values] : model) {
      CAPTURE(variable);
      CHECK(to_array(*session.find(variable)).to_vector<double>() == values);
    }
  }
}
