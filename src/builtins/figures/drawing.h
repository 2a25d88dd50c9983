// Arguments of drawing calls.
#pragma once

#include "figure/model.h"
#include "value/registry.h"

namespace quill {

// A number above 0 and at most `most`; or the default.
double positive(const Call& call, std::size_t i, double fallback, double most);
int count_argument(const Call& call, std::size_t i, int fallback, int most);
// A text or a vector of texts.
std::vector<std::string> texts_argument(const Call& call, std::size_t i);
// A colour by its CSS name or hexadecimal form.
Color css_color(const Call& call, std::size_t i);
Dash dash_argument(const Call& call, std::size_t i);
std::string palette_argument(const Call& call, std::size_t i);

}  // namespace quill
