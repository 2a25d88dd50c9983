// Texts of a figure, and what is wrong with it.
#pragma once

#include <string>
#include <vector>

#include "figure/text.h"

namespace quill {

// Lays out text and keeps what is wrong with it.
class TextLayer {
 public:
  TextLayer(TextMeasurer& measurer, std::vector<std::string>& warnings)
      : measurer_(measurer), warnings_(warnings) {}
  TextLine line(const std::string& text, const Font& font);
  // Broken at spaces outside of formulas into lines no wider than `width`.
  std::vector<TextLine> paragraph(const std::string& text, const Font& font, double width);
  // Cut with … where it is wider than that.
  TextLine shortened_line(const std::string& text, const Font& font, double width);
  std::string shortened(const std::string& text, const Font& font, double width);
  // Said once.
  void warn(const std::string& message);
  TextMeasurer& measurer() { return measurer_; }

 private:
  std::size_t fitting(const std::string& text, const Font& font, double width);
  TextMeasurer& measurer_;
  std::vector<std::string>& warnings_;
};

}  // namespace quill
