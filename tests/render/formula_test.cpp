// Formulas beside text.
#include "render/formula.h"

#include <catch2/catch.hpp>

using namespace quill;

TEST_CASE("a formula is outlines in em, on the baseline of the text") {
  const auto x = formula_picture("x"), fraction = formula_picture("\\frac{x}{y}");
  CHECK(x.error.empty());
  CHECK(x.spoken == "x");
  CHECK(x.svg.find("<path fill=\"currentColor\" d=\"M") != std::string::npos);
  CHECK(x.svg.find("<text") == std::string::npos);
  CHECK(x.svg == formula_picture("x").svg);
  const auto height = [](const std::string& svg) { return std::stod(svg.substr(svg.find("height:") + 7)); };
  CHECK(height(x.svg) > 0.5);
  CHECK(height(fraction.svg) > 1.2 * height(x.svg));
  CHECK(fraction.svg.find("stroke=\"currentColor\"") != std::string::npos);
  CHECK_FALSE(formula_picture("\\nonsense").error.empty());
  CHECK(data_url("abc", "text/plain") == "data:text/plain;base64,YWJj");
}
