// Reading JSON, compared with the values that a library builds from the same text.
#include <catch2/catch.hpp>
#include <cmath>
#include <nlohmann/json.hpp>
#include <random>

#include "base/error.h"
#include "files/formats.h"

using namespace quill;

namespace {

using Json = nlohmann::ordered_json;

class JsonTexts {
 public:
  explicit JsonTexts(unsigned seed) : random_(seed) {}
  std::string text() { return value(0); }
  int below(int n) { return std::uniform_int_distribution<int>(0, n - 1)(random_); }

 private:
  std::string space() {
    return std::vector<std::string>{"", "", " ", "\n", "\t "}[static_cast<std::size_t>(below(5))];
  }
  std::string number() {
    switch (below(7)) {
      case 0: return std::to_string(below(100));
      case 1: return "-" + std::to_string(below(9)) + "." + std::to_string(below(1000));
      case 2: return std::to_string(below(9)) + "e" + std::to_string(below(600) - 300);
      case 3: return "900719925474099" + std::to_string(below(10));
      case 4: return std::to_string(1 + below(9)) + ".5E+" + std::to_string(below(20));
      case 5: return "9223372036854775807";
      default: return "0." + std::to_string(random_()) + std::to_string(random_());
    }
  }
  std::string string() {
    static const std::vector<std::string> all = {
        "\"\"",  "\"north\"",      "\"a\\\"b\\\\\"", "\"\\u00e9\\ud83d\\ude00\"",
        "\"é\"", "\"2026-06-17\"", "\"\\n\\t\\/\"",  "\"2026-06-17T12:30\""};
    return all[static_cast<std::size_t>(below(static_cast<int>(all.size())))];
  }
  std::string scalar(int kind) {
    if (kind < 4) return number();
    if (kind < 6) return string();
    if (kind == 6) return below(2) ? "true" : "false";
    return "null";
  }
  std::string value(int depth) {
    const int kind = below(depth > 3 ? 1 : 4);
    if (kind == 0) return space() + scalar(below(8)) + space();
    std::string out = space();
    const int count = below(5);
    const int same = below(2) ? below(8) : -1;
    if (kind == 3) {
      out += "{";
      for (int k = 0; k < count; ++k)
        out += (k ? "," : "") + space() + "\"" + std::string(1, static_cast<char>('a' + below(6))) + "\"" +
               space() + ":" + value(depth + 1);
      return out + space() + "}" + space();
    }
    out += "[";
    for (int k = 0; k < count; ++k) {
      out += k ? "," : "";
      out += same >= 0 ? space() + (below(8) ? scalar(same) : "null") + space() : value(depth + 1);
    }
    return out + space() + "]" + space();
  }
  std::mt19937 random_;
};

bool is_integer(const Json& j) {
  return j.is_number_integer() && (!j.is_number_unsigned() || j.get<std::uint64_t>() <= 9223372036854775807U);
}
bool is_beyond(const Json& j) {
  return is_integer(j) && std::llabs(j.get<std::int64_t>()) > 9007199254740992;
}

bool is_same(const Data& got, const Json& wanted);

template <class T>
bool has_element(const Data& got, const T& wanted) {
  return got.kind == Data::Kind::array && got.array.axes() == 0 && got.array.type() == type_of<T> &&
         got.array.to_vector<T>()[0] == wanted;
}

bool is_same_scalar(const Data& got, const Json& wanted) {
  if (wanted.is_null()) return got.kind == Data::Kind::none;
  if (wanted.is_boolean()) return has_element(got, wanted.get<bool>());
  if (wanted.is_string()) return has_element(got, wanted.get<std::string>());
  if (is_beyond(wanted)) return has_element(got, wanted.get<std::int64_t>());
  return has_element(got, wanted.get<double>());
}

// Elements one by one, whatever the array's type.
bool is_same_vector(const Array& got, const Json& wanted) {
  if (got.extent(0) != static_cast<Index>(wanted.size())) return false;
  for (Index k = 0; k < got.extent(0); ++k) {
    const auto& j = wanted[static_cast<std::size_t>(k)];
    if (got.axes() > 1) {
      Shape shape = got.shape();
      Strides strides = got.strides();
      const auto offset = got.offset() + k * strides[0];
      shape.erase(0);
      strides.erase(0);
      if (!j.is_array() || !is_same_vector(got.view(offset, shape, strides), j)) return false;
      continue;
    }
    const auto at = static_cast<std::size_t>(k);
    switch (got.type()) {
      case ElementType::boolean:
        if (!j.is_boolean() || got.to_vector<bool>()[at] != j.get<bool>()) return false;
        break;
      case ElementType::text:
        if (!j.is_string() || got.to_vector<std::string>()[at] != j.get<std::string>()) return false;
        break;
      case ElementType::int64:
        if (!is_integer(j) || got.to_vector<std::int64_t>()[at] != j.get<std::int64_t>()) return false;
        break;
      default: {
        const double x = got.to_vector<double>()[at];
        if (got.label && got.label->unit == kTimeUnit ? !j.is_string()
            : std::isnan(x)                           ? !j.is_null()
                                                      : !j.is_number() || x != j.get<double>())
          return false;
      }
    }
  }
  return true;
}

bool is_same(const Data& got, const Json& wanted) {
  if (wanted.is_object()) {
    if (got.kind != Data::Kind::record || got.names.size() != wanted.size()) return false;
    std::size_t k = 0;
    for (const auto& [name, value] : wanted.items()) {
      if (got.names[k] != name || !is_same(got.items[k], value)) return false;
      ++k;
    }
    return true;
  }
  if (!wanted.is_array()) return is_same_scalar(got, wanted);
  if (got.kind == Data::Kind::array) return is_same_vector(got.array, wanted);
  if (got.kind != Data::Kind::list || got.items.size() != wanted.size()) return false;
  for (std::size_t k = 0; k < got.items.size(); ++k)
    if (!is_same(got.items[k], wanted[k])) return false;
  return true;
}

// Numbers of one type in a list make a vector.
bool is_vector(const Json& list) {
  const auto all = [&](auto f) { return !list.empty() && std::all_of(list.begin(), list.end(), f); };
  return all(is_integer) || (all([](const Json& j) { return j.is_number(); }) && !all(is_integer) &&
                             std::none_of(list.begin(), list.end(), is_beyond));
}

}  // namespace

TEST_CASE("random JSON has the values that a library builds from it") {
  int vectors = 0;
  for (unsigned seed = 1; seed <= 4000; ++seed) {
    const auto text = JsonTexts(seed).text();
    const auto wanted = Json::parse(text);
    CAPTURE(seed, text);
    const auto got = read_json(text, "a.json", {});
    const bool is_right = is_same(got, wanted);
    CHECK(is_right);
    if (!wanted.is_array() || !is_vector(wanted)) continue;
    ++vectors;
    const bool is_array = got.kind == Data::Kind::array;
    CHECK(is_array);
  }
  CHECK(vectors > 100);
}

TEST_CASE("damaged JSON is refused where a library refuses it") {
  int refused = 0;
  for (unsigned seed = 1; seed <= 6000; ++seed) {
    JsonTexts source(seed);
    auto text = source.text();
    for (int k = 0; k <= source.below(3); ++k) {
      const auto at = static_cast<std::size_t>(source.below(static_cast<int>(text.size())));
      const char byte = "[]{},:\"\\ntfe0-+.\x80\x01 "[source.below(19)];
      if (source.below(3) == 0)
        text.erase(at, 1 + text.size() % 2);
      else if (source.below(2) == 0)
        text.insert(at, 1, byte);
      else
        text[at] = byte;
      if (text.empty()) text = " ";
    }
    CAPTURE(seed, text);
    Json wanted;
    bool is_valid = true, is_read = true;
    try {
      wanted = Json::parse(text);
    } catch (const Json::exception&) { is_valid = false; }
    Data got;
    std::string message;
    try {
      got = read_json(text, "a.json", {});
    } catch (const Error& error) {
      is_read = false;
      message = error.message;
    }
    refused += !is_read;
    // Integers that would lose digits are refused as well.
    const bool is_beyond_types = message.find("contains the") != std::string::npos;
    CAPTURE(message);
    CHECK((is_beyond_types || is_read == is_valid));
    const bool is_right = !is_read || !is_valid || is_same(got, wanted);
    CHECK(is_right);
  }
  CHECK(refused > 1000);
}

TEST_CASE("JSON of every shape becomes the array that its elements allow") {
  const auto read = [](const std::string& text) { return read_json(text, "a.json", {}); };
  CHECK(read("[[1, 2, null], [3, 4, 5]]").array.shape() == Shape{2, 3});
  CHECK(std::isnan(read("[[1, 2, null], [3, 4, 5]]").array.to_vector<double>()[2]));
  CHECK(read("[[[1], [2]], [[3], [4]]]").array.shape() == Shape{2, 2, 1});
  CHECK(holds_times(read("[[\"2026-06-17\"], [\"2026-06-18\"]]").array));
  CHECK(read("[[\"2026-06-17\"], [1]]").kind == Data::Kind::list);
  CHECK(read("[[1, 2], [3]]").items[0].array.to_vector<double>() == std::vector<double>{1, 2});
  CHECK(read("[[1, 2], 3]").items[0].array.to_vector<double>() == std::vector<double>{1, 2});
  CHECK(read("[[1, 2], [true, false]]").kind == Data::Kind::list);
  CHECK(read("[null, null]").items.size() == 2);
  CHECK(read("[]").array.size() == 0);
  CHECK(read("  7.5 ").array.to_vector<double>() == std::vector<double>{7.5});
  CHECK(std::signbit(read("-0").array.to_vector<double>()[0]));
  CHECK(read("\xef\xbb\xbf[1]").array.size() == 1);
  CHECK(read("{\"a\": 1, \"b\": 2, \"a\": 3}").items[0].array.to_vector<double>()[0] == 3);
  for (const char* text :
       {"", "[1, 2", "[1 2]", "{\"a\" 1}", "{a: 1}", "[01]", "[1.]", "[.5]", "[+1]", "tru", "[nan]", "\"a",
        "[1]]", "[1] 2", "{\"a\": 1,}", "[1,]", "[\"\x01\"]", "[\"\\x\"]", "[\"\\ud800\"]"}) {
    CAPTURE(text);
    CHECK_THROWS_AS(read(text), Error);
  }
  CHECK_THROWS_WITH(read(std::string(100000, '[')), Catch::Contains("nested more than 150 levels"));
  CHECK_THROWS_WITH(read("[1e999]"), Catch::Contains("the number 1e999, which is beyond float64"));
  CHECK(read("[1e-999]").array.to_vector<double>()[0] == 0);
}
