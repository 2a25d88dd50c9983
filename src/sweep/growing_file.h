// A file written in pieces, which replaces an older one once it is complete.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "base/descriptor.h"
#include "files/digest.h"

namespace quill {

class GrowingFile {
 public:
  // Errors have Kind::hindered; the same for the other functions.
  explicit GrowingFile(std::string path);
  ~GrowingFile();
  GrowingFile(const GrowingFile&) = delete;
  GrowingFile& operator=(const GrowingFile&) = delete;

  void add(std::string_view text);
  // SHA-256 of what was added since the last call.
  std::string digest() { return sum_.digest(); }
  std::uint64_t size() const { return size_; }
  // Renames the file to its final name.
  void finish();

 private:
  [[noreturn]] void give_up();
  void write();

  std::string path_, temporary_, waiting_;
  Descriptor file_;
  Sha256 sum_;
  std::uint64_t size_ = 0;
  bool is_done_ = false;
};

}  // namespace quill
