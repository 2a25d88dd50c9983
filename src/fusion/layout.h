// Where the elements of all inputs lie, walked together in row order.
#pragma once

#include <array>
#include <span>

#include "array/array.h"
#include "fusion/selection.h"

namespace quill::fusion {

inline constexpr int kMostInputs = 40;

// The numbers first + k step for k from 0; weighted between both ends they are (first (count - 1 - k) + last
// k) / (count - 1).
struct Ramp {
  double first = 0, last = 0, step = 1;
  Index count = 0;
  bool weighted = false;
};

// An array, the elements of one that are chosen, a vector of numbers that follow each other, or one number or
// boolean. Whoever makes it keeps the elements alive.
struct Input {
  const Array* array;
  const void* single;
  const Ramp* ramp = nullptr;
  const Selection* chosen = nullptr;  // of the elements of the array, which lies in row order
  ElementType type;
  bool literal;  // an integer written in the text

  Input() {}             // NOLINT: left unset, since there are many for each evaluation
  Input(const Array& a)  // NOLINT
      : array(a.axes() > 0 ? &a : nullptr),
        single(a.axes() > 0 ? nullptr : a.raw_data()),
        type(a.type()),
        literal(false) {}
  Input(const Array& a, const Selection& selection) : Input(a) { chosen = &selection; }
  explicit Input(const Ramp& numbers)
      : array(nullptr), single(nullptr), ramp(&numbers), type(ElementType::float64), literal(false) {}
  explicit Input(const double& number, bool is_literal)
      : array(nullptr), single(&number), type(ElementType::float64), literal(is_literal) {}
  explicit Input(const bool& truth)
      : array(nullptr), single(&truth), type(ElementType::boolean), literal(false) {}
  bool is_single() const { return !array && !ramp; }
  // Whether its elements are those of an array as it is.
  bool is_whole() const { return array && !chosen; }
  // Of what is more than a single element.
  Shape shape() const { return ramp ? Shape{ramp->count} : chosen ? Shape{chosen->count()} : array->shape(); }
  Strides strides() const { return is_whole() ? array->strides() : Strides{1}; }
};

// Elements that are read or written block by block.
struct Stream {
  enum class How : std::uint8_t {
    single,    // one element for all
    direct,    // in one run of memory
    row,       // a run of memory for each row
    constant,  // one element for each row
    gathered,  // a step apart, or rows too short
    ramp,      // numbers that are calculated
    chosen     // where a condition is true
  };
  How how = How::single;
  std::size_t size = 0;  // of an element
  const std::byte* data = nullptr;
  const Ramp* ramp = nullptr;
  const Selection* chosen = nullptr;
  Index step = 0;   // along a row
  Strides strides;  // of the axes that are walked; none when direct or single
};

struct Layout {
  Shape shape;           // of the result
  Index size = 0;        // its elements
  Shape walk;            // axes that lie end to end in all inputs are one
  Index row = 0;         // the length of the last one
  bool is_flat = false;  // all arrays have one shape and lie in row order
  bool has_selections = false;
  bool by_rows = false;  // blocks end where rows end
  bool has_row_constants = false;
  bool alternates = false;  // of what is walked every second element alone is put away
  int inputs = 0;
  std::array<Stream, kMostInputs + 1> streams;  // of the inputs, and of where the result goes

  Stream& target() { return streams[kMostInputs]; }
  const Stream& target() const { return streams[kMostInputs]; }
};

// How the inputs broadcast; selections are not stretched. `target`: where the result is to be put, which must
// have its shape. `linear`: blocks follow each other whatever the rows. False when shapes do not fit.
bool lay_out(std::span<const Input> inputs, const Array* target, bool linear, Layout& layout);

// Where a row is every second number of the memory, of all inputs and of where the result goes: walks all of
// them, which is faster than to put the numbers together. For operations that may be done once too often.
void alternate(Layout& layout);

}  // namespace quill::fusion
