// Pieces of PNG files (ISO/IEC 15948) beside their pixels.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace quill {

// Puts a chunk at the end.
void append_png_chunk(std::string& png, std::string_view type, std::string_view data);
// Puts a chunk (type and data) after the header of a PNG; anything else is left as it is.
void insert_png_chunk(std::string& png, std::string_view type, std::string_view data);
// A chunk of UTF-8 text under a keyword (iTXt, not compressed).
void insert_png_text(std::string& png, std::string_view keyword, std::string_view text);
// The texts under a keyword, of all kinds of text chunks (tEXt, zTXt, iTXt), up to where the file is damaged.
struct PngText {
  std::string_view bytes;
  bool is_packed = false;  // by deflate, with the header of zlib
};
std::vector<PngText> png_texts(std::string_view png, std::string_view keyword);
// Takes those chunks out.
void erase_png_text(std::string& png, std::string_view keyword);

}  // namespace quill
