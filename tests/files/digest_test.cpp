// Digests against published ones, and differences of files in words.
#include "files/digest.h"

#include <catch2/catch.hpp>

#include "files/difference.h"
#include "files/formats.h"
#include "files/provenance.h"

using namespace quill;

TEST_CASE("SHA-256 as its standard has it") {
  CHECK(sha256_of("") == "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855");
  CHECK(sha256_of("abc") == "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
  CHECK(sha256_of(std::string(1000000, 'a')) ==
        "cdc76e5c9914fb9281a1c7e284d73e67f1809a48a497200e046d39ccc7112cd0");
  Sha256 sum;
  sum.add("a");
  sum.add("bc");
  CHECK(sum.digest() == sha256_of("abc"));
  CHECK(sum.digest() == sha256_of(""));  // it begins anew
}

TEST_CASE("every bit of a large piece counts for its fingerprints") {
  std::string bytes(3 * kDigestPiece + 17, 'x');
  const auto before = fingerprints_of_pieces(bytes.data(), bytes.size());
  CHECK(before.size() == 4 * 16);
  for (const std::size_t at : {std::size_t{0}, kDigestPiece - 1, kDigestPiece, bytes.size() - 1}) {
    bytes[at] ^= 1;
    const auto now = fingerprints_of_pieces(bytes.data(), bytes.size());
    std::size_t changed = 0;
    for (std::size_t k = 0; k < 4; ++k) changed += now.substr(16 * k, 16) != before.substr(16 * k, 16);
    CHECK(changed == 1);
    bytes[at] ^= 1;
  }
  CHECK(fingerprints_of_pieces(bytes.data(), bytes.size()) == before);
}

TEST_CASE("where two files differ") {
  const auto where = [](const char* name, const std::string& a, const std::string& b, double tolerance = 0) {
    const auto found = difference_of(name, a, b, tolerance);
    CHECK(found.is_same == found.where.empty());
    return found.where;
  };
  CHECK(where("t.csv", "a,b\n1,2\n3,4\n", "a,b\n1,2\n3,5\n") == "column `b`, row 2: 4, and now 5");
  CHECK(where("t.csv", "a,b\n1,x\n3,y\n", "a,b\n1,x\n3,z\n") == "column `b`, row 2: \"y\", and now \"z\"");
  CHECK(where("t.csv", "a,b\n1,2\n", "a,c\n1,2\n") == "the value: field 2 is called b, and now c");
  CHECK(where("t.csv", "a\n1.5\n", "a\n1.50\n") == "line 2: 1.5, and now 1.50");
  CHECK(where("t.csv", "a\n1.5\n2\n", "a\n1.50000000001\n2\n", 1e-9).empty());
  CHECK(where("v.json", "{\"a\": {\"b\": [1, 2]}}", "{\"a\": {\"b\": [1, 3]}}") ==
        "`a`, `b`, element [2]: 2, and now 3");
  CHECK(where("m.mtx", "%%MatrixMarket matrix array real general\n2 2\n1\n2\n3\n4\n",
              "%%MatrixMarket matrix array real general\n2 2\n1\n9\n3\n5\n") ==
        "the value, element [2, 1]: 2, and now 9 (2 differ)");
  CHECK(where("n.txt", "one\ntwo\n", "one\nthree\n") == "line 2: two, and now three");
  CHECK(where("x.bin", std::string("\xff\0\1", 3), std::string("\xff\0\2", 3)) == "byte 3 of 3");

  Array image(ElementType::uint8, {4, 6});
  std::fill_n(image.mutable_data<std::uint8_t>(), 24, std::uint8_t{7});
  auto other = image;
  other.mutable_data<std::uint8_t>()[6 + 2] = 200;
  other.mutable_data<std::uint8_t>()[18 + 4] = 9;
  const auto a = write_png(Data::of(image), {}), b = write_png(Data::of(other), {});
  CHECK(where("i.png", a, b) == "2 pixels, within columns 3 to 5 and rows 2 to 4 of 6×4");
  CHECK(where("i.png", a, b, 1e-12) == "1 pixel, within columns 3 to 3 and rows 2 to 2 of 6×4");
  CHECK(where("h.h5", write_hdf5(Data::of(image), {}), write_hdf5(Data::of(other), {})) ==
        "the value, element [2, 3]: 7, and now 200 (2 differ)");
}

TEST_CASE("numbers in texts are compared as such") {
  CHECK(are_close("depth 1.2345 m", "depth 1.2346 m", 1e-3));
  CHECK(are_close("depth 1.2345 m", "depth 1.2346 m", 1e-12));  // the last digit that is printed
  CHECK_FALSE(are_close("depth 1.2345 m", "depth 1.2348 m", 1e-12));
  CHECK_FALSE(are_close("depth 7 m", "depth 8 m", 1e-12));
  CHECK_FALSE(are_close("depth 7 m", "depths 7 m", 1));
  CHECK(are_close("1.0e-5", "1.00001e-5", 1e-4));
}

TEST_CASE("a file carries a line about itself, and is found by it") {
  const std::string line = "{\"made_by\":\"eager-quill\",\"form\":1,\"text\":\"<a> & (b) \\\\ \\u00fc\"}";
  Array image(ElementType::uint8, {2, 2});
  std::fill_n(image.mutable_data<std::uint8_t>(), 4, std::uint8_t{9});
  Data table;
  table.kind = Data::Kind::record;
  table.add("a", Data::of(Array::vector({1, 2, 3})));
  const SaveOptions with{.provenance = line};
  for (const auto& format : formats()) {
    if (format.name == "text") continue;
    const auto& data = format.name == "PNG" || format.name == "Matrix Market" ? Data::of(image) : table;
    const auto bare = format.write(data, {}), bytes = format.write(data, with);
    CAPTURE(format.name);
    CHECK_FALSE(provenance_in(bare));
    CHECK(provenance_in(bytes).value_or("none") == line);
    CHECK(
        difference_of("x." + std::string(format.endings.substr(0, format.endings.find(' '))), bare, bytes, 0)
            .is_same);
    const auto again = format.read(bytes, "x", {});
    CHECK(again.kind == data.kind);
    CHECK(provenance_in(zipped(bytes)).has_value() == (format.name != "PNG" || true));
  }
  CHECK_FALSE(provenance_in(""));
  CHECK_FALSE(provenance_in("\x89PNG\r\n\x1a\n"));
  CHECK_FALSE(provenance_in("%PDF-1.5 /Keywords (abc"));
  CHECK_FALSE(provenance_in("<svg><metadata id=\"provenance\">"));
}
