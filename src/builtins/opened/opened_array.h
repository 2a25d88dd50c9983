// Arrays in files as values.
#pragma once

#include "blocks/passes.h"
#include "value/deferred.h"

namespace quill {

struct Node;

class OpenedArray : public DeferredArray {
 public:
  explicit OpenedArray(BlockSourcePtr source) : source_(std::move(source)) {}
  static Value value(BlockSourcePtr source) { return {Kind::library, new OpenedArray(std::move(source))}; }

  const BlockSourcePtr& source() const { return source_; }
  std::string type_name() const override { return "opened array"; }
  std::string describe() const override;
  const Shape& shape() const override { return source_->shape(); }
  ElementType element_type() const override { return source_->type(); }
  Value mapped(Unary op) const override { return value(mapped_source(op, source_)); }
  Value mapped(Binary op, const Value& other, bool other_is_left, bool is_literal) const override;
  Value transposed() const override { return value(transposed_source(source_)); }
  Value selected(Runtime& runtime, std::span<const Subscript> subscripts) const override;
  Value chosen(Runtime& runtime, const Value& mask) const override;
  std::optional<Value> applied(Call& call, std::size_t i) const override;
  Value whole(Runtime& runtime) const override;

 private:
  BlockSourcePtr source_;
};

// A value as an operand on blocks. Throws Error if it is not an array.
BlockOperand block_operand(const Value& value, bool is_literal);
// Draws a layer from as many elements as can be seen, if there are too many; nothing for other built-ins.
std::optional<Value> drawn_in_parts(Call& call, std::size_t i, const BlockSourcePtr& source);
// Reports findings as warnings.
void report(Runtime& runtime, const BlockFindings& findings, const Node* node);

}  // namespace quill
