// A display list as SVG 1.1, written out piece by piece: text stays text, shapes keep their numbers.
#pragma once

#include "figure/display.h"
#include "render/pango_text.h"

namespace quill {

// The bytes of the file, in points of the page; fonts are embedded.
std::string write_svg(const DisplayList& list, PangoText& text);

}  // namespace quill
