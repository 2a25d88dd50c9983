// The arrows of the architecture, checked on every #include line.
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <set>

namespace fs = std::filesystem;

namespace {

const std::map<std::string, std::set<std::string>> kMayInclude = {
    {"base", {}},
    {"array", {"base"}},
    {"numerics", {"array", "base"}},
    {"files", {"array", "base"}},
    {"figure", {"array", "base"}},
    {"render", {"figure", "base"}},
    {"language", {"base"}},
    {"engine", {"language", "array", "base"}},
    {"builtins", {"engine", "numerics", "files", "figure", "array", "base", "language"}},
    {"session", {"builtins", "render", "engine", "numerics", "files", "figure", "array", "base", "language"}},
    {"app",
     {"session", "builtins", "render", "engine", "numerics", "files", "figure", "array", "base", "language"}},
};

template <class F>
void for_each_line(F f) {
  for (const auto& entry : fs::recursive_directory_iterator(fs::path(QUILL_SOURCE_DIR) / "src")) {
    if (!entry.is_regular_file()) continue;
    const auto layer = entry.path().parent_path().filename().string();
    std::ifstream file(entry.path());
    for (std::string line; std::getline(file, line);) f(entry.path().string(), layer, line);
  }
}

}  // namespace

TEST_CASE("a layer includes only what it may") {
  const std::regex include("#include \"([a-z_]+)/[a-z_]+\\.h\"");
  int found = 0;
  for_each_line([&](const std::string& path, const std::string& layer, const std::string& line) {
    std::smatch match;
    if (!std::regex_search(line, match, include)) return;
    ++found;
    const auto other = match[1].str();
    CAPTURE(path, line);
    REQUIRE(kMayInclude.contains(layer));
    CHECK((other == layer || kMayInclude.at(layer).contains(other)));
  });
  CHECK(found > 100);
}

TEST_CASE("only render knows the drawing libraries, only the program ends itself") {
  const std::regex drawing("#include <(cairo|pango)"),
      outside("std::(cout|cerr|exit|getenv)|\\bstd(out|err)\\b|::exit\\(");
  for_each_line([&](const std::string& path, const std::string& layer, const std::string& line) {
    CAPTURE(path, line);
    if (layer != "render") CHECK_FALSE(std::regex_search(line, drawing));
    if (layer != "app" && line.find("//") == std::string::npos) CHECK_FALSE(std::regex_search(line, outside));
  });
}
