// Results that exceed memory, in temporary files.
#pragma once

#include "blocks/block_source.h"

namespace quill {

// Numbers or booleans that are written once, part by part, and then read like those of a variable.
class StoredSource : public BlockSource {
 public:
  // Throws Error, which names the elements by `origin`, if there is no room for them on the disk.
  StoredSource(ElementType type, const Shape& shape, std::string origin);
  ~StoredSource() override;

  // Elements whose first one is at `start`.
  void write(const std::vector<Index>& start, const Array& elements);

  Array read(const BlockPart& part, BlockFindings& findings) const override;
  void prefetch(const BlockPart&) const override {}
  std::string origin() const override { return origin_; }

 private:
  // The pages belong to the system's cache of the file, no longer to the program.
  void let_go() const;
  std::string origin_;
  // The file, which has no name any more, in the address space.
  void* elements_ = nullptr;
  std::size_t bytes_ = 0;
};

}  // namespace quill
