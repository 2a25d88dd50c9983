#include "base/png_chunk.h"

#include <boost/crc.hpp>
#include <cstdint>
#include <optional>

namespace quill {

namespace {

constexpr std::string_view kSignature = "\x89PNG\r\n\x1a\n";
constexpr std::size_t kHeaderEnd = 8 + 25;
constexpr std::size_t kAround = 12;  // length, type and checksum of a chunk

std::string big_endian(std::uint32_t v) {
  std::string out;
  for (int shift = 24; shift >= 0; shift -= 8) out += static_cast<char>(v >> shift & 0xff);
  return out;
}

std::uint32_t checksum(std::string_view bytes) {
  boost::crc_32_type sum;
  sum.process_bytes(bytes.data(), bytes.size());
  return sum.checksum();
}

std::uint32_t number_at(std::string_view bytes, std::size_t at) {
  std::uint32_t out = 0;
  for (std::size_t k = 0; k < 4; ++k) out = out << 8 | static_cast<unsigned char>(bytes[at + k]);
  return out;
}

// Header of the data of an iTXt chunk: keyword, uncompressed, no language.
std::string text_head(std::string_view keyword) { return std::string(keyword) + std::string(5, '\0'); }

}  // namespace

namespace {

std::string chunk_of(std::string_view type, std::string_view data) {
  const auto chunk = std::string(type) + std::string(data);
  return big_endian(static_cast<std::uint32_t>(data.size())) + chunk + big_endian(checksum(chunk));
}

}  // namespace

void append_png_chunk(std::string& png, std::string_view type, std::string_view data) {
  png += chunk_of(type, data);
}

void insert_png_chunk(std::string& png, std::string_view type, std::string_view data) {
  if (!png.starts_with(kSignature) || png.size() < kHeaderEnd) return;
  png.insert(kHeaderEnd, chunk_of(type, data));
}

void insert_png_text(std::string& png, std::string_view keyword, std::string_view text) {
  insert_png_chunk(png, "iTXt", text_head(keyword) + std::string(text));
}

namespace {

struct Chunk {
  std::size_t begin = 0, size = 0;  // of the whole chunk
  PngText text;
};

// Removes the text before the next NUL from the data; nothing if there is no NUL.
std::optional<std::string_view> taken(std::string_view& data) {
  const auto end = data.find('\0');
  if (end == data.npos) return std::nullopt;
  const auto out = data.substr(0, end);
  data.remove_prefix(end + 1);
  return out;
}

// The text in a chunk's data, if its keyword matches.
std::optional<PngText> text_in(std::string_view type, std::string_view data, std::string_view keyword) {
  const bool is_plain = type == "tEXt", is_packed = type == "zTXt", is_international = type == "iTXt";
  if (!(is_plain || is_packed || is_international) || taken(data) != keyword) return std::nullopt;
  if (is_plain) return PngText{data, false};
  const std::size_t head = is_packed ? 1 : 2;  // a flag, and the method, of which there is one
  if (data.size() < head || data[head - 1] != '\0') return std::nullopt;
  const bool packed = is_packed || data[0] != '\0';
  data.remove_prefix(head);
  if (is_international && (!taken(data) || !taken(data))) return std::nullopt;
  return PngText{data, packed};
}

std::vector<Chunk> texts_under(std::string_view png, std::string_view keyword) {
  std::vector<Chunk> out;
  if (!png.starts_with(kSignature)) return out;
  for (std::size_t at = kSignature.size(); png.size() - at >= kAround;) {
    const std::size_t size = number_at(png, at);
    if (size > png.size() - at - kAround) break;
    const auto text = text_in(png.substr(at + 4, 4), png.substr(at + 8, size), keyword);
    if (text && number_at(png, at + 8 + size) == checksum(png.substr(at + 4, 4 + size)))
      out.push_back({at, kAround + size, *text});
    at += kAround + size;
  }
  return out;
}

}  // namespace

std::vector<PngText> png_texts(std::string_view png, std::string_view keyword) {
  std::vector<PngText> out;
  for (const auto& chunk : texts_under(png, keyword)) out.push_back(chunk.text);
  return out;
}

void erase_png_text(std::string& png, std::string_view keyword) {
  const auto found = texts_under(png, keyword);
  for (auto chunk = found.rbegin(); chunk != found.rend(); ++chunk) png.erase(chunk->begin, chunk->size);
}

}  // namespace quill
