// The pages of the guide print what they say, and the reference is what the registry makes.
#include <catch2/catch.hpp>
#include <filesystem>

#include "base/text.h"
#include "builtins/reference.h"
#include "support/paths.h"
#include "support/program.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

const std::filesystem::path kDocs = std::filesystem::path(kSourceDir) / "docs";

struct Block {
  std::string kind, text;
};

// The code blocks of a page in order.
std::vector<Block> blocks_of(const std::string& page) {
  std::vector<Block> out;
  bool inside = false;
  for (std::size_t at = 0; at < page.size();) {
    const auto end = std::min(page.find('\n', at), page.size());
    const auto line = page.substr(at, end - at);
    at = end + 1;
    if (line.starts_with("```")) {
      if (!inside) out.push_back({line.substr(3), ""});
      inside = !inside;
    } else if (inside) {
      out.back().text += line + "\n";
    }
  }
  CHECK_FALSE(inside);
  return out;
}

}  // namespace

TEST_CASE("every piece of code in the guide prints what stands below it") {
  int pages = 0, pieces = 0;
  for (const auto& entry : std::filesystem::directory_iterator(kDocs / "guide")) {
    const auto blocks = blocks_of(read_text(entry.path().string()));
    MemoryHost host;
    host.files["soundings.csv"] = read_text(std::string(kSourceDir) + "/examples/lake/soundings.csv");
    host.files["chain.nc"] = read_text(std::string(kSourceDir) + "/examples/lake/chain.nc");
    TestSession session(host, {});
    ++pages;
    for (std::size_t k = 0; k < blocks.size(); ++k) {
      if (!blocks[k].kind.starts_with("quill")) continue;
      const bool fails = blocks[k].kind == "quill error";
      CAPTURE(entry.path().filename().string(), blocks[k].text);
      host.printed.clear();
      host.messages.clear();
      CHECK(session.run("survey.eq", blocks[k].text) != fails);
      const auto shown = std::string(trim(fails ? host.messages : host.printed));
      const bool has_output = k + 1 < blocks.size() && blocks[k + 1].kind == "text";
      CHECK(shown == (has_output ? std::string(trim(blocks[k + 1].text)) : ""));
      if (!fails) CHECK(host.messages.find("error") == std::string::npos);
      ++pieces;
    }
  }
  CHECK(pages >= 8);
  CHECK(pieces >= 60);
}

TEST_CASE("links between the pages lead somewhere") {
  for (const auto& entry : std::filesystem::recursive_directory_iterator(kDocs)) {
    if (entry.path().extension() != ".md") continue;
    const auto page = read_text(entry.path().string());
    for (auto at = page.find("]("); at != std::string::npos; at = page.find("](", at + 1)) {
      const auto link = page.substr(at + 2, page.find(')', at) - at - 2);
      if (!link.ends_with(".md") && !link.ends_with(".png")) continue;
      CAPTURE(entry.path().string(), link);
      CHECK(std::filesystem::exists(entry.path().parent_path() / link));
    }
  }
}

TEST_CASE("the reference is made from the registry") {
  // ./dev reference writes it anew.
  const auto pages = reference_pages();
  std::size_t found = 0;
  for (const auto& entry : std::filesystem::directory_iterator(kDocs / "reference")) {
    CAPTURE(entry.path().filename().string());
    const auto page = pages.find(entry.path().filename().string());
    REQUIRE(page != pages.end());
    CHECK(read_text(entry.path().string()) == page->second);
    ++found;
  }
  CHECK(found == pages.size());
}
