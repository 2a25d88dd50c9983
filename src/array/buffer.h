// Storage of array elements: reference-counted, aligned, accounted.
#pragma once

#include <boost/smart_ptr/intrusive_ptr.hpp>
#include <boost/smart_ptr/intrusive_ref_counter.hpp>
#include <new>

#include "array/element.h"
#include "base/number.h"

namespace quill {

// Contiguous elements of one type. Shared by arrays; written only by a sole owner.
class Buffer : public boost::intrusive_ref_counter<Buffer, boost::thread_unsafe_counter> {
 public:
  // Numbers are uninitialised, texts empty. Throws Error if there is not enough memory.
  static boost::intrusive_ptr<Buffer> make(ElementType type, Index size);
  Buffer(const Buffer&) = delete;
  Buffer& operator=(const Buffer&) = delete;
  // Destroys the elements and frees the memory; called by the last owner.
  static void operator delete(Buffer* buffer, std::destroying_delete_t);

  ElementType type() const { return type_; }
  Index size() const { return size_; }
  void* data() { return reinterpret_cast<char*>(this) + kAlignment; }

  // Alignment of the elements: a cache line, and the widest vector register.
  static constexpr std::size_t kAlignment = 64;

 private:
  static boost::intrusive_ptr<Buffer> make_large(ElementType type, Index size);
  // The elements follow the header, which occupies one alignment unit, in the same block.
  Buffer(ElementType type, Index size, std::size_t piece = 0) : type_(type), size_(size), piece_(piece) {}
  ElementType type_;
  Index size_;
  std::size_t piece_;  // size of its large block; 0 for ordinary memory
};
using BufferPtr = boost::intrusive_ptr<Buffer>;

// Totals of all element allocations; tests and timings take differences.
struct MemoryUse {
  Index arrays = 0;     // non-empty buffers allocated
  Index bytes = 0;      // bytes allocated
  Index bytes_now = 0;  // bytes in use
};
const MemoryUse& memory_use();

}  // namespace quill
