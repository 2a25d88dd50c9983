// Writes SVG files.
#pragma once

#include <memory>
#include <string>

#include "figure/display.h"
#include "render/embedded_fonts.h"

namespace quill {

// A length in points with at most two decimals.
std::string hundredths(double v);

// Text remains text, with embedded fonts.
std::string write_svg(const DisplayList& list, PangoText& text);

// Items as SVG elements, without the file around them. Identifiers begin with `prefix`.
class SvgItems {
 public:
  SvgItems(Point page, EmbeddedFonts& fonts, std::string prefix = "");
  ~SvgItems();
  void add(const Item& item);
  const std::string& definitions() const;  // content of <defs>
  // Elements added since the last call.
  std::string take_body();

 private:
  class Writer;
  std::unique_ptr<Writer> writer_;
};

// CSS classes of texts.
std::string svg_text_styles();

}  // namespace quill
