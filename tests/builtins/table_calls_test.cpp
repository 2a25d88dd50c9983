// Tables: chosen, sorted, grouped and joined, against plain loops over their rows.
#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <map>
#include <random>
#include <set>

#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

const std::string kCasts =
    "t = (station: [\"inlet\", \"deep\", \"inlet\", \"shore\"], depth: [3, 38, 4, 1], ok: [true, true, "
    "false, true])\n";

std::string shown(const std::string& expression) {
  const auto ran = run(kCasts + "print(\"{" + expression + "}\")");
  CAPTURE(expression, ran.messages);
  REQUIRE(ran.ok);
  return ran.printed;
}

}  // namespace

TEST_CASE("rows and columns of tables") {
  CHECK(shown("rows(t, [4, 1])") == "(station: [\"shore\", \"inlet\"], depth: [1, 3], ok: [true, true])\n");
  CHECK(shown("rows(t, t.depth > 3 and t.ok)") == "(station: [\"deep\"], depth: [38], ok: [true])\n");
  CHECK(shown("rows(t, 2..3).depth") == "[38, 4]\n");
  CHECK(shown("rows(t, 2)") == "(station: \"deep\", depth: 38, ok: true)\n");
  CHECK(shown("keys(columns(t, [\"ok\", \"station\"]))") == "[\"ok\", \"station\"]\n");
  CHECK(shown("length(rows(t, t.depth > 99).depth)") == "0\n");
  CHECK(shown("length(columns(t, \"depth\"))") == "4\n");
  CHECK(shown("with(columns(t, \"ok\"), {\"Wave height\": t.depth})[\"Wave height\"]") == "[3, 38, 4, 1]\n");
  CHECK(shown("sort(with(columns(t, \"ok\"), {\"Wave height\": t.depth}), by: \"Wave height\")[\"Wave "
              "height\"]") == "[1, 3, 4, 38]\n");
  check_errors({{"rows([1], 1)",
                 "rows: `t` must be a table (a record of columns of equal length), not a vector of 1 float64",
                 "(depth: [1, 2], name: [\"inlet\", \"deep\"])"},
                {"rows((a: [1, 2], b: [1]), 1)",
                 "rows: `t` must be a table of columns of equal length, but a has 2 rows and b has 1", ""},
                {"rows((a: [1, 2], b: [1, 2]), 3)", "index 3 is out of range: valid indices are 1..2", ""},
                {"rows((a: [1, 2], b: [1, 2]), [true])",
                 "rows: `which` must have one boolean for each of the 2 rows, not 1", ""},
                {"columns((depth: [1, 2]), \"dept\")",
                 "columns: `names` names a column that does not exist: \"dept\"", "did you mean \"depth\"?"},
                {"sort((a: [1, 2]))", "sort: `a` must be an array; a table is sorted by a column",
                 "sort(t, by: \"a\")"}});
}

TEST_CASE("tables are sorted stably by one column or several, nan last") {
  CHECK(shown("sort(t, by: \"station\").depth") == "[38, 3, 4, 1]\n");
  CHECK(shown("sort(t, by: [\"ok\", \"depth\"], descending: true).depth") == "[38, 3, 1, 4]\n");
  CHECK(shown("sort((x: [2, nan, 1], k: [1, 2, 3]), by: \"x\").k") == "[3, 1, 2]\n");
}

TEST_CASE("a group has the rows of one value") {
  CHECK(shown("group(fn(p) = (n: length(p.depth), most: max(p.depth)), t, by: \"station\")") ==
        "(station: [\"deep\", \"inlet\", \"shore\"], n: [1, 2, 1], most: [38, 4, 1])\n");
  CHECK(shown("group(fn(p) = sum(p.depth), t, by: [\"ok\", \"station\"])") ==
        "(ok: [false, true, true, true], station: [\"inlet\", \"deep\", \"inlet\", \"shore\"], value: [4, "
        "38, 3, "
        "1])\n");
  const auto wrong = error_of(kCasts + "r = group(fn(p) = p.deep, t, by: \"station\")");
  CHECK(wrong.find("called by group in test.eq, line 2") != std::string::npos);
}

TEST_CASE("groups, joins and sorts are what loops over rows give, for random tables") {
  std::mt19937 random(5);
  for (int round = 0; round < 40; ++round) {
    const auto rows_of = [&](int count, const char* name) {
      std::string key = "[", value = "[";
      std::vector<std::pair<int, int>> rows;
      for (int k = 0; k < count; ++k) {
        rows.emplace_back(static_cast<int>(random() % 5), static_cast<int>(random() % 100));
        key += (k ? ", " : "") + std::to_string(rows.back().first);
        value += (k ? ", " : "") + std::to_string(rows.back().second);
      }
      return std::pair(rows, "(key: " + key + "], " + name + ": " + value + "])");
    };
    const auto [a, a_text] = rows_of(1 + static_cast<int>(random() % 8), "a");
    const auto [b, b_text] = rows_of(1 + static_cast<int>(random() % 8), "b");
    std::map<int, int> sums;
    for (const auto& [key, value] : a) sums[key] += value;
    std::vector<std::array<int, 3>> both;
    std::size_t alone = 0;
    for (const auto& [key, value] : a) {
      bool found = false;
      for (const auto& [other, second] : b)
        if (key == other) {
          both.push_back({key, value, second});
          found = true;
        }
      alone += !found;
    }
    const auto program =
        "a = " + a_text + "\nb = " + b_text +
        "\ng = group(fn(p) = (total: sum(p.a)), a, by: \"key\")\nj = join(a, b, by: \"key\")\n"
        "l = join(a, b, by: \"key\", keep: \"left\")\ns = sort(a, by: [\"key\", \"a\"])\n"
        "print(\"{g.total}|{j.key}|{j.a}|{j.b}|{length(l.key)}|{sum(is_nan(l.b))}|{s.key}|{s.a}\")";
    const auto list = [](const auto& items, auto get) {
      std::string out;
      for (const auto& item : items) out += (out.empty() ? "" : ", ") + std::to_string(get(item));
      return "[" + out + "]";
    };
    auto sorted = a;
    std::stable_sort(sorted.begin(), sorted.end());
    const auto expected = list(sums, [](const auto& x) { return x.second; }) + "|" +
                          list(both, [](const auto& x) { return x[0]; }) + "|" +
                          list(both, [](const auto& x) { return x[1]; }) + "|" +
                          list(both, [](const auto& x) { return x[2]; }) + "|" +
                          std::to_string(both.size() + alone) + "|" + std::to_string(alone) + "|" +
                          list(sorted, [](const auto& x) { return x.first; }) + "|" +
                          list(sorted, [](const auto& x) { return x.second; }) + "\n";
    const auto ran = run(program);
    CAPTURE(program, ran.messages);
    CHECK(ran.printed == expected);
  }
}

TEST_CASE("what has no partner is missing in its own way") {
  CHECK(shown("join(t, (station: [\"deep\", \"north\"], wind: [2, 3], note: [\"calm\", \"\"]), by: "
              "\"station\", keep: "
              "\"all\")") ==
        "(station: [\"inlet\", \"deep\", \"inlet\", \"shore\", \"north\"], depth: [3, 38, 4, 1, nan], ok: "
        "[1, 1, 0, 1, "
        "nan], wind: [nan, 2, nan, nan, 3], note: [\"\", \"calm\", \"\", \"\", \"\"])\n");
  check_errors(
      {{"join((a: [1, 2], b: [1, 2]), (a: [1, 2], b: [3, 4]), by: \"a\")",
        "both tables have a column b, which is not among the columns to join by",
        "join by it as well, or select columns of one table: columns(b, [\"a\"])"},
       {"join((a: [1, 2], b: [3, 4]), (a: [1, 2]))", "without `by`, join takes tables with the same columns",
        "join(a, b, by: \"a\")"},
       {"join((a: 3), (a: 4), by: \"a\")",
        "join takes tables (records of columns of equal length), and the first record is not one", ""},
       {"group(fn(p) = none, (a: [1, 2]), by: \"a\")",
        "group: `f` must return a record or a value, but returned none", ""},
       {"join([1], [2], by: \"a\")", "join: `by` requires tables, and these are arrays", ""}});
}

TEST_CASE("units and times of columns stay with rows, sorts, groups and joins") {
  const std::string file = "time,depth (m),cast\n2026-06-02,3.5,1\n2026-06-01,38,2\n";
  MemoryHost host;
  host.files["t.csv"] = file;
  TestSession session(host, {});
  REQUIRE(session.run(
      "test.eq",
      "t = load(\"t.csv\")\ns = sort(t, by: \"time\")\nshow(s)\nj = join(s, (cast: [2], ok: [true]), by: "
      "\"cast\")\nshow(j)\ng = group(fn(p) = (latest: max(p.time)), t, by: \"cast\")\nshow(g)"));
  CHECK(host.printed ==
        "s : table of 2 rows: time time, depth float64, cast int64\n  time        depth  cast\n              "
        "  (m)\n"
        "  2026-06-01   38.0     2\n  2026-06-02    3.5     1\n"
        "j : table of 1 row: time time, depth float64, cast float64, ok bool\n  time        depth  cast    "
        "ok\n                (m)\n"
        "  2026-06-01     38     2  true\n"
        "g : table of 2 rows: cast int64, latest time\n  cast  latest\n     1  2026-06-02\n     2  "
        "2026-06-01\n");
}

TEST_CASE("tables are printed with their first and last rows, wide ones below each other") {
  const auto ran = run("t = (k: 1..1000, x: (1..1000) / 8)\nshow(t, rows: 4)\n");
  CHECK(ran.printed ==
        "t : table of 1000 rows: k float64, x float64\n     k       x\n     1    0.12\n     2    0.25\n  …\n "
        "  999  124.88\n"
        "  1000  125.00\n");
  const auto wide =
      run("v = [1e5, 2e5]\nt = (a_long_name_of_a_column: v, b_long_name_of_a_column: v, "
          "c_long_name_of_a_column: v, "
          "d_long_name_of_a_column: v)\nshow(t)");
  CHECK(wide.printed.find("\n\n") != std::string::npos);
  for (std::size_t at = wide.printed.find('\n') + 1; at < wide.printed.size();) {
    const auto end = wide.printed.find('\n', at);
    CHECK(end - at <= 80);
    at = end + 1;
  }
}

TEST_CASE("falling order keeps rows without a key last, and joins keep the digits of their keys") {
  check_calls({
      {"sort((a: [1, nan, 3], b: [1, 2, 3]), by: \"a\", descending: true).b", "[3, 1, 2]"},
      {"sort((a: [1, nan, 1, nan], b: [1, 2, 3, 4]), by: [\"a\", \"b\"], descending: true).b",
       "[3, 1, 4, 2]"},
      {"join((id: int64([9007199254740993, 9007199254740992]), x: [1, 2]), "
       "(id: int64([9007199254740992]), y: [5]), by: \"id\").x",
       "[2]"},
  });
  check_errors({
      {"join((k: [1, 2]), (k: [1], id: int64([9007199254740993])), by: \"k\", keep: \"left\")",
       "column id has rows without a match, and its integer 9007199254740993 has more digits than float64 "
       "holds",
       "text keeps all digits: text(t.id)"},
      {"join((id: int64([9007199254740993])), (id: [1.5]), by: \"id\")",
       "column id is float64 in one of the tables, and its integer 9007199254740993 has more digits than "
       "float64 holds",
       "text keeps all digits: text(t.id)"},
  });
}

TEST_CASE("tables with the same columns are put under each other, and have rows like arrays have elements") {
  const std::string tables =
      "a = (x: [1, 2], y: [\"a\", \"b\"])\nb = (y: [\"c\"], x: [3])\n"
      "t = timestamp([\"2026-01-01\", \"2026-01-02\"])\n";
  for (const std::string holds :
       {"same(join(a, b), (x: [1, 2, 3], y: [\"a\", \"b\", \"c\"]))",
        "same(join(a, b, a).x, [1, 2, 3, 1, 2])", "same(join(a), a)",
        "same(append(a, (y: \"c\", x: 3)), join(a, b))", "same(reverse(a), (x: [2, 1], y: [\"b\", \"a\"]))",
        "same(unique(join(a, b, a)), join(a, b))", "same(filter(fn(r) = r.x > 1, a), rows(a, [2]))",
        "same(remove(a, 1), rows(a, [2]))", "same(remove(a, a.x > 1), rows(a, [1]))",
        "same(keys(remove(a, \"y\")), [\"x\"])", "same(join((t: t[1..1]), (t: t[2..2])).t, t)",
        "same(append((t: t[1..1]), (t: t[2])).t, t)", "same(join((x: []), (x: [\"q\"])).x, [\"q\"])",
        "length(filter(fn(r) = false, a)) == 0", "length(unique(rows(a, a.x > 9))) == 0",
        "type(join((x: int32([1])), (x: [0.5])).x) == \"float64\""}) {
    CAPTURE(holds);
    CHECK(run(tables + "expect " + holds).ok);
  }
  CHECK(run(tables + "s = \"\"\nfor r in join(a, b) { s = \"{s}{r.y}{r.x} \" }\nprint(s)").printed ==
        "a1 b2 c3 \n");
  // Copies keep their rows, and many rows take time in proportion to their count.
  CHECK(run(tables + "c = a\na = append(a, (x: 3, y: \"c\"))\nexpect length(c) == 2 and length(a) == 3\n"
                     "u = (k: [], name: [])\nfor k in 1..20000 { u = append(u, (k: k, name: \"n\")) }\n"
                     "expect sum(u.k) == 20000 * 20001 / 2")
            .ok);
  check_errors(
      {{"append((x: [1], y: [2]), (x: 3))", "the table has columns x and y, but the row has x",
        "append(t, (x: …, y: …))"},
       {"append((x: [1]), (x: \"q\"))", "column x contains float64, and the new rows contain text", ""},
       {"join((x: int64([9007199254740993])), (x: [0.5]))",
        "column x contains int64 and float64, and its integer 9007199254740993 has more digits than float64 "
        "holds",
        "text keeps all digits: text(t.id)"},
       {"columns((x: [1]), [\"x\", \"x\"])", "columns: `names` names column x twice", ""},
       {"show((x: [1], y: [2]), rows: 0)", "show: `rows` must be an integer from 1, not 0", ""}});
  // After an error the table is what it was.
  CHECK(run(tables + "a = append(a, (x: 3, y: 4))").messages.find("contains text") != std::string::npos);
}

TEST_CASE("a table is arranged as a matrix over two of its columns") {
  std::mt19937 random(12);
  for (int round = 0; round < 40; ++round) {
    const auto rows = 1 + random() % 30;
    std::string a, b, c;
    std::map<std::pair<int, int>, std::vector<double>> cells;
    std::set<int> firsts, seconds;
    for (std::size_t k = 0; k < rows; ++k) {
      const int x = static_cast<int>(random() % 5) - 2, y = static_cast<int>(random() % 4);
      const double z = static_cast<double>(random() % 1000) / 8;
      a += fmt::format("{}{}", k == 0 ? "" : ", ", x);
      b += fmt::format("{}\"s{}\"", k == 0 ? "" : ", ", y);
      c += fmt::format("{}{}", k == 0 ? "" : ", ", z);
      cells[{x, y}].push_back(z);
      firsts.insert(x);
      seconds.insert(y);
    }
    const auto text = fmt::format("t = (a: [{}], b: [{}], c: [{}])\n", a, b, c);
    std::string wanted;
    bool is_unique = true;
    for (const int x : firsts) {
      if (!wanted.empty()) wanted += " | ";
      for (const int y : seconds) {
        const auto cell = cells.find({x, y});
        if (y != *seconds.begin()) wanted += ", ";
        if (cell == cells.end()) {
          wanted += "nan";
          continue;
        }
        is_unique = is_unique && cell->second.size() == 1;
        double sum = 0;
        for (const double z : cell->second) sum += z;
        wanted += fmt::format("{}", sum);
      }
    }
    CAPTURE(text, wanted);
    CHECK(run(text +
              "p = pivot(t, rows: \"a\", columns: \"b\", values: \"c\", f: sum)\nexpect same(p.c, reshape([" +
              wanted +
              fmt::format("], {}, {}))\nexpect length(p.a) == {} and length(p.b) == {}\n", firsts.size(),
                          seconds.size(), firsts.size(), seconds.size()))
              .messages == "");
    CHECK(run(text + "pivot(t, rows: \"a\", columns: \"b\", values: \"c\")").ok == is_unique);
  }
  check_errors({
      {"t = (a: [1, 1], b: [2, 2], c: [3, 4])\npivot(t, rows: \"a\", columns: \"b\", values: \"c\")",
       "2 rows have a 1 and b 2", "pivot(t, rows: \"a\", columns: \"b\", values: \"c\", f: mean)"},
      {"t = (a: [1], b: [2], c: [\"x\"])\npivot(t, rows: \"a\", columns: \"b\", values: \"c\")",
       "pivot: `values` must be a column of real numbers, and c contains text", ""},
      {"t = (a: [1], b: [2])\npivot(t, rows: \"a\", columns: \"b\", values: \"a\")",
       "pivot: `rows`, `columns` and `values` must be three different columns", ""},
  });
}
