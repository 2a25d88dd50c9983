// Figures as MP4: boxes that say their size and length; without the libraries an error says what is missing.
#include "render/movie.h"

#include <catch2/catch.hpp>

#include "base/error.h"

using namespace quill;

namespace {

std::uint32_t word_of(const std::string& bytes, std::size_t at) {
  std::uint32_t out = 0;
  for (std::size_t k = 0; k < 4; ++k) out = out << 8 | static_cast<unsigned char>(bytes[at + k]);
  return out;
}

bool has_libraries(std::string& told) {
  try {
    check_movies();
    return true;
  } catch (const Error& error) {
    told = error.message;
    return false;
  }
}

}  // namespace

TEST_CASE(
    "a movie has the frames, duration and size asked for and is reproducible, or an error names what is "
    "missing") {
  std::string told;
  if (!has_libraries(told)) {
    CHECK(told.starts_with("MP4 files are written by the libraries of FFmpeg"));
    return;
  }
  const auto page = [](std::size_t k) {
    DisplayList list;
    list.width = 150;
    list.height = 100;
    list.paper = {1, 1, 1};
    list.items.emplace_back(FillRect{{10.0 * static_cast<double>(k), 20, 30, 40}, {0.8, 0.2, 0.1}});
    return list;
  };
  const auto bytes = movie(page, 12, 96, 8);
  CHECK(bytes == movie(page, 12, 96, 8));
  CHECK(bytes.substr(4, 4) == "ftyp");
  std::size_t end = 0;
  while (end + 8 <= bytes.size() && word_of(bytes, end) >= 8) end += word_of(bytes, end);
  CHECK(end == bytes.size());
  // The time of the track in units for each second, by the standard's boxes.
  const auto media = bytes.find("mdhd");
  REQUIRE(media != std::string::npos);
  CHECK(static_cast<double>(word_of(bytes, media + 20)) / word_of(bytes, media + 16) == Approx(12.0 / 8));
  const auto sizes = bytes.find("stsz");
  REQUIRE(sizes != std::string::npos);
  CHECK(word_of(bytes, sizes + 12) == 12);
  const auto sample = bytes.find("avc1", bytes.find("stsd"));
  REQUIRE(sample != std::string::npos);
  CHECK(word_of(bytes, sample + 28) == (200U << 16 | 132U));
}
