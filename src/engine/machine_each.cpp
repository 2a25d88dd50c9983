// `each`: a function applied element by element.
#include <fmt/format.h>

#include <functional>

#include "array/index.h"
#include "base/restored.h"
#include "engine/machine.h"
#include "engine/operations.h"
#include "value/deferred.h"

namespace quill {

namespace {

bool is_array(const Value& v) { return v.is(Kind::range) || (v.is(Kind::array) && v.array().axes() > 0); }

// Elements of arguments broadcast together, in row order.
class Broadcast {
 public:
  explicit Broadcast(std::span<const Value> arguments) : whole_(arguments.begin(), arguments.end()) {
    for (const auto& argument : whole_)
      if (is_array(argument)) shape_ = broadcast_shapes(shape_, shape_of(argument));
    for (const auto& argument : whole_) {
      arrays_.push_back(is_array(argument) ? to_array(argument) : Array());
      strides_.push_back(is_array(argument)
                             ? stretched_strides(arrays_.back().shape(), arrays_.back().strides(), shape_)
                             : Strides());
    }
    at_.assign(static_cast<std::size_t>(shape_.count()), 0);
  }
  const Shape& shape() const { return shape_; }
  bool has_arrays() const { return std::any_of(whole_.begin(), whole_.end(), is_array); }
  std::vector<Value> here() const {
    auto out = whole_;
    for (std::size_t i = 0; i < out.size(); ++i) {
      if (!is_array(whole_[i])) continue;
      Index offset = arrays_[i].offset();
      for (int axis = 0; axis < shape_.count(); ++axis)
        offset += at_[static_cast<std::size_t>(axis)] * strides_[i][axis];
      out[i] = Value::array(arrays_[i].view(offset, {}, {}));
    }
    return out;
  }
  // Whether all are numbers or float64 arrays; if so, sets the current elements.
  bool are_numbers() const {
    return std::all_of(whole_.begin(), whole_.end(), [](const Value& v) {
      return v.is_number() || (is_array(v) && element_type_of(v) == ElementType::float64 && !is_time(v));
    });
  }
  void numbers_here(std::vector<double>& out) const {
    for (std::size_t i = 0; i < whole_.size(); ++i) {
      if (!is_array(whole_[i])) {
        out[i] = whole_[i].number();
        continue;
      }
      Index offset = 0;
      for (int axis = 0; axis < shape_.count(); ++axis)
        offset += at_[static_cast<std::size_t>(axis)] * strides_[i][axis];
      out[i] = arrays_[i].data<double>()[offset];
    }
  }
  void advance() {
    for (int axis = shape_.count() - 1; axis >= 0; --axis) {
      if (++at_[static_cast<std::size_t>(axis)] < shape_[axis]) break;
      at_[static_cast<std::size_t>(axis)] = 0;
    }
  }
  // "[2, 3]"
  std::string place() const {
    std::string out;
    for (const auto position : at_) out += fmt::format("{}{}", out.empty() ? "" : ", ", position + 1);
    return fmt::format("[{}]", out);
  }

 private:
  std::vector<Value> whole_;
  Shape shape_;
  std::vector<Array> arrays_;
  std::vector<Strides> strides_;
  std::vector<Index> at_;
};

Value in_shape(std::vector<Value> items, const Shape& shape) {
  const auto flat = to_array(collect(std::move(items)));
  Shape full = shape;
  for (int axis = 1; axis < flat.axes(); ++axis) full.push_back(flat.extent(axis));
  return Value::array(as_times_like(flat, flat.with_shape(full)));
}

// Several results of each call become several arrays.
Value laid_out(std::vector<Value> results, const Shape& shape) {
  if (results.empty() || !results[0].is(Kind::tuple)) return in_shape(std::move(results), shape);
  const auto parts = results[0].object<TupleObject>().items.size();
  std::vector<Value> out;
  for (std::size_t p = 0; p < parts; ++p) {
    std::vector<Value> column;
    for (const auto& r : results) {
      if (!r.is(Kind::tuple) || r.object<TupleObject>().items.size() != parts)
        fail("`each`: the function returns different numbers of results");
      column.push_back(r.object<TupleObject>().items[p]);
    }
    out.push_back(in_shape(std::move(column), shape));
  }
  return Value::tuple(std::move(out));
}

}  // namespace

// If the function is certain to be elementwise, one call with arrays replaces the calls for elements.
std::optional<Value> Machine::call_whole(const Value& function, std::span<const Value> arguments,
                                         const Shape& shape) {
  std::vector<Role> roles;
  for (const auto& a : arguments) {
    if (is_time(a) || (!a.is_number() && !(is_array(a) && element_type_of(a) == ElementType::float64)))
      return std::nullopt;
    roles.push_back(is_array(a) ? Role::varying : Role::uniform);
  }
  if (!is_elementwise(function, roles)) return std::nullopt;
  auto result = call(function, arguments);
  if (!result.is_array_like() || !(shape_of(result) == shape)) return std::nullopt;
  return result;
}

// A built-in that accepts arrays of texts as a whole.
std::optional<Value> Machine::call_with_texts(const Value& function, std::span<const Value> arguments) {
  if (!function.is(Kind::builtin) || !function.object<BuiltinObject>().row->maps_texts) return std::nullopt;
  for (std::size_t k = 0; k < arguments.size(); ++k)
    if (is_array(arguments[k]) != (k == 0)) return std::nullopt;
  if (element_type_of(arguments[0]) != ElementType::text) return std::nullopt;
  try {
    return call(function, arguments);
  } catch (const Error& error) {
    if (error.kind != Error::Kind::mistake) throw;
    return std::nullopt;  // individual calls report the element
  }
}

// One call; errors name the element.
Value Machine::call_formed(const Value& function, std::span<const Value> arguments, const CallForm* form,
                           const Node* node, const std::function<std::string()>& place) {
  try {
    if (form == nullptr) return call(function, arguments);
    std::vector<Value> copy(arguments.begin(), arguments.end());
    if (function.is(Kind::builtin))
      return quill::call_builtin(*this, *function.object<BuiltinObject>().row, copy, form, node);
    if (function.is(Kind::library)) fail_names_given(function);
    check_builtin_depth();
    const Deeper one_more(builtin_depth_);
    Value result = Value::none();
    const auto before = frames_.size();
    enter(function, copy.data(), static_cast<int>(copy.size()), form, nullptr, &result);
    execute(before);
    return result;
  } catch (Error& error) {
    const auto element = place ? place() : std::string();
    if (!error.calls.empty())
      error.name_caller(element.empty() ? "each" : fmt::format("each for element {}", element),
                        location_of(node));
    else if (!element.empty())
      error.notes.push_back(fmt::format("in `each` for element {}", element));
    throw;
  }
}

Value Machine::call_each(const Value& function, std::span<const Value> given, const CallForm* form,
                         const Node* node) {
  std::vector<Value> arguments;
  const DictionaryObject* keyed = nullptr;
  for (const auto& argument : given) {
    arguments.push_back(in_memory(*this, numeric_value(argument)));
    if (!argument.is(Kind::dictionary)) continue;
    const auto& d = argument.object<DictionaryObject>();
    if (keyed == nullptr) keyed = &d;
    if (d.entries.size() != keyed->entries.size())
      fail(fmt::format("`each`: the dictionaries have {} and {} keys", keyed->entries.size(),
                       d.entries.size()));
  }
  if (keyed != nullptr) return call_each_key(function, *keyed, arguments, form, node);
  Broadcast elements(arguments);
  if (!elements.has_arrays()) return call_formed(function, arguments, form, node, nullptr);
  if (form == nullptr) {
    if (auto whole = call_whole(function, arguments, elements.shape())) return *whole;
    if (auto whole = call_with_texts(function, arguments)) return *whole;
  }
  std::vector<Value> results;
  std::vector<double> numbers, here(arguments.size());
  DirectCall direct;
  direct.is_off = form != nullptr || !elements.are_numbers() || arguments.size() > DirectCall::Sizes::kMost;
  direct.sizes.count = arguments.size();  // numbers all of them
  const auto count = size_of(elements.shape());
  for (Index k = 0; k < count; ++k, elements.advance()) {
    if (results.empty() && !direct.is_off) {
      elements.numbers_here(here);
      double number = 0;
      if (call_direct(direct, function, here, {&number, 1})) {
        numbers.push_back(number);
        continue;
      }
    }
    auto result = call_formed(function, elements.here(), form, node, [&] { return elements.place(); });
    if (results.empty() && result.is_number()) {
      numbers.push_back(result.number());
      continue;
    }
    for (const double number : numbers) results.emplace_back(number);
    numbers.clear();
    results.push_back(std::move(result));
  }
  if (results.empty() && count > 0) return Value::array(Array::of<double>(elements.shape(), numbers));
  return laid_out(std::move(results), elements.shape());
}

// For dictionaries, values with equal keys are combined; the result has the same keys.
Value Machine::call_each_key(const Value& function, const DictionaryObject& keyed,
                             std::span<const Value> arguments, const CallForm* form, const Node* node) {
  Value out(Kind::dictionary, new DictionaryObject);
  for (const auto& [key, value] : keyed.entries) {
    std::vector<Value> one(arguments.begin(), arguments.end());
    const auto shown = key.is(Kind::text) ? key.text() : shortest(*single_real(key));
    for (auto& argument : one) {
      if (!argument.is(Kind::dictionary)) continue;
      const auto* found = argument.object<DictionaryObject>().find(key);
      if (found == nullptr) fail(fmt::format("`each`: this dictionary has no key {}", shown));
      argument = Value(*found);
    }
    out.object<DictionaryObject>().set(
        key, call_formed(function, one, form, node, [&] { return fmt::format("[\"{}\"]", shown); }));
  }
  return out;
}

}  // namespace quill
