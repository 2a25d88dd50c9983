// Animated figures as MP4 (H.264), by the libraries of FFmpeg, which are loaded when they are needed.
#pragma once

#include <functional>
#include <string>

#include "figure/display.h"

namespace quill {

// Error with what to install when the program was built without the headers of these libraries, or when they
// or an encoder for H.264 are not installed.
void check_movies();
// `frame(k)` gives the k-th of `count` frames, laid out on pages of one size.
std::string movie(const std::function<DisplayList(std::size_t)>& frame, std::size_t count, double dpi,
                  double frame_rate);

}  // namespace quill
