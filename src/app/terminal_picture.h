// Figures in the terminal.
#pragma once

#include <string>

#include "figure/model.h"

namespace quill {

// What draws the figure in the terminal that standard output goes to: sixels where it says that it
// understands them, half blocks otherwise.
std::string terminal_picture(const Figure& figure);

}  // namespace quill
