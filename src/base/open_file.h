// A file that stays open while it is read in parts.
#pragma once

#include <cstdint>
#include <memory>
#include <string>

#include "base/descriptor.h"

namespace quill {

// Libraries open the file again by path(), which leads to it whatever has become of its
// name.
class OpenFile {
 public:
  explicit OpenFile(Descriptor descriptor);
  // Of bytes in memory: a temporary file that goes with it.
  explicit OpenFile(const std::string& bytes);
  ~OpenFile();
  OpenFile(const OpenFile&) = delete;
  OpenFile& operator=(const OpenFile&) = delete;
  // To be called when the libraries have opened it: a temporary file needs no name any more.
  void forget_name() const;

  std::string path() const;
  std::uint64_t size() const { return size_; }
  // Size and time of the last change, as they were when it was opened.
  const std::string& stamp() const { return stamp_; }
  bool has_changed() const { return stamp_ != stamp_now(); }
  // The bytes from `offset` on; fewer at the end of the file.
  std::string read(std::uint64_t offset, std::size_t count) const;

 private:
  void look();
  std::string stamp_now() const;
  Descriptor descriptor_;
  std::uint64_t size_ = 0;
  std::string stamp_;
  mutable std::string temporary_name_;
};
using OpenFilePtr = std::shared_ptr<const OpenFile>;

}  // namespace quill
