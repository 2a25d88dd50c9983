// Rasterizes pages, and writes PNG.
#pragma once

#include <string>

#include "figure/display.h"
#include "render/raster.h"

namespace quill {

// The page at a resolution. Throws Error if it is too large.
Surface painted(const DisplayList& list, double dpi);
// Includes resolution and description.
std::string png_of(cairo_surface_t* surface, const DisplayList& list, double dpi);

}  // namespace quill
