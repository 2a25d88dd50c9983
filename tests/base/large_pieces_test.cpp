// Large pieces of memory come back, within bounds.
#include "base/large_pieces.h"

#include <catch2/catch.hpp>
#include <cstdint>
#include <cstring>
#include <random>
#include <vector>

#include "base/memory.h"
#include "base/pool.h"

using namespace quill;

TEST_CASE("large pieces are whole, aligned, and come back for arrays of about their size") {
  release_large_pieces();
  std::mt19937_64 random(3);
  std::vector<LargePiece> held;
  for (int step = 0; step < 300; ++step) {
    if (held.size() < 5 && random() % 3 != 0) {
      const auto size = kLargePiece + random() % (20 * kLargePiece);
      const auto piece = take_large_piece(size);
      REQUIRE(piece.memory);
      CHECK(piece.size >= size);
      CHECK(piece.size - size <= size / 8 + (std::size_t{2} << 20));
      CHECK(reinterpret_cast<std::uintptr_t>(piece.memory) % 64 == 0);
      for (const auto& other : held) CHECK(other.memory != piece.memory);
      std::memset(piece.memory, static_cast<int>(step), piece.size);
      held.push_back(piece);
    } else if (!held.empty()) {
      std::swap(held[random() % held.size()], held.back());
      give_large_piece(held.back());
      held.pop_back();
    }
  }
  for (const auto& piece : held) give_large_piece(piece);
  if (QUILL_FREE_LISTS) {
    const auto piece = take_large_piece(40 * kLargePiece);
    give_large_piece(piece);
    const auto again = take_large_piece(39 * kLargePiece);
    CHECK(again.memory == piece.memory);
    give_large_piece(again);
  }
  CHECK(release_large_pieces() <= kMostKept);
  CHECK(release_large_pieces() == 0);
}

TEST_CASE("nothing is kept beyond the ceiling of memory") {
  release_large_pieces();
  const auto piece = take_large_piece(30 * kLargePiece);
  set_memory_ceiling(memory_held() + static_cast<std::int64_t>(10 * kLargePiece));
  give_large_piece(piece);
  CHECK(release_large_pieces() == 0);
  set_memory_ceiling(0);
}
