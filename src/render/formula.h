// Formulas beside text: outlines that take its colour and size.
#pragma once

#include <string>

namespace quill {

// What stands between the dollar signs as an inline SVG element, in em of the text around it and on its
// baseline, with `spoken` words for those who listen. Its letters are outlines, so that no font is needed;
// the same formula gives the same bytes. `error` says what is wrong with it, "" when nothing is.
struct FormulaPicture {
  std::string svg, spoken, error;
};
FormulaPicture formula_picture(const std::string& formula);

// Bytes as a data URL of a media type: "data:image/svg+xml;base64,…".
std::string data_url(std::string_view bytes, const std::string& type);

}  // namespace quill
