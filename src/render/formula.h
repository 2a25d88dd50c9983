// Formulas within text, as outlines that adopt its colour and size.
#pragma once

#include <string>

namespace quill {

// The formula as an inline SVG element in em units on the baseline of the surrounding text, with `spoken`
// words for screen readers. Letters are outlines and need no font; equal formulas give equal bytes. `error`:
// "" if the formula is valid.
struct FormulaPicture {
  std::string svg, spoken, error;
};
FormulaPicture formula_picture(const std::string& formula);

// A data URL: "data:image/svg+xml;base64,…".
std::string data_url(std::string_view bytes, const std::string& type);

}  // namespace quill
