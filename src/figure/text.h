// Text in figures: fonts, measurement, and mathematics between dollar signs.
#pragma once

#include <string>
#include <utility>
#include <vector>

namespace quill {

struct Font {
  enum class Family : unsigned char { text, math };
  double size = 8;  // points
  bool bold = false;
  bool italic = false;
  Family family = Family::text;
  bool operator==(const Font&) const = default;
};

struct TextExtent {
  double width = 0;                        // advance
  double ascent = 0;                       // of the font above the baseline
  double descent = 0;                      // below it, positive
  double ink_ascent = 0, ink_descent = 0;  // of the characters themselves
  double ink_left = 0, ink_right = 0;      // horizontal extent of the ink, from the start of the line
  int unknown = 0;                         // characters missing in all fonts
};

// Measures one line; implemented by the renderer.
class TextMeasurer {
 public:
  virtual ~TextMeasurer() = default;
  virtual TextExtent measure(const std::string& text, const Font& font) = 0;
};

// A piece of a line in one font: x from the start of the line, rise above the baseline.
struct TextRun {
  std::string text;
  Font font;
  double x = 0;
  double rise = 0;
  double width = 0;
};

// A stroke of a formula, such as a fraction bar or radical sign: a polyline of points (x, rise).
struct TextStroke {
  std::vector<std::pair<double, double>> points;
  double width = 0.5;
};

struct TextLine {
  std::vector<TextRun> runs;
  std::vector<TextStroke> strokes;
  double width = 0, ascent = 0, descent = 0;
  std::string error;  // error in its mathematics with the character; the source is displayed then
  double height() const { return ascent + descent; }
  // Its characters in reading order, with letters of formulas as plain letters.
  std::string plain() const;
};

// Lays out a text. Between dollar signs stands LaTeX's notation: letters and symbols by name, ^ and _ with
// one character or braces, \frac, \sqrt (with [n]), accents, \overline, \left and \right, \mathrm, \mathbf,
// \mathbb, \mathcal, \text, spaces \, \: \; \! \quad, upright function names. `\$` is a dollar sign, and so
// is one that stands alone.
TextLine lay_text(const std::string& text, const Font& font, TextMeasurer& measurer);

}  // namespace quill
