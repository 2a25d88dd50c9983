// Renders display lists as PNG, SVG or PDF with Cairo and Pango, or as interactive pages.
#pragma once

#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "figure/display.h"

namespace quill {

// Measures with the fonts used for drawing.
std::unique_ptr<TextMeasurer> make_text_measurer();

// Bytes of the file; equal lists give equal bytes. `format`: "png", "svg" or "pdf"; `dpi`: for PNG.
std::string render(const DisplayList& list, const std::string& format, double dpi);
// A figure laid out in `list`, in any of its formats.
std::string render(const Figure& figure, const DisplayList& list, const std::string& format);

// Names and versions of the graphics libraries, as loaded.
std::vector<std::pair<std::string, std::string>> render_libraries();

}  // namespace quill
