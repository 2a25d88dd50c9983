// Boxes of formulas: positioned characters and strokes, combined horizontally and vertically.
#pragma once

#include <optional>

#include "figure/text.h"

namespace quill {

// Starts at x = 0 on a baseline at rise 0; `top` and `bottom` are the extent of its ink above and below.
// Slanted letters extend beyond their width: by `lead` on the left, by `lean` on the right.
struct MathBox {
  std::vector<TextRun> runs;
  std::vector<TextStroke> strokes;
  double width = 0, top = 0, bottom = 0;
  double lead = 0, lean = 0;

  void shift(double dx, double up);
  // Adds the other box at its own position; the width grows if necessary.
  void overlay(MathBox other);
  // Appends a box on the right, clear of slanted ink.
  void append(MathBox other, double gap = 0);
};

MathBox text_box(const std::string& text, const Font& font, TextMeasurer& measurer);

// Proportions by D. E. Knuth, The TeXbook, appendix G; `size`: font size in points.
constexpr double kMathAxis = 0.25;  // relative to the size: height of a fraction's bar

// Adds superscript and subscript; either may be absent.
MathBox with_scripts(MathBox base, std::optional<MathBox> above, std::optional<MathBox> below, double size);
MathBox fraction_of(MathBox above, MathBox below, double size);
MathBox root_of(MathBox inside, const MathBox& degree, double size);
// Adds a line over or under the box.
MathBox with_line(MathBox inside, bool over, double size);
// Centres a mark over the box; an arrow if the mark is empty.
MathBox with_accent(MathBox inside, const MathBox& mark, double size);
// Centres the ink vertically on the axis.
MathBox on_axis(MathBox box, double size);

}  // namespace quill
