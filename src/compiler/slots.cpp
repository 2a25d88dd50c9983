#include <fmt/format.h>
#include <sys/mman.h>

#include <algorithm>

#include "base/error.h"
#include "compiler/program.h"

namespace quill {

Slots::Slots() {
  // Fresh pages are zero, which represents unset values, and committed on first access.
  static_assert(static_cast<int>(Kind::unset) == 0);
  void* pages = mmap(nullptr, kRoom * sizeof(Value), PROT_READ | PROT_WRITE,
                     MAP_PRIVATE | MAP_ANONYMOUS | MAP_NORESERVE, -1, 0);
  if (pages == MAP_FAILED) fail("not enough memory for the names of a script");
  first_ = static_cast<Value*>(pages);
}

Slots::~Slots() {
  resize(0);
  munmap(first_, kRoom * sizeof(Value));
}

Slots::Slots(const Slots& other) : Slots() { *this = other; }

Slots& Slots::operator=(const Slots& other) {
  if (this == &other) return *this;
  resize(other.size_);
  std::copy(other.first_, other.first_ + other.size_, first_);
  return *this;
}

void Slots::resize(std::size_t size) {
  if (size > kRoom) fail(fmt::format("too many names: at most {}", kRoom));
  for (auto k = size; k < size_; ++k) first_[k].reset();
  size_ = size;
}

}  // namespace quill
