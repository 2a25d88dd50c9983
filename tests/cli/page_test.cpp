// Reports in a browser: accessibility by axe-core, widths, printing. Without a browser they are skipped; in
// CI they fail.
#include <re2/re2.h>
#include <catch2/catch.hpp>
#include <cstdlib>
#include <filesystem>

#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;

namespace {

const char* kBrowser = "/usr/bin/chromium";
const std::string kRules = std::string(kSourceDir) + "/build/tools/page/node_modules/axe-core/axe.min.js";

// The page with a script in it, whose result it shows.
std::string answer_of(const TemporaryFolder& folder, std::string html, const std::string& script, int width,
                      const std::vector<std::string>& options = {}) {
  RE2::Replace(&html, "<meta http-equiv=\"Content-Security-Policy\"[^>]*>", "");
  const auto end = html.rfind("</body>");
  html.insert(end, script);
  // A frame has the width of a phone where a window cannot be so narrow.
  folder.write("page.html", html);
  std::vector<std::string> arguments = {"--headless",
                                        "--no-sandbox",
                                        "--disable-gpu",
                                        "--user-data-dir=" + folder.path("browser"),
                                        "--virtual-time-budget=20000",
                                        "--window-size=" + std::to_string(width) + ",900"};
  arguments.insert(arguments.end(), options.begin(), options.end());
  arguments.insert(arguments.end(), {"--dump-dom", "file://" + folder.path("page.html")});
  const auto result = run_program(kBrowser, arguments, "", folder.path());
  std::string found;
  CAPTURE(result.err);
  REQUIRE(RE2::PartialMatch(result.out, "<title>RESULT (.*) END</title>", &found));
  return found;
}

}  // namespace

TEST_CASE("reports are accessible, fit narrow screens and long pages", "[documents]") {
  if (!std::filesystem::exists(kBrowser) || !std::filesystem::exists(kRules)) {
    if (std::getenv("CI") != nullptr) FAIL("Chromium or axe-core is missing: ./dev test installs them");
    WARN("Chromium or axe-core is missing: ./dev test installs them");
    return;
  }
  const TemporaryFolder folder("eager-quill-page");
  std::filesystem::copy(std::string(kSourceDir) + "/examples", folder.path("examples"),
                        std::filesystem::copy_options::recursive);
  folder.write("bad.eq",
               "#: prose with $x^2$ and a [link](https://example.org)\nx = 1..3\nx\nsolve([1, 1 | 1, 1 + "
               "1e-13], [1, 2])\n"
               "t = (a: 1..20, b: 1..20)\nt\ny = [1][2]\n");
  const std::string axe =
      "<script>" + read_text(kRules) +
      "</script><script>axe.run(document).then(r => { document.title = 'RESULT ' + "
      "r.violations.map(v => v.id + ': ' + v.nodes.map(n => n.html.slice(0, 80)).join(' ')).join('; ') + "
      "' END'; });</script>";
  const std::string widths =
      "<script>window.addEventListener('load', () => { document.title = 'RESULT ' + "
      "(document.documentElement.scrollWidth - window.innerWidth) + ' END'; });</script>";
  for (const char* script : {"examples/heat.eq", "bad.eq"}) {
    run_program(kProgram, {"report", script, "-o", "report.html", "--no-config"}, "", folder.path());
    const auto html = folder.read("report.html");
    CAPTURE(script);
    CHECK(answer_of(folder, html, axe, 1280) == "");
    CHECK(answer_of(folder, html, axe, 1280, {"--blink-settings=preferredColorScheme=0"}) == "");
    // Nothing but what scrolls for itself is wider than the window.
    CHECK(std::stoi(answer_of(folder, html, widths, 500)) <= 0);
    run_program(kBrowser,
                {"--headless", "--no-sandbox", "--disable-gpu", "--user-data-dir=" + folder.path("browser"),
                 "--print-to-pdf=" + folder.path("p.pdf"), "file://" + folder.path("report.html")},
                "", folder.path());
    CHECK(folder.read("p.pdf").starts_with("%PDF"));
  }
}
