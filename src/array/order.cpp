#include "array/order.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <span>
#include <tuple>

#include "array/distinct.h"
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

// Strict order with nan last.
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
      fail(fmt::format("elements of type {} cannot be ordered", name_of(a.type())),
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
std::vector<Index> order_of(const T* line, Index count, Index step, bool descending) {
  if constexpr (is_sorted_by_keys<T>) return order_of_numbers(line, count, step, descending);
  std::vector<Index> order(static_cast<std::size_t>(count));
  for (Index i = 0; i < count; ++i) order[static_cast<std::size_t>(i)] = i;
  const auto compare = descending ? before_falling<T> : before<T>;
  sort_pieces(order.begin(), order.end(),
              [&](Index i, Index k) { return compare(line[i * step], line[k * step]); });
  return order;
}

}  // namespace

Array sorted(const Array& a, int axis, bool descending) {
  if (a.type() == ElementType::boolean) {
    auto out = sorted(a.converted(ElementType::uint8), axis, descending).converted(ElementType::boolean);
    out.label = a.label;
    return out;
  }
  return visit_ordered(a, [&]<class T>(Tag<T>) {
    auto out = a.copied();
    T* data = out.mutable_data<T>();
    const Index count = a.extent(axis);
    const auto sort_line = [&](T* line) {
      if constexpr (is_sorted_by_keys<T>)
        sort_numbers(line, count, descending);
      else if (descending)
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

Array sort_order(const Array& a, int axis, bool descending) {
  if (a.type() == ElementType::boolean) return sort_order(a.converted(ElementType::uint8), axis, descending);
  return visit_ordered(a, [&]<class T>(Tag<T>) {
    const auto rows = a.compact();
    Array out(ElementType::float64, a.shape());
    double* to = out.mutable_data<double>();
    for_each_line(out, axis, [&](Index offset, Index step) {
      poll_interrupt();
      Index k = 0;
      for (const Index place : order_of(rows.data<T>() + offset, a.extent(axis), step, descending))
        to[offset + k++ * step] = static_cast<double>(place + 1);
    });
    return out;
  });
}

Array unique(const Array& a) {
  return visit_ordered(a, [&]<class T>(Tag<T>) {
    if constexpr (std::is_same_v<T, std::string>) {
      const auto flat = flattened(a).compact();
      const auto* const texts = flat.data<T>();
      Distinct<T> seen(texts, 1);
      for (Index k = 0; k < flat.size(); ++k) {
        poll_interrupt_at(static_cast<std::size_t>(k));
        seen.number_of(k);
      }
      Array out(a.type(), {seen.size()});
      T* const to = out.mutable_data<T>();
      for (Index k = 0; k < seen.size(); ++k) to[k] = texts[seen.first_of(k)];
      std::sort(to, to + seen.size());
      out.label = a.label;
      return out;
    }
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

// An int64 or float64 number that compares by exact value: the nearest float64 and the integer difference to
// it.
struct Exact {
  double nearest;
  std::int64_t rest;
  bool operator<(const Exact& other) const {
    return std::tie(nearest, rest) < std::tie(other.nearest, other.rest);
  }
};
bool before(const Exact& a, const Exact& b) {
  return !std::isnan(a.nearest) && (std::isnan(b.nearest) || a < b);
}
Exact exact(double x) { return {x, 0}; }
Exact exact(std::int64_t n) { return {static_cast<double>(n), rest_beyond_nearest(n)}; }
std::vector<Exact> exact(const Array& a) {
  std::vector<Exact> out;
  const auto put = [&]<class T>(const Array& numbers) {
    for (const T& x : numbers.to_vector<T>()) out.push_back(exact(x));
  };
  if (is_real(a.type()))
    put.template operator()<double>(a.converted(ElementType::float64));
  else
    put.template operator()<std::int64_t>(a.converted(ElementType::int64));
  return out;
}

// Calls f with the elements of a and b as spans of their common type, exact if int64 meets real numbers.
template <class F>
Array with_common(const Array& a, const Array& b, F f) {
  const bool are_numbers = is_numeric(a.type()) && is_numeric(b.type());
  if (a.type() != b.type() && !are_numbers)
    fail(fmt::format("{} and {} cannot be compared", name_of(a.type()), name_of(b.type())));
  const auto type = a.type() == b.type() ? a.type() : common_type(a.type(), b.type());
  if (is_real(type) && (a.type() == ElementType::int64 || b.type() == ElementType::int64)) {
    const auto x = exact(a), y = exact(b);
    return f(std::span(x), std::span(y));
  }
  const auto x = (a.type() == type ? a : a.converted(type)).compact(),
             y = (b.type() == type ? b : b.converted(type)).compact();
  return visit_ordered(x, [&]<class T>(Tag<T>) {
    const auto count = [](const Array& of) { return static_cast<std::size_t>(of.size()); };
    return f(std::span(x.data<T>(), count(x)), std::span(y.data<T>(), count(y)));
  });
}

bool is_no_number(const Exact& x) { return std::isnan(x.nearest); }
template <class T>
bool is_no_number(const T& x) {
  if constexpr (std::is_floating_point_v<T>)
    return std::isnan(x);
  else
    return false;
}

}  // namespace

Array locate(const Array& rising, const Array& queries) {
  return with_common(rising, queries, [&]<class T>(std::span<const T> table, std::span<const T> wanted) {
    const auto is_before = [](const T& x, const T& y) { return before(x, y); };
    for (std::size_t k = 1; k < table.size(); ++k)
      if (before(table[k], table[k - 1]))
        fail("the elements are not in increasing order", "sort(v) sorts them");
    Array out(ElementType::float64, queries.shape());
    double* to = out.mutable_data<double>();
    for (const T& x : wanted)
      *to++ = is_no_number(x)
                  ? std::numeric_limits<double>::quiet_NaN()
                  : static_cast<double>(std::upper_bound(table.begin(), table.end(), x, is_before) -
                                        table.begin());
    return out;
  });
}

Array member(const Array& a, const Array& set) {
  if (a.size() == 0 || set.size() == 0 || is_numeric(a.type()) != is_numeric(set.type()))
    return Array::filled<bool>(a.shape(), false);
  return with_common(a, set, [&]<class T>(std::span<const T> elements, std::span<const T> members) {
    Array out(ElementType::boolean, a.shape());
    bool* to = out.mutable_data<bool>();
    if constexpr (!std::is_same_v<T, Exact>) {
      Distinct<T> seen(members.data(), 1);
      for (std::size_t k = 0; k < members.size(); ++k) {
        poll_interrupt_at(k);
        seen.number_of(static_cast<Index>(k));
      }
      for (std::size_t k = 0; k < elements.size(); ++k) {
        poll_interrupt_at(k);
        to[k] = seen.find(elements[k]) >= 0;
      }
      return out;
    }
    const auto is_before = [](const T& x, const T& y) { return before(x, y); };
    std::vector<T> order(members.begin(), members.end());
    std::sort(order.begin(), order.end(), is_before);
    for (const T& x : elements) *to++ = std::binary_search(order.begin(), order.end(), x, is_before);
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
        fail(fmt::format("index {} is outside 1..{}", shortest(place), size));
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
