// Array: element type, shape, strides and shared storage. Value semantics: a write first makes shared storage
// unique (copy on write).
#pragma once

#include <cassert>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "array/buffer.h"
#include "array/element.h"
#include "array/shape.h"

namespace quill {

// Name and unit of a column, and names of axes (array/axis_names.h). Kept by copies and selections;
// arithmetic keeps only names of axes.
struct Label {
  std::string name;
  std::string unit;
  std::vector<std::string> axes{};
};
using LabelPtr = std::shared_ptr<const Label>;

// Whether the label marks timestamps.
bool has_time_label(const Label& label);

class Array {
 public:
  Array();  // an empty float64 vector
  // Row-major; numbers uninitialised, texts empty.
  Array(ElementType type, const Shape& shape);
  // Numbers uninitialised, texts empty, in the shape and layout of another row-major array.
  struct Like {};
  Array(Like like, const Array& other) : Array(like, other, other.type()) {}
  Array(Like, const Array& other, ElementType type)
      : buffer_(Buffer::make(type, other.size_)),
        size_(other.size_),
        shape_(other.shape_),
        strides_(other.strides_) {}
  // View of existing storage with any layout.
  Array(BufferPtr buffer, Index offset, const Shape& shape, const Strides& strides);

  template <class T>
  static Array of(const Shape& shape, std::span<const T> values);
  static Array vector(const std::vector<double>& values) {
    return of<double>({static_cast<Index>(values.size())}, values);
  }
  static Array vector(const std::vector<std::string>& values) {
    return of<std::string>({static_cast<Index>(values.size())}, values);
  }
  static Array single(double value) { return of<double>({}, std::span(&value, 1)); }
  template <class T>
  static Array filled(const Shape& shape, const T& value);

  ElementType type() const { return buffer_->type(); }
  const Shape& shape() const { return shape_; }
  const Strides& strides() const { return strides_; }
  int axes() const { return shape_.count(); }
  Index extent(int axis) const { return shape_[axis]; }
  Index size() const { return size_; }
  // Extent of the first axis; 1 for a single number.
  Index length() const { return shape_.empty() ? 1 : shape_[0]; }
  bool is_row_major() const {
    if (shape_.count() == 1) return strides_[0] == 1 || size_ <= 1;
    return shape_.empty() || has_row_major_strides();
  }

  // Pointer to the element at offset 0. T must be the element type.
  template <class T>
  const T* data() const {
    assert(type_of<T> == type());
    return static_cast<const T*>(buffer_->data()) + offset_;
  }
  const void* raw_data() const {
    return static_cast<const char*>(buffer_->data()) + offset_ * static_cast<Index>(quill::size_of(type()));
  }
  // Pointer for writing; makes the storage unique first. If that copies, the layout becomes row-major.
  template <class T>
  T* mutable_data() {
    assert(type_of<T> == type());
    own();
    return static_cast<T*>(buffer_->data()) + offset_;
  }
  bool shares_storage() const { return buffer_->use_count() > 1; }
  const Buffer* buffer() const { return buffer_.get(); }

  // A row-major copy with its own storage.
  Array copied() const;
  // Row-major and contiguous; the array itself if it already is.
  Array compact() const;
  // Elements converted exactly, or rounded to a real type. Throws Error naming the first element that the
  // type cannot represent: a fraction or large number as an integer, a number other than 0 or 1 as a boolean,
  // an imaginary part as a real number.
  Array converted(ElementType type) const;
  // Extends the first axis by `rows` uninitialised rows. Reserves extra room when it reallocates, so repeated
  // growth takes amortised constant time for each element.
  void grow(Index rows);
  // The same elements in row order with another shape of equal size.
  Array with_shape(const Shape& shape) const;
  Array permuted(std::span<const int> order) const;
  // Transposes the last two axes.
  Array transposed() const;
  // Another view of the same storage, with the same label.
  Array view(Index offset, const Shape& shape, const Strides& strides) const;
  Index offset() const { return offset_; }

  // All elements in row order.
  template <class T>
  std::vector<T> to_vector() const;
  // Element at 0-based indices.
  template <class T>
  const T& at(std::initializer_list<Index> positions) const {
    Index offset = 0;
    int axis = 0;
    for (const auto p : positions) offset += p * strides_[axis++];
    return data<T>()[offset];
  }

  LabelPtr label;

 private:
  bool has_row_major_strides() const;
  void own() {
    if (shares_storage()) *this = copied();
  }
  BufferPtr buffer_;
  Index offset_ = 0;
  Index size_ = 0;
  Shape shape_;
  Strides strides_;
};

// Whether it holds timestamps: float64 with the unit kTimeUnit.
inline bool holds_times(const Array& a) {
  return a.label && a.type() == ElementType::float64 && has_time_label(*a.label);
}
// `out` with the label of `a` if `a` holds timestamps.
inline Array as_times_like(const Array& a, Array out) {
  if (holds_times(a) && out.type() == ElementType::float64) out.label = a.label;
  return out;
}

// To be called when elements of `given` are assigned to a float64 array: if they are timestamps, the array
// becomes an array of timestamps.
inline void become_times_like(Array& a, const Array& given) {
  if (holds_times(given) && a.type() == ElementType::float64 && !holds_times(a)) a.label = given.label;
}

// Converts numbers of any layout to another type, in row order; see Array::converted.
void convert_elements(const void* data, ElementType type, const Shape& shape, const Strides& strides,
                      void* out, ElementType to);

// Type, shape, strides and elements in one line; for tests.
std::string dump(const Array& array);
// "time 6 × depth 8"
std::string text_of(const Shape& shape, std::span<const std::string> names);
// "float64 6×8", with names of axes "float64 time 6 × depth 8"
std::string type_and_shape(const Array& array);
// The vector v broadcast along the matrix axes of `a`: as one row, one column. v may be a matrix of one row
// or column.
Array across(const Array& v);
Array down(const Array& v);

}  // namespace quill
