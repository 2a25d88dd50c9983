// Selection of variables of a file and of index ranges of their dimensions.
#pragma once

#include <functional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "files/netcdf_file.h"

namespace quill {

// Index range of a dimension, from 0.
struct DimensionRange {
  std::string dimension;
  Index start = 0, count = 1, step = 1;
  bool is_single = false;       // a single index, which removes the axis
  std::vector<Index> places{};  // instead of the range, if there are some: any positions in any order
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
  // Positions along an axis that are no range; the part has all positions of the axis.
  struct Places {
    int axis = 0;
    std::vector<Index> places;
  };
  // The requested part of a variable with these dimensions, with the axes removed and those of which places
  // are read. Throws Error for indices out of range.
  BlockPart part_of(const Shape& shape, const std::vector<std::string>& dimensions, const std::string& path,
                    std::vector<int>& single, std::vector<Places>& places);
  // Throws Error for names that were not found.
  void check_all_found() const;

 private:
  PartsWanted wanted_;
  std::string file_;
  std::vector<bool> found_, used_;
  bool has_unnamed_ = false;  // an axis without a name was seen
  std::vector<std::string> paths_, dimensions_;
};

// Opens a NetCDF file, or an HDF5 file as one, after a forked probe has read its structure.
std::shared_ptr<const NetcdfFile> open_netcdf(const OpenFilePtr& file, const std::string& name,
                                              std::shared_ptr<PartsDigest> digest);
Data read_parts(const NetcdfFile& file, const PartsWanted& wanted, const CsvOptions& options);

// Reads all of an HDF5 file without its bytes in memory, and adds it to the digest. Nothing if it is no HDF5
// file, or one of the NetCDF library.
std::optional<Data> read_hdf5_file(const OpenFile& file, const std::string& name, PartsDigest& digest,
                                   const CsvOptions& options);

// Reads a part, and along axes with places only those: positions close to each other are read together.
Array with_places(BlockPart part, std::span<const PartsFinder::Places> places,
                  const std::function<Array(const BlockPart& part)>& read);

// The array without these axes, of length 1.
Array without_axes(const Array& a, const std::vector<int>& axes);

}  // namespace quill
