// The operands of a fused region, with the storage they need.
#pragma once

#include <algorithm>
#include <memory>
#include <optional>
#include <span>

#include "engine/expand.h"

namespace quill {

// What a loop of a comprehension goes over; side by side with others along an axis.
struct LoopSource {
  const Value* value = nullptr;
  std::shared_ptr<const Array> chosen;  // of its elements
  int axis = 0;
  Index count = 0;
  double first = 0, step = 0;  // of a range of integers
  bool is_whole = false;
};

class FusedInputs {
 public:
  // Takes the operands of a region with inlined functions; false if a value cannot be fused.
  bool take(const FusedRegion& region, const Value* frame, const Callees& callees) {
    return find_loops(region, frame) && take_all(region, frame, callees);
  }
  // The same for the items that a mask keeps.
  bool take_items(const FusedRegion& region, const Value* frame, const Callees& callees, const Array& mask);
  // The same where some inputs are the elements that a condition chooses, by a mask or by a selection.
  bool take_chosen(const FusedRegion& region, const Value* frame, const Callees& callees, const Array& mask);
  bool take_chosen(const FusedRegion& region, const Value* frame, const Callees& callees,
                   std::unique_ptr<fusion::Selection> selection);
  void add(const Array& array) { inputs_[count_++] = fusion::Input(array); }
  // False if the value cannot be fused.
  bool add(const Value& value, bool literal);
  std::span<const fusion::Input> all() const { return {inputs_.data(), count_}; }
  // Of the items of a comprehension.
  Shape loop_shape() const;
  bool has_loops() const { return !loops_.empty(); }
  // Arrays that were made for it, views among them.
  bool is_own(const Array& array) const {
    return std::any_of(made_.begin(), made_.end(), [&](const auto& made) { return made.get() == &array; });
  }

 private:
  // Loops side by side have one length.
  bool find_loops(const FusedRegion& region, const Value* frame);
  bool take_all(const FusedRegion& region, const Value* frame, const Callees& callees);
  bool add_chosen(const Value& value);
  bool take(const FusedRead& read, const FusedRegion& region, const Value* frame, const Callees& callees);
  bool add_loop(std::size_t k);
  bool add_element(const FusedElement& element, const Value* frame, const Callees& callees);
  // Where the elements along an axis are; false when some are outside of it.
  bool add_axis(const FusedElement::Subscript& subscript, const Array& array, int axis, const Value* frame,
                const Callees& callees, Index& offset, Strides& strides) const;
  // Short ones as an array; the numbers of long ones are calculated block by block.
  fusion::Input of_range(const RangeObject& range);
  const Array& keep(Array array) { return *made_.emplace_back(std::make_unique<Array>(std::move(array))); }

  std::array<fusion::Input, fusion::kMostInputs> inputs_;
  std::size_t count_ = 0;
  std::vector<LoopSource> loops_;
  std::vector<std::unique_ptr<Array>> made_;
  std::vector<std::unique_ptr<fusion::Ramp>> ramps_;
  const Array* mask_ = nullptr;
  std::unique_ptr<fusion::Selection> selection_;
};

}  // namespace quill
