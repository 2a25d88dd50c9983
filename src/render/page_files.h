// The script and the styles of interactive pages, as src/render/page makes them.
#pragma once

#include <string_view>

namespace quill {

extern const std::string_view kFigureScript, kFigureStyle;
extern const std::string_view kFigureScriptDigest;  // SHA-256, hexadecimal

}  // namespace quill
