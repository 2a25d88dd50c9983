// An open NetCDF file: its variables, and reading of parts of them.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/open_file.h"
#include "files/conventions.h"
#include "files/data.h"
#include "files/netcdf_library.h"
#include "files/parts_digest.h"

namespace quill {

// Range of elements along each axis, from 0.
struct BlockPart {
  std::vector<Index> start, count, step;
  // All elements of a shape.
  static BlockPart whole(const Shape& shape);
  Shape shape() const;
};

// Errors thrown by members name the file.
class NetcdfFile {
 public:
  NetcdfFile(std::string_view bytes, std::string name);
  // Everything read from the file is added to the digest, if there is one.
  NetcdfFile(OpenFilePtr file, std::string name, std::shared_ptr<PartsDigest> digest = nullptr);
  ~NetcdfFile() { n_.nc_close(root_); }
  NetcdfFile(const NetcdfFile&) = delete;
  NetcdfFile& operator=(const NetcdfFile&) = delete;

  struct Variable {
    int group = 0, id = 0;
    std::string name;
    nc_type type = NC_NAT;
    std::vector<int> dimensions;
    int attributes = 0;
    Shape shape;  // for texts stored as rows of characters, without their length
    Index size = 1;
    bool is_numeric() const { return type != NC_CHAR && type != NC_STRING && type <= NC_MAX_ATOMIC_TYPE; }
  };

  const std::string& name() const { return name_; }
  int root() const { return root_; }
  // Identifiers of a group's variables and groups, in file order.
  std::vector<int> variables_of(int group) const;
  std::vector<std::pair<std::string, int>> groups_of(int group) const;
  Variable variable(int group, int id) const;
  // "" if it has no name, in HDF5 files.
  std::string dimension_name(int group, int dimension) const;
  std::vector<std::string> dimension_names(const Variable& v) const;
  // Chunk shape of the storage; empty if it is contiguous.
  std::vector<Index> chunks_of(const Variable& v) const;
  // Meaning of its numbers by attributes.
  VariableNote note_of(const Variable& v) const;
  // Type of the stored values; booleans and times are not recognised.
  ElementType stored_type(const Variable& v) const;
  Array numbers(const Variable& v, const BlockPart& part) const;
  // The same in three steps, the second of which may run on another thread: it only writes to `to`.
  static void* storage_of(Array& array);
  void read_into(const Variable& v, const BlockPart& part, void* to) const;
  Array finished(const Variable& v, Array stored) const;
  Array texts(const Variable& v, const BlockPart& part) const;
  // Whether its numbers are booleans.
  bool is_boolean(const Variable& v) const;
  int attribute_count(int group) const;
  std::string attribute_name(int group, int variable, int k) const;
  // Nothing if it does not exist or has a type that the language lacks.
  std::optional<Data> attribute(int group, int variable, const char* name) const;
  std::optional<std::string> text_attribute(int group, int variable, const char* name) const;
  std::vector<double> number_attribute(int group, int variable, const char* name) const;

 private:
  [[noreturn]] void failed(int status) const;
  void check(int status) const {
    if (status != NC_NOERR) failed(status);
  }
  [[noreturn]] void fail_at(const std::string& variable, const std::string& what) const;
  void begin(int status, std::string_view first, std::uint64_t size);
  Array characters(const Variable& v, const BlockPart& part) const;
  void call_library(const Variable& v, const BlockPart& part, void* to) const;
  void add_texts(const Variable& v, const BlockPart& part, const Array& texts) const;
  bool is_unsigned(const Variable& v) const;
  void add_usual_fill(const Variable& v, VariableNote& note) const;

  std::string name_;
  const NetcdfLibrary& n_;
  OpenFilePtr file_;
  std::shared_ptr<PartsDigest> digest_;
  std::uint64_t size_ = 0;
  bool is_classic_ = false;
  int root_ = -1;
};

}  // namespace quill
