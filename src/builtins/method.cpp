#include "builtins/method.h"

#include <fmt/format.h>

#include "base/error.h"

namespace quill {

std::vector<Array> real_arguments(std::string_view what, std::span<Value> arguments, std::size_t count) {
  if (arguments.size() != count)
    fail(fmt::format("{} takes {} argument{}, and {} {} given", what, count, count == 1 ? "" : "s",
                     arguments.size(), arguments.size() == 1 ? "is" : "are"));
  std::vector<Array> out;
  for (const auto& given : arguments) {
    const auto value = numeric_value(given);
    if (const auto type = value.is_array_like() ? element_type_of(value) : ElementType::any;
        !is_numeric(type) || type == ElementType::complex128)
      fail(fmt::format("{} takes real numbers, not {}", what, kind_in_words(value)));
    out.push_back(to_array(value));
    const auto label = out.back().label;
    out.back() = out.back().converted(ElementType::float64);
    out.back().label = label;
  }
  return out;
}

}  // namespace quill
