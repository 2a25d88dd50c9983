#include "blocks/block_source.h"

#include <fmt/format.h>

#include <algorithm>
#include <future>
#include <map>

#include "array/axis_names.h"
#include "base/text.h"
#include "blocks/read_ahead.h"

namespace quill {

namespace blocks_source {

namespace {

bool same(const BlockPart& a, const BlockPart& b) {
  return a.start == b.start && a.count == b.count && a.step == b.step;
}

class VariableSource : public BlockSource {
 public:
  VariableSource(std::shared_ptr<const NetcdfFile> file, NetcdfFile::Variable v, std::string path,
                 ElementType type)
      : BlockSource(type, v.shape), file_(std::move(file)), v_(std::move(v)), path_(std::move(path)) {
    note_ = file_->note_of(v_);
    is_boolean_ = file_->is_boolean(v_);
    chunk_ = file_->chunks_of(v_);
    dimensions = file_->dimension_names(v_);
    if (std::all_of(dimensions.begin(), dimensions.end(), [](const auto& d) { return d.empty(); }))
      dimensions.clear();
  }
  ~VariableSource() override { forget(); }

  Array read(const BlockPart& part, BlockFindings&) const override {
    if (!ahead_.future.valid() || !same(ahead_.part, part)) {
      forget();
      prefetch(part);
    }
    ahead_.future.get();
    if (reads_raw()) return std::move(ahead_.array);
    auto out = file_->finished(v_, std::move(ahead_.array));
    if (is_boolean_) return out.converted(ElementType::boolean);
    out = decoded(std::move(out), note_, {});
    out.label = nullptr;
    return out.type() == type() ? out : out.converted(type());
  }

  void prefetch(const BlockPart& part) const override {
    if (ahead_.future.valid()) return;  // the next one is on its way
    ahead_.part = part;
    ahead_.array = Array(file_->stored_type(v_), part.shape());
    // The thread sees the storage alone: counts of owners are not for threads.
    void* const to = file_->storage_of(ahead_.array);
    ahead_.future = read_ahead([this, to] {
      if (reads_raw())
        read_raw(ahead_.part, to);
      else
        file_->read_into(v_, ahead_.part, to);
    });
  }

  bool reads_raw() const override {
    return !is_boolean_ && type() == file_->stored_type(v_) && decodes_in_place(type(), note_);
  }
  void read_raw(const BlockPart& part, void* to) const override {
    file_->read_into(v_, part, to);
    decode_in_place(to, type(), size_of(part.shape()), note_);
  }
  std::vector<Index> chunk() const override { return chunk_; }
  std::string origin() const override {
    return fmt::format("{} in {}", printable(path_), printable(file_->name()));
  }
  const VariableNote& note() const { return note_; }

 private:
  void forget() const {
    if (ahead_.future.valid()) ahead_.future.wait();
    ahead_.future = {};
  }

  struct Ahead {
    BlockPart part;
    Array array;
    std::future<void> future;
  };
  std::shared_ptr<const NetcdfFile> file_;
  NetcdfFile::Variable v_;
  std::string path_;
  VariableNote note_;
  bool is_boolean_ = false;
  std::vector<Index> chunk_;
  mutable Ahead ahead_;
};

class SelectedSource : public BlockSource {
 public:
  SelectedSource(BlockSourcePtr from, BlockPart part, std::vector<int> single, const Shape& shape)
      : BlockSource(from->type(), shape),
        from_(std::move(from)),
        part_(std::move(part)),
        single_(std::move(single)) {}

  Array read(const BlockPart& part, BlockFindings& findings) const override {
    return without_axes(from_->read(within(part), findings), single_);
  }
  void prefetch(const BlockPart& part) const override { from_->prefetch(within(part)); }
  std::vector<Index> chunk() const override {
    auto out = from_->chunk();
    if (out.empty()) return out;
    for (std::size_t k = 0; k < out.size(); ++k)
      out[k] = std::max<Index>(1, out[k] / std::abs(part_.step[k]));
    for (auto axis = single_.rbegin(); axis != single_.rend(); ++axis) out.erase(out.begin() + *axis);
    return out;
  }
  std::string origin() const override { return "a part of " + from_->origin(); }

 private:
  BlockPart within(const BlockPart& part) const {
    BlockPart out;
    std::size_t k = 0;
    for (std::size_t axis = 0; axis < part_.start.size(); ++axis) {
      const bool is_single =
          std::find(single_.begin(), single_.end(), static_cast<int>(axis)) != single_.end();
      out.start.push_back(part_.start[axis] + (is_single ? 0 : part.start[k] * part_.step[axis]));
      out.count.push_back(is_single ? 1 : part.count[k]);
      out.step.push_back(is_single ? 1 : part_.step[axis] * part.step[k]);
      k += !is_single;
    }
    return out;
  }
  BlockSourcePtr from_;
  BlockPart part_;
  std::vector<int> single_;
};

// The last two axes exchanged.
class TransposedSource : public BlockSource {
 public:
  explicit TransposedSource(BlockSourcePtr from)
      : BlockSource(from->type(), exchanged(from->shape())), from_(std::move(from)) {}

  Array read(const BlockPart& part, BlockFindings& findings) const override {
    return from_->read(own(part), findings).transposed().compact();
  }
  void prefetch(const BlockPart& part) const override { from_->prefetch(own(part)); }
  std::vector<Index> chunk() const override {
    auto out = from_->chunk();
    exchange(out);
    return out;
  }
  std::string origin() const override { return from_->origin(); }

 private:
  template <class List>
  static void exchange(List& list) {
    if (list.size() > 1) std::swap(list[list.size() - 1], list[list.size() - 2]);
  }
  static Shape exchanged(Shape shape) {
    std::swap(shape[shape.count() - 1], shape[shape.count() - 2]);
    return shape;
  }
  static BlockPart own(BlockPart part) {
    exchange(part.start);
    exchange(part.count);
    exchange(part.step);
    return part;
  }
  BlockSourcePtr from_;
};

// The part of an operand that goes with a part of the result.
BlockPart part_of_operand(const Shape& operand, const BlockPart& part) {
  BlockPart out;
  const auto missing = part.start.size() - static_cast<std::size_t>(operand.count());
  for (int axis = 0; axis < operand.count(); ++axis) {
    const auto k = missing + static_cast<std::size_t>(axis);
    const bool is_stretched = operand[axis] == 1;
    out.start.push_back(is_stretched ? 0 : part.start[k]);
    out.count.push_back(is_stretched ? 1 : part.count[k]);
    out.step.push_back(is_stretched ? 1 : part.step[k]);
  }
  return out;
}

// An array of the type and number of axes without elements, for finding types and errors.
Array sample_of(const BlockOperand& operand) {
  const int axes = operand.shape().count();
  if (!operand.source && axes == 0) return operand.array;
  return Array(operand.source ? operand.source->type() : operand.array.type(), Shape::filled(axes, 0));
}

const std::string kExpression = "an expression of ";

class MappedSource : public BlockSource {
 public:
  MappedSource(ElementType type, const Shape& shape, std::vector<BlockOperand> operands, std::string name)
      : BlockSource(type, shape), operands_(std::move(operands)), name_(std::move(name)) {}

  Array read(const BlockPart& part, BlockFindings& findings) const override {
    std::vector<Array> arrays;
    for (const auto& operand : operands_) {
      if (!arrays.empty() && is_first(operand)) {  // x * x
        arrays.push_back(arrays[0]);
        continue;
      }
      const auto own = part_of_operand(operand.shape(), part);
      arrays.push_back(operand.source ? operand.source->read(own, findings)
                                      : part_of_array(operand.array, own));
    }
    Domain domain;
    auto out = computed(arrays, domain);
    if (domain.exceeded) findings.out_of_domain.insert(name_);
    out.label = nullptr;
    return out.compact();
  }
  void prefetch(const BlockPart& part) const override {
    for (const auto& operand : operands_)
      if (operand.source && (&operand == operands_.data() || !is_first(operand)))
        operand.source->prefetch(part_of_operand(operand.shape(), part));
  }
  std::vector<Index> chunk() const override {
    for (const auto& operand : operands_)
      if (operand.source && operand.source->shape() == shape()) return operand.source->chunk();
    return {};
  }
  std::string origin() const override {
    for (const auto& operand : operands_)
      if (operand.source) {
        const auto inner = operand.source->origin();
        return inner.starts_with(kExpression) ? inner : kExpression + inner;
      }
    return "an expression";
  }

 protected:
  virtual Array computed(std::span<const Array> arrays, Domain& domain) const = 0;
  std::vector<BlockOperand> operands_;

 private:
  // Whether an operand is the source that is the first one.
  bool is_first(const BlockOperand& operand) const {
    return operand.source && operand.source == operands_[0].source;
  }

  std::string name_;
};

class UnarySource : public MappedSource {
 public:
  UnarySource(Unary op, ElementType type, const BlockSourcePtr& a)
      : MappedSource(type, a->shape(), {BlockOperand{a}}, std::string(name_of(op))), op_(op) {}
  Array computed(std::span<const Array> arrays, Domain& domain) const override {
    return apply(op_, arrays[0], &domain);
  }

 private:
  Unary op_;
};

class BinarySource : public MappedSource {
 public:
  BinarySource(Binary op, ElementType type, const Shape& shape, BlockOperand a, BlockOperand b)
      : MappedSource(type, shape, {std::move(a), std::move(b)}, std::string(symbol_of(op))), op_(op) {}
  Array computed(std::span<const Array> arrays, Domain& domain) const override {
    Operand a(arrays[0]), b(arrays[1]);
    a.literal = operands_[0].literal;
    b.literal = operands_[1].literal;
    return apply(op_, a, b, &domain);
  }

 private:
  Binary op_;
};

class PickedSource : public MappedSource {
 public:
  PickedSource(ElementType type, const Shape& shape, std::vector<BlockOperand> operands)
      : MappedSource(type, shape, std::move(operands), "pick") {}
  Array computed(std::span<const Array> arrays, Domain&) const override {
    return pick(arrays[0], arrays[1], arrays[2]);
  }
};

class ConvertedSource : public MappedSource {
 public:
  ConvertedSource(ElementType to, const BlockSourcePtr& a)
      : MappedSource(to, a->shape(), {BlockOperand{a}}, std::string(name_of(to))) {}
  Array computed(std::span<const Array> arrays, Domain&) const override {
    return arrays[0].converted(type());
  }
};

}  // namespace

}  // namespace blocks_source

using namespace blocks_source;

Array part_of_array(const Array& a, const BlockPart& part) {
  Index offset = a.offset();
  Strides strides = a.strides();
  for (int axis = 0; axis < a.axes(); ++axis) {
    const auto k = static_cast<std::size_t>(axis);
    offset += part.start[k] * strides[axis];
    strides[axis] *= part.step[k];
  }
  return a.view(offset, part.shape(), strides);
}

double BlockSource::bytes() const {
  double out = static_cast<double>(size_of(type_));
  for (const auto extent : shape_) out *= static_cast<double>(extent);
  return out;
}

BlockSourcePtr variable_source(std::shared_ptr<const NetcdfFile> file, const NetcdfFile::Variable& variable,
                               const std::string& path) {
  const auto note = file->note_of(variable);
  const auto stored = file->stored_type(variable);
  auto type = file->is_boolean(variable) ? ElementType::boolean : decoded_type(stored, note);
  auto out = std::make_shared<VariableSource>(std::move(file), variable, path, type);
  if (type != ElementType::boolean) out->label = label_of(note);
  return out;
}

BlockSourcePtr selected_source(const BlockSourcePtr& from, const BlockPart& part,
                               const std::vector<int>& single) {
  auto shape = part.shape();
  auto dimensions = from->dimensions;
  for (auto axis = single.rbegin(); axis != single.rend(); ++axis) {
    shape.erase(*axis);
    if (!dimensions.empty()) dimensions.erase(dimensions.begin() + *axis);
  }
  auto out = std::make_shared<SelectedSource>(from, part, single, shape);
  out->label = from->label;
  out->dimensions = std::move(dimensions);
  return out;
}

BlockSourcePtr transposed_source(const BlockSourcePtr& from) {
  auto out = std::make_shared<TransposedSource>(from);
  out->label = from->label;
  out->dimensions = from->dimensions;
  if (auto& names = out->dimensions; names.size() > 1)
    std::swap(names[names.size() - 1], names[names.size() - 2]);
  return out;
}

BlockSourcePtr mapped_source(Unary op, const BlockSourcePtr& a) {
  const auto type = apply(op, sample_of({a})).type();
  auto out = std::make_shared<UnarySource>(op, type, a);
  out->dimensions = a->dimensions;
  return out;
}

BlockSourcePtr mapped_source(Binary op, BlockOperand a, BlockOperand b) {
  const auto shape = broadcast_shapes(a.shape(), b.shape(), fmt::format(" {} ", symbol_of(op)));
  const auto sample_a = sample_of(a), sample_b = sample_of(b);
  Operand x(sample_a), y(sample_b);
  x.literal = a.literal;
  y.literal = b.literal;
  const auto type = apply(op, x, y).type();
  MergedAxisNames names(shape.count());
  for (const auto* operand : {&a, &b})
    if (operand->source)
      names.add(operand->shape(), operand->source->dimensions);
    else
      names.add(operand->array);
  auto out = std::make_shared<BinarySource>(op, type, shape, std::move(a), std::move(b));
  out->dimensions = names.take();
  return out;
}

BlockSourcePtr picked_source(const std::array<BlockOperand, 3>& operands) {
  const auto type = pick(sample_of(operands[0]), sample_of(operands[1]), sample_of(operands[2])).type();
  const auto shape =
      broadcast_shapes(broadcast_shapes(operands[0].shape(), operands[1].shape()), operands[2].shape());
  MergedAxisNames names(shape.count());
  for (const auto& operand : operands)
    if (operand.source)
      names.add(operand.shape(), operand.source->dimensions);
    else
      names.add(operand.array);
  auto out = std::make_shared<PickedSource>(type, shape,
                                            std::vector<BlockOperand>(operands.begin(), operands.end()));
  out->dimensions = names.take();
  return out;
}

BlockSourcePtr converted_source(const BlockSourcePtr& a, ElementType type) {
  if (a->type() == type) return a;
  auto out = std::make_shared<ConvertedSource>(type, a);
  out->label = a->label;
  out->dimensions = a->dimensions;
  return out;
}

}  // namespace quill
