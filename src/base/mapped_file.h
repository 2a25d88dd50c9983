// Memory mapping of an open file.
#pragma once

#include <string_view>

#include "base/descriptor.h"

namespace quill {

class MappedFile {
 public:
  // Throws Error if the file cannot be mapped. The file must not be truncated while it is mapped.
  explicit MappedFile(const Descriptor& file);
  ~MappedFile();
  MappedFile(MappedFile&& other) noexcept
      : data_(std::exchange(other.data_, nullptr)), size_(std::exchange(other.size_, 0)) {}
  MappedFile(const MappedFile&) = delete;
  MappedFile& operator=(const MappedFile&) = delete;
  std::string_view bytes() const { return {static_cast<const char*>(data_), size_}; }

 private:
  void* data_ = nullptr;
  std::size_t size_ = 0;
};

}  // namespace quill
