// Text by Pango: measured and drawn with the fonts of figures.
#pragma once

#include <pango/pangocairo.h>

#include <functional>
#include <map>
#include <string>

#include "figure/text.h"
#include "render/cairo_handles.h"

namespace quill {

// The families, first choice first, as CSS names them too.
extern const char* const kTextFamilies;
extern const char* const kMathFamilies;

class PangoText : public TextMeasurer {
 public:
  PangoText();
  ~PangoText() override;
  PangoText(const PangoText&) = delete;
  PangoText& operator=(const PangoText&) = delete;

  TextExtent measure(const std::string& text, const Font& font) override;
  // From the current point of the baseline on.
  void draw(cairo_t* cr, const std::string& text, const Font& font);
  // The same as a path that is added to the current one.
  void outline(cairo_t* cr, const std::string& text, const Font& font);
  // The fonts that the characters of a text come from, with the characters of each.
  void each_font(const std::string& text, const Font& font,
                 const std::function<void(PangoFont*, const std::string&)>& visit);

 private:
  void set(const std::string& text, const Font& font);

  std::unique_ptr<PangoFontMap, Unref> map_;
  std::unique_ptr<PangoContext, Unref> context_;
  std::unique_ptr<PangoLayout, Unref> layout_;
  PangoFontDescription* text_font_ = nullptr;
  PangoFontDescription* math_font_ = nullptr;
  struct Known {
    Font font;
    TextExtent extent;
  };
  std::multimap<std::string, Known> measured_;  // layouts measure the same texts again and again
};

}  // namespace quill
