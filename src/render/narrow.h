// Figures for narrow screens.
#pragma once

#include <optional>

#include "figure/display.h"
#include "figure/model.h"

namespace quill {

// The figure with its panels below each other, between the limits of `list`, as wide as the screen of a phone
// and without legends, which the page writes below it. Nothing when the figure is no wider itself.
std::optional<Figure> narrow_figure(const Figure& figure, const DisplayList& list);

}  // namespace quill
