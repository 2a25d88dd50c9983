// Text layout for a figure, collecting warnings.
#pragma once

#include <string>
#include <vector>

#include "figure/text.h"

namespace quill {

// Lays out texts and collects warnings about them.
class TextLayer {
 public:
  TextLayer(TextMeasurer& measurer, std::vector<std::string>& warnings)
      : measurer_(measurer), warnings_(warnings) {}
  TextLine line(const std::string& text, const Font& font);
  // Breaks text at spaces outside of formulas into lines of at most `width`.
  std::vector<TextLine> paragraph(const std::string& text, const Font& font, double width);
  // Shortens a line to a width, with ….
  TextLine shortened_line(const std::string& text, const Font& font, double width);
  std::string shortened(const std::string& text, const Font& font, double width);
  // Repeated warnings are reported once.
  void warn(const std::string& message);
  TextMeasurer& measurer() { return measurer_; }

 private:
  std::size_t fitting(const std::string& text, const Font& font, double width);
  TextMeasurer& measurer_;
  std::vector<std::string>& warnings_;
};

}  // namespace quill
