// Operands of a fused region and the storage that they need.
#pragma once

#include <algorithm>
#include <memory>
#include <optional>
#include <span>

#include "engine/expand.h"

namespace quill {

// What a loop of a comprehension iterates over; parallel loops share an axis.
struct LoopSource {
  const Value* value = nullptr;
  std::shared_ptr<const Array> chosen;  // selected elements
  int axis = 0;
  Index count = 0;
  double first = 0, step = 0;  // of an integer range
  bool is_whole = false;
};

class FusedInputs {
 public:
  // Takes the operands of a region with inlined functions; false if a value cannot be fused.
  bool take(const FusedRegion& region, const Value* frame, const Callees& callees) {
    return find_loops(region, frame) && take_all(region, frame, callees);
  }
  // The same for items selected by a mask.
  bool take_items(const FusedRegion& region, const Value* frame, const Callees& callees, const Array& mask);
  // The same if some inputs are elements selected by a condition, as a mask or a selection.
  bool take_chosen(const FusedRegion& region, const Value* frame, const Callees& callees, const Array& mask);
  bool take_chosen(const FusedRegion& region, const Value* frame, const Callees& callees,
                   std::unique_ptr<fusion::Selection> selection);
  void add(const Array& array) { inputs_[count_++] = fusion::Input(array); }
  // False if the value cannot be fused.
  bool add(const Value& value, bool literal);
  std::span<const fusion::Input> all() const { return {inputs_.data(), count_}; }
  // Shape of a comprehension's items.
  Shape loop_shape() const;
  bool has_loops() const { return !loops_.empty(); }
  // Whether the array was created here, as a view or a copy.
  bool is_own(const Array& array) const {
    return std::any_of(made_.begin(), made_.end(), [&](const auto& made) { return made.get() == &array; });
  }

 private:
  // Parallel loops have equal lengths.
  bool find_loops(const FusedRegion& region, const Value* frame);
  bool take_all(const FusedRegion& region, const Value* frame, const Callees& callees);
  bool add_chosen(const Value& value);
  bool take(const FusedRead& read, const FusedRegion& region, const Value* frame, const Callees& callees);
  bool add_loop(std::size_t k);
  bool add_element(const FusedElement& element, const Value* frame, const Callees& callees);
  // Element indices along an axis; false if some are out of range.
  bool add_axis(const FusedElement::Subscript& subscript, const Array& array, int axis, const Value* frame,
                const Callees& callees, Index& offset, Strides& strides) const;
  // Short ranges become arrays; long ones are computed block by block.
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
