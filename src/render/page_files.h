// Script and styles of interactive pages, built in src/render/page.
#pragma once

#include <string_view>

namespace quill {

extern const std::string_view kFigureScript, kFigureStyle;
extern const std::string_view kFigureScriptDigest;  // SHA-256, hexadecimal

}  // namespace quill
