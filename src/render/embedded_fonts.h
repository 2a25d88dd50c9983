// Font subsets embedded in files.
#pragma once

#include <set>
#include <string>

#include "render/pango_text.h"

namespace quill {

// CSS rules (@font-face) with the characters of all texts added, so that they look the same where the fonts
// are not installed. Subsets by HarfBuzz.
class EmbeddedFonts {
 public:
  explicit EmbeddedFonts(PangoText& text) : text_(text) {}
  void add(const std::string& text, const Font& font);
  std::string css() const;

 private:
  struct Face {
    std::string family;
    int weight = 400;
    bool italic = false;
    auto operator<=>(const Face&) const = default;
  };
  struct Part {
    std::unique_ptr<PangoFont, Unref> font;
    std::set<char32_t> characters;
  };
  PangoText& text_;
  std::map<Face, Part> parts_;
};

}  // namespace quill
