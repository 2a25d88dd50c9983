// Draws display lists with Cairo, to pixels or PDF.
#pragma once

#include "figure/display.h"
#include "render/outlines.h"
#include "render/pango_text.h"

namespace quill {

// `scale`: units of the surface for a point.
void paint(cairo_t* cr, const DisplayList& list, PangoText& text, double scale);

// Sets the outline of a marker at a position as the current path.
void trace_marker(cairo_t* cr, const MarkerOutline& look, Point at);

}  // namespace quill
