// Element types of arrays, and dispatch from run-time types to compile-time types.
#pragma once

#include <boost/smart_ptr/intrusive_ptr.hpp>
#include <boost/smart_ptr/intrusive_ref_counter.hpp>
#include <complex>
#include <cstdint>
#include <stdexcept>
#include <string>
#include <string_view>
#include <utility>

namespace quill {

enum class ElementType : std::uint8_t {
  float64,
  float32,
  int32,
  int64,
  uint8,
  complex128,
  boolean,
  text,
  any
};

using Complex = std::complex<double>;

// Content of an element of type `any`; derived classes are in higher layers.
class AnyContent : public boost::intrusive_ref_counter<AnyContent, boost::thread_unsafe_counter> {
 public:
  virtual ~AnyContent() = default;
  // Whether both hold equal values.
  virtual bool equals(const AnyContent& other) const { return this == &other; }
};
using Any = boost::intrusive_ptr<const AnyContent>;

// The name used in the language and in messages: "float64", "bool", …
std::string_view name_of(ElementType type);

inline bool is_numeric(ElementType type) { return type != ElementType::text && type != ElementType::any; }
inline bool is_integer(ElementType type) {
  return type == ElementType::int32 || type == ElementType::int64 || type == ElementType::uint8;
}
inline bool is_real(ElementType type) { return type == ElementType::float64 || type == ElementType::float32; }

template <class T>
inline constexpr ElementType type_of = [] {
  if constexpr (std::is_same_v<T, double>)
    return ElementType::float64;
  else if constexpr (std::is_same_v<T, float>)
    return ElementType::float32;
  else if constexpr (std::is_same_v<T, std::int32_t>)
    return ElementType::int32;
  else if constexpr (std::is_same_v<T, std::int64_t>)
    return ElementType::int64;
  else if constexpr (std::is_same_v<T, std::uint8_t>)
    return ElementType::uint8;
  else if constexpr (std::is_same_v<T, bool>)
    return ElementType::boolean;
  else if constexpr (std::is_same_v<T, Complex>)
    return ElementType::complex128;
  else if constexpr (std::is_same_v<T, std::string>)
    return ElementType::text;
  else
    return ElementType::any;
}();

template <class T>
struct Tag {
  using type = T;
};

// Calls f(Tag<T>{}) with the C++ type of the elements, which are numbers or booleans.
template <class F>
decltype(auto) visit_numeric(ElementType type, F&& f) {
  switch (type) {
    case ElementType::float32: return f(Tag<float>{});
    case ElementType::int32: return f(Tag<std::int32_t>{});
    case ElementType::int64: return f(Tag<std::int64_t>{});
    case ElementType::uint8: return f(Tag<std::uint8_t>{});
    case ElementType::boolean: return f(Tag<bool>{});
    case ElementType::complex128: return f(Tag<Complex>{});
    case ElementType::float64: return f(Tag<double>{});
    case ElementType::text:
    case ElementType::any: break;
  }
  throw std::logic_error("expected numbers");
}

// The same for all element types.
template <class F>
decltype(auto) visit_type(ElementType type, F&& f) {
  if (type == ElementType::text) return f(Tag<std::string>{});
  if (type == ElementType::any) return f(Tag<Any>{});
  return visit_numeric(type, std::forward<F>(f));
}

inline std::size_t size_of(ElementType type) {
  constexpr std::size_t sizes[] = {sizeof(double),       sizeof(float),        sizeof(std::int32_t),
                                   sizeof(std::int64_t), sizeof(std::uint8_t), sizeof(Complex),
                                   sizeof(bool),         sizeof(std::string),  sizeof(Any)};
  static_assert(std::size(sizes) == static_cast<std::size_t>(ElementType::any) + 1);
  return sizes[static_cast<int>(type)];
}

}  // namespace quill
