// Temporary files for libraries that write and read files alone.
#pragma once

#include <cstdint>
#include <string>

#include "base/descriptor.h"

namespace quill {

struct TemporaryFile {
  Descriptor file;  // open for reading and writing
  std::string path;
};

// A new empty file, which the caller unlinks: in memory, unless `on_disk`, where there is room for so many
// bytes, else in a folder for temporary files that has it. Throws Error if none can be made.
TemporaryFile temporary_file(std::int64_t bytes, bool on_disk = false);

// Allocates disk space for so many bytes of a file without changing its size, since libraries crash when the
// disk is full. Returns "", also where the file system cannot do it, or the reason why there is no space.
std::string reserve_room(int file, std::int64_t bytes);
std::string reserve_room(const std::string& path, std::int64_t bytes);

}  // namespace quill
