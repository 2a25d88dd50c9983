// Boxes of a formula: characters and strokes at their places, put beside and over each other.
#pragma once

#include <optional>

#include "figure/text.h"

namespace quill {

// From x = 0 and a baseline at rise 0; `top` and `bottom` are how far its ink reaches above and below.
// Slanted letters reach beyond their width: by `lead` at the left, by `lean` at the right.
struct MathBox {
  std::vector<TextRun> runs;
  std::vector<TextStroke> strokes;
  double width = 0, top = 0, bottom = 0;
  double lead = 0, lean = 0;

  void shift(double dx, double up);
  // Adds the other box at its place; the width grows with it.
  void overlay(MathBox other);
  // Adds it to the right, clear of what leans over.
  void append(MathBox other, double gap = 0);
};

MathBox text_box(const std::string& text, const Font& font, TextMeasurer& measurer);

// Rules follow the proportions of D. E. Knuth, The TeXbook, appendix G; `size` is the font's, in points.
constexpr double kMathAxis = 0.25;  // of the size: where the bar of a fraction lies

// The scripts at their places beside the base; either may be empty.
MathBox with_scripts(MathBox base, std::optional<MathBox> above, std::optional<MathBox> below, double size);
MathBox fraction_of(MathBox above, MathBox below, double size);
MathBox root_of(MathBox inside, const MathBox& degree, double size);
// A line over or under all of it.
MathBox with_line(MathBox inside, bool over, double size);
// The mark over the middle of it; an arrow when the mark is empty.
MathBox with_accent(MathBox inside, const MathBox& mark, double size);
// Moved so that its ink is centred on the axis.
MathBox on_axis(MathBox box, double size);

}  // namespace quill
