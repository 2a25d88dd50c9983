// Reading and writing of complete files.
#pragma once

#include <string>
#include <vector>

#include "base/host.h"
#include "files/csv.h"

namespace quill {

// Throws Error "cannot read …: reason" if there is no such file below the folders.
std::string read_whole(Host& host, const Folders& folders, const std::string& path);
// The same, opened to read parts of it.
OpenFilePtr open_whole(Host& host, const Folders& folders, const std::string& path);
// Writes atomically; throws Error "cannot write …: reason".
void write_whole(Host& host, const Folders& folders, const std::string& path, std::string_view bytes);
// The same for a file that a library writes.
void make_whole(Host& host, const Folders& folders, const std::string& path, const FileMaker& maker);
// "csv" of "a/b.CSV"; "" without one.
std::string extension_of(const std::string& path);

}  // namespace quill
