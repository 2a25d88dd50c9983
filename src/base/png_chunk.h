// Chunks of PNG files (ISO/IEC 15948) other than pixels.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace quill {

// Appends a chunk.
void append_png_chunk(std::string& png, std::string_view type, std::string_view data);
// Inserts a chunk (type and data) after the header; leaves data unchanged that is not a PNG.
void insert_png_chunk(std::string& png, std::string_view type, std::string_view data);
// Inserts a chunk of UTF-8 text with a keyword (iTXt, not compressed).
void insert_png_text(std::string& png, std::string_view keyword, std::string_view text);
// Texts with a keyword in any kind of text chunk (tEXt, zTXt, iTXt), up to the first damage.
struct PngText {
  std::string_view bytes;
  bool is_packed = false;  // compressed with zlib
};
std::vector<PngText> png_texts(std::string_view png, std::string_view keyword);
// Removes those chunks.
void erase_png_text(std::string& png, std::string_view keyword);

}  // namespace quill
