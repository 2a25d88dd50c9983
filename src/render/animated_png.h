// Animated figures as PNG with its chunks for animations (W3C, Portable Network Graphics, third edition).
#pragma once

#include <functional>
#include <string>

#include "figure/display.h"

namespace quill {

// `frame(k)` gives the k-th of `count` frames, laid out on pages of one size. Of each frame the rectangle
// that differs from the one before is written. Viewers that know no animations show the first frame.
std::string animated_png(const std::function<DisplayList(std::size_t)>& frame, std::size_t count, double dpi,
                         double frame_rate);

}  // namespace quill
