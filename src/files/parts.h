// Which variables of a file are wanted, and which elements along each of its dimensions.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "files/netcdf_file.h"

namespace quill {

// Positions along a dimension, from 0.
struct DimensionRange {
  std::string dimension;
  Index start = 0, count = 1, step = 1;
  bool is_single = false;  // the axis goes
};

struct PartsWanted {
  std::vector<std::string> only;  // paths of variables and groups; all when there are none
  std::vector<DimensionRange> ranges;
};

// Keeps track of which names were found; Errors tell what a file has instead.
class PartsFinder {
 public:
  PartsFinder(PartsWanted wanted, std::string file);
  bool wants(const std::string& path);
  // Whether something below a group may be wanted.
  bool wants_below(const std::string& path) const;
  // The part of a variable with such dimensions, and the axes that go. Error for positions that it has not.
  BlockPart part_of(const Shape& shape, const std::vector<std::string>& dimensions, const std::string& path,
                    std::vector<int>& single);
  // Error for names that were not found.
  void check_all_found() const;

 private:
  PartsWanted wanted_;
  std::string file_;
  std::vector<bool> found_, used_;
  std::vector<std::string> paths_, dimensions_;
};

// A NetCDF file, or an HDF5 file seen as one. It has been looked through in another process first.
std::shared_ptr<const NetcdfFile> open_netcdf(const OpenFilePtr& file, const std::string& name,
                                              std::shared_ptr<PartsDigest> digest);
Data read_parts(const NetcdfFile& file, const PartsWanted& wanted, const CsvOptions& options);

// An array without axes of length 1.
Array without_axes(const Array& a, const std::vector<int>& axes);

}  // namespace quill
