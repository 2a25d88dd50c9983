#include "builtins/reduced.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/number.h"

namespace quill {

namespace {

// Several axes as one: they come first, and are laid together.
Reduced with_axes_joined(const Array& a, const std::vector<int>& axes, bool keep) {
  std::vector<int> order = axes;
  Shape rest, kept = a.shape();
  Index count = 1;
  for (const int axis : axes) {
    count *= a.extent(axis);
    kept[axis] = 1;
  }
  for (int axis = 0; axis < a.axes(); ++axis)
    if (std::find(axes.begin(), axes.end(), axis) == axes.end()) {
      order.push_back(axis);
      rest.push_back(a.extent(axis));
    }
  rest.insert(0, count);
  Reduced out{a.permuted(order).with_shape(rest), {}, std::nullopt};
  out.a.label = a.label;
  out.options.over.axis = 0;
  if (keep) out.kept = kept;
  return out;
}

}  // namespace

namespace {

// mean(1, 2, 3), where mean([1, 2, 3]) is meant.
void refuse_several_numbers(const Call& call, std::size_t at) {
  if (at != 1 || !call.value(0).is_number() || !call.by_position(1) || !call.value(1).is_number()) return;
  std::string numbers = shortest(call.value(0).number());
  int count = 1;
  for (auto k = at; k < call.row.parameters.size() && call.by_position(k) && call.value(k).is_number();
       ++k, ++count)
    numbers += ", " + shortest(call.value(k).number());
  fail(fmt::format("{} takes one array, but {} numbers are given", call.row.name, count),
       fmt::format("{}([{}])", call.row.name, numbers));
}

}  // namespace

Reduced reduced(const Call& call, std::size_t at, const Array& a) {
  refuse_several_numbers(call, at);
  const bool keep = call.truth_or(at + 1, false);
  const bool skips = at + 2 < call.row.parameters.size() && call.truth_or(at + 2, false);
  Reduced out{a, {}, std::nullopt};
  const bool is_list =
      call.given(at) && call.value(at).is_array_like() && shape_of(call.value(at)).count() > 0;
  if (is_list) {
    std::vector<int> axes;
    for (const double axis : call.vector(at).to_vector<double>()) {
      axes.push_back(checked_axis(axis, a.axes()));
      if (std::count(axes.begin(), axes.end(), axes.back()) > 1)
        call.fail_argument(at, fmt::format("names axis {} twice", shortest(axis)));
    }
    if (axes.empty()) call.fail_argument(at, "must name at least one axis");
    out = with_axes_joined(a, axes, keep);
  } else {
    if (call.given(at) && !call.value(at).is(Kind::none))
      out.options.over.axis = checked_axis(call.number(at), a.axes());
    out.options.over.keep = keep;
  }
  out.options.skip_nan = skips;
  return out;
}

}  // namespace quill
