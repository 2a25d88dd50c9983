// Memory for large arrays.
#pragma once

#include <cstddef>

namespace quill {

// Fresh pages cost more than most of what is done with them. So pieces from here on stand on huge pages where
// the system has them, and those that are returned are kept for the next array of about their size: at most
// kMostKept bytes, never beyond the ceiling of memory, and none when memory is short. Not for threads.
inline constexpr std::size_t kLargePiece = std::size_t{1} << 20;
inline constexpr std::size_t kMostKept = std::size_t{512} << 20;

// A piece of at least so many bytes that starts at a multiple of 64, and its size; null when there is none.
struct LargePiece {
  void* memory = nullptr;
  std::size_t size = 0;
};
LargePiece take_large_piece(std::size_t size);
void give_large_piece(const LargePiece& piece);
// Gives all that is kept back to the system; how many bytes that were.
std::size_t release_large_pieces();

}  // namespace quill
