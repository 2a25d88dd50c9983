#include "array/rearrange.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/elementwise.h"
#include "array/index.h"
#include "array/reduce.h"
#include "base/text.h"

namespace quill {

namespace {

// Where the last axis of arr at (axis) starts in a joined array: a Subscript for each axis.
std::vector<Subscript> block_at(const Shape& shape, int axis, Index first, Index count) {
  std::vector<Subscript> out;
  for (int i = 0; i < shape.count(); ++i) out.push_back(everything(shape[i]));
  out[static_cast<std::size_t>(axis)] = {Subscript::Kind::run, first, 1, count, {}};
  return out;
}

ElementType type_of_all(std::span<const Array> parts) {
  auto type = parts[0].type();
  bool first = true;
  for (const auto& part : parts) {
    if (part.size() == 0 && parts.size() > 1) continue;
    type = first ? part.type() : common_type(type, part.type());
    first = false;
  }
  return type;
}

Array in_type(const Array& part, ElementType type) {
  return part.size() == 0 && part.type() != type ? Array(type, part.shape()) : part.converted(type);
}

}  // namespace

Array join(std::span<const Array> parts, int axis) {
  if (parts.empty()) return {};
  Shape shape = parts[0].shape();
  shape[axis] = 0;
  for (const auto& part : parts) {
    Shape rest = part.shape();
    bool fits = rest.count() == shape.count();
    if (fits) {
      rest[axis] = shape[axis];
      fits = rest == shape;
    }
    if (!fits)
      fail(fmt::format("arrays of shapes {} and {} cannot be joined along axis {}: the other sizes differ",
                       text_of(parts[0].shape()), text_of(part.shape()), axis + 1));
    shape[axis] += part.extent(axis);
  }
  const auto type = type_of_all(parts);
  Array out(type, shape);
  Index at = 0;
  for (const auto& part : parts) {
    assign(out, block_at(shape, axis, at, part.extent(axis)), in_type(part, type));
    at += part.extent(axis);
  }
  if (std::all_of(parts.begin(), parts.end(), holds_times)) out.label = parts[0].label;
  return out;
}

Array stack(std::span<const Array> parts) {
  std::vector<Array> raised;
  for (const auto& part : parts) {
    if (!(part.shape() == parts[0].shape()))
      fail(fmt::format("arrays of shapes {} and {} cannot be stacked", text_of(parts[0].shape()),
                       text_of(part.shape())));
    Shape shape = part.shape();
    shape.insert(0, 1);
    raised.push_back(part.with_shape(shape));
  }
  return join(raised, 0);
}

namespace {

// Shapes with the requested number of axes and the right size, nearest first (by the sum of squared
// logarithms of extent ratios).
std::vector<std::string> fitting_shapes(Index size, const std::vector<Index>& wanted) {
  if (size == 0 || size > 100'000'000 || wanted.empty() || wanted.size() > 3) return {};
  std::vector<Index> divisors;
  for (Index d = 1; d * d <= size; ++d)
    if (size % d == 0) {
      divisors.push_back(d);
      if (d * d != size) divisors.push_back(size / d);
    }
  struct Candidate {
    double distance;
    std::vector<Index> shape;
  };
  std::vector<Candidate> found;
  const auto add = [&](std::vector<Index> shape) {
    double distance = 0;
    for (std::size_t i = 0; i < shape.size(); ++i)
      distance += std::pow(
          std::log(static_cast<double>(shape[i]) / static_cast<double>(std::max<Index>(wanted[i], 1))), 2);
    found.push_back({distance, std::move(shape)});
  };
  if (wanted.size() == 1)
    add({size});
  else
    for (const auto a : divisors) {
      if (wanted.size() == 2)
        add({a, size / a});
      else
        for (const auto b : divisors)
          if ((size / a) % b == 0) add({a, b, size / a / b});
    }
  std::stable_sort(found.begin(), found.end(),
                   [](const auto& x, const auto& y) { return x.distance < y.distance; });
  std::vector<std::string> out;
  for (std::size_t i = 0; i < std::min<std::size_t>(3, found.size()); ++i)
    out.push_back(fmt::format("{}", fmt::join(found[i].shape, "×")));
  return out;
}

}  // namespace

Array reshape(const Array& a, const std::vector<Index>& extents) {
  Index known = 1;
  int open = -1;
  for (std::size_t i = 0; i < extents.size(); ++i) {
    if (extents[i] == -1) {
      if (open >= 0) fail("only one size can be auto");
      open = static_cast<int>(i);
    } else {
      known = checked_product(known, extents[i]).value_or(-1);
      if (known < 0)
        fail(fmt::format("{} elements do not fit the shape {}", a.size(), fmt::join(extents, "×")));
    }
  }
  auto sizes = extents;
  if (open >= 0 && known > 0 && a.size() % known == 0)
    sizes[static_cast<std::size_t>(open)] = a.size() / known;
  Shape shape;
  for (const auto extent : sizes) shape.push_back(std::max<Index>(extent, 0));
  if ((open >= 0 && (known == 0 || a.size() % known != 0)) || size_of(shape) != a.size()) {
    std::vector<std::string> wanted;
    for (const auto extent : extents) wanted.push_back(extent == -1 ? "auto" : std::to_string(extent));
    const auto near = fitting_shapes(a.size(), sizes);
    fail(open >= 0 ? fmt::format("an array of {} elements cannot be divided into the shape {}", a.size(),
                                 fmt::join(wanted, "×"))
                   : fmt::format("an array of {} elements does not fit the shape {}, which holds {}",
                                 a.size(), fmt::join(wanted, "×"), known),
         near.empty() ? "" : fmt::format("shapes that fit: {}", list_in_prose(near, "or")));
  }
  return a.with_shape(shape);
}

Array with_axes_joined(const Array& a, std::span<const int> axes) {
  std::vector<int> order(axes.begin(), axes.end());
  Shape shape;
  Index count = 1;
  for (const int axis : axes) count *= a.extent(axis);
  for (int axis = 0; axis < a.axes(); ++axis)
    if (std::find(axes.begin(), axes.end(), axis) == axes.end()) {
      order.push_back(axis);
      shape.push_back(a.extent(axis));
    }
  shape.insert(0, count);
  return a.permuted(order).with_shape(shape);
}

Array reversed(const Array& a, int axis) {
  auto strides = a.strides();
  strides[axis] = -strides[axis];
  const auto offset = a.offset() + (a.extent(axis) > 0 ? (a.extent(axis) - 1) * a.strides()[axis] : 0);
  return a.view(offset, a.shape(), strides);
}

Array flattened(const Array& a) { return a.with_shape({a.size()}); }

void append(Array& a, const Array& item) {
  if (a.axes() == 0) fail("append adds to a vector or a matrix, not to a single number");
  Shape shape = item.shape();
  shape.insert(0, 1);
  // Appending to an empty array determines its type: a vector of numbers, or a matrix of rows.
  if (a.axes() == 1 && a.size() == 0 && (a.type() == ElementType::float64 || item.axes() > 0)) {
    a = item.copied().with_shape(shape);
    return;
  }
  Shape expected = a.shape();
  expected[0] = 1;
  if (!(shape == expected)) {
    const auto what = a.axes() == 1
                          ? std::string("a single element")
                          : fmt::format("a row of shape {}",
                                        text_of(Shape(std::span(expected.begin() + 1, expected.end()))));
    fail(fmt::format("append to an array of shape {} takes {}, not {}", text_of(a.shape()), what,
                     item.axes() == 0 ? "a single number" : text_of(item.shape())),
         a.axes() == 1 && item.axes() == 1 ? "to concatenate two vectors, write join(a, b)" : "");
  }
  const auto row = item.converted(a.type()).compact();
  const Index before = a.size();
  a.grow(1);
  a.label.reset();
  visit_type(a.type(),
             [&]<class T>(Tag<T>) { std::copy_n(row.data<T>(), row.size(), a.mutable_data<T>() + before); });
}

Array repeated(const Array& a, Index n, int axis) {
  Shape shape = a.shape(), stretched = a.shape();
  Strides strides = a.strides();
  const auto extent = checked_product(shape[axis], n);
  if (!extent) fail(fmt::format("{} copies of {} elements are too many", n, shape[axis]));
  shape[axis] = *extent;
  stretched.insert(axis, n);
  strides.insert(axis, 0);
  return a.view(a.offset(), stretched, strides).with_shape(shape);
}

Array rotated(const Array& a, Index by, int axis) {
  const Index n = a.extent(axis);
  if (n == 0) return a;
  const Index first = ((n - by % n) % n + n) % n;  // the element that comes to the front
  const Array parts[] = {select(a, block_at(a.shape(), axis, first, n - first)),
                         select(a, block_at(a.shape(), axis, 0, first))};
  return join(parts, axis);
}

Array identity(Index n) {
  auto out = Array::filled<double>({n, n}, 0.0);
  double* data = out.mutable_data<double>();
  for (Index i = 0; i < n; ++i) data[i * (n + 1)] = 1;
  return out;
}

}  // namespace quill
