// Storage of array elements: counted, aligned, and accounted for.
#pragma once

#include <boost/smart_ptr/intrusive_ptr.hpp>
#include <boost/smart_ptr/intrusive_ref_counter.hpp>
#include <new>

#include "array/element.h"
#include "base/number.h"

namespace quill {

// Elements of one type in one piece of memory. Shared by arrays; written only by a sole owner.
class Buffer : public boost::intrusive_ref_counter<Buffer, boost::thread_unsafe_counter> {
 public:
  // Numbers are left uninitialised, texts are empty. Throws an Error when memory does not suffice.
  static boost::intrusive_ptr<Buffer> make(ElementType type, Index size);
  Buffer(const Buffer&) = delete;
  Buffer& operator=(const Buffer&) = delete;
  // Destroys the elements and gives the memory back; called by the last holder.
  static void operator delete(Buffer* buffer, std::destroying_delete_t);

  ElementType type() const { return type_; }
  Index size() const { return size_; }
  void* data() { return reinterpret_cast<char*>(this) + kAlignment; }

  // Where the elements of every buffer start: a line of the cache, and the widest vector register.
  static constexpr std::size_t kAlignment = 64;

 private:
  static boost::intrusive_ptr<Buffer> make_large(ElementType type, Index size);
  // The elements lie after the header, which takes up one alignment, in the same piece of memory.
  Buffer(ElementType type, Index size, std::size_t piece = 0) : type_(type), size_(size), piece_(piece) {}
  ElementType type_;
  Index size_;
  std::size_t piece_;  // the size of its large piece of memory; 0: it is none
};
using BufferPtr = boost::intrusive_ptr<Buffer>;

// Counts of everything that was ever allocated for elements; tests and timings take differences.
struct MemoryUse {
  Index arrays = 0;     // buffers made that are not empty
  Index bytes = 0;      // bytes allocated in all
  Index bytes_now = 0;  // bytes held at this moment
};
const MemoryUse& memory_use();

}  // namespace quill
