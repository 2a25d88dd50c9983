// Limits so small that data of a test are as large data are.
#pragma once

#include "blocks/passes.h"
#include "builtins/opened/opening.h"

namespace quill::test {

class SmallBlocks {
 public:
  explicit SmallBlocks(Index elements, Index most = 0) {
    block_limits() = {elements, most > 0 ? most : 16 * elements};
  }
  ~SmallBlocks() { block_limits() = before_; }
  SmallBlocks(const SmallBlocks&) = delete;
  SmallBlocks& operator=(const SmallBlocks&) = delete;

 private:
  BlockLimits before_ = block_limits();
};

// Whole files are read in parts, too, whatever their size.
class AllFilesInParts {
 public:
  AllFilesInParts() { least_size_in_parts() = 0; }
  ~AllFilesInParts() { least_size_in_parts() = before_; }
  AllFilesInParts(const AllFilesInParts&) = delete;
  AllFilesInParts& operator=(const AllFilesInParts&) = delete;

 private:
  std::uint64_t before_ = least_size_in_parts();
};

}  // namespace quill::test
