#include "builtins/reduced.h"

#include <fmt/format.h>

#include <algorithm>

#include "array/rearrange.h"
#include "base/number.h"
#include "builtins/arguments.h"

namespace quill {

namespace {

Reduced over_several(const Array& a, const std::vector<int>& axes, bool keep) {
  Reduced out{with_axes_joined(a, axes), {}, std::nullopt, {}};
  out.a.label = with_axis_names(a.label, {});
  out.options.over.axis = 0;
  if (keep) {
    out.kept = a.shape();
    for (const int axis : axes) (*out.kept)[axis] = 1;
  }
  return out;
}

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

void warn_of_undefined(const Call& call, double undefined, Index results) {
  const auto rest = call.row.name == "std" || call.row.name == "variance" ? "fewer than two numbers remain"
                                                                          : "all elements are nan";
  call.warn(results == 1 ? fmt::format("the result of {} is undefined: {}", call.row.name, rest)
                         : fmt::format("{} of {} results of {} are undefined: {}", shortest(undefined),
                                       results, call.row.name, rest));
}

Reduced reduced(const Call& call, std::size_t at, const Array& a) {
  refuse_several_numbers(call, at);
  const bool keep = call.boolean_or(at + 1, false);
  const bool skips = at + 2 < call.row.parameters.size() && call.boolean_or(at + 2, false);
  Reduced out{a, {}, std::nullopt, {}};
  std::vector<int> axes;
  if (call.given(at) && !call.value(at).is(Kind::none)) axes = axes_of(call, at, a.axes(), axis_names(a));
  if (axes.size() > 1) {
    out = over_several(a, axes, keep);
  } else {
    if (!axes.empty()) out.options.over.axis = axes[0];
    out.options.over.keep = keep;
  }
  if (has_axis_names(a) && !axes.empty())
    out.names =
        keep ? AxisNames(axis_names(a).begin(), axis_names(a).end()) : names_without(axis_names(a), axes);
  out.options.skip_nan = skips;
  return out;
}

}  // namespace quill
