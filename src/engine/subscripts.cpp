// Choosing and assigning elements of values of any kind.
#include "engine/elements.h"
#include "engine/operations.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/index.h"
#include "base/text.h"
#include "compiler/constants.h"
#include "value/deferred.h"
#include "value/print.h"

namespace quill {

namespace {

int written_axes(std::span<const Value> subscripts) {
  return static_cast<int>(std::count_if(subscripts.begin(), subscripts.end(), [](const Value& s) {
    return !s.is_open(Open::rest) && !s.is_open(Open::new_axis);
  }));
}

Subscript subscript_of(const Value& v, Index extent, int axis, int axes) {
  switch (v.kind()) {
    case Kind::number: return position_subscript(v.number(), extent, axis, axes);
    case Kind::range: {
      const auto& r = v.object<RangeObject>();
      if (r.count == 0) return {Subscript::Kind::run, 0, 1, 0, {}};
      return run_subscript(r.first, r.at(r.count - 1), r.count == 1 ? 1 : r.step, extent, axis, axes);
    }
    case Kind::array:
      if (v.array().type() == ElementType::boolean) return mask_subscript(v.array(), extent, axis);
      if (const auto single = single_real(v)) return position_subscript(*single, extent, axis, axes);
      if (is_real(v.array().type()) || is_integer(v.array().type()))
        return positions_subscript(v.array(), extent, axis, axes);
      [[fallthrough]];
    case Kind::boolean:
      fail(v.is(Kind::boolean)
               ? std::string("a single boolean is not an index")
               : fmt::format("an index must be a number, not {}", name_of(element_type_of(v))));
    case Kind::library:
      if (const auto single = single_real(v)) return position_subscript(*single, extent, axis, axes);
      [[fallthrough]];
    default: fail(fmt::format("an index must be numbers, a range or a mask, not {}", kind_in_words(v)));
  }
}

// The condition of the array's own shape when that is the only subscript, or nothing.
const Array* whole_mask(const Value& base, std::span<const Value> subscripts) {
  if (subscripts.size() != 1 || !subscripts[0].is(Kind::array)) return nullptr;
  const auto& mask = subscripts[0].array();
  if (mask.type() != ElementType::boolean) return nullptr;
  return mask.axes() == shape_of(base).count() || mask.axes() != 1 ? &mask : nullptr;
}

std::vector<Subscript> subscripts_of(const Shape& shape, std::span<const Value> values) {
  const int axes = shape.count();
  const int used = written_axes(values);
  std::vector<Subscript> out;
  // a[..] alone is the whole array, whatever its axes.
  if (values.size() == 1 && values[0].is_open(Open::everything) && axes > 1) {
    for (const auto extent : shape) out.push_back(everything(extent));
    return out;
  }
  int axis = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    const auto& s = values[i];
    if (s.is_open(Open::new_axis)) {
      out.push_back({Subscript::Kind::new_axis, 0, 1, 1, {}});
      continue;
    }
    if (s.is_open(Open::rest)) {
      out.push_back({Subscript::Kind::rest, 0, 1, 0, {}});
      axis += std::max(0, axes - used);
      continue;
    }
    if (axis >= axes) {
      complete(std::vector<Subscript>(static_cast<std::size_t>(used), everything(1)),
               shape);  // says that there are too many
      return {};
    }
    out.push_back(s.is(Kind::open) ? everything(shape[axis]) : subscript_of(s, shape[axis], axis, axes));
    ++axis;
  }
  return out;
}

// Arrays of positions with other than one axis give their shape to what they select.
bool gives_shape(const Value& subscript) {
  return subscript.is(Kind::array) && subscript.array().type() != ElementType::boolean &&
         subscript.array().axes() != 1 && !single_real(subscript);
}

// The shape of what is selected, if such an array is among the subscripts: `flat` has an axis for each of
// them.
std::optional<Shape> shape_of_selection(const Shape& base, const Shape& flat,
                                        std::span<const Value> subscripts) {
  if (std::none_of(subscripts.begin(), subscripts.end(), gives_shape)) return std::nullopt;
  Shape out;
  int axis = 0;
  for (const auto& s : subscripts) {
    if (s.is_open(Open::rest)) {
      for (int k = written_axes(subscripts); k < base.count(); ++k) out.push_back(flat[axis++]);
    } else if (gives_shape(s)) {
      for (const auto extent : s.array().shape()) out.push_back(extent);
      ++axis;
    } else if (!single_real(s)) {
      out.push_back(flat[axis++]);
    }
  }
  return out;
}

[[noreturn]] void fail_not_indexable(const Value& base) {
  if (deferred_array(base))
    fail("an opened array cannot be changed",
         "pick(condition, a, b) makes another one; load reads it into memory");
  if (base.is_number() || base.is(Kind::boolean)) fail("a single number has no elements to select");
  if (base.is(Kind::text))
    fail("a text is one value and has no elements", "characters(t) makes an array of its characters");
  if (base.is_callable())
    fail(fmt::format("{} has no elements to select", kind_in_words(base)),
         "write a call with parentheses: f(2)");
  fail(fmt::format("{} has no elements to select", kind_in_words(base)));
}

std::string known_keys(const std::vector<std::string>& keys) {
  if (keys.empty()) return "it has none";
  auto some = keys;
  if (some.size() > 8) some.resize(8);
  return fmt::format("known: {}{}", list_in_prose(some), keys.size() > some.size() ? ", …" : "");
}

Value look_up(const DictionaryObject& d, const Value& key) {
  if (const auto* found = d.find(key)) return *found;
  std::vector<std::string> keys;
  for (const auto& [k, v] : d.entries)
    keys.push_back(k.is(Kind::text) ? fmt::format("\"{}\"", k.text()) : inline_text(k));
  fail(fmt::format("the dictionary has no key {}",
                   key.is(Kind::text) ? fmt::format("\"{}\"", key.text()) : inline_text(key)),
       known_keys(keys));
}

Value field_of(const RecordObject& r, const std::string& name) {
  if (const auto* found = r.find(name)) return *found;
  std::vector<std::string> names;
  for (const auto& [n, v] : r.fields) names.push_back(n);
  const auto near = nearest_name(name, names);
  fail(fmt::format("the record has no field `{}`", name),
       near.empty() ? known_keys(names) : fmt::format("did you mean {}?", near));
}

}  // namespace

double extent_of(const Value& base, int code) {
  if (base.is(Kind::tuple)) return static_cast<double>(base.object<TupleObject>().items.size());
  const auto* deferred = deferred_array(base);
  if (!deferred && !base.is_array_like())
    fail(fmt::format("{} has no axis, so `last` is undefined", kind_in_words(base)));
  const auto shape = deferred ? deferred->shape() : shape_of(base);
  const int axis = code % 2 ? shape.count() - code / 2 : code / 2;
  if (axis < 0 || axis >= shape.count())
    fail(fmt::format("there is no axis {} in an array of shape {}", axis + 1, text_of(shape)));
  return static_cast<double>(shape[axis]);
}

namespace {

// Suggestion for m[2] of a matrix.
std::string rows_and_columns(const Node& node, bool is_condition) {
  const auto written = [](const Node& n, const std::string& otherwise) {
    if (n.kind == NodeKind::name) return n.text;
    const auto number = constant_of(n);
    return number ? shortest(*number) : otherwise;
  };
  const auto m = written(node.base(), "m"), k = written(node.subscript(0), is_condition ? "mask" : "k");
  if (is_condition) return fmt::format("{0}[{1}, ..] selects rows, {0}[.., {1}] columns", m, k);
  return fmt::format("{0}[{1}, ..] is row {1}, {0}[.., {1}] is column {1}", m, k);
}

}  // namespace

namespace {

// Elements of a range, computed individually.
Array chosen_of(const RangeObject& range, std::span<const Value> subscripts) {
  const auto chosen = subscripts_of({range.count}, subscripts)[0];
  if (chosen.kind == Subscript::Kind::run && chosen.step == 1) return range.piece(chosen.first, chosen.count);
  const auto count =
      chosen.kind == Subscript::Kind::positions ? static_cast<Index>(chosen.positions.size()) : chosen.count;
  Array out(ElementType::float64, {count});
  double* to = out.mutable_data<double>();
  for (Index k = 0; k < count; ++k)
    to[k] = range.at(chosen.kind == Subscript::Kind::positions ? chosen.positions[static_cast<std::size_t>(k)]
                                                               : chosen.first + k * chosen.step);
  return out.with_shape(chosen.kind == Subscript::Kind::position ? Shape{} : Shape{count});
}

}  // namespace

static Value in_shape_of_selection(Array selected, const Shape& base, std::span<const Value> subscripts) {
  const auto shape = shape_of_selection(base, selected.shape(), subscripts);
  return Value::array(shape ? selected.with_shape(*shape) : std::move(selected));
}

// For deferred arrays.
static Value select(Machine& machine, const DeferredArray& array, std::span<const Value> subscripts) {
  if (subscripts.size() == 1) {
    const auto* mask = deferred_array(subscripts[0]);
    const auto of_whole_shape = [&](const Shape& shape, ElementType type) {
      return type == ElementType::boolean && (shape.count() == array.shape().count() || shape.count() != 1);
    };
    if (mask ? of_whole_shape(mask->shape(), mask->element_type())
             : subscripts[0].is(Kind::array) &&
                   of_whole_shape(shape_of(subscripts[0]), element_type_of(subscripts[0])))
      return array.chosen(machine, subscripts[0]);
  }
  std::vector<Value> known;
  for (const auto& subscript : subscripts) known.push_back(in_memory(machine, subscript));
  return array.selected(machine, complete(subscripts_of(array.shape(), known), array.shape()));
}

Value select(Machine& machine, const Value& base, std::span<const Value> subscripts, const Node& node,
             bool for_change) {
  const auto count = static_cast<int>(subscripts.size());
  if (Index offset = 0;
      base.is(Kind::array) && find_element(base.array(), subscripts.data(), count, offset)) {
    Value element;
    if (read_element(element, base.array(), offset)) return element;
  }
  switch (base.kind()) {
    case Kind::tuple: {
      const auto& items = base.object<TupleObject>().items;
      const auto position = subscripts.size() == 1 ? single_real(subscripts[0]) : std::nullopt;
      if (!position) fail("an item of a tuple is selected by one number");
      return items[static_cast<std::size_t>(
          checked_position(*position, static_cast<Index>(items.size()), 0, 1))];
    }
    case Kind::record:
      if (subscripts.size() != 1 || !subscripts[0].is(Kind::text))
        fail("a field of a record is selected by its name",
             table_length(base) ? "rows(t, 1) is a row of a table" : "r.depth, or r[\"Wave height\"]");
      return field_of(base.object<RecordObject>(), subscripts[0].text());
    case Kind::dictionary:
      if (subscripts.size() != 1 || subscripts[0].is(Kind::open)) fail("a dictionary takes a single key");
      return look_up(base.object<DictionaryObject>(), subscripts[0]);
    case Kind::range:
      if (subscripts.size() == 1 && subscripts[0].is_number()) {
        const auto& r = base.object<RangeObject>();
        return Value(r.at(checked_position(subscripts[0].number(), r.count, 0, 1)));
      }
      if (subscripts.size() == 1 && !whole_mask(base, subscripts) && !subscripts[0].is(Kind::open))
        return in_shape_of_selection(chosen_of(base.object<RangeObject>(), subscripts), shape_of(base),
                                     subscripts);
      break;
    case Kind::array: break;
    case Kind::library:
      if (const auto* array = deferred_array(base)) return select(machine, *array, subscripts);
      [[fallthrough]];
    default: fail_not_indexable(base);
  }
  const auto array = to_array(base);
  if (const auto* mask = whole_mask(base, subscripts)) return Value::array(select_mask(array, *mask));
  const auto chosen = subscripts_of(array.shape(), subscripts);
  if (for_change && has_repeats(chosen))
    fail("an index occurs more than once, so updates would be lost",
         "bin_sums adds the values with the same index");
  try {
    return in_shape_of_selection(apart_if_small(quill::select(array, chosen), array), array.shape(),
                                 subscripts);
  } catch (Error& error) {
    if (array.axes() == 2 && chosen.size() == 1 && !error.hint.empty())
      error.hint = rows_and_columns(node, element_type_of(subscripts[0]) == ElementType::boolean);
    throw;
  }
}

std::optional<Array> chosen_view(const Array& array, std::span<const Value> subscripts) {
  for (const auto& s : subscripts)
    if (s.is(Kind::array) && !single_real(s)) return std::nullopt;
  return select(array, subscripts_of(array.shape(), subscripts));
}

bool update_in_place(Binary op, Array& array, std::span<const Value> subscripts, const Operand& b) {
  Shape shape;
  Strides strides;
  const double* first = nullptr;
  {
    // The view must be destroyed before elements are modified.
    const auto view = chosen_view(array, subscripts);
    if (!view) return false;
    shape = view->shape();
    strides = view->strides();
    first = view->data<double>();
  }
  const auto offset = first - array.data<double>();
  return update(op, array.mutable_data<double>() + offset, shape, strides, b);
}

void set_elements(Value& base, std::span<const Value> subscripts, const Value& given) {
  const bool takes_anything =
      base.is(Kind::dictionary) || (base.is(Kind::array) && base.array().type() == ElementType::any);
  const Value value = takes_anything ? given : numeric_value(given);
  const auto count = static_cast<int>(subscripts.size());
  if (Index offset = 0; find_element(base, subscripts.data(), count, offset)) {
    auto& array = base.own_array();
    // The array's own storage may have another layout.
    if (array.shares_storage()) array = array.copied();
    if (find_element(array, subscripts.data(), count, offset) && write_element(array, offset, value)) return;
  }
  switch (base.kind()) {
    case Kind::dictionary: {
      if (subscripts.size() != 1 || subscripts[0].is(Kind::open))
        fail("only one key of a dictionary can be set at a time");
      if (base.object<DictionaryObject>().use_count() > 1)
        base = Value(Kind::dictionary, new DictionaryObject(base.object<DictionaryObject>()));
      base.object<DictionaryObject>().set(subscripts[0], value);
      return;
    }
    case Kind::tuple: fail("a tuple cannot be changed", "make a new one: (a, b)");
    case Kind::record:
      fail("the fields of a record cannot be assigned", "with(r, depth: 4) makes a changed copy");
    case Kind::range: base = Value::array(base.object<RangeObject>().to_array()); break;
    case Kind::array: break;
    default: fail_not_indexable(base);
  }
  const auto type = base.array().type();
  Array values;
  if (type == ElementType::any) {
    const Value one[] = {value};
    // For a single element, the value is its content, possibly a list.
    const bool is_element = std::all_of(subscripts.begin(), subscripts.end(),
                                        [](const Value& s) { return single_real(s).has_value(); });
    values = !is_element && value.is(Kind::array) && value.array().type() == ElementType::any
                 ? value.array()
                 : list_of(one).with_shape({});
  } else {
    if (!value.is_array_like() || is_numeric(element_type_of(value)) != is_numeric(type) ||
        element_type_of(value) == ElementType::any)
      fail(fmt::format("{} cannot be an element of an array of {}", kind_in_words(value), name_of(type)),
           type == ElementType::text ? "text(x) converts it" : "list(…) can contain any value");
    values = to_array(value);
    // A single element fits any target, whatever its number of axes.
    if (values.size() == 1) values = values.with_shape({});
    if (values.type() != type) try {
        values = values.converted(type);
      } catch (Error& error) {
        if (values.type() == ElementType::complex128)
          error.hint = "complex(a) makes an array that can contain complex numbers";
        throw;
      }
  }
  const auto* mask = whole_mask(base, subscripts);
  const Array kept = mask ? *mask : Array();
  const auto chosen = mask ? std::vector<Subscript>{} : subscripts_of(base.array().shape(), subscripts);
  // Values for an array of indices have its shape.
  Shape flat;
  std::optional<Shape> shape;
  if (std::any_of(subscripts.begin(), subscripts.end(), gives_shape)) {
    for (const auto& s : complete(chosen, base.array().shape()))
      if (s.kind != Subscript::Kind::position) flat.push_back(s.count);
    shape = shape_of_selection(base.array().shape(), flat, subscripts);
    if (!can_broadcast(values.shape(), *shape) || broadcast_shapes(values.shape(), *shape) != *shape)
      fail(fmt::format("values of shape {} do not fit the selected shape {}", text_of(values.shape()),
                       text_of(*shape)));
  }
  auto& array = base.own_array();
  if (mask)
    assign_mask(array, kept, values);
  else if (shape) {
    const auto strides = stretched_strides(values.shape(), values.strides(), *shape);
    assign(array, chosen, values.view(values.offset(), *shape, strides).copied().with_shape(flat));
  } else
    assign(array, chosen, values);
}

void set_shared_elements(Value& variable, std::span<const Value> subscripts, const Value& value) {
  if (variable.is(Kind::store)) {
    set_elements(variable.object<StoreObject>().current, subscripts, value);
  } else if (variable.is(Kind::alias)) {
    auto& alias = variable.object<AliasObject>();
    Value part = subscripts.empty() ? value : plain_value(variable);
    if (!subscripts.empty()) set_elements(part, subscripts, value);
    assign(alias.store->current.own_array(), alias.selection, to_array(part));
  } else {
    set_elements(variable, subscripts, value);
  }
}

void make_alias(Value& variable, Value& owner, const std::string& name, bool whole,
                std::span<const Value> subscripts) {
  // An alias of an alias refers to the same variable.
  const AliasObject* outer = owner.is(Kind::alias) ? &owner.object<AliasObject>() : nullptr;
  if (!outer && !owner.is(Kind::store)) {
    if (owner.is(Kind::range)) owner = Value::array(owner.object<RangeObject>().to_array());
    if (!owner.is(Kind::array))
      fail(fmt::format("only arrays can be aliased, and `{}` is {}", name, kind_in_words(owner)));
    auto* store = new StoreObject;
    store->current = owner;
    store->owner = name;
    owner = Value(Kind::store, store);
  }
  auto& store = outer ? *outer->store : owner.object<StoreObject>();
  const Value seen = outer ? plain_value(owner) : store.current;
  const auto& array = seen.array();
  auto* alias = new AliasObject;
  const Value made(Kind::alias, alias);
  alias->store = &store;
  if (!whole) {
    if (whole_mask(seen, subscripts)) fail("an alias selects by indices, not by a mask");
    if (std::any_of(subscripts.begin(), subscripts.end(), gives_shape))
      fail("an alias selects by numbers, ranges and vectors");
    alias->selection = complete(subscripts_of(array.shape(), subscripts), array.shape());
    if (has_repeats(alias->selection)) fail("an index occurs more than once in this alias");
  } else {
    for (const auto extent : array.shape()) alias->selection.push_back(everything(extent));
  }
  if (select(array, alias->selection).axes() == 0) fail("an alias must select several elements", "a[2..2]");
  if (outer) alias->selection = chosen_within(outer->selection, alias->selection);
  variable = made;
}

Value part_of(const Value& base, const std::string& name) {
  if (base.is(Kind::record)) return field_of(base.object<RecordObject>(), name);
  if (base.is(Kind::library)) {
    const auto& native = base.object<LibraryObject>();
    if (auto found = native.part(name)) return *found;
    const auto names = native.part_names();
    const auto near = nearest_name(name, names);
    fail(fmt::format("{} has no field `{}`", kind_in_words(base), name),
         near.empty() ? known_keys(names) : fmt::format("did you mean {}?", near));
  }
  fail(fmt::format("{} has no fields, so `.{}` is undefined", kind_in_words(base), name),
       base.is(Kind::dictionary) ? fmt::format("d[\"{}\"]", name) : "");
}

}  // namespace quill
