// Values of the language: a small tagged type. Single numbers and booleans are stored inline; others are
// reference-counted objects that are modified only while unshared.
#pragma once

#include <algorithm>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "array/array.h"
#include "array/index.h"
#include "base/pool.h"

namespace quill {

enum class Binary : std::uint8_t;
class Runtime;
class Value;
struct Function;
struct Builtin;

// Subscripts without positions.
enum class Open : std::uint8_t {
  everything,  // ..
  rest,        // ...
  new_axis,    // new
};

enum class Kind : std::uint8_t {
  unset,
  none,
  open,  // a subscript such as `..`; not a value of the language
  number,
  boolean,
  text,
  array,
  range,
  tuple,
  record,
  dictionary,
  store,
  alias,
  function,
  builtin,
  library  // made by a built-in: an interpolant, a fit
};

class Object : public boost::intrusive_ref_counter<Object, boost::thread_unsafe_counter> {
 public:
  virtual ~Object() = default;
  // Nesting depth of values. Values deeper than kDeepest are never created, so code that walks over values,
  // including destructors, may recurse. See depth_inside.
  int depth = 0;
};
inline constexpr int kDeepest =
    200;  // printing takes up to 20 kB of stack for each level under the sanitizers

class Value {
 public:
  Value() : kind_(Kind::unset), number_(0) {}
  Value(double number) : kind_(Kind::number), number_(number) {}  // NOLINT
  static Value boolean(bool boolean) {
    Value v;
    v.kind_ = Kind::boolean;
    v.boolean_ = boolean;
    return v;
  }
  static Value none() {
    Value v;
    v.kind_ = Kind::none;
    return v;
  }
  static Value open(Open which) {
    Value v(static_cast<double>(which));
    v.kind_ = Kind::open;
    return v;
  }
  bool is_open(Open which) const { return kind_ == Kind::open && number_ == static_cast<double>(which); }
  static Value text(std::string text);
  // An array without axes of numbers, booleans or text becomes a plain value.
  static Value array(Array array);
  static Value range(double first, double last, double step);
  static Value range_count(double first, double last, Index count);
  static Value tuple(std::vector<Value> items);
  static Value record(std::vector<std::pair<std::string, Value>> fields);
  static Value builtin(const Builtin& row);
  Value(Kind kind, Object* object) : kind_(kind), object_(object) { intrusive_ptr_add_ref(object_); }

  Value(const Value& other) : kind_(other.kind_), number_(other.number_) {
    if (holds_object()) intrusive_ptr_add_ref(object_);
  }
  Value(Value&& other) noexcept : kind_(other.kind_), number_(other.number_) { other.kind_ = Kind::unset; }
  Value& operator=(const Value& other) {
    Value copy(other);
    swap(copy);
    return *this;
  }
  Value& operator=(Value&& other) noexcept {
    swap(other);
    return *this;
  }
  ~Value() {
    if (holds_object()) intrusive_ptr_release(object_);
  }
  void swap(Value& other) noexcept {
    std::swap(kind_, other.kind_);
    std::swap(number_, other.number_);
  }
  void reset() {
    if (holds_object()) intrusive_ptr_release(object_);
    kind_ = Kind::unset;
  }
  void set_number(double number) {
    if (holds_object()) [[unlikely]]
      intrusive_ptr_release(object_);
    kind_ = Kind::number;
    number_ = number;
  }
  void set_boolean(bool boolean) {
    if (holds_object()) [[unlikely]]
      intrusive_ptr_release(object_);
    kind_ = Kind::boolean;
    number_ = 0;
    boolean_ = boolean;
  }

  Kind kind() const { return kind_; }
  bool is(Kind kind) const { return kind_ == kind; }
  bool is_number() const { return kind_ == Kind::number; }
  // Numbers, booleans, texts, ranges and arrays: everything with an element type.
  bool is_array_like() const { return kind_ >= Kind::number && kind_ <= Kind::range; }
  bool is_callable() const { return kind_ >= Kind::function; }
  const double& number() const { return number_; }
  const bool& boolean() const { return boolean_; }
  const std::string& text() const;
  const Array& array() const;
  // The array of an unshared object.
  Array& array_to_change();
  // The array to modify; copies the object first if it is shared.
  Array& own_array();
  template <class T>
  T& object() const {
    return static_cast<T&>(*object_);
  }
  const Object* identity() const { return holds_object() ? object_ : nullptr; }

 private:
  bool holds_object() const { return kind_ >= Kind::text; }
  Kind kind_;
  union {
    double number_;
    bool boolean_;
    Object* object_;
  };
};
static_assert(sizeof(Value) == 16);

struct TextObject : Object {
  explicit TextObject(std::string t) : text(std::move(t)) {}
  std::string text;
};
struct ArrayObject : Object, Pooled<ArrayObject> {
  explicit ArrayObject(Array a) : array(std::move(a)) { forget_depth(); }
  ArrayObject(Array::Like like, const Array& other) : array(like, other) { forget_depth(); }
  ArrayObject(Array::Like like, const Array& other, ElementType type) : array(like, other, type) {
    forget_depth();
  }
  Array array;
  // The depth of an array of values is computed on demand, and again after a modification.
  static constexpr int kUnknown = -1;
  int depth_of_elements();
  void forget_depth() { depth = kUnknown; }
};
// A vector without stored elements: element k (from 0) is first + k·step or, if both ends lie on the grid,
// interpolated between them so that the last one is exact.
struct RangeObject : Object {
  static constexpr double kLargestStep = 1 << 26;  // of integers
  double first = 0, last = 0, step = 1;
  double end = 0;  // as written; the last element may be smaller
  Index count = 0;
  bool from_both_ends = false;
  double at(Index k) const;
  // Whether each element is exactly first + k·step, an integer.
  bool is_of_integers() const;
  Array to_array() const;
  // `size` elements starting at `from`.
  Array piece(Index from, Index size) const;
};
inline const Array& Value::array() const { return object<ArrayObject>().array; }
inline Array& Value::array_to_change() { return object<ArrayObject>().array; }  // of numbers
struct TupleObject : Object, Pooled<TupleObject> {
  std::vector<Value> items;
};
struct RecordObject : Object {
  std::vector<std::pair<std::string, Value>> fields;
  const Value* find(const std::string& name) const;
};
struct DictionaryObject : Object {
  std::vector<std::pair<Value, Value>> entries;  // in insertion order
  std::map<std::string, std::size_t> lookup;     // key as text with its kind, to index in entries
  const Value* find(const Value& key) const;
  void set(const Value& key, Value value);
};
// The part of a function that every layer may see; its program belongs to the compiler.
struct FunctionHead {
  std::string name;  // "fn" for anonymous functions
  std::string prose;
  std::vector<std::string> parameters;
  std::vector<bool> has_default;
};
struct FunctionObject : Object, Pooled<FunctionObject> {
  FunctionObject(std::shared_ptr<const Function> f, const FunctionHead& h)
      : function(std::move(f)), head(h) {}
  std::shared_ptr<const Function> function;
  const FunctionHead& head;  // of that function
  std::vector<Value> captured;
};
struct BuiltinObject : Object {
  const Builtin* row = nullptr;
};
// StoreObject: the cell of a variable that has aliases; AliasObject: the value of an alias. They occur only
// in variables; reading one gives a plain value.
struct StoreObject : Object {
  Value current;
  std::string owner;  // the name of the variable
};
struct AliasObject : Object {
  boost::intrusive_ptr<StoreObject> store;
  std::vector<Subscript> selection;
};
// Depth of a value that contains these. Throws Error if it exceeds kDeepest.
int depth_inside(std::span<const Value> held);
inline int depth_inside(const Value& held) { return depth_inside(std::span(&held, 1)); }
// The value that reading the variable gives.
Value plain_value(const Value& variable);
// An object created by a built-in, such as an interpolant. May be callable and have named parts.
class LibraryObject : public Object {
 public:
  // Has to be called for every value of the language that the object holds.
  void keeps(const Value& value) {
    depth = std::max(depth, depth_inside(value));
    if (value.kind() > Kind::range) kept_.push_back(value);
  }
  // Values held, which may contain functions.
  const std::vector<Value>& kept() const { return kept_; }
  virtual std::string type_name() const = 0;
  virtual std::string describe() const = 0;  // one line
  // Its value in arithmetic, if it has one.
  virtual std::optional<Value> numeric() const { return std::nullopt; }
  virtual Value call(Runtime& runtime, std::span<Value> arguments) const;
  virtual std::optional<Value> part(const std::string& name) const;
  virtual std::vector<std::string> part_names() const { return {}; }
  // Result of an operator with another value, if it is defined.
  virtual std::optional<Value> combined(Binary, const Value& /*other*/, bool /*other_is_left*/) const {
    return std::nullopt;
  }
  // Equality with a value; nothing: compares identity.
  virtual std::optional<bool> equals(const Value& /*other*/) const { return std::nullopt; }
  // The inverse function, if there is one.
  virtual std::optional<Value> inverse() const { return std::nullopt; }

 private:
  std::vector<Value> kept_;
};
// An element of an `any` array.
class ValueContent : public AnyContent {
 public:
  explicit ValueContent(Value v) : value(std::move(v)), depth(depth_inside(value)) {}
  bool equals(const AnyContent& other) const override;
  Value value;
  int depth;
};

// The value of an estimate; any other value unchanged.
Value numeric_value(const Value& value);
// Whether it is a timestamp or an array of timestamps.
inline bool is_time(const Value& value) { return value.is(Kind::array) && holds_times(value.array()); }
// The number of a single real or integer of any element type; nothing for anything else.
std::optional<double> single_real(const Value& value);
// A single integer within int64, exactly.
std::optional<std::int64_t> single_whole(const Value& value);
// The value as an array. Throws Error, in which `what` names the operation, if it is not array-like.
Array to_array(const Value& value, std::string_view what = "this");
Array list_of(std::span<const Value> values);
Value element_value(const Any& element);
Shape shape_of(const Value& value);
ElementType element_type_of(const Value& value);
// "a number", "a text", "a matrix 3×4 of float64", "a record"
std::string kind_in_words(const Value& value);
// The name of the type: "float64", "text", "record", …
std::string type_name(const Value& value);
// Equality of whole values; nan equals nan.
bool same(const Value& a, const Value& b);

}  // namespace quill
