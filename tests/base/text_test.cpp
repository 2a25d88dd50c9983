#include "base/text.h"

#include <catch2/catch.hpp>

using namespace quill;

TEST_CASE("characters are decoded and malformed bytes found") {
  CHECK(count_characters("Velm λ²") == 7);
  CHECK(find_malformed("λ") == std::string_view::npos);
  CHECK(find_malformed("ab\xff") == 2);
  CHECK(find_malformed("\xce") == 0);
  CHECK(decode("λ", 0).code == U'λ');
  CHECK_FALSE(decode("\xff", 0).valid);
  std::string out;
  append_utf8(out, U'→');
  CHECK(out == "→");
  CHECK(start_of_character("aλb", 2) == 1);
}

TEST_CASE("display width counts columns") {
  CHECK(display_width("abc") == 3);
  CHECK(display_width("湖") == 2);
  CHECK(display_width("e\u0301") == 1);
  CHECK(pad_right("湖", 4) == "湖  ");
  CHECK(pad_left("ab", 4) == "  ab");
  CHECK(printable("a\x01\xff") == "a\\x01\\xff");
}

TEST_CASE("text is wrapped at spaces") {
  CHECK(wrap("one two three", 7) == std::vector<std::string>{"one two", "three"});
  CHECK(wrap("a\nb", 10) == std::vector<std::string>{"a", "b"});
  CHECK(wrap("unbreakable", 3) == std::vector<std::string>{"unbreakable"});
}

TEST_CASE("the nearest name is found, and none when nothing is near") {
  const std::vector<std::string> known = {"depth", "density", "interpolate", "interpolant"};
  CHECK(nearest_name("dept", known) == "depth");
  CHECK(nearest_name("detph", known) == "depth");
  CHECK(nearest_name("interpolat", known) == "interpolate");
  CHECK(nearest_name("zzz", known).empty());
  CHECK(nearest_name("z", {"x", "y"}).empty());
}

TEST_CASE("lists are written in prose") {
  CHECK(list_in_prose({"a"}) == "a");
  CHECK(list_in_prose({"a", "b"}) == "a and b");
  CHECK(list_in_prose({"a", "b", "c"}, "or") == "a, b or c");
}

TEST_CASE("the first malformed byte is found wherever it stands") {
  for (std::size_t size = 1; size < 40; ++size)
    for (std::size_t bad = 0; bad < size; ++bad) {
      std::string text(size, 'a');
      text[bad] = '\xff';
      CHECK(find_malformed(text) == bad);
      text[bad] = 'a';
      CHECK(find_malformed(text) == std::string::npos);
      if (bad + 1 < size) {
        text = std::string(bad, 'a') + "ü" + std::string(size - bad - 2, 'a');
        CHECK(find_malformed(text) == std::string::npos);
        CHECK(find_malformed(text.substr(0, bad + 1)) == bad);
      }
    }
}
