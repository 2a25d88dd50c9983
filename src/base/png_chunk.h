// Pieces of PNG files (ISO/IEC 15948) beside their pixels.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace quill {

// Puts a chunk (type and data) behind the header of a PNG; anything else is left as it is.
void insert_png_chunk(std::string& png, std::string_view type, std::string_view data);
// A chunk of UTF-8 text under a keyword (iTXt, not compressed).
void insert_png_text(std::string& png, std::string_view keyword, std::string_view text);
// The text under a keyword; nothing when there is none, or the file is damaged before it.
std::optional<std::string> png_text(std::string_view png, std::string_view keyword);
// Takes that chunk out.
void erase_png_text(std::string& png, std::string_view keyword);

}  // namespace quill
