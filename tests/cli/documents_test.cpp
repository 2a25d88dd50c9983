// What the documents promise: links lead somewhere, and the code in them runs.
#include <algorithm>
#include <catch2/catch.hpp>
#include <filesystem>
#include <sstream>

#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;

namespace {

const std::string kRoot = kSourceDir;

// The targets of all links and pictures of a Markdown text.
std::vector<std::string> links_of(const std::string& text) {
  std::vector<std::string> out;
  for (auto at = text.find("]("); at != std::string::npos; at = text.find("](", at + 1)) {
    const auto end = text.find(')', at);
    if (end != std::string::npos) out.push_back(text.substr(at + 2, end - at - 2));
  }
  return out;
}

// The fenced block after a heading.
std::string block_after(const std::string& text, const std::string& heading) {
  const auto at = text.find(heading);
  REQUIRE(at != std::string::npos);
  const auto begin = text.find('\n', text.find("```", at)) + 1;
  return text.substr(begin, text.find("```", begin) - begin);
}

}  // namespace

TEST_CASE("links in the documents lead to files", "[documents]") {
  for (const char* document : {"README.md", "CONTRIBUTING.md"}) {
    for (const auto& link : links_of(read_text(kRoot + "/" + document))) {
      CAPTURE(document, link);
      CHECK(std::filesystem::exists(kRoot + "/" + link));
    }
  }
}

TEST_CASE("the pictures of the documents are current files, and few", "[documents]") {
  int count = 0;
  const auto readme = read_text(kRoot + "/README.md");
  for (const auto& entry : std::filesystem::directory_iterator(kRoot + "/docs/screenshots")) {
    ++count;
    CAPTURE(entry.path());
    CHECK(readme.find("docs/screenshots/" + entry.path().filename().string()) != std::string::npos);
    CHECK(read_text(entry.path()).starts_with("\x89PNG"));
  }
  CHECK(count >= 2);
  CHECK(count < 20);
}

TEST_CASE("the guide's page on doing work again shows what the program says", "[documents]") {
  const auto page = read_text(kRoot + "/docs/guide/redoing.md");
  const auto shows = [&](const std::string& text) {
    CAPTURE(text);
    CHECK(page.find("```text\n" + text + "```") != std::string::npos);
  };
  const TemporaryFolder folder;
  const auto quill_run = [&](const std::vector<std::string>& arguments) {
    return run_program(kProgram, arguments, "", folder.path()).out;
  };
  quill_run({"demo"});
  shows(quill_run({"verify", "velm/out"}));
  shows(quill_run({"trace", "velm/out/volume.png"}));
  folder.write("draft.eq", block_after(page, "For example, a draft:"));
  shows(quill_run({"check", "draft.eq"}));
  auto soundings = folder.read("velm/lake/soundings.csv");
  soundings.replace(soundings.find("17.84"), 5, "19.84");
  folder.write("velm/lake/soundings.csv", soundings);
  shows(quill_run({"verify", "velm/out/run.json"}));
}

TEST_CASE("the README is short, shows the script of its picture, and its tour of the language runs",
          "[documents]") {
  const auto readme = read_text(kRoot + "/README.md");
  CHECK(std::count(readme.begin(), readme.end(), '\n') <= 120);
  for (const char* command : {"./dev demo", "./dev test", "./dev install"})
    CHECK(readme.find(command) != std::string::npos);
  // Its first script is examples/august.eq without comments.
  std::istringstream example(read_text(kRoot + "/examples/august.eq"));
  for (std::string line; std::getline(example, line);) {
    if (line.starts_with("#")) continue;
    line = line.substr(0, line.find("  #"));
    while (line.ends_with(' ')) line.pop_back();
    CAPTURE(line);
    CHECK(readme.find(line + "\n") != std::string::npos);
  }
  const TemporaryFolder folder;
  folder.write("tour.eq", block_after(readme, "## The language in one minute"));
  const auto r = run_program(kProgram, {"run", folder.path("tour.eq")}, "", folder.path());
  CAPTURE(r.err, r.out);
  CHECK(r.status == 0);
  CHECK(r.out.find("across(a) + down(r) : float64 11×3") != std::string::npos);
  CHECK(r.out.find("y = [1.100, 0.000] at 0.1") != std::string::npos);
}

TEST_CASE("what the demo names to try next works", "[documents]") {
  const TemporaryFolder folder;
  const auto demo = run_program(kProgram, {"demo"}, "", folder.path());
  int tried = 0;
  const auto start = std::string("\n  ") + kProgram + " ";  // which is not on the PATH
  for (std::size_t at = 0; (at = demo.err.find(start, at)) != std::string::npos; ++at) {
    const auto begin = at + 3, end = demo.err.find('\n', begin);
    auto command = demo.err.substr(begin, end - begin);
    if (command.find(" watch ") != std::string::npos) continue;  // which ends when somebody ends it
    const auto result = run_program("/bin/sh", {"-c", command}, "", folder.path());
    CAPTURE(command, result.out, result.err);
    CHECK(result.status == 0);
    ++tried;
  }
  CHECK(tried >= 5);
}

TEST_CASE("the guide's page on the prompt shows what the program says", "[documents]") {
  const auto page = read_text(kRoot + "/docs/guide/prompt.md");
  // Lines with a prompt are typed, the others come back.
  std::string typed, expected;
  std::size_t from = 0;
  for (const char* first : {"1 ~ k = 3", "5 ~ :edit"}) {
    const auto begin = page.find(first, from);
    REQUIRE(begin != std::string::npos);
    const auto end = page.find("```", begin);
    for (auto at = begin; at < end;) {
      const auto stop = page.find('\n', at);
      const auto line = page.substr(at, stop - at);
      if (const auto mark = line.find(" ~ "); mark == 1)
        typed += line.substr(mark + 3) + "\n";
      else
        expected += line + "\n";
      at = stop + 1;
    }
    from = end;
  }
  const TemporaryFolder folder;
  CHECK(run_program(kProgram, {"--no-config"}, typed, folder.path()).out == expected);
}
