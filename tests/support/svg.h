// Reading figures back from SVG: what a viewer of the file sees.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "figure/display.h"

namespace quill::test {

struct SvgText {
  std::string text;                // letters of formulas as plain ones
  double x = 0, y = 0, angle = 0;  // degrees, as written in the file
  std::string fill;
};
struct SvgPath {
  std::string stroke, fill;  // "" or "none" for none
  std::vector<std::vector<Point>> pieces;
};
struct SvgMarkers {
  std::string fill, stroke;
  std::vector<Point> points;
};
struct SvgImage {
  Rect at;
};

struct SvgFigure {
  double width = 0, height = 0;
  std::vector<SvgText> texts;
  std::vector<SvgPath> paths;
  std::vector<SvgMarkers> markers;
  std::vector<SvgImage> images;
};

// Checks on the way that the tags are balanced and the attributes quoted.
SvgFigure read_svg(const std::string& svg);

}  // namespace quill::test
