#include "files/csv.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "base/host.h"
#include "base/parallel.h"
#include "base/time_text.h"
#include "files/whole_files.h"
#include "support/script.h"

using namespace quill;

namespace {

std::string message_of(const std::string& text) {
  try {
    read_csv(text, "t.csv");
  } catch (const Error& error) { return error.message; }
  return "";
}

}  // namespace

TEST_CASE("a table has names, units, numbers and texts") {
  const auto columns = read_csv(
      "# made by hand\ndepth (m),site,temperature [°C]\n0.5,north,21.3\n2,\"south, deep\",\n4,\"a "
      "\"\"b\"\"\",nan\n",
      "t.csv");
  REQUIRE(columns.size() == 3);
  CHECK(columns[0].name == "depth");
  CHECK(columns[0].values.label->unit == "m");
  CHECK(columns[0].values.converted(ElementType::float64).to_vector<double>() ==
        std::vector<double>{0.5, 2, 4});
  CHECK(columns[1].values.to_vector<std::string>() ==
        std::vector<std::string>{"north", "south, deep", "a \"b\""});
  CHECK(columns[2].name == "temperature");
  CHECK(columns[2].values.label->unit == "°C");
  CHECK(std::isnan(columns[2].values.converted(ElementType::float64).to_vector<double>()[1]));
}

TEST_CASE("delimiters, headers, line ends and decimal commas are recognised") {
  CHECK(read_csv("a;b\n1,5;2\n", "t").at(0).values.converted(ElementType::float64).to_vector<double>() ==
        std::vector<double>{1.5});
  CHECK(read_csv("a\tb\r\n1\t2\r\n", "t").at(1).values.converted(ElementType::float64).to_vector<double>() ==
        std::vector<double>{2});
  const auto bare = read_csv("1,2\n3,4\n", "t");
  CHECK(bare.at(0).name == "column1");
  CHECK(bare.at(0).values.size() == 2);
  CHECK(read_csv("\xEF\xBB\xBFx,y\n1,2", "t").at(0).name == "x");
  CHECK(read_csv("x,x\n1,2\n", "t").at(1).name == "x_2");
  CHECK(read_csv("x,y\n\n1,2\n\n", "t").at(0).values.size() == 1);
  CHECK(read_csv("name,value\n\"1\",2\n", "t").at(0).values.type() == ElementType::text);
  CHECK(read_csv("x,y\n", "t").at(0).values.size() == 0);
  CHECK(read_csv("x,y\n\"a\nb\",2\n", "t").at(0).values.to_vector<std::string>()[0] == "a\nb");
}

TEST_CASE("tables of any delimiter, line end and quoting hold what was put in") {
  std::mt19937_64 random(33);
  const std::string letters = "ab ;,\t\"\n#0.5é";
  for (int round = 0; round < 400; ++round) {
    const char delimiter = ",;\t"[random() % 3];
    const std::string line_end = random() % 2 ? "\n" : "\r\n";
    const std::size_t rows = 1 + random() % 5, columns = 2 + random() % 3;
    std::vector<std::vector<std::string>> cells(rows, std::vector<std::string>(columns));
    std::string text;
    for (std::size_t c = 0; c < columns; ++c)
      text += (c ? std::string(1, delimiter) : "") + "name" + std::to_string(c);
    text += line_end;
    for (auto& row : cells) {
      for (std::size_t c = 0; c < columns; ++c) {
        // Column 0 holds texts that need quotes, the others numbers.
        if (c == 0) {
          row[c] = "x";
          for (auto n = random() % 6; n-- > 0;) {
            const auto at = random() % letters.size();
            if (static_cast<unsigned char>(letters[at]) < 0x80) row[c] += letters[at];
          }
          std::string quoted;
          for (const char ch : row[c]) quoted += ch == '"' ? std::string("\"\"") : std::string(1, ch);
          text += "\"" + quoted + "\"";
        } else {
          row[c] = std::to_string(static_cast<int>(random() % 2000) - 1000);
          text += delimiter + std::string(random() % 3 ? "" : " ") + row[c];
        }
      }
      text += line_end;
    }
    CAPTURE(text);
    const auto table = read_csv(text, "t");
    REQUIRE(table.size() == columns);
    const auto texts = table[0].values.to_vector<std::string>();
    REQUIRE(texts.size() == rows);
    for (std::size_t r = 0; r < rows; ++r) {
      CHECK(texts[r] == cells[r][0]);
      for (std::size_t c = 1; c < columns; ++c)
        CHECK(table[c].values.converted(ElementType::float64).to_vector<double>()[r] ==
              std::stod(cells[r][c]));
    }
  }
}

TEST_CASE("malformed tables are errors with line and column") {
  CHECK(message_of("") == "t.csv contains no table: it has no lines");
  CHECK(message_of("a,b\n1,2\n3\n") == "t.csv, line 3, column 1: 1 field, and the first line has 2");
  CHECK(message_of("a,b\n1,\"open\n") == "t.csv, line 2, column 3: unclosed quote");
  CHECK(message_of("a,b\n\"x\"y,2\n") ==
        "t.csv, line 2, column 4: a closing quote must be followed by a delimiter or the end of the line");
  CHECK(message_of("a,b\n1,\xff\n") == "t.csv, line 2, column 3: this byte is not UTF-8 text");
}

TEST_CASE("what is written reads back the same") {
  std::mt19937_64 random(9);
  std::normal_distribution<double> normal;
  for (int round = 0; round < 50; ++round) {
    std::vector<double> numbers;
    std::vector<std::string> texts;
    const auto rows = 1 + round % 7;
    for (int k = 0; k < rows; ++k) {
      numbers.push_back(k % 5 == 4 ? NAN : normal(random) * std::pow(10, round - 25));
      std::string text = "t";
      for (int c = 0; c < 6; ++c) text += std::string("a,\"#; \n0")[random() % 8];
      texts.push_back(text + "e");
    }
    Column x{"x", Array::vector(numbers)}, t{"note", Array::vector(texts)};
    x.values.label = std::make_shared<Label>(Label{"x", "m/s"});
    const Column columns[] = {x, t};
    const auto back = read_csv(write_csv(columns), "t");
    CHECK(back.at(0).name == "x");
    CHECK(back.at(0).values.label->unit == "m/s");
    const auto got = back.at(0).values.converted(ElementType::float64).to_vector<double>();
    for (std::size_t k = 0; k < numbers.size(); ++k)
      CHECK((got[k] == numbers[k] || (std::isnan(got[k]) && std::isnan(numbers[k]))));
    CHECK(back.at(1).values.to_vector<std::string>() == texts);
  }
  CHECK(write_csv(Array::filled<double>({2, 2}, 1.5)) == "1.5,1.5\n1.5,1.5\n");
  CHECK(write_csv(Array::vector(std::vector<double>{1, 2})) == "1\n2\n");
}

TEST_CASE("any text comes back as the text that it was") {
  const std::vector<std::string> odd = {"NA",     "-",    "n/a",      "",         "nan",  "inf",
                                        "1.5",    "1,5",  "0x",       "#",        "a#b",  "2026-06-01",
                                        " x",     "x ",   "\t",       "\"",       "é",    "a\nb",
                                        "a\r\nb", "-1e3", "12:30:00", "a;b,c\td", "\"\"", "\xEF\xBB\xBF"};
  const auto comes_back = [](const std::vector<std::string>& texts, const std::string& name) {
    const Column columns[] = {{name, Array::vector(texts)},
                              {"n", Array::vector(std::vector<double>(texts.size(), 1.5))}};
    for (const std::size_t count : {1, 2}) {
      const auto written = write_csv(std::span(columns, count));
      CAPTURE(written);
      const auto back = read_csv(written, "t.csv");
      REQUIRE(back.size() == count);
      CHECK(back[0].name == name);
      REQUIRE(back[0].values.type() == ElementType::text);
      CHECK(back[0].values.to_vector<std::string>() == texts);
    }
    const auto bare = read_csv(write_csv(Array::vector(texts)), "t.csv");
    CHECK(bare.at(0).values.to_vector<std::string>() == texts);
  };
  comes_back({"NA", "-"}, "mark");
  comes_back({"2026-06-01", "2026-06-02"}, "2026-06-01");
  for (const auto& text : odd)
    comes_back({text, text}, text.empty() || text.find('\n') != text.npos ? "t" : "NA");
  std::mt19937_64 random(34);
  for (int round = 0; round < 500; ++round) {
    std::vector<std::string> texts;
    for (auto n = 1 + random() % 4; n > 0; --n) {
      texts.push_back(odd[random() % odd.size()]);
      if (random() % 2) texts.back() += odd[random() % odd.size()];
    }
    comes_back(texts, "t");
  }
}

TEST_CASE("a lone column keeps the rows that have no time") {
  Column times{"time", Array::vector(std::vector<double>{0, NAN, 86400})};
  times.values.label = std::make_shared<Label>(Label{"time", std::string(kTimeUnit)});
  const auto back = read_csv(write_csv(std::span(&times, 1)), "t.csv");
  REQUIRE(back.at(0).values.size() == 3);
  CHECK(std::isnan(back[0].values.converted(ElementType::float64).to_vector<double>()[1]));
}

TEST_CASE("a header that begins like a byte order mark is kept when it is written again") {
  // Found by fuzzing: the mark was taken off twice, and the table came back without its column.
  const auto columns = read_csv("\xEF\xBB\xBF\xEF\xBB\xBF", "t");
  CHECK(read_csv(write_csv(columns), "t").size() == columns.size());
}

TEST_CASE("what does not go into CSV is refused") {
  const Column uneven[] = {{"a", Array::vector(std::vector<double>{1, 2})},
                           {"b", Array::vector(std::vector<double>{1})}};
  CHECK_THROWS_AS(write_csv(uneven), Error);
  const Column matrix[] = {{"a", Array::filled<double>({2, 2}, 0.0)}};
  CHECK_THROWS_AS(write_csv(matrix), Error);
  CHECK_THROWS_AS(write_csv(Array::filled<double>({2, 2, 2}, 0.0)), Error);
  CHECK_THROWS_AS(write_csv(Array::filled<Complex>({2}, Complex(1, 1))), Error);
}

TEST_CASE("files that cannot be read or written are errors with the reason") {
  MemoryHost host;
  CHECK_THROWS_AS(read_whole(host, {""}, "none.csv"), Error);
  host.write_failure = "the disk is full";
  try {
    write_whole(host, {""}, "a.csv", "x");
    FAIL_CHECK("no error");
  } catch (const Error& error) { CHECK(error.message == "cannot write a.csv: the disk is full"); }
  for (const char* outside : {"../a.csv", "/a.csv", "b/../../a.csv"})
    CHECK_THROWS_WITH(read_whole(host, {"", "b"}, outside), Catch::Contains("outside"));
  CHECK(extension_of("a/b.CSV") == "csv");
  CHECK(extension_of("plain").empty());
}

TEST_CASE("columns of dates are timestamps, and are written as dates again") {
  const std::string text = "time,level (m)\n2026-06-01,1.5\n2026-06-01T12:30,2\n,2.5\n";
  const auto columns = read_csv(text, "level.csv");
  REQUIRE(columns.size() == 2);
  CHECK(columns[0].name == "time");
  CHECK(holds_times(columns[0].values));
  const auto times = columns[0].values.converted(ElementType::float64).to_vector<double>();
  CHECK(times[1] - times[0] == 45000);
  CHECK(std::isnan(times[2]));
  CHECK(write_csv(columns) == text);
  // One field that is no date makes a column of texts.
  CHECK(read_csv("day\n2026-06-01\nsoon\n", "d.csv")[0].values.type() == ElementType::text);
  // A table without a header whose first column holds dates.
  CHECK(read_csv("2026-06-01,1\n2026-06-02,2\n", "d.csv")[0].name == "column1");
}

namespace {

Array column_of(const std::string& text, std::size_t k, const CsvOptions& options = {}) {
  return read_csv(text, "t.csv", options).at(k).values;
}

}  // namespace

TEST_CASE("integers without gaps are int64, and what comes later decides") {
  CHECK(column_of("a\n1\n-2\n9007199254740993\n", 0).to_vector<std::int64_t>() ==
        std::vector<std::int64_t>{1, -2, 9007199254740993});
  CHECK(column_of("a,b\n1,2\n,3\n", 0).type() == ElementType::float64);
  CHECK(column_of("a\n-0\n", 0).type() == ElementType::float64);
  CHECK(std::signbit(column_of("a\n-0\n", 0).to_vector<double>()[0]));
  // Beyond the rows that are looked at first.
  std::string many = "a,b,c,d\n";
  for (int k = 0; k < 1000; ++k) many += "1,2.5,,2026-06-01\n";
  CHECK(column_of(many + "0.5,1,2026-06-02,\n", 0).type() == ElementType::float64);
  CHECK(column_of(many + "x,1,,\n", 0).type() == ElementType::text);
  CHECK(column_of(many + "x,1,,\n", 0).to_vector<std::string>()[0] == "1");
  CHECK(holds_times(column_of(many + "1,1,2026-06-02,\n", 2)));
  CHECK(read_csv(many + "1,1,2026-06-02,\n", "t").at(2).values.label->unit == kTimeUnit);
  CHECK(column_of(many + "1,1,2026-06-02,5\n", 3).type() == ElementType::text);
  CHECK(column_of(many + "1,2026-06-01,,\n", 1).type() == ElementType::text);
  CHECK(column_of(many + "1,1,2026-06-01,\n1,1,5,\n", 2).type() == ElementType::text);
}

TEST_CASE("numbers are those of the standard library, to the last bit, however they are written") {
  std::mt19937_64 random(4);
  std::string text = "a\n";
  std::vector<double> expected;
  for (int k = 0; k < 20000; ++k) {
    std::string number;
    switch (random() % 5) {
      case 0: number = std::to_string(random() % 100000) + "." + std::to_string(random() % 1000000); break;
      case 1: number = "-" + std::to_string(random()) + "." + std::to_string(random()); break;
      case 2:
        number =
            std::to_string(random() % 1000) + "e" + std::to_string(static_cast<int>(random() % 600) - 300);
        break;
      case 3: number = "0." + std::string(random() % 30, '0') + std::to_string(random()); break;
      default: number = std::to_string(random() % 2 ? random() : random() % 1000);
    }
    text += number + "\n";
    expected.push_back(std::stod(
        number.find('e') != number.npos && std::stod("1" + number.substr(number.find('e'))) == 0 ? "0"
                                                                                                 : number));
  }
  CHECK(column_of(text + "0.5\n", 0).to_vector<double>().size() == expected.size() + 1);
  auto values = column_of(text + "0.5\n", 0).to_vector<double>();
  values.pop_back();
  CHECK(values == expected);
}

TEST_CASE("what is said of a table goes before what is recognised") {
  CsvOptions options;
  options.delimiter = '|';
  options.skip = 2;
  options.types = {{"id", "text"}};
  options.missing = {"dry"};
  options.columns = {"id", "depth"};
  const auto columns =
      read_csv("logger 7\nmade by hand\nid|name|depth (m)\n007|a|dry\n008|b|2.5\n", "t.csv", options);
  REQUIRE(columns.size() == 2);
  CHECK(columns[0].values.to_vector<std::string>() == std::vector<std::string>{"007", "008"});
  CHECK(std::isnan(columns[1].values.to_vector<double>()[0]));
  CHECK(columns[1].values.label->unit == "m");
  CsvOptions bare;
  bare.header = false;
  CHECK(read_csv("a,b\n1,2\n", "t.csv", bare).at(0).values.size() == 2);
  CsvOptions comma;
  comma.decimal = ',';
  comma.delimiter = '\t';
  CHECK(column_of("a\tb\n1,5\t2\n", 0, comma).to_vector<double>()[0] == 1.5);
  CsvOptions typed;
  typed.types = {{"a", "float64"}};
  try {
    read_csv("a\n1\nx\n", "t.csv", typed);
    CHECK(false);
  } catch (const Error& error) {
    CHECK(error.message == "t.csv, line 3, column 1: \"x\" is not a valid number");
  }
}

TEST_CASE("a large table is the same whatever the threads, and its errors are the first ones") {
  std::string text = "time,depth,name\n";
  std::mt19937 random(8);
  for (int k = 0; k < 700000; ++k)
    text += std::to_string(k) + "," + std::to_string(static_cast<double>(random() % 100000) / 1000.0) +
            (k % 7 ? ",a\n" : ",buoy\n");
  const auto all = read_csv(text, "t.csv");
  const auto threads = thread_count();
  set_thread_count(1);
  const auto alone = read_csv(text, "t.csv");
  set_thread_count(threads);
  for (std::size_t c = 0; c < 3; ++c) CHECK(dump(all[c].values) == dump(alone[c].values));
  CHECK(all[0].values.to_vector<std::int64_t>()[699999] == 699999);
  const auto first = text.size() / 4, second = text.size() / 2;
  auto damaged = text;
  damaged.insert(damaged.find('\n', second), ",9");
  damaged.insert(damaged.find('\n', first), ",9");
  const auto line = 1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(first), '\n');
  CHECK(message_of(damaged) ==
        "t.csv, line " + std::to_string(line) + ", column 1: 4 fields, and the first line has 3");
}

TEST_CASE("the spaces of a text belong to it, but for one behind every delimiter of the first line") {
  const auto texts = [](const std::string& file, std::size_t column) {
    return read_csv(file, "t.csv", {})[column].values.to_vector<std::string>();
  };
  CHECK(texts("n,s\n1, inlet \n2,deep\n", 1) == std::vector<std::string>{" inlet ", "deep"});
  CHECK(texts("n, s, t\n1, inlet, x\n2,  deep, y\n", 1) == std::vector<std::string>{"inlet", " deep"});
  CHECK(texts("n, s, t\n1, \"a, b\", x\n", 1) == std::vector<std::string>{"a, b"});
  CHECK(read_csv("a, b\n 1 , 2\n3,4\n", "t.csv", {})[0].values.type() == ElementType::int64);
}

TEST_CASE("integers of more digits than numbers have stay texts") {
  const auto column = [](const std::string& file) { return read_csv(file, "t.csv", {})[0].values; };
  CHECK(column("id\n9007199254740993\n9007199254740995\n").type() == ElementType::int64);
  // With a gap the column would be float64.
  const auto gap = column("id,x\n9007199254740993,1\n,2\n");
  REQUIRE(gap.type() == ElementType::text);
  CHECK(gap.to_vector<std::string>()[0] == "9007199254740993");
  CHECK(column("id\n123456789012345678901\n").type() == ElementType::text);
  CHECK(column("id\n100000000000000000000\n").type() == ElementType::float64);
  CHECK(column("x\n9007199254740993\n0.5\n").type() == ElementType::float64);
  CsvOptions asked;
  asked.types = {{"id", "float64"}};
  CHECK(read_csv("id,x\n9007199254740993,1\n,2\n", "t.csv", asked)[0].values.type() == ElementType::float64);
}

TEST_CASE("a file that ends in .tsv has tabs, packed or not") {
  const Column columns[] = {{"n", Array::vector(std::vector<double>{1, 2})},
                            {"s", Array::vector(std::vector<std::string>{"a,b", "c\td"})}};
  CHECK(write_csv(columns, '\t') == "n\ts\n1\t\"a,b\"\n2\t\"c\td\"\n");
  const auto back = read_csv(write_csv(columns, '\t'), "t.tsv", {});
  CHECK(back[1].values.to_vector<std::string>() == std::vector<std::string>{"a,b", "c\td"});
  CHECK(
      test::run(
          "save(\"t.tsv\", (a: [1, 2], b: [3, 4]))\nprint(read_text(\"t.tsv\"))\n"
          "save(\"t.tsv.gz\", (a: [1, 2], b: [3, 4]))\nprint(same(load(\"t.tsv.gz\").b, load(\"t.tsv\").b))")
          .printed == "a\tb\n1\t3\n2\t4\n\ntrue\n");
}

TEST_CASE("columns of true and false are booleans, there and back") {
  const auto type = [](const std::string& file) { return read_csv(file, "t.csv", {})[0].values.type(); };
  CHECK(type("wet,x\ntrue,1\nfalse,2\n") == ElementType::boolean);
  CHECK(type("wet,x\nTRUE,1\nFalse,2\n") == ElementType::boolean);
  // With a gap, in quotes, or beside anything else they are texts.
  CHECK(type("wet,x\ntrue,1\n,2\n") == ElementType::text);
  CHECK(type("wet,x\n\"true\",1\nfalse,2\n") == ElementType::text);
  CHECK(type("wet,x\ntrue,1\nmaybe,2\n") == ElementType::text);
  CHECK(type("wet,x\ntrue,1\n1,2\n") == ElementType::text);
  // Far down, where the columns have been guessed already.
  std::string late = "a,b\n";
  for (int k = 0; k < 300; ++k) late += ",1\n";
  CHECK(type(late + "true,1\n") == ElementType::text);
  std::string long_one = "wet,x\n";
  for (int k = 0; k < 300; ++k) long_one += "true,1\n";
  CHECK(type(long_one + "other,1\n") == ElementType::text);
  CsvOptions asked;
  asked.types = {{"wet", "bool"}};
  CHECK_THROWS_AS(read_csv("wet,x\n1,1\n", "t.csv", asked), Error);
  CHECK(test::run(
            "t = (wet: [true, false], name: [\"true\", \"x\"])\nsave(\"t.csv\", t)\n"
            "expect same(load(\"t.csv\"), t)\nsave(\"t.dat\", t)\nexpect same(load(\"t.dat\").wet, t.wet)")
            .ok);
}

TEST_CASE("dates in another form are read when it is given, and recognised when it is not") {
  CsvOptions options;
  options.dates = "%d.%m.%Y %H:%M";
  std::string told;
  options.warn = [&](const std::string& message, const std::string& hint) { told += message + " / " + hint; };
  const auto read =
      read_csv("t,v\n17.06.2026 12:30,1\n\"18.06.2026 00:00\",2\n,3\n2026-06-19,4\n", "a.csv", options);
  CHECK(read[0].values.type() == ElementType::float64);
  CHECK(read[0].values.label->unit == kTimeUnit);
  CHECK(read[0].values.at<double>({1}) - read[0].values.at<double>({0}) == 11.5 * 3600);
  CHECK(std::isnan(read[0].values.at<double>({2})));
  CHECK(told.empty());
  options.dates = "";
  const auto plain = read_csv("t,v\n06/12/2026,1\n06/17/2026,2\n", "a.csv", options);
  CHECK(plain[0].values.type() == ElementType::text);
  CHECK(told ==
        "column `t` of a.csv is read as text: it looks like dates in another form than 2026-06-01 / dates: "
        "\"%m/%d/%Y\" "
        "reads them as timestamps");
}
