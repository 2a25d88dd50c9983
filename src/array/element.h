// Element types of arrays and the way from a type known at run time to one known to the compiler.
#pragma once

#include <boost/smart_ptr/intrusive_ptr.hpp>
#include <boost/smart_ptr/intrusive_ref_counter.hpp>
#include <complex>
#include <cstdint>
#include <string>
#include <string_view>

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

// What an element of type `any` holds; the layers above derive from it.
class AnyContent : public boost::intrusive_ref_counter<AnyContent, boost::thread_unsafe_counter> {
 public:
  virtual ~AnyContent() = default;
};
using Any = boost::intrusive_ptr<const AnyContent>;

// The name used in the language and in messages: "float64", "bool", …
std::string_view name_of(ElementType type);
std::size_t size_of(ElementType type);

inline bool is_numeric(ElementType type) { return type != ElementType::text && type != ElementType::any; }
// The element types that arrays can have so far; the others are known by name only.
bool is_built(ElementType type);

template <class T>
inline constexpr ElementType type_of = [] {
  if constexpr (std::is_same_v<T, double>)
    return ElementType::float64;
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

[[noreturn]] void fail_not_built(ElementType type);

// Calls f(Tag<T>{}) with the C++ type of the elements.
template <class F>
decltype(auto) visit_type(ElementType type, F&& f) {
  switch (type) {
    case ElementType::float64: return f(Tag<double>{});
    case ElementType::boolean: return f(Tag<bool>{});
    case ElementType::complex128: return f(Tag<Complex>{});
    case ElementType::text: return f(Tag<std::string>{});
    case ElementType::any: return f(Tag<Any>{});
    default: fail_not_built(type);
  }
}

}  // namespace quill
