// The documents as pages: every link leads to a page, and the program finds the page of a built-in.
#include <catch2/catch.hpp>
#include <filesystem>

#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;
namespace fs = std::filesystem;

namespace {

const fs::path kBuild = fs::path(kProgram).parent_path();

}  // namespace

TEST_CASE("every link and picture of the site leads to a file and a heading", "[documents]") {
  const TemporaryFolder folder;
  const auto made =
      run_program((kBuild / "make_site").string(), {kSourceDir, folder.path("site")}, "", folder.path());
  CAPTURE(made.err);
  REQUIRE(made.status == 0);
  int pages = 0, links = 0;
  for (const auto& entry : fs::recursive_directory_iterator(folder.path("site"))) {
    if (entry.path().extension() != ".html") continue;
    ++pages;
    const auto html = read_text(entry.path().string());
    CHECK(html.find("<title>") != std::string::npos);
    CHECK(html.find("http-equiv=\"refresh\"") == std::string::npos);
    for (const std::string attribute : {" href=\"", " src=\""})
      for (std::size_t at = 0; (at = html.find(attribute, at)) != std::string::npos;) {
        at += attribute.size();
        const auto target = html.substr(at, html.find('"', at) - at);
        if (target.find("://") != std::string::npos || target.starts_with("data:")) continue;
        const auto hash = std::min(target.find('#'), target.size());
        const auto file = hash == 0 ? entry.path() : entry.path().parent_path() / target.substr(0, hash);
        ++links;
        const bool exists = fs::exists(file);
        if (!exists) FAIL_CHECK(entry.path().string() << " links to " << target);
        if (exists && hash + 1 < target.size()) {
          const auto anchor = "id=\"" + target.substr(hash + 1) + "\"";
          if (read_text(file.string()).find(anchor) != std::string::npos) continue;
          FAIL_CHECK(entry.path().string() << " links to " << target);
        }
      }
  }
  CHECK(pages > 100);
  CHECK(links > 2000);
  // The search index covers the sections, with the synonyms of built-ins.
  const auto index = read_text(folder.path("site/index.js"));
  CHECK(index.find("reference/fits.html#line_fit") != std::string::npos);
  CHECK(index.find("linear_regression") != std::string::npos);
}

TEST_CASE("help --browse opens the page of a built-in, or says which file to open", "[documents]") {
  const TemporaryFolder folder;
  // An installed program beside its pages, and a desktop that notes what it is asked to open.
  fs::create_directories(folder.path("bin"));
  fs::copy_file(kProgram, folder.path("bin/eager-quill"));
  folder.write("share/doc/eager-quill/site/index.html", "");
  folder.write("bin/xdg-open", "#!/bin/sh\nprintf '%s' \"$1\" >\"" + folder.path("opened") + "\"\n");
  fs::permissions(folder.path("bin/xdg-open"), fs::perms::owner_all);
  const auto browse = [&](const std::string& path, const std::string& name) {
    return run_program(
        "/usr/bin/env",
        {"PATH=" + path, folder.path("bin/eager-quill"), "help", "--browse", name, "--no-config"}, "",
        folder.path());
  };
  const auto pages = "file://" + folder.path("share/doc/eager-quill/site/reference/");
  CHECK(browse(folder.path("bin") + ":/usr/bin:/bin", "sort").status == 0);
  CHECK(folder.read("opened") == pages + "order-and-sets.html#sort");
  CHECK(browse(folder.path("bin") + ":/usr/bin:/bin", "range").status == 0);
  CHECK(folder.read("opened") == pages + "language.html#range");
  const auto alone = browse("/nowhere", "sort");
  CHECK(alone.status == 1);
  CHECK(alone.err.find("hint: open " + pages + "order-and-sets.html#sort") != std::string::npos);
  CHECK(browse("/nowhere", "nosuchthing").err.find("no help for `nosuchthing`") != std::string::npos);
}
