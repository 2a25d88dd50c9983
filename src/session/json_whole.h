// Integers from JSON files.
#pragma once

#include <cstdint>
#include <stdexcept>
#include <utility>

namespace quill {

// Reads an integer that fits into T and throws otherwise; the library's conversion would wrap silently.
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
