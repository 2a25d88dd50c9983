// What an interactive page knows of its figure.
#pragma once

#include <string>

#include "figure/display.h"
#include "figure/model.h"
#include "render/embedded_fonts.h"

namespace quill {

// A figure as JSON for the script of a page: its panels with their areas and axes, the data of the layers,
// looks as colours and widths, and the widths of characters. `fonts` gets the characters that the script may
// write. No more than the figure's budget; what is left out for that is said in the model. Text is data:
// every < is escaped.
std::string page_model(const Figure& figure, const DisplayList& list, PangoText& text, EmbeddedFonts& fonts);

// The same figure laid out in another way: its size and the panels' areas and axes alone.
std::string page_layout(const Figure& figure, const DisplayList& list, PangoText& text, EmbeddedFonts& fonts);

// The colour as CSS has it.
std::string css_of(const Color& color);

}  // namespace quill
