// An open file that is read in parts.
#pragma once

#include <cstdint>
#include <memory>
#include <string>

#include "base/descriptor.h"

namespace quill {

// path() lets libraries open the same file again even if its name has changed.
class OpenFile {
 public:
  explicit OpenFile(Descriptor descriptor);
  // Writes bytes to a temporary file, which is removed with the object.
  explicit OpenFile(const std::string& bytes);
  ~OpenFile();
  OpenFile(const OpenFile&) = delete;
  OpenFile& operator=(const OpenFile&) = delete;
  // Removes the name of a temporary file once libraries have opened it.
  void forget_name() const;

  std::string path() const;
  std::uint64_t size() const { return size_; }
  // Size and modification time when the file was opened.
  const std::string& stamp() const { return stamp_; }
  bool has_changed() const { return stamp_ != stamp_now(); }
  // Throws Error if it has; `name` is for the message.
  void require_unchanged(const std::string& name) const;
  // `count` bytes from `offset`; fewer at the end of the file.
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
