#include "array/index.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <numeric>
#include <optional>

#include "array/axis_names.h"
#include "array/strided.h"
#include "base/parallel.h"

namespace quill {

namespace {

std::string axis_words(int axis, int axes) { return axes == 1 ? "" : fmt::format(" of axis {}", axis + 1); }

[[noreturn]] void fail_position(double position, Index extent, int axis, int axes) {
  const auto shown = shortest(position);
  if (!is_whole(position)) fail(fmt::format("index {} is not an integer", shown));
  const auto range = extent == 0 ? std::string("there are no valid indices: the axis is empty")
                                 : fmt::format("valid indices{} are 1..{}", axis_words(axis, axes), extent);
  if (position == 0) fail(fmt::format("index 0 does not exist: indices start at 1 ({})", range));
  if (position < 0)
    fail(fmt::format("index {} does not exist: {}", shown, range),
         fmt::format("to count from the end, write last{}",
                     position == -1 ? "" : "-" + shortest(-position - 1)));
  fail(fmt::format("index {} is out of range: {}", shown, range));
}

}  // namespace

Index checked_position(double position, Index extent, int axis, int axes) {
  if (!(position >= 1 && position <= static_cast<double>(extent)) || std::trunc(position) != position)
    fail_position(position, extent, axis, axes);
  return static_cast<Index>(position) - 1;
}

Subscript position_subscript(double position, Index extent, int axis, int axes) {
  return {Subscript::Kind::position, checked_position(position, extent, axis, axes), 1, 1, {}};
}

Subscript everything(Index extent) { return {Subscript::Kind::run, 0, 1, extent, {}}; }

Subscript run_subscript(double first, double last, double step, Index extent, int axis, int axes) {
  if (step == 0 || !is_whole(step))
    fail(fmt::format("the step of an index range must be an integer other than 0, not {}", shortest(step)));
  for (const double end : {first, last})
    if (!is_whole(end)) fail(fmt::format("index {} is not an integer", shortest(end)));
  const double count = std::floor((last - first) / step) + 1;
  if (count <= 0) return {Subscript::Kind::run, 0, 1, 0, {}};
  const double final = first + (count - 1) * step;
  const auto from = checked_position(first, extent, axis, axes);
  checked_position(final, extent, axis, axes);
  return {Subscript::Kind::run, from, static_cast<Index>(step), static_cast<Index>(count), {}};
}

Subscript positions_subscript(const Array& positions, Index extent, int axis, int axes) {
  Subscript out{Subscript::Kind::positions, 0, 1, positions.size(), {}};
  out.positions.reserve(static_cast<std::size_t>(positions.size()));
  const auto numbers = positions.converted(ElementType::float64).compact();
  for (Index i = 0; i < numbers.size(); ++i)
    out.positions.push_back(checked_position(numbers.data<double>()[i], extent, axis, axes));
  return out;
}

Subscript mask_subscript(const Array& mask, Index extent, int axis) {
  if (mask.axes() != 1 || mask.size() != extent)
    fail(fmt::format("a mask of shape {} does not fit axis {} of length {}", text_of(mask.shape()), axis + 1,
                     extent));
  Subscript out{Subscript::Kind::positions, 0, 1, 0, {}};
  for (Index i = 0; i < extent; ++i)
    if (mask.data<bool>()[i * mask.strides()[0]]) out.positions.push_back(i);
  out.count = static_cast<Index>(out.positions.size());
  return out;
}

std::vector<Subscript> complete(std::span<const Subscript> subscripts, const Shape& shape) {
  int used = 0;
  bool rest = false;
  for (const auto& s : subscripts) {
    used += s.kind != Subscript::Kind::new_axis && s.kind != Subscript::Kind::rest;
    rest = rest || s.kind == Subscript::Kind::rest;
  }
  const int axes = shape.count();
  if (rest ? used > axes : used != axes) {
    if (axes == 0) fail("a single number has no elements to select");
    std::string hint;
    if (used == 0) hint = "a[new, ..] adds an axis before the others";
    if (axes == 2 && used == 1) hint = "a[k, ..] is row k, a[.., k] is column k";
    fail(fmt::format("{} subscript{} for an array of shape {}, which has {} ax{}s", used,
                     used == 1 ? "" : "s", text_of(shape), axes, axes == 1 ? "i" : "e"),
         hint);
  }
  std::vector<Subscript> out;
  int axis = 0;
  for (const auto& s : subscripts) {
    if (s.kind == Subscript::Kind::rest) {
      for (int i = 0; i < axes - used; ++i) out.push_back(everything(shape[axis++]));
      continue;
    }
    if (s.kind != Subscript::Kind::new_axis) ++axis;
    out.push_back(s);
  }
  return out;
}

namespace {

// The chosen part: a base offset, and for each axis of the result either a stride or a list of offsets.
struct Chosen {
  Index offset = 0;
  Shape shape;
  Strides strides;
  std::vector<const std::vector<Index>*> lists;  // for each axis, nullptr where the stride holds
  bool has_lists = false;
};

Chosen chosen_of(const Array& a, const std::vector<Subscript>& subscripts) {
  Chosen c;
  c.offset = a.offset();
  int axis = 0;
  const auto add = [&](Index extent, Index stride, const std::vector<Index>* list) {
    c.shape.push_back(extent);
    c.strides.push_back(stride);
    c.lists.push_back(list);
  };
  for (const auto& s : subscripts) {
    switch (s.kind) {
      case Subscript::Kind::position: c.offset += s.first * a.strides()[axis++]; break;
      case Subscript::Kind::run:
        c.offset += s.first * a.strides()[axis];
        add(s.count, s.step * a.strides()[axis], nullptr);
        ++axis;
        break;
      case Subscript::Kind::positions:
        add(s.count, a.strides()[axis], &s.positions);
        c.has_lists = true;
        ++axis;
        break;
      case Subscript::Kind::new_axis: add(1, 0, nullptr); break;
      case Subscript::Kind::rest: break;
    }
  }
  return c;
}

// Calls f(offset) for every chosen element in row order.
template <class F>
void for_each_chosen(const Chosen& c, F f) {
  for (const auto extent : c.shape)
    if (extent == 0) return;
  const int n = c.shape.count();
  std::array<Index, kMostAxes> at{};
  const auto offset_on = [&](int axis, Index i) {
    return (c.lists[axis] ? (*c.lists[axis])[static_cast<std::size_t>(i)] : i) * c.strides[axis];
  };
  Index outer = c.offset;
  for (int i = 0; i + 1 < n; ++i) outer += offset_on(i, 0);
  if (n == 0) {
    f(c.offset);
    return;
  }
  const int last = n - 1;
  while (true) {
    for (Index i = 0; i < c.shape[last]; ++i) f(outer + offset_on(last, i));
    poll_interrupt();
    int axis = last - 1;
    for (; axis >= 0; --axis) {
      outer -= offset_on(axis, at[axis]);
      if (++at[axis] < c.shape[axis]) {
        outer += offset_on(axis, at[axis]);
        break;
      }
      at[axis] = 0;
      outer += offset_on(axis, 0);
    }
    if (axis < 0) return;
  }
}

}  // namespace

namespace {

// Composes selections along one axis.
Subscript chosen_within(const Subscript& outer, const Subscript& inner) {
  const auto place = [&](Index k) {
    return outer.kind == Subscript::Kind::run ? outer.first + k * outer.step
                                              : outer.positions[static_cast<std::size_t>(k)];
  };
  Subscript out = inner;
  if (inner.kind == Subscript::Kind::position) {
    out.first = place(inner.first);
  } else if (inner.kind == Subscript::Kind::run && outer.kind == Subscript::Kind::run) {
    out.first = place(inner.first);
    out.step = outer.step * inner.step;
  } else {
    out.kind = Subscript::Kind::positions;
    out.positions.clear();
    for (Index k = 0; k < inner.count; ++k)
      out.positions.push_back(place(inner.kind == Subscript::Kind::run
                                        ? inner.first + k * inner.step
                                        : inner.positions[static_cast<std::size_t>(k)]));
  }
  return out;
}

}  // namespace

std::vector<Subscript> chosen_within(std::span<const Subscript> outer, std::span<const Subscript> inner) {
  std::vector<Subscript> out;
  auto next = inner.begin();
  const auto take_new_axes = [&] {
    for (; next != inner.end() && next->kind == Subscript::Kind::new_axis; ++next) out.push_back(*next);
  };
  for (const auto& s : outer) {
    if (s.kind == Subscript::Kind::position) {
      out.push_back(s);
      continue;
    }
    take_new_axes();
    if (s.kind != Subscript::Kind::new_axis)
      out.push_back(chosen_within(s, *next));
    else if (next->kind != Subscript::Kind::position)
      out.push_back(s);
    ++next;
  }
  take_new_axes();
  return out;
}

Array select(const Array& a, std::span<const Subscript> subscripts) {
  const auto all = complete(subscripts, a.shape());
  const auto c = chosen_of(a, all);
  if (!c.has_lists) {
    auto out = a.view(size_of(c.shape) == 0 ? a.offset() : c.offset, c.shape, c.strides);
    if (has_axis_names(a)) set_axis_names(out, names_of_selection(axis_names(a), all));
    return out;
  }
  Array out(a.type(), c.shape);
  visit_type(a.type(), [&]<class T>(Tag<T>) {
    const T* from = a.data<T>() - a.offset();
    // One list of one axis, by all threads; elements that hold memory of their own stay in this one.
    if constexpr (std::is_trivially_copyable_v<T>)
      if (all.size() == 1) {
        const Index* const list = c.lists[0]->data();
        const Index count = c.shape[0], step = c.strides[0];
        T* const to = out.mutable_data<T>();
        constexpr Index piece = 1 << 15;
        in_parallel((count + piece - 1) / piece, [=, start = from + c.offset](Index p) {
          for (Index k = p * piece; k < std::min(count, (p + 1) * piece); ++k) to[k] = start[list[k] * step];
        });
        return;
      }
    T* to = out.mutable_data<T>();
    for_each_chosen(c, [&](Index offset) { *to++ = from[offset]; });
  });
  out.label = a.label;
  if (has_axis_names(a)) set_axis_names(out, names_of_selection(axis_names(a), all));
  return out;
}

Array apart_if_small(Array part, const Array& whole) {
  constexpr Index most = 1024;  // copying so many costs about as much as making the view
  constexpr Index fraction = 4;
  if (part.size() <= most && part.size() <= whole.size() / fraction && part.shares_storage())
    part = part.copied();
  return part;
}

void assign(Array& a, std::span<const Subscript> subscripts, const Array& given) {
  const auto all = complete(subscripts, a.shape());
  const Shape place = chosen_of(a, all).shape;
  if (!can_broadcast(given.shape(), place) || !(broadcast_shapes(given.shape(), place) == place))
    fail(fmt::format("values of shape {} do not fit the selected shape {}", text_of(given.shape()),
                     text_of(place)));
  // Holding the values keeps their storage alive; when it is the array's own, owning makes a copy first.
  const Array values = given.buffer() == a.buffer() ? given.copied() : given;
  if (size_of(place) > 0) become_times_like(a, given);
  visit_type(a.type(), [&]<class T>(Tag<T>) {
    T* to = a.mutable_data<T>();
    const auto c = chosen_of(a, all);  // after owning, which may change the layout
    to -= a.offset();
    const auto strides = stretched_strides(values.shape(), values.strides(), place);
    const T* from = values.data<T>();
    if (!c.has_lists) {
      for_each_run<2, false>(place, {c.strides, strides}, [&](const auto& at, const auto& step, Index n) {
        T* target = to + c.offset + at[0];
        const T* source = from + at[1];
        for (Index i = 0; i < n; ++i) target[i * step[0]] = source[i * step[1]];
      });
      return;
    }
    std::vector<Index> places;
    places.reserve(static_cast<std::size_t>(size_of(place)));
    for_each_chosen(c, [&](Index offset) { places.push_back(offset); });
    auto next = places.begin();
    for_each_run<1, false>(place, {strides}, [&](const auto& at, const auto& step, Index n) {
      for (Index i = 0; i < n; ++i) to[*next++] = from[at[0] + i * step[0]];
    });
  });
}

bool has_repeats(std::span<const Subscript> subscripts) {
  return std::any_of(subscripts.begin(), subscripts.end(), [](const Subscript& s) {
    auto sorted = s.positions;
    std::sort(sorted.begin(), sorted.end());
    return std::adjacent_find(sorted.begin(), sorted.end()) != sorted.end();
  });
}

namespace {

// The positions of a view along one axis of the whole array: first, first + step, …
struct Reach {
  Index first = 0, step = 0, last = 0;
};

// Along each axis; nothing when it is not made of positions along the axes.
std::optional<std::vector<Reach>> reaches(const Array& whole, const Array& view) {
  const int axes = whole.axes();
  std::vector<Reach> out(static_cast<std::size_t>(axes));
  Index rest = view.offset() - whole.offset();
  for (int k = 0; k < axes; ++k) {
    // The stride of an axis of extent 1 may be anything, and means nothing.
    if (whole.extent(k) == 1) continue;
    if (whole.strides()[k] <= 0) return std::nullopt;
    out[static_cast<std::size_t>(k)].first = rest / whole.strides()[k];
    rest %= whole.strides()[k];
  }
  for (int v = 0; v < view.axes(); ++v) {
    const Index step = view.strides()[v];
    if (view.extent(v) == 1) continue;
    int k = 0;
    while (k < axes && (whole.extent(k) == 1 || whole.strides()[k] > std::abs(step))) ++k;
    if (k == axes || step % whole.strides()[k] != 0 || out[static_cast<std::size_t>(k)].step != 0)
      return std::nullopt;
    out[static_cast<std::size_t>(k)].step = step / whole.strides()[k];
    out[static_cast<std::size_t>(k)].last = view.extent(v) - 1;
  }
  for (int k = 0; k < axes; ++k) {
    auto& reach = out[static_cast<std::size_t>(k)];
    reach.last = reach.first + reach.last * reach.step;
    if (std::min(reach.first, reach.last) < 0 || std::max(reach.first, reach.last) >= whole.extent(k))
      return std::nullopt;
  }
  return out;
}

bool are_apart(const Reach& a, const Reach& b) {
  if (std::max(a.first, a.last) < std::min(b.first, b.last) ||
      std::max(b.first, b.last) < std::min(a.first, a.last))
    return true;
  const Index common = std::gcd(a.step, b.step);
  return common == 0 ? a.first != b.first : (a.first - b.first) % common != 0;
}

}  // namespace

bool are_apart(const Array& whole, const Array& a, const Array& b) {
  if (a.size() == 0 || b.size() == 0) return true;
  if (!whole.is_row_major()) return false;
  const auto of_a = reaches(whole, a), of_b = reaches(whole, b);
  if (!of_a || !of_b) return false;
  for (std::size_t k = 0; k < of_a->size(); ++k)
    if (are_apart((*of_a)[k], (*of_b)[k])) return true;
  return false;
}

}  // namespace quill
