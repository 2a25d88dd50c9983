// Arrays whose elements are read or computed part by part, on demand.
#pragma once

#include <array>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "array/elementwise.h"
#include "files/parts.h"

namespace quill {

// Findings while elements were computed, to be reported as warnings afterwards.
struct BlockFindings {
  std::set<std::string> out_of_domain;  // functions without a real result
};

class BlockSource {
 public:
  BlockSource(ElementType type, const Shape& shape) : type_(type), shape_(shape) {}
  virtual ~BlockSource() = default;
  BlockSource(const BlockSource&) = delete;
  BlockSource& operator=(const BlockSource&) = delete;

  ElementType type() const { return type_; }
  const Shape& shape() const { return shape_; }
  int axes() const { return shape_.count(); }
  Index size() const { return size_of(shape_); }
  double bytes() const;

  // Elements of a part in row order. Throws Error if the file has changed or cannot be read.
  virtual Array read(const BlockPart& part, BlockFindings& findings) const = 0;
  // Starts reading a part that will be requested next, on another thread.
  virtual void prefetch(const BlockPart& part) const = 0;
  // Whether read_raw() may be called.
  virtual bool reads_raw() const { return false; }
  // Stores the elements of a part in row order. May be called by several threads.
  virtual void read_raw(const BlockPart& /*part*/, void* /*to*/) const {}
  // Chunk shape of the storage; empty if it is contiguous.
  virtual std::vector<Index> chunk() const { return {}; }
  // Origin of the elements: "temp in survey.nc".
  virtual std::string origin() const = 0;

  LabelPtr label;
  std::vector<std::string> dimensions;  // names of the axes; empty if there are none

 private:
  ElementType type_;
  Shape shape_;
};
using BlockSourcePtr = std::shared_ptr<const BlockSource>;

// Numbers and booleans of a variable in a file; `path` is its name with its groups.
BlockSourcePtr variable_source(std::shared_ptr<const NetcdfFile> file, const NetcdfFile::Variable& variable,
                               const std::string& path);
// A selection from another source; axes in `single`, of length 1, are removed.
BlockSourcePtr selected_source(const BlockSourcePtr& from, const BlockPart& part,
                               const std::vector<int>& single);
// The same with the last two axes exchanged; there are at least two.
BlockSourcePtr transposed_source(const BlockSourcePtr& from);

// An operand of an elementwise operation: a source, or an array in memory.
struct BlockOperand {
  BlockSourcePtr source{};
  Array array{};
  bool literal = false;  // an integer literal
  const Shape& shape() const { return source ? source->shape() : array.shape(); }
};
// Throws Error or ShapeMismatch, as for arrays in memory.
BlockSourcePtr mapped_source(Unary op, const BlockSourcePtr& a);
BlockSourcePtr mapped_source(Binary op, BlockOperand a, BlockOperand b);
// The second operand where the first, a boolean, is true, else the third.
BlockSourcePtr picked_source(const std::array<BlockOperand, 3>& operands);
// A view of a part.
Array part_of_array(const Array& a, const BlockPart& part);
// The elements converted to another type.
BlockSourcePtr converted_source(const BlockSourcePtr& a, ElementType type);

}  // namespace quill
