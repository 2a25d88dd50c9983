// A file written in pieces, which takes the place of an older one when it is whole.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "base/descriptor.h"
#include "files/digest.h"

namespace quill {

class GrowingFile {
 public:
  // Error Kind::hindered when it cannot be written; also from the other functions.
  explicit GrowingFile(std::string path);
  ~GrowingFile();
  GrowingFile(const GrowingFile&) = delete;
  GrowingFile& operator=(const GrowingFile&) = delete;

  void add(std::string_view text);
  // SHA-256 of what was added since the last call; begins anew.
  std::string digest() { return sum_.digest(); }
  std::uint64_t size() const { return size_; }
  // Gives it its name.
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
