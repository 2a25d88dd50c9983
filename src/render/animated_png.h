// Writes animated figures as PNG with animation chunks (W3C, Portable Network Graphics, third edition).
#pragma once

#include <functional>
#include <string>

#include "figure/display.h"

namespace quill {

// `frame(k)` returns frame k of `count`, on pages of equal size. Stores the rectangle of each frame that
// differs from the one before. Viewers without animation show the first frame.
std::string animated_png(const std::function<DisplayList(std::size_t)>& frame, std::size_t count, double dpi,
                         double frame_rate);

}  // namespace quill
