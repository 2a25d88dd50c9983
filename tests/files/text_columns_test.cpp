// Tables without a delimiter, fields that stand for nothing, rows that do not fit, other encodings.
#include "files/text_columns.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/error.h"

using namespace quill;

namespace {

std::vector<std::string> names_of(const std::vector<Column>& columns) {
  std::vector<std::string> out;
  for (const auto& column : columns)
    out.push_back(column.name + (column.values.label->unit.empty() ? "" : "/" + column.values.label->unit));
  return out;
}

std::vector<double> numbers_of(const Column& column) {
  return column.values.converted(ElementType::float64).to_vector<double>();
}

using Names = std::vector<std::string>;
using Numbers = std::vector<double>;

}  // namespace

TEST_CASE("columns with blanks between them are read with their names and units") {
  const auto row = "   1.5  -2  ab\n  20.25   4  \"c d\"\n";
  const std::vector<std::pair<std::string, Names>> heads = {
      {"", {"column1", "column2", "column3"}},
      {"depth temp name\n", {"depth", "temp", "name"}},
      {"depth (m)  temp [°C] name\n", {"depth/m", "temp/°C", "name"}},
      {"depth temp name\n(m) (°C) -\n", {"depth/m", "temp/°C", "name"}},
      {"depth temp name\nm degrees -\n", {"depth/m", "temp/degrees", "name"}},
      {"% survey of a lake\n#  depth temp name\n", {"depth", "temp", "name"}},
      {"# a survey of the lake in June\n", {"column1", "column2", "column3"}},
      {"\"water depth (m)\" temp name\n", {"water depth/m", "temp", "name"}}};
  for (const auto& [head, names] : heads) {
    CAPTURE(head);
    const auto columns = read_csv(head + row, "t.dat");
    CHECK(names_of(columns) == names);
    REQUIRE(columns.size() == 3);
    CHECK(numbers_of(columns[0]) == Numbers{1.5, 20.25});
    CHECK(columns[1].values.type() == ElementType::int64);
    CHECK(columns[2].values.to_vector<std::string>() == Names{"ab", "c d"});
  }
  // Prose and single columns are none.
  CHECK_FALSE(has_columns_between_blanks("the lake is 38 m deep\nand cold\n"));
  CHECK_FALSE(has_columns_between_blanks("1\n2\n3\n"));
  CHECK_FALSE(has_columns_between_blanks("a b\n"));
  CHECK(has_columns_between_blanks("1 2\n3 4\n"));
  // Dates are fields of such rows, and a short row is an error rather than a column of texts.
  const auto times = read_csv("2026-06-01 12:00 3.5\n2026-06-02 12:30 4\n", "t.dat");
  REQUIRE(times.size() == 3);
  CHECK(holds_times(times[0].values));
  CHECK_THROWS_WITH(read_csv("1 2\n3\n4 5\n", "t.dat"), Catch::StartsWith("t.dat, line 2"));
}

TEST_CASE("columns of fixed widths need no blanks") {
  CsvOptions options;
  options.widths = {4, 5, 3};
  options.types = {{"code", "text"}};
  const auto columns = read_csv("codedepthq\n0001 12.57.0\n0002  3.0äöü\n", "t.asc", options);
  CHECK(names_of(columns) == Names{"code", "depth", "q"});
  CHECK(columns[0].values.to_vector<std::string>() == Names{"0001", "0002"});
  CHECK(numbers_of(columns[1]) == Numbers{12.5, 3});
  CHECK(columns[2].values.to_vector<std::string>() == Names{"7.0", "äöü"});
}

TEST_CASE("any table comes back from columns between blanks") {
  std::mt19937_64 random(9);
  for (int walk = 0; walk < 300; ++walk) {
    const auto rows = 1 + random() % 6;
    std::vector<double> a(rows);
    std::vector<std::string> b(rows);
    for (std::size_t k = 0; k < rows; ++k) {
      a[k] = random() % 5 == 0
                 ? std::nan("")
                 : std::ldexp(static_cast<double>(random() % 1000), -static_cast<int>(random() % 20));
      for (std::size_t n = random() % 5; n-- > 0;) b[k] += "ab \"#1,."[random() % 8];
    }
    std::vector<Column> table = {{"depth", Array::vector(a)}, {"b", Array::vector(b)}};
    table[0].values.label = std::make_shared<Label>(Label{"depth", "m"});
    table[1].values.label = std::make_shared<Label>(Label{"b", ""});
    const auto text = write_columns(table);
    CAPTURE(text);
    CsvOptions options;
    options.delimiter = ' ';
    options.header = true;
    options.types = {{"depth", "float64"}, {"b", "text"}};
    const auto back = read_csv(text, "t.dat", options);
    REQUIRE(names_of(back) == Names{"depth/m", "b"});
    const auto numbers = numbers_of(back[0]);
    for (std::size_t k = 0; k < rows; ++k) {
      CHECK((numbers[k] == a[k] || (std::isnan(numbers[k]) && std::isnan(a[k]))));
      CHECK(back[1].values.to_vector<std::string>()[k] == b[k]);
    }
  }
}

TEST_CASE("fields that stand for nothing are so by value, in all columns or in one") {
  const std::string text = "a,b,c\n1,-999,x\n-999.0,2,-999\n3,4,y\n";
  CsvOptions options;
  options.missing = {"-999"};
  const auto all = read_csv(text, "t.csv", options);
  CHECK(std::isnan(numbers_of(all[0])[1]));
  CHECK(std::isnan(numbers_of(all[1])[0]));
  CHECK(numbers_of(all[1])[1] == 2);
  options.missing.clear();
  options.missing_in = {{"b", {"-999", "4"}}};
  options.types = {{"b", "float64"}};
  const auto one = read_csv(text, "t.csv", options);
  CHECK(numbers_of(one[0])[1] == -999);
  CHECK((std::isnan(numbers_of(one[1])[0]) && std::isnan(numbers_of(one[1])[2])));
  options.missing_in = {{"d", {"1"}}};
  CHECK_THROWS_AS(read_csv(text, "t.csv", options), Error);
}

TEST_CASE("fields and rows that do not fit are reported, left out, or missing") {
  std::string text = "n,v\n";
  for (int k = 1; k <= 400; ++k)
    text += k == 57 ? "57,ERR\n" : k == 210 ? "210\n" : k == 300 ? "300,1,2\n" : std::to_string(k) + ",0.5\n";
  std::vector<std::string> told;
  CsvOptions options;
  options.warn = [&](std::string message, std::string) { told.push_back(std::move(message)); };
  CHECK_THROWS_WITH(read_csv(text, "t.csv", options), Catch::StartsWith("t.csv, line 211"));
  told.clear();
  options.bad_rows = CsvOptions::BadRows::skip;
  auto columns = read_csv(text, "t.csv", options);
  CHECK(columns[0].values.size() == 397);
  REQUIRE(told.size() == 1);
  CHECK(told[0] == "3 rows of t.csv have fields that do not match: lines 58, 211, 301; they are dropped");
  options.bad_rows = CsvOptions::BadRows::nan;
  columns = read_csv(text, "t.csv", options);
  CHECK(columns[0].values.size() == 400);
  CHECK(std::isnan(numbers_of(columns[1])[56]));
  CHECK(std::isnan(numbers_of(columns[1])[209]));
  CHECK(numbers_of(columns[1])[299] == 1);
  // One field that is no number makes texts of a column, which is reported with its line.
  options.bad_rows = CsvOptions::BadRows::error;
  told.clear();
  columns = read_csv("v\n1\n2\n3\n4\nERR\n5\n6\n7\n8\n", "t.csv", options);
  CHECK(columns[0].values.type() == ElementType::text);
  REQUIRE(told.size() == 1);
  CHECK(told[0] == "column `v` of t.csv is read as text: line 6 contains \"ERR\", which is not a number");
}

TEST_CASE("other encodings are read when they are named, or marked") {
  CHECK(decoded("K\xf6nig", "latin-1", "t") == "König");
  CHECK(decoded("\x80", "windows-1252", "t") == "€");
  CHECK(decoded(std::string("\xff\xfe\xe4\x00", 4), "", "t") == "ä");
  CHECK(decoded(std::string("\xfe\xff\x00\xe4", 4), "utf-16", "t") == "ä");
  CHECK(decoded("ä", "", "t") == "ä");
  CHECK_THROWS_AS(decoded("a", "klingon", "t"), Error);
  CHECK_THROWS_WITH(decoded(std::string("\xff\xfe\x00\xd8", 4), "", "t"), Catch::Contains("invalid byte"));
}
