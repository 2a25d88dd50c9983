// Selection of variables of a file and of index ranges of their dimensions.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "files/netcdf_file.h"

namespace quill {

// Index range of a dimension, from 0.
struct DimensionRange {
  std::string dimension;
  Index start = 0, count = 1, step = 1;
  bool is_single = false;  // a single index, which removes the axis
};

struct PartsWanted {
  std::vector<std::string> only;  // paths of variables and groups; empty: all
  std::vector<DimensionRange> ranges;
};

// Tracks which requested names were found; Errors list what the file has instead.
class PartsFinder {
 public:
  PartsFinder(PartsWanted wanted, std::string file);
  bool wants(const std::string& path);
  // Whether something in a group may be requested.
  bool wants_below(const std::string& path) const;
  // The requested part of a variable with these dimensions, and the axes removed. Throws Error for indices
  // out of range.
  BlockPart part_of(const Shape& shape, const std::vector<std::string>& dimensions, const std::string& path,
                    std::vector<int>& single);
  // Throws Error for names that were not found.
  void check_all_found() const;

 private:
  PartsWanted wanted_;
  std::string file_;
  std::vector<bool> found_, used_;
  std::vector<std::string> paths_, dimensions_;
};

// Opens a NetCDF file, or an HDF5 file as one, after a forked probe has read its structure.
std::shared_ptr<const NetcdfFile> open_netcdf(const OpenFilePtr& file, const std::string& name,
                                              std::shared_ptr<PartsDigest> digest);
Data read_parts(const NetcdfFile& file, const PartsWanted& wanted, const CsvOptions& options);

// The array without these axes, of length 1.
Array without_axes(const Array& a, const std::vector<int>& axes);

}  // namespace quill
