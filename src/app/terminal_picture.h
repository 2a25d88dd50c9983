// Figures in the terminal.
#pragma once

#include <string>

#include "figure/model.h"

namespace quill {

// Control sequences that draw the figure in the terminal of standard output: sixel graphics if supported,
// else half blocks.
std::string terminal_picture(const Figure& figure);

}  // namespace quill
