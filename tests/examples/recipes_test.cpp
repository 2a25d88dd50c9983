// The recipes run, give the numbers that their data were made with, and their pages show them.
#include <algorithm>
#include <catch2/catch.hpp>
#include <filesystem>

#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;
namespace fs = std::filesystem;

namespace {

const std::string kFolder = std::string(kSourceDir) + "/examples/recipes/";

Result run_recipe(const std::string& name, const TemporaryFolder& folder) {
  auto r = run_program(kProgram, {"run", kFolder + name, "--out", folder.path(), "--no-config", "--also-read",
                                  std::string(kSourceDir) + "/examples"});
  CAPTURE(name, r.err);
  CHECK(r.status == 0);
  return r;
}

}  // namespace

TEST_CASE("every recipe runs, passes its checks and has a page with its script and output") {
  int count = 0;
  for (const auto& entry : fs::directory_iterator(kFolder)) {
    if (entry.path().extension() != ".eq") continue;
    const TemporaryFolder folder;
    const auto name = entry.path().filename().string();
    const auto r = run_recipe(name, folder);
    ++count;
    const auto page =
        read_text(std::string(kSourceDir) + "/docs/recipes/" + entry.path().stem().string() + ".md");
    for (const auto& [what, text] :
         {std::pair("script", read_text(entry.path().string())), {"output", r.out}})
      for (std::size_t at = 0; at < text.size();) {
        const auto end = std::min(text.find('\n', at), text.size());
        const auto line = text.substr(at, end - at);
        at = end + 1;
        // Prose and sections are formatted on the page, and long tables are laid out there.
        const bool is_formatted = line.starts_with("#:") || line.starts_with("section ") ||
                                  line.starts_with("  ") || line.find(" : table of ") != std::string::npos;
        CAPTURE(name, what, line);
        if (!is_formatted) CHECK(page.find(line) != std::string::npos);
      }
  }
  CHECK(count >= 7);
}

TEST_CASE("a messy table is read with its units, dates and missing values, and saved clean") {
  const TemporaryFolder folder;
  const auto r = run_recipe("messy_table.eq", folder);
  CHECK(r.err.find("2 rows of data/casts.csv have fields that do not match: lines 8, 10") !=
        std::string::npos);
  const auto clean = folder.read("casts.csv");
  CHECK(clean.starts_with(
      "date,station,depth (m),temperature (°C),oxygen (mg/L)\n2026-06-12,harbour,2.5,17.8,9.6\n"));
  CHECK(clean.find("2026-06-12,deep,35,5.2,nan\n") != std::string::npos);
  CHECK(std::count(clean.begin(), clean.end(), '\n') == 13);
}
