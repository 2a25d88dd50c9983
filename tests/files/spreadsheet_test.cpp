// Spreadsheets: written and read back, made by hand, damaged and hostile.
#include <zlib.h>

#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <random>

#include "base/error.h"
#include "base/memory.h"
#include "base/time_text.h"
#include "files/formats.h"
#include "support/effort.h"

using namespace quill;
using namespace quill::test;

namespace spreadsheet_test {

namespace {

using Parts = std::vector<std::pair<std::string, std::string>>;

std::string little(std::uint64_t value, int bytes) {
  std::string out;
  for (int k = 0; k < bytes; ++k) out += static_cast<char>(value >> (8 * k) & 255);
  return out;
}

// A ZIP archive (APPNOTE 6.3) of parts, each compressed or not.
std::string zip_of(const Parts& parts, bool compressed = false) {
  std::string out, directory;
  for (const auto& [name, text] : parts) {
    std::string stored = text;
    if (compressed) {
      z_stream z{};
      deflateInit2(&z, 9, Z_DEFLATED, -15, 9, Z_DEFAULT_STRATEGY);
      stored.resize(deflateBound(&z, text.size()));
      z.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(text.data()));
      z.avail_in = static_cast<uInt>(text.size());
      z.next_out = reinterpret_cast<Bytef*>(stored.data());
      z.avail_out = static_cast<uInt>(stored.size());
      deflate(&z, Z_FINISH);
      stored.resize(z.total_out);
      deflateEnd(&z);
    }
    const auto crc = crc32(0, reinterpret_cast<const Bytef*>(text.data()), static_cast<uInt>(text.size()));
    const auto common = little(20, 2) + little(0, 2) + little(compressed ? 8 : 0, 2) + little(0, 4) +
                        little(crc, 4) + little(stored.size(), 4) + little(text.size(), 4) +
                        little(name.size(), 2) + little(0, 2);
    directory += "PK\x01\x02" + little(20, 2) + common + little(0, 2) + little(0, 2) + little(0, 2) +
                 little(0, 4) + little(out.size(), 4) + name;
    out += "PK\x03\x04" + common + name + stored;
  }
  const auto at = out.size();
  return out + directory + "PK\x05\x06" + little(0, 4) + little(parts.size(), 2) + little(parts.size(), 2) +
         little(directory.size(), 4) + little(at, 4) + little(0, 2);
}

Parts workbook(const std::string& rows, const std::string& texts = "", const std::string& properties = "") {
  return {
      {"xl/workbook.xml", "<workbook xmlns:r=\"r\">" + properties +
                              "<sheets><sheet name=\"Survey\" sheetId=\"1\" r:id=\"rId7\"/>"
                              "<sheet name=\"Notes\" sheetId=\"2\" r:id=\"rId8\"/></sheets></workbook>"},
      {"xl/_rels/workbook.xml.rels",
       "<Relationships><Relationship Id=\"rId7\" Target=\"worksheets/a.xml\"/>"
       "<Relationship Id=\"rId8\" Target=\"/xl/worksheets/b.xml\"/></Relationships>"},
      {"xl/styles.xml",
       "<styleSheet><numFmts><numFmt numFmtId=\"170\" formatCode=\"dd\\.mm\\.yyyy\"/>"
       "<numFmt numFmtId=\"171\" formatCode=\"0.0&quot; days&quot;\"/></numFmts><cellXfs>"
       "<xf numFmtId=\"0\"/><xf numFmtId=\"14\"/><xf numFmtId=\"170\"/><xf numFmtId=\"171\"/></cellXfs>"
       "</styleSheet>"},
      {"xl/sharedStrings.xml", "<sst>" + texts + "</sst>"},
      {"xl/worksheets/a.xml", "<worksheet><sheetData>" + rows + "</sheetData></worksheet>"},
      {"xl/worksheets/b.xml",
       "<x:worksheet xmlns:x=\"x\"><x:sheetData><x:row r=\"2\"><x:c r=\"B2\" t=\"inlineStr\"><x:is><x:t>who"
       "</x:t></x:is></x:c></x:row><x:row r=\"3\"><x:c r=\"B3\" t=\"str\"><x:f>A1</x:f><x:v>Ada</x:v></x:c>"
       "</x:row></x:sheetData></x:worksheet>"}};
}

Data loaded_sheet(const std::string& bytes, const CsvOptions& options = {}) {
  return read_spreadsheet(bytes, "a.xlsx", options);
}
const Array& column_of(const Data& data, const std::string& name) {
  const auto found = std::find(data.names.begin(), data.names.end(), name);
  REQUIRE(found != data.names.end());
  return data.items[static_cast<std::size_t>(found - data.names.begin())].array;
}

const std::string kRows =
    "<row r=\"2\"><c r=\"B2\" t=\"s\"><v>0</v></c><c r=\"C2\" t=\"s\"><v>1</v></c><c r=\"D2\" "
    "t=\"s\"><v>2</v></c>"
    "<c r=\"E2\" t=\"s\"><v>3</v></c><c t=\"inlineStr\"><is><t>ok</t></is></c></row>"
    "<row><c r=\"B3\" s=\"1\"><v>45047.25</v></c><c r=\"C3\" s=\"3\"><v>1.5</v></c><c t=\"b\"><v>1</v></c>"
    "<c t=\"s\"><v>4</v></c><c><v>7</v></c></row>"
    "<row><c r=\"B4\" s=\"2\"><f>B3+1</f><v>45048</v></c><c t=\"e\"><v>#DIV/0!</v></c><c t=\"b\"><v>0</v></c>"
    "<c t=\"s\"><v>5</v></c><c><v>8</v></c></row>";
const std::string kTexts =
    "<si><t>when</t></si><si><t>depth (m)</t></si><si><t>calm</t></si><si><t>name</t></si>"
    "<si><r><t>Vel</t></r><r><rPr/><t>m</t></r></si><si><t>a_x000A_\"b\", &lt;c&gt;</t></si>";

}  // namespace

}  // namespace spreadsheet_test

using namespace spreadsheet_test;

TEST_CASE("sheets are tables with names, units, dates, formulas by their values, and texts of several runs") {
  std::string warned;
  CsvOptions options;
  options.warn = [&](const std::string& message, const std::string&) { warned += message; };
  for (const bool compressed : {false, true}) {
    const auto data = loaded_sheet(zip_of(workbook(kRows, kTexts), compressed), options);
    CHECK(data.names == std::vector<std::string>{"when", "depth", "calm", "name", "ok"});
    CHECK(column_of(data, "when").to_vector<double>() ==
          std::vector<double>{*parse_time("2023-05-01T06:00"), *parse_time("2023-05-02")});
    CHECK(holds_times(column_of(data, "when")));
    CHECK(column_of(data, "depth").at<double>({0}) == 1.5);
    CHECK(std::isnan(column_of(data, "depth").at<double>({1})));
    CHECK(column_of(data, "depth").label->unit == "m");
    CHECK(column_of(data, "calm").to_vector<bool>() == std::vector<bool>{true, false});
    CHECK(column_of(data, "name").to_vector<std::string>() ==
          std::vector<std::string>{"Velm", "a\n\"b\", <c>"});
    CHECK(column_of(data, "ok").to_vector<std::int64_t>() == std::vector<std::int64_t>{7, 8});
  }
  CHECK(warned.find("a.xlsx: 1 cell contains an error in place of a value, and is missing") == 0);
  options = {};
  options.sheet = "Notes";
  CHECK(column_of(loaded_sheet(zip_of(workbook(kRows, kTexts)), options), "who").to_vector<std::string>() ==
        std::vector<std::string>{"Ada"});
  options = {};
  options.range = "C2:C4";
  CHECK(loaded_sheet(zip_of(workbook(kRows, kTexts)), options).names == std::vector<std::string>{"depth"});
  options.range = "E:F";
  CHECK(loaded_sheet(zip_of(workbook(kRows, kTexts)), options).names ==
        std::vector<std::string>{"name", "ok"});
}

TEST_CASE("rows without values stay, also at the end") {
  const double nan = std::nan("");
  for (const auto& values : {std::vector<double>{1, nan, 3}, {nan, 2, nan, nan}, {1}}) {
    const auto back = loaded_sheet(write_spreadsheet(data_of({{"x", Array::vector(values)}}), {}));
    CHECK(column_of(back, "x").size() == static_cast<Index>(values.size()));
  }
}

TEST_CASE("dates count from 1900 with a day that was not, or from 1904") {
  const auto date = [](double days, const std::string& properties) {
    const auto rows = "<row><c t=\"inlineStr\"><is><t>d</t></is></c></row><row><c s=\"1\"><v>" +
                      std::to_string(days) + "</v></c></row>";
    return column_of(loaded_sheet(zip_of(workbook(rows, "", properties))), "d").at<double>({0});
  };
  const std::string from_1904 = "<workbookPr date1904=\"1\"/>";
  CHECK(date(1, "") == *parse_time("1900-01-01"));
  CHECK(date(59, "") == *parse_time("1900-02-28"));
  CHECK(date(61, "") == *parse_time("1900-03-01"));
  CHECK(date(43831.5, "") == *parse_time("2020-01-01T12:00"));
  CHECK(date(0, from_1904) == *parse_time("1904-01-01"));
  CHECK(date(42369.5, from_1904) == *parse_time("2020-01-01T12:00"));
}

TEST_CASE("tables of every type come back from spreadsheets as they were") {
  std::mt19937_64 random(61);
  for (int round = 0; round < repeats(40); ++round) {
    const auto count = static_cast<Index>(1 + random() % 40);
    Array numbers(ElementType::float64, {count}), whole(ElementType::int64, {count}),
        times(ElementType::float64, {count}), booleans(ElementType::boolean, {count}),
        texts(ElementType::text, {count});
    for (Index k = 0; k < count; ++k) {
      const double scale = std::pow(10.0, static_cast<double>(random() % 25) - 12);
      numbers.mutable_data<double>()[k] =
          random() % 7 == 0 ? std::nan("") : (static_cast<double>(random() % 2000001) / 7 - 1e5) * scale;
      whole.mutable_data<std::int64_t>()[k] =
          static_cast<std::int64_t>(random() % (1ULL << 53)) - (1LL << 52);
      times.mutable_data<double>()[k] = static_cast<double>(random() % 4000000000ULL) - 1e9;
      booleans.mutable_data<bool>()[k] = random() % 2 == 0;
      const std::vector<std::string> some = {"a",          "1.5",       "x,y",      "say \"no\"", "<b>&amp;",
                                             "two\nlines", "é→漢",      " padded ", "#5",         "true",
                                             "2020-01-01", "tab\there", "_x0041_"};
      texts.mutable_data<std::string>()[k] = some[random() % some.size()];
    }
    numbers.label = std::make_shared<Label>(Label{"depth", "m"});
    times.label = std::make_shared<Label>(Label{"", std::string(kTimeUnit)});
    const auto data =
        data_of({{"depth", numbers}, {"n", whole}, {"at", times}, {"ok", booleans}, {"text", texts}});
    const auto bytes = write_spreadsheet(data, {});
    CHECK(bytes == write_spreadsheet(data, {}));
    const auto back = loaded_sheet(bytes);
    CHECK(back.names == data.names);
    const auto x = column_of(back, "depth").converted(ElementType::float64).to_vector<double>();
    for (Index k = 0; k < count; ++k) {
      const double a = numbers.at<double>({k}), b = x[static_cast<std::size_t>(k)];
      CHECK((a == b || (std::isnan(a) && std::isnan(b))));
      CHECK(column_of(back, "at").at<double>({k}) == times.at<double>({k}));
    }
    CHECK(column_of(back, "depth").label->unit == "m");
    CHECK(column_of(back, "n").converted(ElementType::int64).to_vector<std::int64_t>() ==
          whole.to_vector<std::int64_t>());
    CHECK(column_of(back, "ok").to_vector<bool>() == booleans.to_vector<bool>());
    CHECK(column_of(back, "text").to_vector<std::string>() == texts.to_vector<std::string>());
  }
}

TEST_CASE("what spreadsheets cannot hold, and what is asked of them wrongly, is refused") {
  const auto message_of = [](const auto& f) {
    try {
      f();
    } catch (const Error& error) { return error.message; }
    return std::string("nothing");
  };
  const auto one = [](Array a) { return data_of({{"x", std::move(a)}}); };
  const double infinite = std::numeric_limits<double>::infinity();
  CHECK(message_of([&] { write_spreadsheet(one(Array::vector(std::vector<double>{infinite})), {}); }) ==
        "x contains an infinite number, which a spreadsheet cannot contain");
  CHECK(message_of([&] {
          write_spreadsheet(one(Array::of<std::int64_t>({1}, std::vector<std::int64_t>{(1LL << 53) + 1})),
                            {});
        }).find("x contains the integer 9007199254740993, which a spreadsheet would round") == 0);
  CHECK(message_of([&] {
          write_spreadsheet(one(Array::filled<Complex>({1}, {1, 2})), {});
        }) == "x contains complex numbers, which a spreadsheet cannot contain");
  CHECK(message_of([&] {
          write_spreadsheet(Data::of(Array::filled<double>({2, 2, 2}, 0)), {});
        }) == "the array has 3 axes, and a sheet has two");
  CHECK(message_of([&] {
          write_spreadsheet(data_of({{"x", Array::vector(std::vector<double>{1, 2})},
                                     {"y", Array::vector(std::vector<double>{1})}}),
                            {});
        }) == "columns `x` and `y` have different lengths: 2 and 1");
  const auto bytes = zip_of(workbook(kRows, kTexts));
  const auto with = [&](auto set) {
    return message_of([&] {
      CsvOptions options;
      set(options);
      loaded_sheet(bytes, options);
    });
  };
  CHECK(with([](auto& o) { o.sheet = "None"; }) == "a.xlsx has no sheet \"None\"");
  CHECK(with([](auto& o) { o.sheet_number = 3; }) == "a.xlsx has 2 sheets, and number 3 is wanted");
  for (const char* range : {"A1:", "1A", "A0:B2", "B2:A1", "A:3", "XFE1", "A1048577", "A1:B2:C3", "é"})
    CHECK(with([&](auto& o) { o.range = range; }).find("`range` must name cells of a sheet") == 0);
  CHECK(with([](auto& o) { o.range = "J1:K9"; }) == "a.xlsx: there are no values in these cells");
  // Two cells far apart would be a table of 17 thousand million.
  const auto apart =
      "<row r=\"1\"><c r=\"A1\"><v>1</v></c></row><row r=\"1048576\"><c r=\"XFD1048576\"><v>2</v></c></row>";
  CHECK(message_of([&] {
          loaded_sheet(zip_of(workbook(apart)));
        }).find("a.xlsx: its 2 values are scattered") == 0);
}

TEST_CASE("damaged and hostile spreadsheets end in errors") {
  const auto fails = [](const std::string& bytes) {
    try {
      loaded_sheet(bytes);
    } catch (const Error&) { return true; }
    return false;
  };
  auto parts = workbook(kRows, kTexts);
  CHECK(fails("PK\x03\x04"));
  CHECK(fails(zip_of({{"a.txt", "hello"}})));
  for (std::size_t k : {0U, 1U, 4U}) {  // without the book, its list of parts, the sheet
    auto less = parts;
    less.erase(less.begin() + static_cast<std::ptrdiff_t>(k));
    CHECK(fails(zip_of(less)));
  }
  CHECK(fails(zip_of(workbook("<row><c t=\"s\"><v>6</v></c></row>", kTexts))));
  CHECK(fails(zip_of(workbook("<row><c t=\"s\"><v>-1</v></c></row>", kTexts))));
  CHECK(fails(zip_of(workbook("<row r=\"3\"/><row r=\"2\"><c><v>1</v></c></row>"))));
  CHECK(fails(zip_of(workbook("<row><c r=\"B1\"/><c r=\"A1\"><v>1</v></c></row>"))));
  CHECK(fails(zip_of(workbook("<row><c><v>1</v>"))));
  // Entities stand for nothing, however often they are nested.
  parts[4].second =
      "<!DOCTYPE w [<!ENTITY a \"aaaaaaaaaa\"><!ENTITY b \"&a;&a;&a;&a;&a;&a;&a;&a;\">]>"
      "<worksheet><sheetData><row><c t=\"str\"><v>&b;</v></c></row></sheetData></worksheet>";
  const auto entities = loaded_sheet(zip_of(parts));
  CHECK(entities.items[0].array.size() <= 1);
  // Much that unpacks from little.
  parts[4].second = "<worksheet>" + std::string(std::size_t{1} << 24, ' ') + "</worksheet>";
  const auto bomb = zip_of(parts, true);
  CHECK(bomb.size() < 100000);
  set_memory_ceiling(std::int64_t{1} << 26);
  CHECK(fails(bomb));
  set_memory_ceiling(0);

  std::mt19937_64 random(62);
  const auto whole =
      write_spreadsheet(data_of({{"x", Array::vector(std::vector<double>{1, 2, 3})},
                                 {"t", Array::vector(std::vector<std::string>{"a", "b", "c"})}}),
                        {});
  for (const auto& bytes : {zip_of(workbook(kRows, kTexts)), zip_of(workbook(kRows, kTexts), true), whole})
    for (int round = 0; round < repeats(400); ++round) {
      auto damaged = bytes;
      for (auto n = 1 + random() % 6; n > 0; --n)
        damaged[random() % damaged.size()] = static_cast<char>(random() % 256);
      if (random() % 8 == 0) damaged.resize(random() % damaged.size());
      try {
        loaded_sheet(damaged);
      } catch (const Error& error) { CHECK(!error.message.empty()); }
    }
}
