#include "base/large_pieces.h"

#include <sys/mman.h>

#include <cstdlib>
#include <memory>
#include <vector>

#include "base/memory.h"
#include "base/pool.h"

namespace quill {

namespace {

constexpr std::size_t kHugePage = std::size_t{2} << 20;

class Kept {
 public:
  // The newest one that is large enough, and not much larger.
  LargePiece take(std::size_t size) {
    for (auto piece = pieces_.rbegin(); piece != pieces_.rend(); ++piece) {
      if (piece->size < size || piece->size - size > size / 8) continue;
      const auto found = *piece;
      pieces_.erase(std::next(piece).base());
      bytes_ -= found.size;
      return found;
    }
    return {};
  }

  bool keep(const LargePiece& piece) {
    if (piece.size > kMostKept) return false;
    while (!pieces_.empty() && !has_room(piece.size)) drop_oldest();
    if (!has_room(piece.size)) return false;
    pieces_.push_back(piece);
    bytes_ += piece.size;
    return true;
  }

  // Cached blocks count towards the limit together with a new one.
  void make_room(std::size_t size) {
    while (!pieces_.empty() && is_beyond_ceiling(static_cast<std::int64_t>(bytes_ + size))) drop_oldest();
  }

  std::size_t release() {
    const auto all = bytes_;
    while (!pieces_.empty()) drop_oldest();
    return all;
  }

 private:
  bool has_room(std::size_t size) const {
    return bytes_ + size <= kMostKept && !is_beyond_ceiling(static_cast<std::int64_t>(bytes_ + size));
  }
  void drop_oldest() {
    bytes_ -= pieces_.front().size;
    std::free(pieces_.front().memory);
    pieces_.erase(pieces_.begin());
  }

  std::vector<LargePiece> pieces_;  // the oldest first
  std::size_t bytes_ = 0;
};

Kept& kept() {
  static Kept& all = *new Kept;  // arrays may be returned until the very end
  return all;
}

}  // namespace

LargePiece take_large_piece(std::size_t size) {
  if (const auto found = kept().take(size); found.memory) return found;
  kept().make_room(size);
  // Small ones on huge pages would waste most of their last one.
  const auto step = size >= 4 * kHugePage ? kHugePage : std::size_t{4096};
  const auto whole = (size + step - 1) / step * step;
  void* memory = std::aligned_alloc(step, whole);
  if (!memory && kept().release() > 0) memory = std::aligned_alloc(step, whole);
  if (memory && step == kHugePage) madvise(memory, whole, MADV_HUGEPAGE);
  return {memory, whole};
}

void give_large_piece(const LargePiece& piece) {
  if (!QUILL_FREE_LISTS || !kept().keep(piece)) std::free(piece.memory);
}

void prefer_huge_pages(void* memory, std::size_t size) {
  void* inside = memory;
  std::size_t left = size;
  if (size < 4 * kHugePage || !std::align(kHugePage, kHugePage, inside, left)) return;
  madvise(inside, left / kHugePage * kHugePage, MADV_HUGEPAGE);
}

std::size_t release_large_pieces() { return kept().release(); }

}  // namespace quill
