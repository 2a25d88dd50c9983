// Lists of freed pieces of memory of one size, for small objects that come and go in every operation.
#pragma once

#include <cstddef>
#include <cstdlib>
#include <new>

namespace quill {

// Pieces of Size bytes. Not for threads. The sanitizers see every piece come and go.
template <std::size_t Size>
class FreeList {
 public:
  // Null when there is no memory.
  static void* take() {
#ifndef __SANITIZE_ADDRESS__
    if (first_) {
      void* piece = first_;
      first_ = first_->next;
      --count_;
      return piece;
    }
#endif
    return std::malloc(Size);
  }
  static void give(void* piece) {
#ifndef __SANITIZE_ADDRESS__
    constexpr int most = 1024;
    if (count_ < most) {
      first_ = ::new (piece) Piece{first_};
      ++count_;
      return;
    }
#endif
    std::free(piece);
  }

 private:
  struct Piece {
    Piece* next;
  };
  inline static Piece* first_ = nullptr;
  inline static int count_ = 0;
};

// Gives a class memory from such a list; Class must be complete where objects are made.
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
