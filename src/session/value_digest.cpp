#include "session/value_digest.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <limits>

#include "files/digest.h"
#include "value/construct.h"
#include "value/print.h"

namespace quill {

namespace {

static_assert(std::endian::native == std::endian::little);
constexpr std::size_t kLarge = std::size_t{4} << 20;

// Whether all nan among the numbers have the bits of quiet_NaN(). The sign of a computed nan depends on the
// order of operands that a compiler chooses, so digests ignore it.
template <class T>
bool has_one_nan(const T* data, Index count) {
  if constexpr (std::is_floating_point_v<T>) {
    using Bits = std::conditional_t<sizeof(T) == 4, std::uint32_t, std::uint64_t>;
    constexpr auto nan = std::bit_cast<Bits>(std::numeric_limits<T>::quiet_NaN());
    for (Index k = 0; k < count; ++k)
      if (std::isnan(data[k]) && std::bit_cast<Bits>(data[k]) != nan) return false;
  }
  return true;
}

template <class T>
void make_one_nan(T* data, Index count) {
  if constexpr (std::is_floating_point_v<T>)
    for (Index k = 0; k < count; ++k)
      if (std::isnan(data[k])) data[k] = std::numeric_limits<T>::quiet_NaN();
}

class Walk {
 public:
  explicit Walk(Sha256& sum) : sum_(sum) {}
  std::string digest(const Value& value) {
    add(value);
    return (has_pieces_ ? "pieces:" : "sha256:") + sum_.digest();
  }

 private:
  void add_count(Index n) { sum_.add(&n, sizeof n); }
  // Includes the length, so that concatenations are distinguished.
  void add_text(std::string_view text) {
    add_count(static_cast<Index>(text.size()));
    sum_.add(text);
  }

  void add(const Array& given) {
    const auto a =
        given.type() == ElementType::any || given.type() == ElementType::text ? given : given.compact();
    add_text(name_of(a.type()));
    add_text(a.label ? a.label->name : "");
    add_text(a.label ? a.label->unit : "");
    if (a.label)
      for (const auto& name : a.label->axes) add_text(name);
    add_count(a.axes());
    for (int k = 0; k < a.axes(); ++k) add_count(a.extent(k));
    if (a.type() == ElementType::any) {
      for (const auto& element : a.to_vector<Any>()) add(element_value(element));
      return;
    }
    if (a.type() == ElementType::text) {
      for (const auto& text : a.to_vector<std::string>()) add_text(text);
      return;
    }
    visit_numeric(a.type(), [&]<class T>(Tag<T>) {
      const auto size = static_cast<std::size_t>(a.size()) * sizeof(T);
      const T* data = a.data<T>();
      // Complex numbers are two numbers each.
      using Part = std::conditional_t<std::is_same_v<T, Complex>, double, T>;
      const auto parts = static_cast<Index>(size / sizeof(Part));
      Array with_one_nan;
      if (!has_one_nan(reinterpret_cast<const Part*>(data), parts)) {
        with_one_nan = a.copied();
        auto* const changed = with_one_nan.template mutable_data<T>();
        make_one_nan(reinterpret_cast<Part*>(changed), parts);
        data = changed;
      }
      if (size <= kLarge) return sum_.add(data, size);
      has_pieces_ = true;
      sum_.add(fingerprints_of_pieces(data, size));
    });
  }

  void add(const Value& given) {
    const auto value = plain_value(given);
    switch (value.kind()) {
      case Kind::number: {  // as an array of one element: type, name, unit, axes, element
        struct {
          Index length = 7;
          char type[7] = {'f', 'l', 'o', 'a', 't', '6', '4'};
        } head;
        char bytes[15 + 3 * sizeof(Index) + sizeof(double)] = {};
        std::memcpy(bytes, &head.length, sizeof(Index));
        std::memcpy(bytes + sizeof(Index), head.type, sizeof head.type);
        double number = value.number();
        make_one_nan(&number, 1);
        std::memcpy(bytes + sizeof bytes - sizeof(double), &number, sizeof(double));
        return sum_.add(bytes, sizeof bytes);
      }
      case Kind::boolean:
      case Kind::text:
      case Kind::array: return add(to_array(value));
      case Kind::range: {
        const auto& r = value.object<RangeObject>();
        add_text("range");
        for (const double x : {r.first, r.step, r.count > 0 ? r.at(r.count - 1) : 0.0})
          sum_.add(&x, sizeof x);
        return add_count(r.count);
      }
      case Kind::tuple:
        add_text("tuple");
        add_count(static_cast<Index>(value.object<TupleObject>().items.size()));
        for (const auto& item : value.object<TupleObject>().items) add(item);
        return;
      case Kind::record:
        add_text("record");
        add_count(static_cast<Index>(value.object<RecordObject>().fields.size()));
        for (const auto& [name, field] : value.object<RecordObject>().fields) {
          add_text(name);
          add(field);
        }
        return;
      case Kind::dictionary:
        add_text("dictionary");
        add_count(static_cast<Index>(value.object<DictionaryObject>().entries.size()));
        for (const auto& [key, item] : value.object<DictionaryObject>().entries) {
          add(key);
          add(item);
        }
        return;
      default:
        add_text(type_name(value));
        if (const auto number = numeric_value(value); number.kind() != value.kind()) return add(number);
        return add_text(inline_text(value));
    }
  }

  Sha256& sum_;
  bool has_pieces_ = false;
};

class Collect {
 public:
  void add(const Value& given) {
    const auto value = numeric_value(plain_value(given));
    switch (value.kind()) {
      case Kind::number: return add(value.number());
      case Kind::array: return add(value.array());
      case Kind::range: {
        const auto& r = value.object<RangeObject>();
        return spread(r.count, [&](Index k) { add(r.at(k)); });
      }
      case Kind::tuple:
        for (const auto& item : value.object<TupleObject>().items) add(item);
        return;
      case Kind::record:
        for (const auto& [name, field] : value.object<RecordObject>().fields) add(field);
        return;
      case Kind::dictionary:
        for (const auto& [key, item] : value.object<DictionaryObject>().entries) add(item);
        return;
      default: return;
    }
  }
  Numbers out;

 private:
  void add(double x) {
    if (out.values.size() < 10 * kMostNumbers) out.values.push_back(x);
  }
  template <class F>
  void spread(Index count, const F& take) {
    const auto kept = std::min(count, kMostNumbers);
    out.is_sample = out.is_sample || kept < count;
    for (Index k = 0; k < kept; ++k) take(kept < count ? k * (count - 1) / (kept - 1) : k);
  }
  void add(const Array& a) {
    if (a.type() == ElementType::any) {
      for (const auto& element : a.to_vector<Any>()) add(element_value(element));
      return;
    }
    if (!is_numeric(a.type()) || a.size() == 0) return;
    const auto& shape = a.shape();
    visit_numeric(a.type(), [&]<class T>(Tag<T>) {
      spread(a.size(), [&](Index k) {
        Index offset = 0;
        for (int axis = a.axes(); axis-- > 0; k /= shape[axis]) offset += k % shape[axis] * a.strides()[axis];
        const T x = a.data<T>()[offset];
        if constexpr (std::is_same_v<T, Complex>) {
          add(x.real());
          add(x.imag());
        } else {
          add(static_cast<double>(x));
        }
      });
    });
  }
};

}  // namespace

std::string digest_of(const Value& value) {
  static thread_local Sha256 sum;  // creating one takes longer than digesting a small value
  return Walk(sum).digest(value);
}

Numbers numbers_of(const Value& value) {
  Collect collect;
  collect.add(value);
  return std::move(collect.out);
}

}  // namespace quill
