// Reports, read back.
#include "report/report.h"

#include <re2/re2.h>
#include <catch2/catch.hpp>

#include "report/code.h"
#include "report/prose.h"
#include "support/program.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

std::size_t count(const std::string& text, const std::string& part) {
  std::size_t out = 0;
  for (auto at = text.find(part); at != std::string::npos; at = text.find(part, at + 1)) ++out;
  return out;
}

struct Made {
  explicit Made(const std::string& script, SessionOptions options = {}) {
    struct Told : TextOutput {
      using TextOutput::TextOutput;
    } told(host);
    host.files["depths.csv"] = "depth (m),name\n1.5,north\n20,south\n";
    options.keeps = Keeps::everything;
    report = make_report(host, told, options, "study.eq", script);
    html = html_of(report, host);
    markdown = markdown_of(report, "");
  }
  std::vector<ReportPart::Kind> kinds() const {
    std::vector<ReportPart::Kind> out;
    for (const auto& part : report.parts) out.push_back(part.kind);
    return out;
  }
  MemoryHost host;
  Report report;
  std::string html, markdown;
};

// Every element is closed, in order.
bool is_well_formed(const std::string& html, std::string& wrong) {
  static const RE2 tag("<(/?)([a-zA-Z][a-zA-Z0-9]*)([^>]*)>");
  std::vector<std::string> open;
  re2::StringPiece rest(html);
  std::string closes, name, more;
  while (RE2::FindAndConsume(&rest, tag, &closes, &name, &more)) {
    if (name == "meta" || name == "img" || name == "br" || name == "hr" || more.ends_with('/')) continue;
    if (closes.empty()) {
      open.push_back(name);
    } else if (open.empty() || open.back() != name) {
      wrong = name + " closes " + (open.empty() ? "nothing" : open.back());
      return false;
    } else {
      open.pop_back();
    }
  }
  return open.empty();
}

const char* kStudy = R"eq(#: # The study
#: With $x^2$ in it.

given n = 3 "how many"   # behind it

section "First"
x = 1..n
#: Prose between.
t = load("depths.csv")
t
y = x^2   # a comment
print(y)
expect sum(y) > 3

section "Second & last"
figure("squares", formats: "svg") {
    title("Squares")
    line(x, y, label: "$x^2$")
    x_axis("position")
}
)eq";

}  // namespace

TEST_CASE("a report holds prose, code and output where they arose") {
  const Made made(kStudy);
  CAPTURE(made.host.messages);
  CHECK(made.report.fine);
  CHECK(made.report.title == "The study");
  using enum ReportPart::Kind;
  CHECK(made.kinds() == std::vector<ReportPart::Kind>{prose, code, heading, code, prose, code, table, code,
                                                      output, code, check, heading, code, figure});
  const auto& parts = made.report.parts;
  CHECK(parts[1].text == "given n = 3 \"how many\"   # behind it");
  CHECK(parts[3].text == "x = 1..n");
  CHECK(parts[7].text == "y = x^2   # a comment\nprint(y)");
  CHECK(parts[8].text == "  1  4  9\n");
  CHECK(parts[10].text == "sum(y) > 3");
  CHECK(made.host.files.contains("out/squares.svg"));
  CHECK(made.host.files.contains("out/run.json"));
}

TEST_CASE("the page is one sound file that asks nobody for anything") {
  const Made made(kStudy);
  std::string wrong;
  CHECK(is_well_formed(made.html, wrong));
  CHECK(wrong.empty());
  CHECK(has(made.html, "<h1>The study</h1>"));
  CHECK(has(made.html, "default-src 'none'"));
  CHECK_FALSE(has(made.html, "<script"));
  for (const char* outside : {"src=\"http", "href=\"http", "@import", "url(http"})
    CHECK_FALSE(has(made.html, outside));
  CHECK(has(made.html, "<a href=\"#section-2\">Second &amp; last</a>"));
  CHECK(has(made.html, "id=\"section-2\""));
  CHECK(has(made.html, "src=\"data:image/svg+xml;base64,"));
  CHECK(has(made.html, "alt=\"Squares: line &quot;x^2&quot;; x, position, from 1 to 3; y from 1 to 9.\""));
  CHECK(has(made.html, "<th scope=\"col\">depth<span class=\"unit\">(m)</span></th>"));
  CHECK(has(made.html, "<td> 1.5</td>"));
  CHECK(has(made.html, "<td>20.0</td>"));
  CHECK(has(made.html, "eager-quill verify out/run.json"));
  CHECK(has(made.html, "1 figure, 1 check passed"));
  // Headings in order: no level is left out.
  static const RE2 headings("<h([1-6])");
  re2::StringPiece rest(made.html);
  int level = 0, last = 0;
  while (RE2::FindAndConsume(&rest, headings, &level)) {
    CHECK(level <= last + 1);
    last = level;
  }
}

TEST_CASE("the same run gives the same page but for times") {
  auto once = Made(kStudy).html, again = Made(kStudy).html;
  for (auto* html : {&once, &again}) RE2::GlobalReplace(html, "<dt>(Began|Took|Sections)</dt>.*", "");
  CHECK(once == again);
}

TEST_CASE("what goes wrong stands in the report, and nothing of a text becomes markup") {
  const Made made(
      "#: <img src=x onerror=alert(1)> and <script>bad()</script>\nx = \"<b>&amp;\"\nx\nprint(\"\\t<i>\")\n"
      "section \"<u>\"\ny = [1][2]\nz = 1\n");
  CHECK_FALSE(made.report.fine);
  std::string wrong;
  CHECK(is_well_formed(made.html, wrong));
  for (const char* markup : {"<img src=x", "<script>", "<b>&", "<i>", "<u>"})
    CHECK_FALSE(has(made.html, markup));
  CHECK(has(made.html, "index 2 is out of range"));
  CHECK(made.report.parts.back().kind == ReportPart::Kind::error);
  CHECK(has(made.host.messages, "index 2 is out of range"));
  const Made broken("x = [1,\n");
  CHECK_FALSE(broken.report.fine);
  CHECK(broken.report.parts.back().kind == ReportPart::Kind::error);
  const Made empty("");
  CHECK(empty.report.fine);
  CHECK(is_well_formed(empty.html, wrong));
}

TEST_CASE("long tables are folded, and say how many rows there are") {
  const Made made("t = (n: 1..30, v: (1..30)^2)\nt\nbig = (n: 1..5000, v: 1..5000)\nbig\n");
  CHECK(has(made.html, "<summary>All 30 rows</summary>"));
  CHECK(has(made.html, "<summary>The first 2000 of 5000 rows</summary>"));
  CHECK(count(made.html, "<tr>") == 4 + 8 + 30 + 8 + 2000);
  CHECK(has(made.markdown, "The first 12 of 30 rows."));
}

TEST_CASE("long outputs are folded, with nothing lost") {
  const Made made("for k in 1..500 { print(\"line\", k) }\n");
  CHECK(has(made.html, "<summary>460 more lines</summary>"));
  CHECK(has(made.html, "line 40\n</pre>"));
  CHECK(has(made.html, "line 500"));
  CHECK(count(made.html, "line 41\n") == 1);
}

TEST_CASE("Markdown reports") {
  const Made made(kStudy);
  CHECK(made.markdown.starts_with("# The study\n\nWith $x^2$ in it."));
  CHECK(has(made.markdown, "```eq\nx = 1..n\n```"));
  CHECK(has(made.markdown, "| depth (m) | name |\n| --: | :-- |\n| 1.5 | north |\n"));
  CHECK(has(made.markdown, "![Squares: line \"x^2\";"));
  CHECK(has(made.markdown, "](<out/squares.svg>)"));
  CHECK(has(made.markdown, "✓ passed: `sum(y) > 3`"));
  // A text with a fence in it stays inside of its own.
  const Made fence("print(\"```\")\n");
  CHECK(has(fence.markdown, "````\n```\n````\n"));
}

TEST_CASE("code keeps every character, in classes") {
  for (const std::string code :
       {kStudy, "x = \"a # b\" # c", "if x < 3 & y > 2 { \"<&>\" }", "a = [1,\n 2]", "ß = 1\t# é"}) {
    auto html = highlighted(code);
    RE2::GlobalReplace(&html, "<[^>]*>", "");
    for (const auto& [from, to] : {std::pair("&lt;", "<"), {"&gt;", ">"}, {"&quot;", "\""}, {"&amp;", "&"}})
      RE2::GlobalReplace(&html, from, to);
    CHECK(html == code);
  }
  CHECK(highlighted("for k in 1..3 {}").starts_with("<span class=\"k\">for</span> k"));
  CHECK(has(highlighted("y = sin(x)"), "<span class=\"b\">sin</span>"));
}

TEST_CASE("prose becomes sound elements") {
  int level = 1;
  const auto html =
      html_of_prose("# A\n\n### B\n\ntext $a<b$ and $$\\frac{1}{2}$$ [x](javascript:bad) [y](https://a.b)\n",
                    {.level = 2, .picture = {}}, level);
  CHECK(has(html, "<h2>A</h2>"));
  CHECK(has(html, "<h3>B</h3>"));
  CHECK(level == 3);
  CHECK(count(html, "<svg class=\"formula\"") == 2);
  CHECK(has(html, "aria-label=\"a&lt;b\""));
  CHECK_FALSE(has(html, "javascript"));
  CHECK(has(html, "<a href=\"https://a.b\">y</a>"));
  level = 3;
  CHECK(has(html_of_prose("$\\nonsense{$", {.level = 3, .picture = {}}, level), "<code title="));
  const auto pictures =
      html_of_prose("![p](a.png) ![q](http://x/y.png)",
                    {3, [](const std::string& f) { return f == "a.png" ? "data:x" : ""; }}, level);
  CHECK(has(pictures, "<img src=\"data:x\" alt=\"p\">"));
  CHECK(has(pictures, "<em>q</em>"));
  CHECK_FALSE(has(pictures, "http"));
}
