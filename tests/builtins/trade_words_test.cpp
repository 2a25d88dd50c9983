// Words of the trade lead to built-ins.
#include <catch2/catch.hpp>
#include <set>

#include "builtins/tables.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("words of the trade lead to built-ins that are there, each to one") {
  std::set<std::string> seen;
  for (const auto& [name, words] : trade_words()) {
    CAPTURE(std::string(name));
    CHECK(builtins().find(name) >= 0);
    for (std::size_t at = 0; at < words.size();) {
      const auto end = std::min(words.find(' ', at), words.size());
      const std::string word(words.substr(at, end - at));
      CAPTURE(word);
      CHECK(builtins().find(word) < 0);
      CHECK(seen.insert(word).second);
      CHECK(builtins().named_by(word) == name);
      at = end + 1;
    }
  }
}

TEST_CASE("an unknown name is answered by the word, by its beginning, or by what is near") {
  for (const auto& [written, meant] :
       std::vector<std::pair<std::string, std::string>>{{"average", "mean"},
                                                        {"maximum", "max"},
                                                        {"plot", "figure"},
                                                        {"curve", "line"},
                                                        {"absolute", "abs"},
                                                        {"integral", "integrate"},
                                                        {"slope", "line_fit"},
                                                        {"spectrum", "power_spectrum"},
                                                        {"interp", "interpolate"},
                                                        {"reshap", "reshape"},
                                                        {"Sum", "sum"}}) {
    CAPTURE(written);
    CHECK(error_of("x = " + written + "([1, 2])").find("hint: did you mean " + meant + "?\n") !=
          std::string::npos);
  }
  CHECK(help_search("average", 80).find("mean ") == 0);
}
