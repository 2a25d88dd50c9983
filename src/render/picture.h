// A page as pixels, and pixels as PNG.
#pragma once

#include <string>

#include "figure/display.h"
#include "render/raster.h"

namespace quill {

// The page at a resolution. Error when it is too large.
Surface painted(const DisplayList& list, double dpi);
// With the resolution and the description of the page.
std::string png_of(cairo_surface_t* surface, const DisplayList& list, double dpi);

}  // namespace quill
