// Text measurement and drawing with Pango.
#pragma once

#include <pango/pangocairo.h>

#include <functional>
#include <map>
#include <string>

#include "figure/text.h"
#include "render/cairo_handles.h"

namespace quill {

// Font families in order of preference, also for CSS.
extern const char* const kTextFamilies;
extern const char* const kMathFamilies;

class PangoText : public TextMeasurer {
 public:
  PangoText();
  ~PangoText() override;
  PangoText(const PangoText&) = delete;
  PangoText& operator=(const PangoText&) = delete;

  TextExtent measure(const std::string& text, const Font& font) override;
  // Starts at the current point, on the baseline.
  void draw(cairo_t* cr, const std::string& text, const Font& font);
  // Adds its outline to the current path.
  void outline(cairo_t* cr, const std::string& text, const Font& font);
  // Calls f for each font used by a text, with its characters.
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
  std::multimap<std::string, Known> measured_;  // layouts measure the same texts repeatedly
};

}  // namespace quill
