// Opening of files that are read in parts.
#pragma once

#include "files/parts.h"
#include "value/registry.h"

namespace quill {

// Whether the file name belongs to a format that can be read in parts.
bool has_parts(const std::string& name);
// Arguments `only` and `ranges`: variables, and index ranges of their dimensions.
PartsWanted parts_wanted(const Call& call, std::size_t only, std::size_t ranges);
// Reads those parts of a file.
Data read_parts_of(const Call& call, const std::string& name, const PartsWanted& wanted);
// All of a NetCDF or HDF5 file, read without a copy of its bytes in memory; nothing if the file is smaller
// than least_size_in_parts(), or has another extension.
std::optional<Data> read_large(const Call& call, const std::string& name);
// In bytes; lowered by tests.
std::uint64_t& least_size_in_parts();

}  // namespace quill
