// Every row of the registry is complete, and its example prints what the row says.
#include <catch2/catch.hpp>

#include <set>

#include "base/text.h"
#include "builtins/tables.h"
#include "support/script.h"

using namespace quill;

TEST_CASE("every built-in is documented") {
  std::set<std::string_view> names;
  for (const auto& row : builtins().rows()) {
    CAPTURE(row.name);
    CHECK(names.insert(row.name).second);
    CHECK_FALSE(row.family.empty());
    CHECK_FALSE(row.returns.empty());
    CHECK(row.summary.ends_with("."));
    CHECK_FALSE(row.example.empty());
    CHECK((row.run != nullptr || row.unary || row.constant));
    CHECK(row.parameters.size() <= 24);
    for (const auto& p : row.parameters) CHECK_FALSE(p.about.empty());
  }
}

TEST_CASE("the examples of the built-ins print what is said") {
  for (const auto& row : builtins().rows()) {
    CAPTURE(row.name, row.example);
    const auto ran = test::run(std::string(row.example));
    CAPTURE(ran.messages);
    CHECK(ran.ok);
    CHECK(ran.printed == std::string(row.output) + (row.output.empty() ? "" : "\n"));
    CHECK(ran.messages.find("error") == std::string::npos);
    CHECK(ran.messages.find("warning") == std::string::npos);
  }
}

TEST_CASE("help shows every built-in within 80 columns") {
  for (const auto& row : builtins().rows()) {
    const auto text = help_text(row, 80);
    CAPTURE(text);
    std::size_t from = 0;
    while (from < text.size()) {
      const auto end = text.find('\n', from);
      const auto line = text.substr(from, end - from);
      // Examples stand as they are written.
      if (text.find("\nExample\n") > from) CHECK(display_width(line) <= 80);
      from = end + 1;
    }
    CHECK(text.find(std::string(row.summary.substr(0, 20))) != std::string::npos);
  }
  CHECK(help_overview(80).find("interpolate") != std::string::npos);
  CHECK(help_search("spline", 80).find("interpolant") != std::string::npos);
  CHECK(help_search("xyzzyxyzzy", 80).empty());
}
