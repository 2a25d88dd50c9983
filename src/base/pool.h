// Free lists of memory blocks of one size, for small objects that are created in every operation.
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <new>

#include "base/memory.h"

// Disabled under sanitizers, so that they see every allocation; GCC reports them by a macro, clang by a
// feature.
#if defined(__SANITIZE_ADDRESS__)
#define QUILL_FREE_LISTS 0
#elif defined(__has_feature)
#if __has_feature(address_sanitizer)
#define QUILL_FREE_LISTS 0
#endif
#endif
#ifndef QUILL_FREE_LISTS
#define QUILL_FREE_LISTS 1
#endif

namespace quill {

// Blocks of Size bytes with an alignment. Not thread-safe.
template <std::size_t Size, std::size_t Alignment = alignof(std::max_align_t)>
class FreeList {
 public:
  // Null if there is no memory.
  static void* take() {
    if (QUILL_FREE_LISTS && first_) {
      void* piece = first_;
      first_ = first_->next;
      --count_;
      return piece;
    }
    void* piece =
        is_beyond_ceiling(kWhole) ? nullptr : std::aligned_alloc(Alignment, static_cast<std::size_t>(kWhole));
    if (piece) account_memory(kWhole);
    return piece;
  }
  static void give(void* piece) {
    constexpr std::int64_t bytes = 1 << 20;
    constexpr auto most = std::min<std::int64_t>(1024, bytes / kWhole);
    if (QUILL_FREE_LISTS && count_ < most) {
      first_ = ::new (piece) Piece{first_};
      ++count_;
      return;
    }
    account_memory(-kWhole);
    std::free(piece);
  }

 private:
  static constexpr auto kWhole = static_cast<std::int64_t>((Size + Alignment - 1) / Alignment * Alignment);
  struct Piece {
    Piece* next;
  };
  inline static Piece* first_ = nullptr;
  inline static int count_ = 0;
};

// Allocates objects of a class from such a list; Class must be complete where objects are created.
template <class Class>
struct Pooled {
  static void* operator new(std::size_t size) {
    void* piece = size == sizeof(Class) ? FreeList<sizeof(Class)>::take() : std::malloc(size);
    if (!piece) throw std::bad_alloc();
    return piece;
  }
  static void operator delete(void* piece, std::size_t size) {
    if (size == sizeof(Class))
      FreeList<sizeof(Class)>::give(piece);
    else
      std::free(piece);
  }
};

}  // namespace quill
