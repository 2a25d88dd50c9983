#include "base/mapped_file.h"

#include <fmt/format.h>
#include <sys/mman.h>
#include <unistd.h>

#include "base/error.h"

namespace quill {

MappedFile::MappedFile(const Descriptor& file) {
  const auto end = ::lseek(file.get(), 0, SEEK_END);
  if (end <= 0) return;
  size_ = static_cast<std::size_t>(end);
  data_ = ::mmap(nullptr, size_, PROT_READ, MAP_PRIVATE, file.get(), 0);
  if (data_ != MAP_FAILED) return;
  data_ = nullptr;
  fail_hindered(fmt::format("the temporary file cannot be read: {}", system_reason()));
}

MappedFile::~MappedFile() {
  if (data_ != nullptr) ::munmap(data_, size_);
}

}  // namespace quill
