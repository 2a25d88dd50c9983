// Blocks so small that arrays of a test have many of them.
#pragma once

#include "blocks/passes.h"

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

}  // namespace quill::test
