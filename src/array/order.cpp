#include "array/order.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/elementwise.h"
#include "array/integers.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "array/sort_numbers.h"
#include "array/strided.h"

namespace quill {

namespace {

template <class T>
inline constexpr bool has_order = !std::is_same_v<T, Complex> && !std::is_same_v<T, Any>;
template <class T>
inline constexpr bool is_sorted_by_keys = std::is_arithmetic_v<T> && !std::is_same_v<T, bool>;

// A strict order with nan behind everything.
template <class T>
bool before(const T& a, const T& b) {
  if constexpr (std::is_floating_point_v<T>)
    return std::isnan(a) ? false : std::isnan(b) || a < b;
  else
    return a < b;
}
template <class T>
bool before_falling(const T& a, const T& b) {
  if constexpr (std::is_floating_point_v<T>)
    return std::isnan(a) ? false : std::isnan(b) || a > b;
  else
    return b < a;
}

// Calls f(Tag<T>{}) for element types that have an order.
template <class F>
Array visit_ordered(const Array& a, F f) {
  return visit_type(a.type(), [&]<class T>(Tag<T> tag) -> Array {
    if constexpr (has_order<T>)
      return f(tag);
    else
      fail(fmt::format("elements of type {} have no order", name_of(a.type())),
           a.type() == ElementType::complex128 ? "sort abs(z) or real(z)" : "");
  });
}

// Calls f(offset of the first element, step) for every line along the axis of an array in row order.
template <class F>
void for_each_line(const Array& a, int axis, F f) {
  Shape others = a.shape();
  Strides strides = a.strides();
  const Index step = strides[axis];
  others.erase(axis);
  strides.erase(axis);
  for_each_run<1>(others, {strides}, [&](const auto& at, const auto& along, Index n) {
    for (Index i = 0; i < n; ++i) f(at[0] + i * along[0], step);
  });
}

// Sorts a long range piece by piece, so that a stop is noticed in between.
template <class I, class Compare>
void sort_pieces(I first, I last, Compare compare) {
  constexpr std::ptrdiff_t piece = 1 << 18;
  poll_interrupt();
  if (last - first <= piece) return std::stable_sort(first, last, compare);
  const I middle = first + (last - first) / 2;
  sort_pieces(first, middle, compare);
  sort_pieces(middle, last, compare);
  poll_interrupt();
  std::inplace_merge(first, middle, last, compare);
}

// The positions, from 0, that sort a line; stable.
template <class T>
std::vector<Index> order_of(const T* line, Index count, Index step, bool falling) {
  if constexpr (is_sorted_by_keys<T>) return order_of_numbers(line, count, step, falling);
  std::vector<Index> order(static_cast<std::size_t>(count));
  for (Index i = 0; i < count; ++i) order[static_cast<std::size_t>(i)] = i;
  const auto compare = falling ? before_falling<T> : before<T>;
  sort_pieces(order.begin(), order.end(),
              [&](Index i, Index k) { return compare(line[i * step], line[k * step]); });
  return order;
}

}  // namespace

Array sorted(const Array& a, int axis, bool falling) {
  return visit_ordered(a, [&]<class T>(Tag<T>) {
    auto out = a.copied();
    T* data = out.mutable_data<T>();
    const Index count = a.extent(axis);
    const auto sort_line = [&](T* line) {
      if constexpr (is_sorted_by_keys<T>)
        sort_numbers(line, count, falling);
      else if (falling)
        sort_pieces(line, line + count, before_falling<T>);
      else
        sort_pieces(line, line + count, before<T>);
    };
    for_each_line(out, axis, [&](Index offset, Index step) {
      poll_interrupt();
      T* line = data + offset;
      if (step == 1) return sort_line(line);
      const auto line_copy = std::make_unique<T[]>(static_cast<std::size_t>(count));
      for (Index i = 0; i < count; ++i) line_copy[static_cast<std::size_t>(i)] = line[i * step];
      sort_line(line_copy.get());
      for (Index i = 0; i < count; ++i) line[i * step] = line_copy[static_cast<std::size_t>(i)];
    });
    return out;
  });
}

Array sort_order(const Array& a, int axis, bool falling) {
  return visit_ordered(a, [&]<class T>(Tag<T>) {
    const auto rows = a.compact();
    Array out(ElementType::float64, a.shape());
    double* to = out.mutable_data<double>();
    for_each_line(out, axis, [&](Index offset, Index step) {
      poll_interrupt();
      Index k = 0;
      for (const Index place : order_of(rows.data<T>() + offset, a.extent(axis), step, falling))
        to[offset + k++ * step] = static_cast<double>(place + 1);
    });
    return out;
  });
}

Array unique(const Array& a) {
  return visit_ordered(a, [&]<class T>(Tag<T>) {
    const auto order = sorted(flattened(a), 0, false);
    std::vector<Index> kept;
    const T* values = order.data<T>();
    for (Index i = 0; i < order.size(); ++i)
      if (i == 0 || before(values[i - 1], values[i])) kept.push_back(i);
    Array out(a.type(), {static_cast<Index>(kept.size())});
    T* to = out.mutable_data<T>();
    for (const Index i : kept) *to++ = values[i];
    out.label = a.label;
    return out;
  });
}

namespace {

// Both in the type that holds both.
std::pair<Array, Array> alike(const Array& a, const Array& b) {
  if (a.type() == b.type() || !is_numeric(a.type()) || !is_numeric(b.type())) {
    if (a.type() != b.type())
      fail(fmt::format("{} and {} have no order between them", name_of(a.type()), name_of(b.type())));
    return {a, b};
  }
  const auto type = common_type(a.type(), b.type());
  return {a.converted(type), b.converted(type)};
}

}  // namespace

Array locate(const Array& rising, const Array& queries) {
  const auto [table, wanted] = alike(rising, queries);
  return visit_ordered(table, [&, &table = table, &wanted = wanted]<class T>(Tag<T>) {
    const auto rows = table.compact(), q = wanted.compact();
    const T* first = rows.data<T>();
    const T* end = first + rows.size();
    for (const T* p = first; p != end; ++p)
      if (p != first && !before(*(p - 1), *p) && before(*p, *(p - 1)))
        fail("the elements do not rise, so that nothing can be located among them",
             "sort(v) puts them in order");
    Array out(ElementType::float64, q.shape());
    double* to = out.mutable_data<double>();
    for (Index i = 0; i < q.size(); ++i) {
      const T& wanted_here = q.data<T>()[i];
      to[i] = static_cast<double>(std::upper_bound(first, end, wanted_here, before<T>) - first);
      if constexpr (std::is_floating_point_v<T>)
        if (std::isnan(wanted_here)) to[i] = std::numeric_limits<double>::quiet_NaN();
    }
    return out;
  });
}

Array member(const Array& a, const Array& set) {
  if (is_numeric(a.type()) != is_numeric(set.type()) && a.size() > 0 && set.size() > 0)
    return Array::filled<bool>(a.shape(), false);
  if (a.size() == 0 || set.size() == 0) return Array::filled<bool>(a.shape(), false);
  const auto [elements, members] = alike(a, set);
  return visit_ordered(elements, [&, &elements = elements, &members = members]<class T>(Tag<T>) {
    const auto order = unique(members), rows = elements.compact();
    Array out(ElementType::boolean, a.shape());
    bool* to = out.mutable_data<bool>();
    for (Index i = 0; i < rows.size(); ++i)
      to[i] =
          std::binary_search(order.data<T>(), order.data<T>() + order.size(), rows.data<T>()[i], before<T>);
    return out;
  });
}

Array bin_sums(const Array& positions, const Array& values, Index size) {
  const auto places = positions.converted(ElementType::float64).compact();
  const auto type = sum_type(values.type());
  const auto terms = values.converted(type).compact();
  return visit_numeric(type, [&]<class T>(Tag<T>) {
    auto out = Array::filled<T>({size}, T(0));
    T* to = out.template mutable_data<T>();
    for (Index i = 0; i < places.size(); ++i) {
      const double place = places.data<double>()[i];
      if (!(place >= 1 && place <= static_cast<double>(size)) || std::trunc(place) != place)
        fail(fmt::format("the position {} is none of 1..{}", shortest(place), size));
      T& sum = to[static_cast<Index>(place) - 1];
      const T& term = terms.template data<T>()[terms.axes() == 0 ? 0 : i];
      if constexpr (std::is_integral_v<T> && !std::is_same_v<T, bool>)
        sum = checked_add(sum, term);
      else
        sum = static_cast<T>(sum + term);
    }
    return out;
  });
}

}  // namespace quill
