// Text that is written to a file piece by piece.
#pragma once

#include <string>
#include <string_view>

#include "base/descriptor.h"

namespace quill {

class TextSink {
 public:
  // Appends to the file at this path, which exists. Throws Error with the reason if it cannot be opened; so
  // do the other members if it cannot be written.
  explicit TextSink(const std::string& path);
  void put(std::string_view text);
  // Must be called at the end: the last bytes may not fit on the disk.
  void close();

 private:
  Descriptor file_;
};

}  // namespace quill
