#include "array/array.h"

#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <utility>

#include "array/axis_names.h"
#include "array/strided.h"
#include "base/number.h"
#include "base/text.h"
#include "base/time_text.h"

namespace quill {

Array::Array()
    : Array(
          [] {
            static const BufferPtr nothing = Buffer::make(ElementType::float64, 0);
            return nothing;
          }(),
          0, {0}, {1}) {}

Array::Array(ElementType type, const Shape& shape)
    : buffer_(Buffer::make(type, quill::size_of(shape))),
      size_(buffer_->size()),
      shape_(shape),
      strides_(row_major_strides(shape)) {}

Array::Array(BufferPtr buffer, Index offset, const Shape& shape, const Strides& strides)
    : buffer_(std::move(buffer)),
      offset_(offset),
      size_(quill::size_of(shape)),
      shape_(shape),
      strides_(strides) {}

template <class T>
Array Array::of(const Shape& shape, std::span<const T> values) {
  Array out(type_of<T>, shape);
  std::copy_n(values.begin(), out.size(), out.mutable_data<T>());
  return out;
}
template Array Array::of<double>(const Shape&, std::span<const double>);
template Array Array::of<float>(const Shape&, std::span<const float>);
template Array Array::of<std::int32_t>(const Shape&, std::span<const std::int32_t>);
template Array Array::of<std::int64_t>(const Shape&, std::span<const std::int64_t>);
template Array Array::of<std::uint8_t>(const Shape&, std::span<const std::uint8_t>);
template Array Array::of<bool>(const Shape&, std::span<const bool>);
template Array Array::of<Complex>(const Shape&, std::span<const Complex>);
template Array Array::of<std::string>(const Shape&, std::span<const std::string>);
template Array Array::of<Any>(const Shape&, std::span<const Any>);

template <class T>
Array Array::filled(const Shape& shape, const T& value) {
  Array out(type_of<T>, shape);
  std::fill_n(out.mutable_data<T>(), out.size(), value);
  return out;
}
template Array Array::filled<double>(const Shape&, const double&);
template Array Array::filled<float>(const Shape&, const float&);
template Array Array::filled<std::int32_t>(const Shape&, const std::int32_t&);
template Array Array::filled<std::int64_t>(const Shape&, const std::int64_t&);
template Array Array::filled<std::uint8_t>(const Shape&, const std::uint8_t&);
template Array Array::filled<bool>(const Shape&, const bool&);
template Array Array::filled<Complex>(const Shape&, const Complex&);
template Array Array::filled<std::string>(const Shape&, const std::string&);
template Array Array::filled<Any>(const Shape&, const Any&);

bool Array::has_row_major_strides() const {
  if (size_ == 0) return true;
  Index expected = 1;
  for (int i = axes() - 1; i >= 0; --i) {
    if (shape_[i] != 1 && strides_[i] != expected) return false;
    expected *= shape_[i];
  }
  return true;
}

Array Array::compact() const { return is_row_major() ? *this : copied(); }

void Array::grow(Index rows) {
  Shape shape = shape_;
  shape[0] += rows;
  const Index size = quill::size_of(shape);
  if (shares_storage() || !is_row_major() || offset_ + size > buffer_->size()) {
    constexpr Index least = 8;
    const Array room(type(), {std::max({size, 2 * size_, least})});
    Array moved(room.buffer_, 0, shape_, row_major_strides(shape_));
    moved.label = label;
    visit_type(type(), [&]<class T>(Tag<T>) {
      const auto* from = data<T>();
      auto* to = static_cast<T*>(moved.buffer_->data());
      for_each_run<1>(shape_, {strides_}, [&](const auto& at, const auto& step, Index n) {
        const T* source = from + at[0];
        for (Index i = 0; i < n; ++i) *to++ = source[i * step[0]];
      });
    });
    *this = std::move(moved);
  }
  shape_ = shape;
  strides_ = row_major_strides(shape);
  size_ = size;
}

namespace {

// Description of what an element could not be converted to.
template <class To, class From>
[[noreturn]] void fail_conversion(const From& value) {
  const auto to = name_of(type_of<To>);
  if constexpr (std::is_same_v<From, Complex>) {
    fail(fmt::format("a complex number cannot become {}", to), "real(x) or abs(x) makes it real");
  } else {
    const auto number = static_cast<double>(value);
    const auto shown = std::is_integral_v<From> ? fmt::format("{}", value) : shortest(number);
    if constexpr (std::is_same_v<To, bool>) {
      fail(fmt::format("{} cannot become a boolean: only 0 and 1 can", shown), "x != 0");
    } else {
      if (std::isnan(number)) fail(fmt::format("nan cannot become {}, which has no such value", to));
      if (!is_whole(number))
        fail(fmt::format("{} cannot become {}: it is not an integer", shown, to),
             fmt::format("round(x) makes it whole; float64(a) makes an array that holds fractions"));
      fail(fmt::format("{} cannot become {}: it is outside {} to {}", shown, to,
                       static_cast<std::int64_t>(std::numeric_limits<To>::min()),
                       static_cast<std::int64_t>(std::numeric_limits<To>::max())),
           std::is_same_v<To, std::int64_t> ? "float64(a) holds it, rounded"
                                            : "int64(a) holds larger numbers");
    }
  }
}

template <class From, class To>
To convert_element(const From& value) {
  if constexpr (std::is_same_v<From, To>) {
    return value;
  } else if constexpr (std::is_same_v<To, Complex>) {
    return Complex(static_cast<double>(value));
  } else if constexpr (std::is_same_v<From, Complex>) {
    if (value.imag() != 0) fail_conversion<To>(value);
    return convert_element<double, To>(value.real());
  } else if constexpr (std::is_same_v<To, bool>) {
    if (value != From(0) && value != From(1)) fail_conversion<To>(value);
    return value != From(0);
  } else if constexpr (std::is_floating_point_v<To> || std::is_same_v<From, bool>) {
    return static_cast<To>(value);
  } else if constexpr (std::is_integral_v<From>) {
    if (!std::in_range<To>(value)) fail_conversion<To>(value);
    return static_cast<To>(value);
  } else {
    // The upper end of int64 is not a float64; the number after it is.
    const auto number = static_cast<double>(value);
    if (!(number >= static_cast<double>(std::numeric_limits<To>::min()) &&
          number < static_cast<double>(std::numeric_limits<To>::max() / 2 + 1) * 2) ||
        std::trunc(number) != number)
      fail_conversion<To>(value);
    return static_cast<To>(number);
  }
}

}  // namespace

void convert_elements(const void* data, ElementType type, const Shape& shape, const Strides& strides,
                      void* out, ElementType to) {
  visit_numeric(type, [&]<class From>(Tag<From>) {
    visit_numeric(to, [&]<class To>(Tag<To>) {
      const auto* from = static_cast<const From*>(data);
      auto* target = static_cast<To*>(out);
      for_each_run<1>(shape, {strides}, [&](const auto& at, const auto& step, Index n) {
        const From* source = from + at[0];
        for (Index i = 0; i < n; ++i) *target++ = convert_element<From, To>(source[i * step[0]]);
      });
    });
  });
}

Array Array::converted(ElementType to) const {
  if (to == type()) return *this;
  if (!is_numeric(to) || !is_numeric(type()))
    fail(fmt::format("an array of {} cannot become one of {}", name_of(type()), name_of(to)));
  Array out(to, shape_);
  convert_elements(raw_data(), type(), shape_, strides_, out.buffer_->data(), to);
  out.label = label;
  return out;
}

Array Array::with_shape(const Shape& shape) const {
  auto rows = compact();
  auto out = rows.view(rows.offset_, shape, row_major_strides(shape));
  if (out.label && !(shape == shape_)) set_axis_names(out, {});
  return out;
}

Array Array::permuted(std::span<const int> order) const {
  Shape shape;
  Strides strides;
  for (const auto axis : order) {
    shape.push_back(shape_[axis]);
    strides.push_back(strides_[axis]);
  }
  auto out = view(offset_, shape, strides);
  if (has_axis_names(*this)) {
    AxisNames names;
    for (const auto axis : order) names.push_back(axis_names(*this)[static_cast<std::size_t>(axis)]);
    set_axis_names(out, std::move(names));
  }
  return out;
}

Array Array::transposed() const {
  std::vector<int> order;
  for (int i = 0; i < axes(); ++i) order.push_back(i);
  if (axes() >= 2) std::swap(order[axes() - 1], order[axes() - 2]);
  return permuted(order);
}

Array Array::view(Index offset, const Shape& shape, const Strides& strides) const {
  Array out(buffer_, offset, shape, strides);
  out.label = label;
  return out;
}

template <class T>
std::vector<T> Array::to_vector() const {
  std::vector<T> out;
  out.reserve(static_cast<std::size_t>(size_));
  const auto* from = data<T>();
  for_each_run<1>(shape_, {strides_}, [&](const auto& at, const auto& step, Index n) {
    const auto* first = from + at[0];
    if (step[0] == 1)
      out.insert(out.end(), first, first + n);
    else
      for (Index i = 0; i < n; ++i) out.push_back(first[i * step[0]]);
  });
  return out;
}
template std::vector<double> Array::to_vector<double>() const;
template std::vector<float> Array::to_vector<float>() const;
template std::vector<std::int32_t> Array::to_vector<std::int32_t>() const;
template std::vector<std::int64_t> Array::to_vector<std::int64_t>() const;
template std::vector<std::uint8_t> Array::to_vector<std::uint8_t>() const;
template std::vector<bool> Array::to_vector<bool>() const;
template std::vector<Complex> Array::to_vector<Complex>() const;
template std::vector<std::string> Array::to_vector<std::string>() const;
template std::vector<Any> Array::to_vector<Any>() const;

std::string dump(const Array& array) {
  std::string out = fmt::format("{} {} strides {}:", name_of(array.type()), text_of(array.shape()),
                                fmt::join(array.strides().begin(), array.strides().end(), ","));
  visit_type(array.type(), [&]<class T>(Tag<T>) {
    for (const auto& value : array.to_vector<T>()) {
      if constexpr (std::is_same_v<T, std::string>)
        out += fmt::format(" \"{}\"", value);
      else if constexpr (std::is_same_v<T, Complex>)
        out += fmt::format(" {}{:+}i", value.real(), value.imag());
      else if constexpr (std::is_same_v<T, Any>)
        out += " any";
      else if constexpr (std::is_same_v<T, bool>)
        out += value ? " true" : " false";
      else if constexpr (std::is_integral_v<T>)
        out += fmt::format(" {}", value);
      else
        out += " " + shortest(static_cast<double>(value));
    }
  });
  return out;
}

std::string type_and_shape(const Array& array) {
  if (array.axes() == 0) return fmt::format("single {}", name_of(array.type()));
  if (!has_axis_names(array)) return fmt::format("{} {}", name_of(array.type()), text_of(array.shape()));
  return fmt::format("{} {}", name_of(array.type()), text_of(array.shape(), axis_names(array)));
}

std::string text_of(const Shape& shape, std::span<const std::string> names) {
  std::string out;
  for (int k = 0; k < shape.count(); ++k) {
    const auto& name = names[static_cast<std::size_t>(k)];
    out += fmt::format("{}{}{}{}", k ? " × " : "", printable(name), name.empty() ? "" : " ", shape[k]);
  }
  return out;
}

namespace {

Array as_vector(const Array& v, const char* name) {
  if (v.axes() == 0) return v.with_shape({1});
  if (v.axes() == 1) return v;
  if (v.axes() == 2 && (v.extent(0) == 1 || v.extent(1) == 1)) return v.with_shape({v.size()});
  fail(
      fmt::format("{} takes a vector, or a matrix with one row or column, not {}", name, text_of(v.shape())));
}

}  // namespace

Array across(const Array& v) {
  const auto flat = as_vector(v, "across");
  return flat.view(flat.offset(), {1, flat.size()}, {0, flat.strides()[0]});
}

Array down(const Array& v) {
  const auto flat = as_vector(v, "down");
  return flat.view(flat.offset(), {flat.size(), 1}, {flat.strides()[0], 0});
}

bool has_time_label(const Label& label) { return label.unit == kTimeUnit; }

}  // namespace quill
