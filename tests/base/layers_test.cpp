// The arrows of the architecture, checked on every #include line.
#include <algorithm>
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <map>
#include <optional>
#include <set>
#include <sstream>

#include "support/paths.h"

using namespace quill::test;
namespace fs = std::filesystem;

namespace {

// The layers with all that they see, directly or through others, from the build's own list.
std::map<std::string, std::set<std::string>> layers() {
  std::map<std::string, std::set<std::string>> out;
  std::ifstream file(kLayers);
  for (std::string line; std::getline(file, line);) {
    const auto colon = line.find(':');
    auto& seen = out[line.substr(0, colon)];
    std::istringstream names(line.substr(colon + 1));
    for (std::string name; names >> name;) {
      seen.insert(name);
      seen.insert(out.at(name).begin(), out.at(name).end());
    }
  }
  return out;
}

template <class F>
void for_each_line(F f) {
  for (const auto& entry : fs::recursive_directory_iterator(fs::path(kSourceDir) / "src")) {
    if (!entry.is_regular_file()) continue;
    const auto layer = fs::relative(entry.path(), fs::path(kSourceDir) / "src").begin()->string();
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
  const auto may_include = layers();
  REQUIRE(may_include.size() >= 13);
  int found = 0;
  for_each_line([&](const std::string& path, const std::string& layer, const std::string& line) {
    const auto included = included_layer(line);
    if (!included) return;
    ++found;
    const auto other = *included;
    CAPTURE(path, line);
    REQUIRE(may_include.contains(layer));
    CHECK((other == layer || may_include.at(layer).contains(other)));
  });
  CHECK(found > 100);
}

TEST_CASE("only render knows the drawing libraries, only the program ends itself") {
  for_each_line([&](const std::string& path, const std::string& layer, const std::string& line) {
    CAPTURE(path, line);
    if (layer != "render") CHECK_FALSE(holds_any(line, {"#include <cairo", "#include <pango"}));
    if (layer != "app" && layer != "mpi" && line.find("//") == std::string::npos)
      CHECK_FALSE(holds_any(
          line, {"std::cout", "std::cerr", "std::exit", "std::getenv", "stdout", "stderr", "::exit("}));
  });
}

TEST_CASE("the picture of the layers shows the build's own list") {
  std::ifstream file(fs::path(kSourceDir) / "docs" / "contributing" / "architecture.md");
  std::stringstream page;
  page << file.rdbuf();
  std::ifstream list(kLayers);
  for (std::string line; std::getline(list, line);) {
    const auto colon = line.find(':');
    auto seen = line.substr(colon + 1);
    seen.erase(0, seen.find_first_not_of(' '));
    const auto row = "| `" + line.substr(0, colon) + "` | " +
                     (seen.find_first_not_of(' ') == seen.npos ? "nothing" : seen) + " |";
    CAPTURE(row);
    CHECK(page.str().find(row) != std::string::npos);
  }
}
