#include "session/alike.h"

#include <algorithm>
#include <bit>
#include <cstring>

#include "value/construct.h"

namespace quill {

namespace {

bool same_bits(double a, double b) {
  return std::bit_cast<std::uint64_t>(a) == std::bit_cast<std::uint64_t>(b);
}

bool alike(const Array& a, const Array& b) {
  if (a.type() != b.type() || !(a.shape() == b.shape())) return false;
  if (a.label != b.label) {
    if (!a.label || !b.label || a.label->name != b.label->name || a.label->unit != b.label->unit ||
        a.label->axes != b.label->axes)
      return false;
  }
  if (a.type() == ElementType::text) return a.to_vector<std::string>() == b.to_vector<std::string>();
  if (a.type() == ElementType::any) {
    const auto x = a.to_vector<Any>(), y = b.to_vector<Any>();
    for (std::size_t k = 0; k < x.size(); ++k)
      if (!quill::alike(element_value(x[k]), element_value(y[k]))) return false;
    return true;
  }
  return visit_numeric(a.type(), [&]<class T>(Tag<T>) {
    const auto x = a.compact(), y = b.compact();
    return x.template data<T>() == y.template data<T>() ||
           std::memcmp(x.template data<T>(), y.template data<T>(),
                       static_cast<std::size_t>(a.size()) * sizeof(T)) == 0;
  });
}

bool alike(const RangeObject& a, const RangeObject& b) {
  return a.count == b.count && same_bits(a.first, b.first) && same_bits(a.step, b.step) &&
         same_bits(a.last, b.last) && a.from_both_ends == b.from_both_ends;
}

bool alike(const std::vector<Value>& a, const std::vector<Value>& b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                    [](const Value& x, const Value& y) { return quill::alike(x, y); });
}

bool alike(const RecordObject& a, const RecordObject& b) {
  return std::equal(
      a.fields.begin(), a.fields.end(), b.fields.begin(), b.fields.end(),
      [](const auto& x, const auto& y) { return x.first == y.first && quill::alike(x.second, y.second); });
}

bool alike(const DictionaryObject& a, const DictionaryObject& b) {
  return std::equal(a.entries.begin(), a.entries.end(), b.entries.begin(), b.entries.end(),
                    [](const auto& x, const auto& y) {
                      return quill::alike(x.first, y.first) && quill::alike(x.second, y.second);
                    });
}

bool alike(const FunctionObject& a, const FunctionObject& b) {
  return (a.function == b.function ||
          (a.function->module == b.function->module && text_of(*a.function) == text_of(*b.function))) &&
         alike(a.captured, b.captured);
}

}  // namespace

bool alike(const Value& left, const Value& right) {
  const auto a = plain_value(left), b = plain_value(right);
  if (a.kind() != b.kind()) return false;
  if (a.identity() != nullptr && a.identity() == b.identity()) return true;
  switch (a.kind()) {
    case Kind::unset:
    case Kind::none: return true;
    case Kind::boolean: return a.boolean() == b.boolean();
    case Kind::number:
    case Kind::open: return same_bits(a.number(), b.number());
    case Kind::text: return a.text() == b.text();
    case Kind::array: return alike(a.array(), b.array());
    case Kind::range: return alike(a.object<RangeObject>(), b.object<RangeObject>());
    case Kind::tuple: return alike(a.object<TupleObject>().items, b.object<TupleObject>().items);
    case Kind::record: return alike(a.object<RecordObject>(), b.object<RecordObject>());
    case Kind::dictionary: return alike(a.object<DictionaryObject>(), b.object<DictionaryObject>());
    case Kind::function: return alike(a.object<FunctionObject>(), b.object<FunctionObject>());
    case Kind::builtin: return a.object<BuiltinObject>().row == b.object<BuiltinObject>().row;
    default: return false;
  }
}

void for_each_function(const Value& variable, const std::function<void(const FunctionObject&)>& see) {
  const auto value = plain_value(variable);
  const auto all = [&](const auto& values) {
    for (const auto& v : values) for_each_function(v, see);
  };
  switch (value.kind()) {
    case Kind::array:
      if (value.array().type() == ElementType::any)
        for (const auto& element : value.array().to_vector<Any>())
          for_each_function(element_value(element), see);
      return;
    case Kind::tuple: return all(value.object<TupleObject>().items);
    case Kind::record:
      for (const auto& [name, field] : value.object<RecordObject>().fields) for_each_function(field, see);
      return;
    case Kind::dictionary:
      for (const auto& [key, item] : value.object<DictionaryObject>().entries) for_each_function(item, see);
      return;
    case Kind::function:
      see(value.object<FunctionObject>());
      return all(value.object<FunctionObject>().captured);
    case Kind::library: return all(value.object<LibraryObject>().kept());
    default: return;
  }
}

std::string_view text_of(const Function& function) {
  return function.definition ? function.tree->source->text(function.definition->span) : std::string_view();
}

}  // namespace quill
