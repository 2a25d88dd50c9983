// Arrays whose elements are read, or computed, part by part when they are asked for.
#pragma once

#include <array>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "array/elementwise.h"
#include "files/parts.h"

namespace quill {

// What was found while elements were computed, to be warned of afterwards.
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

  // The elements of a part, row by row. Error when the file has changed, or cannot be read.
  virtual Array read(const BlockPart& part, BlockFindings& findings) const = 0;
  // Begins to read a part that will be asked for next, on a thread of its own.
  virtual void prefetch(const BlockPart& part) const = 0;
  // How many elements along each axis are stored together; empty when they lie one after the other.
  virtual std::vector<Index> chunk() const { return {}; }
  // Where the elements come from: "temp in survey.nc".
  virtual std::string origin() const = 0;

  LabelPtr label;
  std::vector<std::string> dimensions;  // names of the axes; empty when they have none

 private:
  ElementType type_;
  Shape shape_;
};
using BlockSourcePtr = std::shared_ptr<const BlockSource>;

// Numbers and booleans of a file; `path` is the name of the variable with its groups.
BlockSourcePtr variable_source(std::shared_ptr<const NetcdfFile> file, const NetcdfFile::Variable& variable,
                               const std::string& path);
// Some elements of another source; the axes named in `single`, of length 1, go.
BlockSourcePtr selected_source(const BlockSourcePtr& from, const BlockPart& part,
                               const std::vector<int>& single);

// An operand of an elementwise operation: a source, or an array in memory.
struct BlockOperand {
  BlockSourcePtr source{};
  Array array{};
  bool literal = false;  // an integer written in the text
  const Shape& shape() const { return source ? source->shape() : array.shape(); }
};
// Error, or ShapeMismatch, as for arrays in memory.
BlockSourcePtr mapped_source(Unary op, const BlockSourcePtr& a);
BlockSourcePtr mapped_source(Binary op, BlockOperand a, BlockOperand b);
// The second where the first, of booleans, is true, the third elsewhere.
BlockSourcePtr picked_source(const std::array<BlockOperand, 3>& operands);
// A view of a part.
Array part_of_array(const Array& a, const BlockPart& part);
// The same elements in another type.
BlockSourcePtr converted_source(const BlockSourcePtr& a, ElementType type);

}  // namespace quill
