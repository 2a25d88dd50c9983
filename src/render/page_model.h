// What an interactive page knows of its figure.
#pragma once

#include <memory>
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

// The data of the frames of an animated figure.
class FrameModels {
 public:
  FrameModels(PangoText& text, EmbeddedFonts& fonts);
  ~FrameModels();
  // A JSON object: "layers" of each panel, as keys whose values differ from the first frame (null for missing
  // keys); "orders", the drawing order of the layers; "palettes" that no frame before has used.
  std::string frame(const Figure& figure, const DisplayList& list);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

// A text in JSON that may stand in a page.
std::string json_text(const std::string& text);

// The colour as CSS has it.
std::string css_of(const Color& color);

}  // namespace quill
