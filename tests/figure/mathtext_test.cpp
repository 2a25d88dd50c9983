// Mathematical text: where its pieces stand, and what is said about mistakes in it.
#include "laid_out.h"

using namespace quill;
using namespace quill::test;

namespace {

TextLine lay(const std::string& text, bool bold = false) {
  BlockFont font;
  return lay_text(text, {10, bold}, font);
}

// The characters in the order in which they were composed.
std::string shown(const std::string& text) { return lay(text).plain(); }

double top_of(const TextRun& run) { return run.rise + 0.7 * run.font.size; }

}  // namespace

TEST_CASE("text and formulas can be distinguished by dollar signs") {
  CHECK(shown("depth $\\alpha$ (m)") == "depth α (m)");
  CHECK(shown("costs \\$5 or 5 $") == "costs $5 or 5 $");
  CHECK(lay("abc").width == Approx(15));
  CHECK(lay("").width == 0);
  CHECK(lay("abc").runs[0].font.family == Font::Family::text);
  CHECK(lay("$abc$").runs[0].font.family == Font::Family::math);
  // Figures with powers and units look like the text around them.
  for (const char* plain : {"$10^{-3}$", "$3\\times10^4$", "$20\\,\\mathrm{m}$", "$\\pm 5$"}) {
    CAPTURE(plain);
    for (const auto& run : lay(plain).runs) CHECK(run.font.family == Font::Family::text);
  }
}

TEST_CASE("variables are italic, names and figures upright, bold in bold texts") {
  CHECK(lay("$x$").runs[0].text == "\U0001D465");
  CHECK(lay("$h$").runs[0].text == "ℎ");
  CHECK(lay("$\\theta$").runs[0].text == "\U0001D703");
  CHECK(lay("$\\Delta$").runs[0].text == "Δ");
  CHECK(lay("$\\mathrm{x}$").runs[0].text == "x");
  CHECK(lay("$a\\sin x$").runs[1].text == "sin");
  CHECK(lay("$a2$").runs[1].text == "2");
  CHECK(lay("$x$", true).runs[0].text == "\U0001D499");
  CHECK(lay("$a2$", true).runs[1].text == "\U0001D7D0");
  CHECK(lay("$\\mathbf{v}$").runs[0].text == "\U0001D42F");
  CHECK(lay("$\\mathbb{R}$").runs[0].text == "ℝ");
  CHECK(lay("$\\mathcal{L}$").runs[0].text == "ℒ");
  CHECK(shown("$a - b$") == "a−b");
  CHECK(shown("$\\mathrm{max}\\,\\Omega$") == "maxΩ");
  CHECK(shown("$\\text{if } x$") == "if x");
}

TEST_CASE("scripts stand smaller above and below, at one place when there are both") {
  const auto both = lay("$x^{2}_{i}$").runs;
  REQUIRE(both.size() == 3);
  CHECK(both[1].rise > 0);
  CHECK(both[2].rise < 0);
  CHECK(both[1].font.size < both[0].font.size);
  CHECK(std::abs(both[1].x - both[2].x) < 1);
  // Whichever is written first.
  const auto turned = lay("$x_i^2$").runs;
  CHECK(turned[1].rise == both[1].rise);
  CHECK(turned[2].rise == both[2].rise);
  // They keep apart, however small the base is.
  CHECK(both[1].rise > both[2].rise + 0.7 * both[2].font.size);
  // Scripts of scripts do not vanish.
  const auto deep = lay("$a^{b^{c^{d^e}}}$").runs;
  CHECK(deep.back().font.size > 0.4 * deep[0].font.size);
  CHECK(deep.back().rise > deep[1].rise);
  // Over something tall they stand higher.
  CHECK(lay("$\\left(\\frac{a}{b}\\right)^2$").runs.back().rise > both[1].rise + 1);
  CHECK(lay("$f^\\prime$").runs[1].rise == lay("$f'$").runs[1].rise);
  const auto primed = lay("$f'$").runs;
  REQUIRE(primed.size() == 2);
  CHECK(top_of(primed[1]) == Approx(top_of(primed[0])));
}

TEST_CASE("signs keep their distance from operands, not from what follows them alone") {
  const auto apart = [](const std::string& text, std::size_t k) {
    const auto runs = lay(text).runs;
    REQUIRE(k + 1 < runs.size());
    return runs[k + 1].x - runs[k].x - runs[k].width;
  };
  CHECK(apart("$a-b$", 0) > 1);
  CHECK(apart("$a-b$", 0) == Approx(apart("$a-b$", 1)));
  CHECK(apart("$-b$", 0) == Approx(0).margin(1e-9));
  CHECK(apart("$(-b)$", 1) == Approx(0).margin(1e-9));
  CHECK(apart("$a=-b$", 2) == Approx(0).margin(1e-9));
  CHECK(apart("$a=b$", 0) > apart("$a-b$", 0));
  CHECK(apart("$a\\sin b$", 1) > 1);
  CHECK(apart("$a\\,b$", 0) > 1);
  CHECK(apart("$a b$", 0) == Approx(0).margin(1e-9));
  // In scripts there is no room for that.
  CHECK(apart("$x^{a-b}$", 1) == Approx(0).margin(1e-9));
}

TEST_CASE("a fraction has its parts above and below its bar, which covers the wider one") {
  const auto half = lay("$\\frac{a}{bcd}$");
  REQUIRE(half.runs.size() == 4);
  REQUIRE(half.strokes.size() == 1);
  const auto& bar = half.strokes[0].points;
  CHECK(half.runs[0].rise > bar[0].second);
  CHECK(top_of(half.runs[1]) < bar[0].second);
  CHECK(bar[0].first < half.runs[1].x);
  CHECK(bar[1].first > half.runs[3].x + half.runs[3].width);
  CHECK(half.runs[0].x + half.runs[0].width / 2 == Approx((bar[0].first + bar[1].first) / 2));
  CHECK(half.height() > lay("$a$").height());
}

TEST_CASE("roots, brackets, lines and accents cover what stands in them") {
  const auto root = lay("$\\sqrt{\\frac{1}{2}}$");
  const auto& roof = root.strokes.back().points;
  CHECK(roof.back().second > top_of(root.runs[0]));
  CHECK(roof.back().first > root.runs[0].x + root.runs[0].width);
  CHECK(roof.front().second < root.runs[1].rise);
  CHECK(lay("$\\sqrt[3]{x}$").runs[0].font.size < 8);

  const auto fenced = lay("$\\left(\\frac{a}{b}\\right)$").runs;
  REQUIRE(fenced.size() == 4);
  CHECK(top_of(fenced[0]) >= top_of(fenced[1]) - 0.5);
  CHECK(fenced[0].rise <= fenced[2].rise + 0.5);
  CHECK(shown("$\\left.\\frac{a}{b}\\right|$") == "ab|");
  CHECK(shown("$\\left\\{ x \\right\\}$") == "{x}");

  for (const char* over : {"$\\overline{ab}$", "$\\bar{x}$", "$\\vec{x}$"}) {
    CAPTURE(over);
    const auto line = lay(over);
    REQUIRE(!line.strokes.empty());
    CHECK(line.strokes[0].points[0].second > top_of(line.runs[0]));
  }
  const auto hat = lay("$\\hat{x}$").runs;
  REQUIRE(hat.size() == 2);
  CHECK(hat[1].text == "ˆ");
  CHECK(hat[1].rise > top_of(hat[0]));
  CHECK(hat[1].x + hat[1].width / 2 == Approx(hat[0].x + hat[0].width / 2).margin(1));
  CHECK(lay("$\\hat{x}y$").runs[2].x == Approx(hat[0].x + hat[0].width));
}

TEST_CASE("mistakes in formulas point at their character, and the source is shown") {
  for (const char* bad : {"$\\nosuch$", "$x^$", "$}$", "${x$", "$\\mathrm x$", "$\\frac{1}$", "$\\frac 12$",
                          "$\\sqrt$", "$\\hat$", "$x^2^3$", "$\\left(x$", "$\\left q x\\right)$",
                          "$\\right)$", "$\\sqrt[3{x}$", "$\\text{a$", "$a\\$b$ $x_$"}) {
    CAPTURE(bad);
    const auto line = lay(bad);
    CHECK_FALSE(line.error.empty());
    CHECK(line.runs.size() == 1);
    CHECK(line.runs[0].text == bad);
  }
  CHECK(lay("$\\nosuch$").error == "unknown command `\\nosuch` at character 2 of \"$\\nosuch$\"");
  CHECK(lay("θ $\\alpha + \\bta$").error ==
        "unknown command `\\bta` at character 13 of \"θ $\\alpha + \\bta$\"");
  const auto nested = "$" + std::string(5000, '{') + "x" + std::string(5000, '}') + "$";
  CHECK(lay(nested).error.find("nested too deeply") != std::string::npos);
  std::string chain = "$x";
  for (int k = 0; k < 5000; ++k) chain += "^{x";
  CHECK_FALSE(lay(chain + "$").error.empty());
}

TEST_CASE("slanted letters do not run into what stands beside them") {
  // A letter whose ink reaches beyond its width on both sides.
  class Slanted : public BlockFont {
   public:
    TextExtent measure(const std::string& text, const Font& font) override {
      auto out = BlockFont::measure(text, font);
      const bool leans = font.family == Font::Family::math && text == "\U0001D453";  // italic f
      out.ink_left = leans ? -0.1 * font.size : 0;
      out.ink_right = out.width + (leans ? 0.2 * font.size : 0);
      return out;
    }
  } font;
  const auto lay_slanted = [&](const std::string& text) { return lay_text(text, {10}, font).runs; };
  const auto fenced = lay_slanted("$\\{f\\}$");
  REQUIRE(fenced.size() == 3);
  CHECK(fenced[1].x - fenced[0].width == Approx(0.1 * fenced[1].font.size));
  CHECK(fenced[2].x - fenced[1].x - fenced[1].width == Approx(0.2 * fenced[1].font.size));
  // An exponent stands clear of it, an index below does not have to.
  const auto both = lay_slanted("$f^a_b$");
  REQUIRE(both.size() == 3);
  CHECK(both[1].x > both[2].x + 1);
  const auto before_text = lay_slanted("$f$ m");
  CHECK(before_text[1].x > before_text[0].width + 1);
}
