// Syntax highlighting of scripts.
#pragma once

#include <string>

namespace quill {

// The text as HTML: keywords, numbers, texts, comments and built-ins in elements with a class.
std::string highlighted(const std::string& code);

}  // namespace quill
