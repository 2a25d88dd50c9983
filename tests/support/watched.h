// Running a script with an eye on its figures.
#pragma once

#include <string>
#include <vector>

#include "figure/display.h"
#include "figure/model.h"

namespace quill::test {

struct WatchedFigure {
  Figure figure;     // as asked for
  DisplayList list;  // as laid out, with the fonts of figures
  std::string svg;
};
// The figures of a script on the disk, in order. Its files are read there; nothing is written.
std::vector<WatchedFigure> figures_of(const std::string& path);

}  // namespace quill::test
