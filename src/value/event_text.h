// The text of the values that a run shows.
#pragma once

#include <string>

#include "value/event.h"

namespace quill {

// With the line end after it; `width` in columns.
std::string printed_text(const ValueShown& event, int width);
std::string printed_text(const ValuesPrinted& event, int width);
std::string printed_text(const ValueDescribed& event, int width);

}  // namespace quill
