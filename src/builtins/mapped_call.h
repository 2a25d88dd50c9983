// Elementwise functions of real numbers.
#pragma once

#include <fmt/format.h>

#include <initializer_list>
#include <vector>

#include "numerics/mapped.h"
#include "value/registry.h"

namespace quill {

// Applies f elementwise with broadcasting. Warns if elements other than nan gave nan.
template <class F>
Value mapped_call(const Call& call, std::initializer_list<std::size_t> which, F f) {
  std::vector<Array> arguments;
  for (const auto i : which) arguments.push_back(call.reals(i));
  auto out = mapped(arguments, f);
  if (const auto outside = count_outside_domain(arguments, out); outside > 0)
    call.warn(
        out.size() == 1
            ? fmt::format("{} is undefined or cannot be computed for these arguments; the result is nan",
                          call.row.name)
            : fmt::format("{} is undefined or cannot be computed for {} of {} elements, which became nan",
                          call.row.name, grouped(outside), grouped(out.size())));
  return Value::array(std::move(out));
}

}  // namespace quill
