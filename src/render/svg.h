// A display list as an SVG file.
#pragma once

#include <memory>
#include <string>

#include "figure/display.h"
#include "render/embedded_fonts.h"

namespace quill {

// A length in points with at most two decimals: a hundredth of a point is finer than anything seen.
std::string hundredths(double v);

// Text stays text, in fonts that stand in the file.
std::string write_svg(const DisplayList& list, PangoText& text);

// Items as elements of SVG, without the file around them. Names of what they define begin with `prefix`.
class SvgItems {
 public:
  SvgItems(Point page, EmbeddedFonts& fonts, std::string prefix = "");
  ~SvgItems();
  void add(const Item& item);
  const std::string& definitions() const;  // for <defs>
  // The elements since this was asked last.
  std::string take_body();

 private:
  class Writer;
  std::unique_ptr<Writer> writer_;
};

// The classes of their texts.
std::string svg_text_styles();

}  // namespace quill
