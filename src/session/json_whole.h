// Integers of JSON from files.
#pragma once

#include <cstdint>
#include <stdexcept>
#include <utility>

namespace quill {

// An integer that fits; the library would convert any other one without a word.
template <class T, class Json>
T whole(const Json& j) {
  const bool fits = j.is_number_unsigned()
                        ? std::in_range<T>(j.template get<std::uint64_t>())
                        : j.is_number_integer() && std::in_range<T>(j.template get<std::int64_t>());
  if (!fits) throw std::runtime_error("an integer is missing");
  return j.is_number_unsigned() ? static_cast<T>(j.template get<std::uint64_t>())
                                : static_cast<T>(j.template get<std::int64_t>());
}

}  // namespace quill
