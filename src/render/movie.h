// Writes animated figures as MP4 (H.264) with the libraries of FFmpeg, loaded on first use.
#pragma once

#include <functional>
#include <string>

#include "figure/display.h"

namespace quill {

// Throws Error with installation advice if the program was built without these libraries' headers, or if they
// or an H.264 encoder are not installed.
void check_movies();
// `frame(k)` returns frame k of `count`, on pages of equal size.
std::string movie(const std::function<DisplayList(std::size_t)>& frame, std::size_t count, double dpi,
                  double frame_rate);

}  // namespace quill
