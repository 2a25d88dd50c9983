// What could stand at the end of a line.
#include "app/completion.h"

#include <catch2/catch.hpp>
#include <filesystem>

#include "app/session_commands.h"
#include "support/program.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

struct At : PromptSession {
  At() {
    session->run("entry",
                 "lake = (deepest: 38.2, name: \"Velm\")\nlevels = 1..3\nfn bump(x, height) = x * height\n"
                 "figure(\"bed\") { line(levels) }\nf = interpolant([1, 2], [3, 4])");
  }
  std::vector<std::string> found(const std::string& line) const {
    return complete_line(line, *session).found;
  }
  std::size_t start(const std::string& line) const { return complete_line(line, *session).start; }
};

bool is_among(const std::vector<std::string>& all, const std::string& one) {
  return std::find(all.begin(), all.end(), one) != all.end();
}

}  // namespace

TEST_CASE("completion of names, parts and arguments") {
  const At at;
  CHECK(at.found("lev") == std::vector<std::string>{"levels"});
  CHECK(at.start("y = lev") == 4);
  CHECK(is_among(at.found("y = interp"), "interpolate"));
  CHECK(at.found("lake.de") == std::vector<std::string>{"deepest"});
  CHECK(at.found("2 * lake.") == std::vector<std::string>{"deepest", "name"});
  CHECK_FALSE(at.found("f.").empty());
  CHECK(at.found("nothing.").empty());
  CHECK(at.found("bump(1, hei") == std::vector<std::string>{"height: "});
  CHECK(is_among(at.found("interpolate(x, y, me"), "method: "));
  CHECK_FALSE(is_among(at.found("sin(me"), "method: "));
  CHECK(at.found("zzz").empty());
}

TEST_CASE("completion of choices and files between quotes") {
  const At at;
  const auto methods = at.found("interpolate(x, y, at: 2, method: \"");
  CHECK(is_among(methods, "spline\""));
  CHECK(is_among(methods, "akima\""));
  CHECK(at.found("interpolate(x, y, at: 2, method: \"spl") == std::vector<std::string>{"spline\""});
  const TemporaryFolder folder;
  folder.write("depths.csv", "");
  folder.write("data/more.csv", "");
  const auto before = std::filesystem::current_path();
  std::filesystem::current_path(folder.path());
  CHECK(at.found("load(\"de") == std::vector<std::string>{"depths.csv\""});
  CHECK(at.found("load(\"da") == std::vector<std::string>{"data/"});
  CHECK(at.found("load(\"data/m") == std::vector<std::string>{"data/more.csv\""});
  CHECK(at.found(":run de") == std::vector<std::string>{"depths.csv"});
  CHECK(at.found("load(\"depths.csv\").x + \"no").empty());
  std::filesystem::current_path(before);
}

TEST_CASE("completion of the words of the prompt and what follows them") {
  const At at;
  CHECK(at.found(":hist") == std::vector<std::string>{":history"});
  CHECK(at.found(":ed") == std::vector<std::string>{":edit "});
  CHECK(at.found(":look b") == std::vector<std::string>{"bed"});
  CHECK(at.found(":forget lev") == std::vector<std::string>{"levels"});
  CHECK(is_among(at.found(":help interp"), "interpolate"));
  CHECK(is_among(at.found("?interp"), "interpolate"));
  CHECK(at.found(":time lev") == std::vector<std::string>{"levels"});
  CHECK(at.found(":vars x").empty());
  CHECK(at.found("").size() > 100);
  // Nothing that is typed does any harm.
  for (const char* line : {":", "\"", "((((", "a.b.c.d.", "\\", "f(x, \"", "]})", "x = {", "é"})
    at.found(line);
}
