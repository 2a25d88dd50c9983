// Tested by tests/files/provenance_test.cpp.
#include "base/png_chunk.h"

#include <boost/crc.hpp>
#include <cstdint>

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

// What stands before the text in the data of an iTXt chunk: keyword, not compressed, no language.
std::string text_head(std::string_view keyword) { return std::string(keyword) + std::string(5, '\0'); }

}  // namespace

void insert_png_chunk(std::string& png, std::string_view type, std::string_view data) {
  if (!png.starts_with(kSignature) || png.size() < kHeaderEnd) return;
  const auto chunk = std::string(type) + std::string(data);
  png.insert(kHeaderEnd,
             big_endian(static_cast<std::uint32_t>(data.size())) + chunk + big_endian(checksum(chunk)));
}

void insert_png_text(std::string& png, std::string_view keyword, std::string_view text) {
  insert_png_chunk(png, "iTXt", text_head(keyword) + std::string(text));
}

namespace {

struct Chunk {
  std::size_t begin = 0, size = 0;  // with what stands around the data
  std::string_view text;
};

std::optional<Chunk> find_text(std::string_view png, std::string_view keyword) {
  if (!png.starts_with(kSignature)) return std::nullopt;
  const auto head = text_head(keyword);
  for (std::size_t at = kSignature.size(); png.size() - at >= kAround;) {
    const std::size_t size = number_at(png, at);
    if (size > png.size() - at - kAround) break;
    const auto data = png.substr(at + 8, size);
    if (png.substr(at + 4, 4) == "iTXt" && data.starts_with(head) &&
        number_at(png, at + 8 + size) == checksum(png.substr(at + 4, 4 + size)))
      return Chunk{at, kAround + size, data.substr(head.size())};
    at += kAround + size;
  }
  return std::nullopt;
}

}  // namespace

std::optional<std::string> png_text(std::string_view png, std::string_view keyword) {
  const auto found = find_text(png, keyword);
  return found ? std::optional<std::string>(found->text) : std::nullopt;
}

void erase_png_text(std::string& png, std::string_view keyword) {
  if (const auto found = find_text(png, keyword)) png.erase(found->begin, found->size);
}

}  // namespace quill
