#include "engine/operations.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/elementwise.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "base/text.h"
#include "engine/machine.h"

namespace quill {

namespace {

Binary binary_of(Op op) {
  switch (op) {
    case Op::add: return Binary::add;
    case Op::subtract: return Binary::subtract;
    case Op::multiply: return Binary::multiply;
    case Op::divide: return Binary::divide;
    case Op::remainder: return Binary::remainder;
    case Op::power: return Binary::power;
    case Op::equal: return Binary::equal;
    case Op::not_equal: return Binary::not_equal;
    case Op::less: return Binary::less;
    case Op::less_equal: return Binary::less_equal;
    case Op::greater: return Binary::greater;
    case Op::greater_equal: return Binary::greater_equal;
    case Op::logical_and: return Binary::logical_and;
    default: return Binary::logical_or;
  }
}

// A value seen as an operand; `hold` keeps the array of a range.
Operand operand_of(const Value& v, Array& hold) {
  switch (v.kind()) {
    case Kind::number: return {v.number()};
    case Kind::truth: return {v.truth()};
    case Kind::text: return {v.text()};
    case Kind::array: return {v.array()};
    default: hold = v.object<RangeObject>().to_array(); return {hold};
  }
}

std::string symbol(Op op) { return op == Op::matrix_product ? "*+" : std::string(symbol_of(binary_of(op))); }

struct Sides {
  std::string left, right;  // as written
  const Node* left_node = nullptr;
  const Node* right_node = nullptr;
};

// The operands of a node as they stand in the source.
Sides sides_of(const Machine& machine, const Node& node, int operand) {
  Sides s;
  const auto k = static_cast<std::size_t>(operand);
  if (node.kids.size() < k + 2 || !node.kids[k] || !node.kids[k + 1]) return s;
  s.left_node = node.kids[k].get();
  s.right_node = node.kids[k + 1].get();
  const auto place = machine.place_of(&node);
  if (!place.source) return s;
  s.left = place.source->text(s.left_node->span);
  s.right = place.source->text(s.right_node->span);
  return s;
}

std::string in_parentheses(const std::string& text, const Node* node) {
  if (!node || !is_operator_expression(*node) || text.starts_with('(')) return text;
  return fmt::format("({})", text);
}

// Both shapes aligned at their last axes, the failing axis named on the second line.
std::vector<std::string> aligned_shapes(const Sides& sides, const Shape& a, const Shape& b, int axis) {
  const int n = std::max(a.count(), b.count());
  const auto width = std::max(display_width(sides.left), display_width(sides.right));
  if (width > 40) return {};
  const auto line = [&](const std::string& name, const Shape& s) {
    std::string out = pad_right(name, width) + "   ";
    for (int i = 0; i < n; ++i) {
      const int k = i - (n - s.count());
      const auto extent_width = [&](const Shape& shape) {
        const int j = i - (n - shape.count());
        return j < 0 ? std::size_t{0} : std::to_string(shape[j]).size();
      };
      const auto column = std::max(extent_width(a), extent_width(b));
      if (i > 0) out += k <= 0 ? "   " : " × ";
      out += pad_left(k < 0 ? "" : std::to_string(s[k]), column);
    }
    return out;
  };
  const auto extent = [&](const Shape& s) { return s[axis - 1 - (n - s.count())]; };
  return {line(sides.left, a),
          fmt::format("{}     axis {}: {} against {}", line(sides.right, b), axis, extent(a), extent(b))};
}

std::string suggest_broadcast(Op op, const Sides& s, const Shape& a, const Shape& b) {
  const auto left = in_parentheses(s.left, s.left_node), right = in_parentheses(s.right, s.right_node);
  const auto sign = symbol(op);
  if (op == Op::multiply && a.count() >= 1 && b.count() >= 1 && a.back() == b[0])
    return fmt::format("the matrix product is written  {} *+ {}", left, right);
  const auto is_line = [](const Shape& v) {
    return v.count() == 1 || (v.count() == 2 && (v[0] == 1 || v[1] == 1));
  };
  const auto length = [](const Shape& v) { return v.count() == 1 ? v[0] : v[0] * v[1]; };
  if (is_line(b)) {
    if (can_broadcast(a, {length(b), 1}) && a.count() >= 2 && length(b) == a[a.count() - 2])
      return fmt::format("to add one number per row, write  {} {} down({})", left, sign, s.right);
    if (can_broadcast(a, {1, length(b)}) && a.count() >= 2)
      return fmt::format("to use one number per column, write  {} {} across({})", left, sign, s.right);
  }
  if (is_line(a)) {
    if (can_broadcast({length(a), 1}, b) && b.count() >= 2 && length(a) == b[b.count() - 2])
      return fmt::format("to use one number per row, write  down({}) {} {}", s.left, sign, right);
    if (can_broadcast({1, length(a)}, b) && b.count() >= 2)
      return fmt::format("to use one number per column, write  across({}) {} {}", s.left, sign, right);
  }
  if (a.count() == 1 && b.count() == 1)
    return fmt::format("for all pairs, write  down({}) {} across({})", s.left, sign, s.right);
  if (a.count() == 2 && b.count() == 2 && a[0] == b[1] && a[1] == b[0])
    return fmt::format("the shapes fit after a transpose:  {} {} {}'", left, sign, right);
  if (size_of(a) == size_of(b))
    return fmt::format("the sizes agree:  {} {} reshape({}, shape({}))", left, sign, s.right, s.left);
  return {};
}

[[noreturn]] void explain_mismatch(const Machine& machine, Op op, const ShapeMismatch& mismatch,
                                   const Node& node, int operand) {
  Error error(mismatch.message, mismatch.hint);
  const auto sides = sides_of(machine, node, operand);
  if (!sides.left.empty()) {
    if (op == Op::matrix_product) {
      const auto &a = mismatch.left, &b = mismatch.right;
      error.notes = {fmt::format("the last axis of {} has length {}, the first of {} has {}", sides.left,
                                 a.back(), sides.right, b[0])};
      if (can_broadcast(a, b))
        error.hint = fmt::format("the elementwise product is written  {} * {}",
                                 in_parentheses(sides.left, sides.left_node),
                                 in_parentheses(sides.right, sides.right_node));
      else if (b.count() == 2 && a.back() == b[1])
        error.hint = fmt::format("the shapes fit after a transpose:  {} *+ {}'",
                                 in_parentheses(sides.left, sides.left_node),
                                 in_parentheses(sides.right, sides.right_node));
      else if (a.count() == 2 && a[0] == b[0])
        error.hint = fmt::format("the shapes fit after a transpose:  {}' *+ {}",
                                 in_parentheses(sides.left, sides.left_node),
                                 in_parentheses(sides.right, sides.right_node));
    } else {
      error.notes =
          aligned_shapes(sides, mismatch.left, mismatch.right, failing_axis(mismatch.left, mismatch.right));
      const auto hint = suggest_broadcast(op, sides, mismatch.left, mismatch.right);
      if (!hint.empty())
        error.hint = op != Op::add && hint.starts_with("to add") ? "to use" + hint.substr(6) : hint;
    }
  }
  throw error;
}

[[noreturn]] void fail_operands(Op op, const Value& a, const Value& b) {
  const auto& odd = a.is_array_like() ? b : a;
  std::string hint;
  if (odd.is(Kind::none)) hint = "none is the absence of a value; did a function return nothing?";
  fail(fmt::format("`{}` takes arrays, not {}", symbol(op), kind_in_words(odd)), hint);
}

void warn_domain(Machine& machine, const Domain& domain, std::string_view what, const Node& node) {
  if (!domain.left) return;
  const bool is_power = what == "^";
  machine.warn(fmt::format("{} has no real result for some numbers here, which became nan",
                           is_power ? "a power" : what),
               is_power ? "complex(x) ^ y goes on in the complex numbers"
                        : fmt::format("{}(complex(x)) goes on in the complex numbers", what),
               &node);
}

}  // namespace

Value operate(Machine& machine, Op op, const Value& a, const Value& b, const Node& node, int operand) {
  if (!a.is_array_like() || !b.is_array_like()) {
    if (op == Op::equal) return Value::truth(same(a, b));
    if (op == Op::not_equal) return Value::truth(!same(a, b));
    fail_operands(op, a, b);
  }
  try {
    if (op == Op::matrix_product) return Value::array(matrix_product(to_array(a), to_array(b)));
    Array hold_a, hold_b;
    Domain domain;
    auto out = apply(binary_of(op), operand_of(a, hold_a), operand_of(b, hold_b), &domain);
    warn_domain(machine, domain, "^", node);
    return Value::array(std::move(out));
  } catch (const ShapeMismatch& mismatch) { explain_mismatch(machine, op, mismatch, node, operand); }
}

void operate_into(Machine& machine, Op op, Value& target, const Value& a, const Value& b, const Node& node,
                  int operand) {
  // The target is the left operand and nobody else holds it: work in place.
  if (&target == &a && op >= Op::add && op <= Op::divide && a.is(Kind::array) && b.is_array_like() &&
      a.identity() != b.identity() && a.object<ArrayObject>().use_count() == 1) {
    Array hold;
    if (apply_in_place(binary_of(op), target.own_array(), operand_of(b, hold))) return;
  }
  target = operate(machine, op, a, b, node, operand);
}

Value operate(Machine& machine, Op op, const Value& a, const Node& node) {
  if (!a.is_array_like())
    fail(fmt::format("`{}` takes an array, not {}",
                     op == Op::negate        ? "-"
                     : op == Op::logical_not ? "not"
                                             : "'",
                     kind_in_words(a)));
  if (op == Op::transpose) {
    const auto axes = shape_of(a).count();
    if (axes < 2) {
      const auto source = machine.place_of(&node).source;
      const auto name = source ? std::string(source->text(node.kid(0).span)) : "v";
      fail(axes == 1 ? "a vector has no second axis to transpose" : "a single value has nothing to transpose",
           axes == 1
               ? fmt::format("across({0}) is one row, down({0}) one column; outer(a, b) multiplies all pairs",
                             name)
               : "");
    }
    return Value::array(a.array().transposed());
  }
  Array hold;
  return Value::array(apply(op == Op::negate ? Unary::negate : Unary::logical_not, operand_of(a, hold)));
}

Value apply_function(Machine& machine, Unary function, const Value& a, const Node& node) {
  if (!a.is_array_like()) fail(fmt::format("{} takes numbers, not {}", name_of(function), kind_in_words(a)));
  Array hold;
  Domain domain;
  auto out = apply(function, operand_of(a, hold), &domain);
  warn_domain(machine, domain, name_of(function), node);
  return Value::array(std::move(out));
}

bool condition_of(const Value& value, const Node&) {
  if (value.is(Kind::truth)) return value.truth();
  if (value.is(Kind::array) && value.array().type() == ElementType::boolean)
    fail(fmt::format("a condition is one truth value, and this is {}", kind_in_words(value)),
         "any(…) or all(…) makes one of them");
  fail(fmt::format("a condition is a truth value, not {}", kind_in_words(value)),
       value.is_number() ? "compare: x != 0" : "");
}

// -- choosing

namespace {

bool is_everything(const Node& s) {
  return s.kind == NodeKind::range && !s.kids[0] && !s.kids[1] && !s.kids[2];
}

int written_axes(const Node& node) {
  int n = 0;
  for (std::size_t i = 1; i < node.kids.size(); ++i)
    n += node.kid(i).kind != NodeKind::rest && node.kid(i).kind != NodeKind::new_axis;
  return n;
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
      if (v.array().type() == ElementType::float64) return positions_subscript(v.array(), extent, axis, axes);
      [[fallthrough]];
    case Kind::truth:
      fail(v.is(Kind::truth) ? std::string("a single truth value is no position")
                             : fmt::format("positions are numbers, not {}", name_of(element_type_of(v))));
    default: fail(fmt::format("positions are numbers, ranges or conditions, not {}", kind_in_words(v)));
  }
}

// The condition of the array's own shape when that is the only subscript, or nothing.
const Array* whole_mask(const Value& base, std::span<const Value> subscripts, const Node& node) {
  if (subscripts.size() != 1 || !subscripts[0].is(Kind::array) || node.kid(1).kind == NodeKind::rest)
    return nullptr;
  const auto& mask = subscripts[0].array();
  if (mask.type() != ElementType::boolean) return nullptr;
  return mask.axes() == shape_of(base).count() || mask.axes() != 1 ? &mask : nullptr;
}

std::vector<Subscript> subscripts_of(const Shape& shape, std::span<const Value> values, const Node& node) {
  const int axes = shape.count();
  const int used = written_axes(node);
  std::vector<Subscript> out;
  int axis = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    const auto& s = node.kid(i + 1);
    if (s.kind == NodeKind::new_axis) {
      out.push_back({Subscript::Kind::new_axis, 0, 1, 1, {}});
      continue;
    }
    if (s.kind == NodeKind::rest) {
      out.push_back({Subscript::Kind::rest, 0, 1, 0, {}});
      axis += std::max(0, axes - used);
      continue;
    }
    if (axis >= axes) {
      complete(std::vector<Subscript>(static_cast<std::size_t>(used), everything(1)),
               shape);  // says that there are too many
      return {};
    }
    out.push_back(is_everything(s) ? everything(shape[axis])
                                   : subscript_of(values[i], shape[axis], axis, axes));
    ++axis;
  }
  return out;
}

[[noreturn]] void fail_not_indexable(const Value& base) {
  if (base.is_number() || base.is(Kind::truth)) fail("a single number has no elements to choose");
  if (base.is(Kind::text))
    fail("a text is one value and has no elements to choose",
         "characters(t) makes an array of its characters");
  if (base.is_callable())
    fail(fmt::format("{} has no elements to choose", kind_in_words(base)),
         "a call is written with parentheses: f(2)");
  fail(fmt::format("{} has no elements to choose", kind_in_words(base)));
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
    keys.push_back(k.is(Kind::text) ? fmt::format("\"{}\"", k.text()) : shortest(k.number()));
  fail(fmt::format("the dictionary has no key {}",
                   key.is(Kind::text) ? fmt::format("\"{}\"", key.text()) : shortest(key.number())),
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
  if (!base.is_array_like()) fail(fmt::format("{} has no axis that could end", kind_in_words(base)));
  const auto shape = shape_of(base);
  const int axis = code % 2 ? shape.count() - code / 2 : code / 2;
  if (axis < 0 || axis >= shape.count())
    fail(fmt::format("there is no axis {} in an array of shape {}", axis + 1, text_of(shape)));
  return static_cast<double>(shape[axis]);
}

namespace {

// The offset of the element at one or two plain numbers in a float64 array, or -1: the common case, without
// any subscript being made.
Index plain_offset(const Value& base, std::span<const Value> subscripts) {
  if (!base.is(Kind::array) || subscripts.size() > 2) return -1;
  const auto& a = base.array();
  if (a.type() != ElementType::float64 || a.axes() != static_cast<int>(subscripts.size())) return -1;
  Index offset = 0;
  for (std::size_t i = 0; i < subscripts.size(); ++i) {
    if (!subscripts[i].is_number()) return -1;
    const double p = subscripts[i].number();
    if (!(p >= 1 && p <= static_cast<double>(a.extent(static_cast<int>(i)))) || std::trunc(p) != p) return -1;
    offset += (static_cast<Index>(p) - 1) * a.strides()[static_cast<int>(i)];
  }
  return offset;
}

bool all_written(const Node& node) {
  for (std::size_t i = 1; i < node.kids.size(); ++i)
    if (node.kid(i).kind == NodeKind::rest || node.kid(i).kind == NodeKind::new_axis ||
        is_everything(node.kid(i)))
      return false;
  return true;
}

}  // namespace

Value choose(const Value& base, std::span<const Value> subscripts, const Node& node, bool for_change) {
  if (const auto offset = plain_offset(base, subscripts); offset >= 0 && all_written(node))
    return {base.array().data<double>()[offset]};
  switch (base.kind()) {
    case Kind::tuple: {
      const auto& items = base.object<TupleObject>().items;
      if (subscripts.size() != 1 || !subscripts[0].is_number())
        fail("an item of a tuple is chosen by one number");
      return items[static_cast<std::size_t>(
          checked_position(subscripts[0].number(), static_cast<Index>(items.size()), 0, 1))];
    }
    case Kind::record:
      if (subscripts.size() != 1 || !subscripts[0].is(Kind::text))
        fail("a field of a record is chosen by its name", "r.depth, or r[\"Wave height\"]");
      return field_of(base.object<RecordObject>(), subscripts[0].text());
    case Kind::dictionary:
      if (subscripts.size() != 1 || is_everything(node.kid(1))) fail("a dictionary is asked for one key");
      return look_up(base.object<DictionaryObject>(), subscripts[0]);
    case Kind::range:
      if (subscripts.size() == 1 && subscripts[0].is_number()) {
        const auto& r = base.object<RangeObject>();
        return Value(r.at(checked_position(subscripts[0].number(), r.count, 0, 1)));
      }
      break;
    case Kind::array: break;
    default: fail_not_indexable(base);
  }
  const auto array = to_array(base);
  if (const auto* mask = whole_mask(base, subscripts, node)) return Value::array(select_mask(array, *mask));
  const auto chosen = subscripts_of(array.shape(), subscripts, node);
  if (for_change && has_repeats(chosen))
    fail("a position stands here more than once, so that changes would get lost",
         "bin_sums adds up what falls on the same position");
  try {
    return Value::array(select(array, chosen));
  } catch (Error& error) {
    if (array.axes() == 2 && chosen.size() == 1 && error.hint.empty() == false)
      error.hint = "m[k, ..] is row k, m[.., k] is column k";
    throw;
  }
}

void set_elements(Value& base, std::span<const Value> subscripts, const Value& value, const Node& node) {
  if (value.is_number() && plain_offset(base, subscripts) >= 0 && all_written(node)) {
    auto& array = base.own_array();
    double* data = array.mutable_data<double>();  // may change the layout
    data[plain_offset(base, subscripts)] = value.number();
    return;
  }
  switch (base.kind()) {
    case Kind::dictionary: {
      if (subscripts.size() != 1 || is_everything(node.kid(1)))
        fail("one key of a dictionary is set at a time");
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
    values = value.is(Kind::array) && value.array().type() == ElementType::any ? value.array()
                                                                               : list_of(one).with_shape({});
  } else {
    if (!value.is_array_like())
      fail(fmt::format("{} cannot be an element of an array of {}", kind_in_words(value), name_of(type)),
           "list(…) makes a vector of anything");
    values = to_array(value);
    if (values.type() != type) try {
        values = values.converted(type);
      } catch (Error& error) {
        if (values.type() == ElementType::complex128)
          error.hint = "complex(a) makes an array that can hold complex numbers";
        throw;
      }
  }
  const auto* mask = whole_mask(base, subscripts, node);
  const Array kept = mask ? *mask : Array();
  const auto chosen = mask ? std::vector<Subscript>{} : subscripts_of(base.array().shape(), subscripts, node);
  auto& array = base.own_array();
  if (mask)
    assign_mask(array, kept, values);
  else
    assign(array, chosen, values);
}

Value part_of(const Value& base, const Node& node) {
  if (base.is(Kind::record)) return field_of(base.object<RecordObject>(), node.text);
  if (base.is(Kind::native)) {
    const auto& native = base.object<NativeObject>();
    if (auto found = native.part(node.text)) return *found;
    const auto names = native.part_names();
    fail(fmt::format("an {} has no part `{}`", native.type_name(), node.text), known_keys(names));
  }
  fail(fmt::format("{} has no parts, so `.{}` means nothing", kind_in_words(base), node.text),
       base.is(Kind::dictionary) ? fmt::format("d[\"{}\"]", node.text) : "");
}

// -- making

namespace {

Array as_row(const Value& item) {
  const auto a = to_array(item, "a bracket");
  return a.axes() == 0 ? a.with_shape({1}) : a;
}

bool one_family(std::span<const Value> items) {
  bool number = false, truth = false, text = false;
  for (const auto& item : items) {
    if (!item.is_array_like()) return false;
    const auto type = element_type_of(item);
    if (shape_of(item).count() > 0 && size_of(shape_of(item)) == 0) continue;
    text = text || type == ElementType::text;
    truth = truth || type == ElementType::boolean;
    number = number || (is_numeric(type) && type != ElementType::boolean);
    if (type == ElementType::any) return false;
  }
  return text + truth + number <= 1;
}

// The items of one row end to end: vectors make a vector, matrices side by side a matrix.
Array lay_row(std::span<const Value> items) {
  std::vector<Array> parts;
  int axes = 1;
  for (const auto& item : items) {
    parts.push_back(as_row(item));
    axes = std::max(axes, parts.back().axes());
  }
  if (axes == 1) return join(parts, 0);
  if (axes > 2)
    fail("brackets lay vectors and matrices together, not arrays of more axes",
         "stack(a, b) or join(a, b, over: 1)");
  for (auto& part : parts) {
    if (part.axes() == 2) continue;
    if (part.size() != 1)
      fail(fmt::format("a vector of {} does not stand beside a matrix", part.size()),
           "down(v) makes it a column, across(v) a row");
    part = part.with_shape({1, 1});
  }
  for (const auto& part : parts)
    if (part.extent(0) != parts[0].extent(0))
      fail(fmt::format("blocks of shapes {} and {} do not stand side by side: {} rows against {}",
                       text_of(parts[0].shape()), text_of(part.shape()), parts[0].extent(0), part.extent(0)));
  return join(parts, 1);
}

}  // namespace

Value make_matrix(std::span<const Value> items, const Node& node) {
  if (items.empty()) return Value::array(Array());
  const bool rows = node.flag;
  if (!one_family(items)) {
    if (rows)
      fail("rows of mixed things do not make a matrix", "filled(none, 2, 3) makes an array of anything");
    return Value::array(list_of(items));
  }
  std::vector<Array> laid;
  std::size_t at = 0;
  for (const auto& row : node.kids) {
    laid.push_back(lay_row(items.subspan(at, row->kids.size())));
    at += row->kids.size();
  }
  if (!rows) return Value::array(std::move(laid[0]));
  for (auto& row : laid)
    if (row.axes() == 1) row = row.with_shape({1, row.size()});
  for (std::size_t i = 0; i < laid.size(); ++i)
    if (laid[i].extent(1) != laid[0].extent(1))
      fail(fmt::format("rows of different lengths: row 1 has {} columns, row {} has {}", laid[0].extent(1),
                       i + 1, laid[i].extent(1)));
  return Value::array(join(laid, 0));
}

Value collect(std::vector<Value> items, Index rows) {
  if (items.empty()) return Value::array(rows >= 0 ? Array(ElementType::float64, {rows, 0}) : Array());
  const auto columns = rows > 0 ? static_cast<Index>(items.size()) / rows : 0;
  const auto shaped = [&](const Array& a) {
    if (rows < 0) return a;
    Shape shape = a.shape();
    shape.erase(0);
    shape.insert(0, columns);
    shape.insert(0, rows);
    return a.with_shape(shape);
  };
  const bool numbers = std::all_of(items.begin(), items.end(), [](const Value& v) { return v.is_number(); });
  if (numbers) {
    Array out(ElementType::float64, {static_cast<Index>(items.size())});
    double* to = out.mutable_data<double>();
    for (const auto& item : items) *to++ = item.number();
    return Value::array(shaped(out));
  }
  if (!one_family(items)) return Value::array(shaped(list_of(items)));
  std::vector<Array> parts;
  for (const auto& item : items) {
    parts.push_back(to_array(item));
    if (!(parts.back().shape() == parts[0].shape()))
      fail(fmt::format("results of shapes {} and {} do not make one array", text_of(parts[0].shape()),
                       text_of(parts.back().shape())),
           "list(…) holds things of different shapes");
  }
  return Value::array(shaped(stack(parts)));
}

Value make_range(const Value& first, const Value& last, const Value* third, bool is_count) {
  const auto number = [](const Value& v, const char* what) {
    if (v.is_number()) return v.number();
    fail(fmt::format("{} of a range is a single number, not {}", what, kind_in_words(v)));
  };
  const double a = number(first, "the first end"), b = number(last, "the last end");
  if (!third) return Value::range(a, b, 1);
  if (!is_count) return Value::range(a, b, number(*third, "the step"));
  const double n = number(*third, "the count");
  if (!is_whole(n) || n < 0 || n > 1e15)
    fail(fmt::format("the count of a range is a whole number from 0, not {}", shortest(n)));
  return Value::range_count(a, b, static_cast<Index>(n));
}

std::vector<Value> unpacked(const Value& value, int count) {
  std::vector<Value> out;
  if (value.is(Kind::tuple))
    out = value.object<TupleObject>().items;
  else if (value.is(Kind::record))
    fail("a record is taken apart by its names", "depth = r.depth");
  else if ((value.is(Kind::array) && value.array().axes() > 0) || value.is(Kind::range)) {
    const auto array = to_array(value);
    if (array.length() != count)
      fail(fmt::format("{} name{} for {} part{}", count, count == 1 ? "" : "s", array.length(),
                       array.length() == 1 ? "" : "s"),
           "`_` takes a part that is not wanted");
    for (Index k = 0; k < array.length(); ++k) {
      std::vector<Subscript> s = {{Subscript::Kind::position, k, 1, 1, {}},
                                  {Subscript::Kind::rest, 0, 1, 0, {}}};
      out.push_back(Value::array(select(array, s)));
    }
  } else
    fail(fmt::format("{} cannot be taken apart into {} names", kind_in_words(value), count));
  if (static_cast<int>(out.size()) != count)
    fail(fmt::format("{} name{} for {} part{}", count, count == 1 ? "" : "s", out.size(),
                     out.size() == 1 ? "" : "s"),
         "`_` takes a part that is not wanted");
  return out;
}

}  // namespace quill
