// Formats of files: there and back, what other programs write, and damage.
#include "files/formats.h"

#include <catch2/catch.hpp>
#include <random>

#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

// Saves a value under a name, loads it again in another session, and says whether it is the same.
bool session_reads_back(const std::string& name, const std::string& value) {
  MemoryHost host;
  TestSession session(host, {});
  const bool ran = session.run("test.eq", "v = " + value + "\nsave(\"" + name + "\", v)");
  CAPTURE(name, value, host.messages);
  REQUIRE(ran);
  host.files[name] = host.files.at("out/" + name);
  return session.run("again.eq", "w = load(\"" + name + "\")\nexpect same(v, w)");
}

std::string bytes_of(const std::string& name, const std::string& value) {
  MemoryHost host;
  TestSession session(host, {});
  REQUIRE(session.run("test.eq", "save(\"" + name + "\", " + value + ")"));
  return host.files.at("out/" + name);
}

Data read(const std::string& name, const std::string& bytes) {
  return format_to_read(name, bytes).read(bytes, name, {});
}

std::string read_error(const std::string& name, const std::string& bytes) {
  try {
    read(name, bytes);
  } catch (const Error& error) { return error.message; }
  return "";
}

}  // namespace

TEST_CASE("what a format can hold comes back from it") {
  const std::string table =
      "(time: timestamp([\"2026-06-01\", \"2026-06-02T12:00\"]), depth: [1.5, nan], count: [3, 4], name: "
      "[\"a\", \"b, c\"])";
  for (const char* name : {"t.csv", "t.csv.gz", "t.json", "t.json.gz"})
    CHECK(session_reads_back(name, table));
  CHECK(session_reads_back("m.mtx", "[1.5, 2 | 3, 1e-300]"));
  CHECK(session_reads_back("m.mtx", "[1 + 2i, 3 | -1i, 0]"));
  CHECK(session_reads_back("m.mtx", "int64([9007199254740991, 2 | -3, 4])"));
  CHECK(session_reads_back("i.png", "uint8([0, 255, 7 | 128, 64, 1])"));
  CHECK(session_reads_back("i.png", "reshape(uint8(0..23), 2, 4, 3)"));
  CHECK(session_reads_back("i.png", "reshape(uint8(0..31), 2, 4, 4)"));
  CHECK(session_reads_back("n.txt", "\"two\\nlines\""));
  for (const char* value :
       {"3.25", "true", "none", "\"süd \\\"q\\\"\"", "[1, 2, 3]", "[1, nan, 3]", "[true, false]",
        "[\"a\", \"b\"]", "[1, 2 | 3, 4]", "reshape(1..24, 2, 3, 4)", "(a: 1, b: (c: [1, 2], d: \"x\"))",
        "list(1, \"a\", none, [1, 2])", "[(a: 1), (a: 2)]", "int64(9007199254740993)",
        "int64([9007199254740993, 1])", "1e300", "-0.5e-300"})
    CHECK(session_reads_back("v.json", value));
}

TEST_CASE("what other programs write is read") {
  CHECK(read("a.json", "{\"x\": [[1, 2], [3, 4]], \"y\": [[1], [2, 3]]}").items[0].array.shape() ==
        Shape{2, 2});
  CHECK(read("a.json", "{\"y\": [[1], [2, 3]]}").items[0].kind == Data::Kind::list);
  const auto symmetric =
      read("s.mtx",
           "%%MatrixMarket matrix coordinate real symmetric\n% a comment\n3 3 3\n1 1 2\n3 1 5\n2 2 -1.5e0\n");
  CHECK(symmetric.array.to_vector<double>() == std::vector<double>{2, 0, 5, 0, -1.5, 0, 5, 0, 0});
  const auto skew = read("s.mtx", "%%MatrixMarket matrix array integer skew-symmetric\n2 2\n7\n");
  CHECK(skew.array.to_vector<std::int64_t>() == std::vector<std::int64_t>{0, -7, 7, 0});
  const auto hermitian =
      read("s.mtx", "%%MatrixMarket matrix coordinate complex hermitian\n2 2 1\n2 1 1 3\n");
  CHECK(hermitian.array.to_vector<Complex>()[1] == Complex(1, -3));
  CHECK(read("s.mtx", "%%MatrixMarket matrix coordinate pattern general\n1 2 1\n1 2\n")
            .array.to_vector<double>() == std::vector<double>{0, 1});
}

TEST_CASE("a file is known by its ending, and by its contents where that says nothing") {
  CHECK(format_to_read("t.dat", "a,b\n1,2\n").name == "CSV");
  CHECK(format_to_read("t", "{\"a\": 1}").name == "JSON");
  CHECK(format_to_read("t.tsv.gz", "a\tb\n").name == "CSV");
  CHECK(read_error("t.csv", bytes_of("i.png", "uint8([1, 2 | 3, 4])")) ==
        "t.csv has the extension .csv, but its content is PNG");
  CHECK(read_error("t.xyz", std::string("\0\1\2", 3)) == "the format of t.xyz is unknown");
  CHECK(read_error("a.json", "{\"a\": [1, 2}\n") == "a.json, line 1, column 12: this is not valid JSON");
  CHECK(read_error("m.mtx", "%%MatrixMarket matrix array real general\n2 2\n1\n2\nx\n4\n") ==
        "m.mtx, line 5: \"x\" is not a number");
  CHECK(error_of("save(\"a.json\", 1i)").find("JSON cannot represent") != std::string::npos);
  CHECK(error_of("save(\"a.xyz\", 1)").find("the format .xyz cannot be written") != std::string::npos);
}

TEST_CASE("an image that was saved is drawn, in levels or in shares; other arrays are refused") {
  const auto drawn = [](const std::string& image) {
    MemoryHost host;
    TestSession session(host, {});
    const bool ran = session.run(
        "test.eq", "m = " + image + "\nsave(\"i.png\", uint8(round(255 * m)))\n" +
                       "figure(\"a\") { image_of(m) }\nfigure(\"b\") { image_of(load(\"i.png\")) }");
    CAPTURE(host.messages);
    CHECK(ran);
    return host.files.at("out/a.png") == host.files.at("out/b.png");
  };
  CHECK(drawn("reshape([1, 0, 0, 0, 1, 0, 0, 0, 1, 1, 1, 1], 2, 2, 3)"));
  CHECK(drawn("reshape([1, 0, 0, 1, 0, 1, 0, 0, 0, 0, 1, 1, 1, 1, 1, 1], 2, 2, 4)"));
  check_errors(
      {{"figure(\"a\") { image_of(zeros(2, 2, 2)) }",
        "image_of: `m` must be an image with three values for each pixel, or four with opacity, not float64 "
        "2×2×2",
        ""},
       {"figure(\"a\") { image_of(zeros(2, 2, 3) + 2) }",
        "image_of: `m` must contain fractions from 0 to 1, not 2", "uint8(…) for levels from 0 to 255"}});
}

TEST_CASE("damaged files are errors or right answers, never worse") {
  std::mt19937_64 random(17);
  const std::vector<std::pair<std::string, std::string>> files = {
      {"t.csv", bytes_of("t.csv", "(a: (1..50) / 7, b: repeat(\"x, y\", 50))")},
      {"t.csv.gz", bytes_of("t.csv.gz", "(a: (1..50) / 7, b: repeat(\"x, y\", 50))")},
      {"v.json", bytes_of("v.json", "(a: (1..20) / 7, b: [\"x\", \"y\"], c: (d: [1, 2 | 3, 4], e: none))")},
      {"v.h5",
       bytes_of("v.h5", "(a: (1..20) / 7, b: [\"x\", \"y\"], c: (d: [1, 2 | 3, 4], e: none), f: 1i)")},
      {"m.mtx", bytes_of("m.mtx", "reshape((1..30) / 7, 5, 6)")},
      {"i.png", bytes_of("i.png", "reshape(uint8(1..240), 12, 20)")}};
  for (const auto& [name, bytes] : files)
    for (int round = 0; round < 1000; ++round) {
      auto damaged = bytes;
      if (round % 4 == 0) {
        damaged.resize(random() % damaged.size());
      } else {
        for (std::uint64_t k = 0; k <= random() % 3; ++k)
          damaged[random() % damaged.size()] ^= static_cast<char>(1 << random() % 8);
      }
      MemoryHost host;
      TestSession session(host, {});
      host.files[name] = damaged;
      const bool ran = session.run("test.eq", "v = load(\"" + name + "\")");
      CAPTURE(name, round, host.messages);
      CHECK((ran || host.messages.find("error: ") == 0));
      CHECK(host.messages.find("std::") == std::string::npos);
    }
}

TEST_CASE("integers keep all their digits, or there is an error") {
  for (const char* value : {"int64([9223372036854775807, -9223372036854775807 | 1, 9007199254740993])"})
    for (const char* name : {"v.mtx", "v.json"}) {
      CAPTURE(name);
      CHECK(session_reads_back(name, value));
    }
  CHECK(read("a.json", "[9223372036854775807, 1]").array.to_vector<std::int64_t>()[0] == 9223372036854775807);
  // Beside numbers of another kind each keeps its own type.
  const auto mixed = read("a.json", "[9007199254740993, null, 0.5]");
  REQUIRE(mixed.kind == Data::Kind::list);
  CHECK(mixed.items[0].array.to_vector<std::int64_t>()[0] == 9007199254740993);
  const auto large = read("a.json", "[9007199254740993, 9223372036854775808]");
  REQUIRE(large.kind == Data::Kind::list);
  CHECK(large.items[1].array.to_vector<double>()[0] == 9223372036854775808.0);
  CHECK(read_error("a.json", "{\"id\": 18446744073709551615}")
            .find("contains the integer 18446744073709551615, which is beyond int64") != std::string::npos);
  CHECK(read("a.json", "[100000000000000000000, \"18446744073709551615\"]").kind == Data::Kind::list);
  CHECK(read_error("m.mtx",
                   "%%MatrixMarket matrix coordinate integer general\n1 1 2\n1 1 9223372036854775807\n"
                   "1 1 1\n")
            .find("the sum of duplicate entries does not fit") != std::string::npos);
  CHECK(read("m.mtx", "%%MatrixMarket matrix array integer general\n2 1\n9223372036854775807\n2.0\n")
            .array.to_vector<std::int64_t>() == std::vector<std::int64_t>{9223372036854775807, 2});
}
