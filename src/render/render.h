// A display list as PNG, SVG or PDF, by Cairo and Pango, or as an interactive page.
#pragma once

#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "figure/display.h"

namespace quill {

// Measures with the fonts that will be drawn.
std::unique_ptr<TextMeasurer> make_text_measurer();

// The bytes of the file. The same list gives the same bytes. `format` is "png", "svg" or "pdf"; `dpi`
// counts for PNG.
std::string render(const DisplayList& list, const std::string& format, double dpi);
// A figure that is laid out in `list`, in any of its formats.
std::string render(const Figure& figure, const DisplayList& list, const std::string& format);

// Name and version of the libraries that draw, as loaded.
std::vector<std::pair<std::string, std::string>> render_libraries();

}  // namespace quill
