// Figures for narrow screens.
#pragma once

#include <optional>

#include "figure/display.h"
#include "figure/model.h"

namespace quill {

// Variant for phone screens: panels stacked vertically, with the limits of `list`, without legends, which the
// page displays below. Nothing if the figure is not wider itself.
std::optional<Figure> narrow_figure(const Figure& figure, const DisplayList& list);

}  // namespace quill
