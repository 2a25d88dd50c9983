// Text of displayed values.
#pragma once

#include <string>

#include "value/event.h"

namespace quill {

// Includes the line end; `width` in columns.
std::string printed_text(const ValueShown& event, int width);
std::string printed_text(const ValuesPrinted& event, int width);
std::string printed_text(const ValueDescribed& event, int width);

}  // namespace quill
