// Allocation of memory for large arrays.
#pragma once

#include <cstddef>

namespace quill {

// First touches of pages often cost more than the computation. Blocks of at least kLargePiece bytes therefore
// use huge pages if available, and freed ones are cached for arrays of about the same size: at most kMostKept
// bytes, never beyond the memory limit, and none while memory is short. Not thread-safe.
inline constexpr std::size_t kLargePiece = std::size_t{1} << 20;
inline constexpr std::size_t kMostKept = std::size_t{512} << 20;

// A block of at least this size, aligned to 64 bytes, with its actual size; null if there is no memory.
struct LargePiece {
  void* memory = nullptr;
  std::size_t size = 0;
};
LargePiece take_large_piece(std::size_t size);
void give_large_piece(const LargePiece& piece);
// Requests huge pages for new memory, which then takes fewer first touches; ignored for less than a few
// pages.
void prefer_huge_pages(void* memory, std::size_t size);
// Returns all cached blocks to the system; the result is their size in bytes.
std::size_t release_large_pieces();

}  // namespace quill
