// The model of a figure that an interactive page contains.
#pragma once

#include <memory>
#include <string>

#include "figure/display.h"
#include "figure/model.h"
#include "render/embedded_fonts.h"

namespace quill {

// A figure as JSON for the script of a page: panels with areas and axes, data of layers, looks as colours and
// widths, character widths. `fonts` receives the characters that the script may draw. Data is limited to the
// figure's budget; reductions are recorded in the model. Every < in texts is escaped.
std::string page_model(const Figure& figure, const DisplayList& list, PangoText& text, EmbeddedFonts& fonts);

// An alternative layout of the same figure: size, areas and axes.
std::string page_layout(const Figure& figure, const DisplayList& list, PangoText& text, EmbeddedFonts& fonts);

// Data of the frames of an animated figure.
class FrameModels {
 public:
  FrameModels(PangoText& text, EmbeddedFonts& fonts);
  ~FrameModels();
  // A JSON object: "layers" of each panel, with the keys whose values differ from the first frame (null for
  // missing keys); "orders": drawing order of layers; "palettes" not used by earlier frames.
  std::string frame(const Figure& figure, const DisplayList& list);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

// A text as JSON that is safe inside a page.
std::string json_text(const std::string& text);

// The colour in CSS syntax.
std::string css_of(const Color& color);

}  // namespace quill
