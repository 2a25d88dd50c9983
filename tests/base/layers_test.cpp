// The arrows of the architecture, checked on every #include line.
#include <algorithm>
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <map>
#include <optional>
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
    {"value", {"language", "array", "base"}},
    {"compiler", {"value", "language", "array", "base"}},
    {"engine", {"compiler", "value", "language", "array", "base"}},
    {"builtins", {"engine", "compiler", "value", "numerics", "files", "figure", "array", "base", "language"}},
    {"session",
     {"builtins", "render", "engine", "compiler", "value", "numerics", "files", "figure", "array", "base",
      "language"}},
    {"app",
     {"session", "builtins", "render", "engine", "compiler", "value", "numerics", "files", "figure", "array",
      "base", "language"}},
};

template <class F>
void for_each_line(F f) {
  for (const auto& entry : fs::recursive_directory_iterator(fs::path(QUILL_SOURCE_DIR) / "src")) {
    if (!entry.is_regular_file()) continue;
    const auto layer = fs::relative(entry.path(), fs::path(QUILL_SOURCE_DIR) / "src").begin()->string();
    std::ifstream file(entry.path());
    for (std::string line; std::getline(file, line);) f(entry.path().string(), layer, line);
  }
}

// The layer of a line like #include "array/shape.h".
std::optional<std::string> included_layer(const std::string& line) {
  const std::string start = "#include \"";
  const auto slash = line.find('/');
  if (!line.starts_with(start) || slash == std::string::npos) return std::nullopt;
  return line.substr(start.size(), slash - start.size());
}

bool holds_any(const std::string& line, std::initializer_list<const char*> words) {
  return std::any_of(words.begin(), words.end(),
                     [&](const char* word) { return line.find(word) != std::string::npos; });
}

}  // namespace

TEST_CASE("a layer includes only what it may") {
  int found = 0;
  for_each_line([&](const std::string& path, const std::string& layer, const std::string& line) {
    const auto included = included_layer(line);
    if (!included) return;
    ++found;
    const auto other = *included;
    CAPTURE(path, line);
    REQUIRE(kMayInclude.contains(layer));
    CHECK((other == layer || kMayInclude.at(layer).contains(other)));
  });
  CHECK(found > 100);
}

TEST_CASE("only render knows the drawing libraries, only the program ends itself") {
  for_each_line([&](const std::string& path, const std::string& layer, const std::string& line) {
    CAPTURE(path, line);
    if (layer != "render") CHECK_FALSE(holds_any(line, {"#include <cairo", "#include <pango"}));
    if (layer != "app" && line.find("//") == std::string::npos)
      CHECK_FALSE(holds_any(
          line, {"std::cout", "std::cerr", "std::exit", "std::getenv", "stdout", "stderr", "::exit("}));
  });
}
