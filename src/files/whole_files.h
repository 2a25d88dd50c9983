// Reading and writing files by the kind of their name.
#pragma once

#include <string>
#include <vector>

#include "base/host.h"
#include "files/csv.h"

namespace quill {

// Error "cannot read …: reason" when there is no such file below the folders.
std::string read_whole(Host& host, const Folders& folders, const std::string& path);
// The same, open for reading parts of it.
OpenFilePtr open_whole(Host& host, const Folders& folders, const std::string& path);
// Whole or not at all; Error "cannot write …: reason".
void write_whole(Host& host, const Folders& folders, const std::string& path, std::string_view bytes);
// "csv" of "a/b.CSV"; "" without one.
std::string extension_of(const std::string& path);

}  // namespace quill
