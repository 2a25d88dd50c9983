// Memory layout of all inputs of an evaluation, traversed together in row order.
#pragma once

#include <array>
#include <span>

#include "array/array.h"
#include "fusion/selection.h"

namespace quill::fusion {

inline constexpr int kMostInputs = 40;

// The numbers first + k step for k from 0; weighted: (first (count - 1 - k) + last k) / (count - 1).
struct Ramp {
  double first = 0, last = 0, step = 1;
  Index count = 0;
  bool weighted = false;
};

// An input: an array, selected elements of one, an arithmetic sequence, or a single number or boolean. The
// creator keeps the elements alive.
struct Input {
  const Array* array;
  const void* single;
  const Ramp* ramp = nullptr;
  const Selection* chosen = nullptr;  // selects elements of the array, which is row-major
  ElementType type;
  bool literal;  // an integer literal

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
  explicit Input(const bool& boolean)
      : array(nullptr), single(&boolean), type(ElementType::boolean), literal(false) {}
  bool is_single() const { return !array && !ramp; }
  // Whether its elements are those of a whole array.
  bool is_whole() const { return array && !chosen; }
  // Shape, unless it is a single element.
  Shape shape() const { return ramp ? Shape{ramp->count} : chosen ? Shape{chosen->count()} : array->shape(); }
  Strides strides() const { return is_whole() ? array->strides() : Strides{1}; }
};

// Elements read or written block by block.
struct Stream {
  enum class How : std::uint8_t {
    single,    // one element for all
    direct,    // contiguous
    row,       // contiguous within each row
    constant,  // one element for each row
    gathered,  // strided, or rows that are too short
    ramp,      // computed numbers
    chosen     // elements selected by a condition
  };
  How how = How::single;
  std::size_t size = 0;  // of an element
  const std::byte* data = nullptr;
  const Ramp* ramp = nullptr;
  const Selection* chosen = nullptr;
  Index step = 0;   // along a row
  Strides strides;  // for the axes that are traversed; none if direct or single
};

struct Layout {
  Shape shape;           // of the result
  Index size = 0;        // elements of the result
  Shape walk;            // merged axes: those that are contiguous in all inputs become one
  Index row = 0;         // length of the last one
  bool is_flat = false;  // all arrays have one shape and are row-major
  bool has_selections = false;
  bool by_rows = false;  // blocks end at the ends of rows
  bool has_row_constants = false;
  bool alternates = false;  // only every second element of the traversal is stored
  int inputs = 0;
  std::array<Stream, kMostInputs + 1> streams;  // inputs, then the result

  Stream& target() { return streams[kMostInputs]; }
  const Stream& target() const { return streams[kMostInputs]; }
};

// Broadcasts the inputs; selections are not stretched. `target`: array for the result, of matching shape.
// `linear`: blocks may cross row ends. False if shapes do not fit.
bool lay_out(std::span<const Input> inputs, const Array* target, bool linear, Layout& layout);

// If all inputs and the result use every second number in memory, computes all numbers, which is faster than
// gathering. Only for operations without side effects or errors.
void alternate(Layout& layout);

}  // namespace quill::fusion
