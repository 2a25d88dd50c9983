#include "engine/operations.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "array/axis_names.h"
#include "array/elementwise.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "array/scalar.h"
#include "base/text.h"
#include "compiler/operations_table.h"
#include "engine/fused.h"
#include "engine/machine.h"
#include "value/deferred.h"
#include "value/print.h"

namespace quill {

namespace {

// A value as an operand; `hold` owns the array of a range.
Operand operand_of(const Value& v, Array& hold) {
  switch (v.kind()) {
    case Kind::number: return {v.number()};
    case Kind::boolean: return {v.boolean()};
    case Kind::text: return {v.text()};
    case Kind::array: return {v.array()};
    default: hold = v.object<RangeObject>().to_array(); return {hold};
  }
}

// Applies f to a long range in pieces, so that it never exists in memory; f returns an array of the length of
// its piece.
template <class F>
Array in_pieces(const RangeObject& range, F f) {
  constexpr Index size = 1 << 15;
  Array out;
  for (Index from = 0; from < range.count; from += size) {
    const auto part = f(range.piece(from, std::min(size, range.count - from)));
    if (from == 0) out = Array(part.type(), {range.count});
    visit_numeric(part.type(), [&]<class T>(Tag<T>) {
      std::copy_n(part.template data<T>(), part.size(), out.mutable_data<T>() + from);
    });
  }
  return out;
}
// Whether a comparison of a long range with a number is true for any or all elements.
Value holds_in(Binary op, const Value& a, const Value& b, bool for_any) {
  const bool is_left = a.is(Kind::range);
  const auto& range = (is_left ? a : b).object<RangeObject>();
  constexpr Index size = 1 << 15;
  for (Index from = 0; from < range.count; from += size) {
    const auto piece = range.piece(from, std::min(size, range.count - from));
    const auto holds = is_left ? apply(op, piece, b.number()) : apply(op, a.number(), piece);
    const auto found = reduce(for_any ? Reduction::any : Reduction::all, holds);
    if (*found.data<bool>() == for_any) return Value::boolean(for_any);
  }
  return Value::boolean(!for_any);
}
const RangeObject* long_range(const Value& v) {
  const auto* range = v.is(Kind::range) ? &v.object<RangeObject>() : nullptr;
  return range != nullptr && range->count > kLongRange ? range : nullptr;
}

// A value as elements to compare with those of a list.
Value in_list(const Value& v) {
  if (v.is(Kind::array) && v.array().type() == ElementType::any) return v;
  const auto a = to_array(v);
  std::vector<Value> items;
  visit_type(a.type(), [&]<class T>(Tag<T>) {
    for (const auto& element : a.to_vector<T>()) items.push_back(Value::array(Array::filled<T>({}, element)));
  });
  return {Kind::array, new ArrayObject(list_of(items).with_shape(a.shape()))};
}

std::string symbol(Op op) { return op == Op::matrix_product ? "*+" : std::string(symbol_of(binary_of(op))); }

struct Sides {
  std::string left, right;  // source text
  const Node* left_node = nullptr;
  const Node* right_node = nullptr;
};

// Source texts of a node's operands.
Sides sides_of(const Machine& machine, const Node& node, int operand) {
  Sides s;
  const auto k = static_cast<std::size_t>(operand);
  if (node.kids.size() < k + 2 || !node.kids[k] || !node.kids[k + 1]) return s;
  s.left_node = node.kids[k].get();
  s.right_node = node.kids[k + 1].get();
  const auto place = machine.location_of(&node);
  if (!place.source) return s;
  s.left = place.source->text(s.left_node->span);
  s.right = place.source->text(s.right_node->span);
  return s;
}

std::string in_parentheses(const std::string& text, const Node* node) {
  if (!node || !is_operator_expression(*node) || text.starts_with('(')) return text;
  return fmt::format("({})", text);
}

// Both shapes aligned at their last axes, with the mismatched axis marked on the second line.
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

// A matrix product that fits the shapes, with a side transposed or the sides exchanged.
std::string fitting_product(const std::string& left, const std::string& right, const Shape& a,
                            const Shape& b) {
  if (a.empty() || b.empty()) return {};
  if (a.back() == b[0]) return fmt::format("{} *+ {}", left, right);
  if (b.count() == 2 && a.back() == b[1]) return fmt::format("{} *+ {}'", left, right);
  if (a.count() == 2 && a[0] == b[0]) return fmt::format("{}' *+ {}", left, right);
  if (b.back() == a[0]) return fmt::format("{} *+ {}", right, left);
  return {};
}

std::string suggest_broadcast(Op op, const Sides& s, const Shape& a, const Shape& b) {
  const auto left = in_parentheses(s.left, s.left_node), right = in_parentheses(s.right, s.right_node);
  const auto sign = symbol(op);
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
      const auto left = in_parentheses(sides.left, sides.left_node),
                 right = in_parentheses(sides.right, sides.right_node);
      if (can_broadcast(a, b))
        error.hint = fmt::format("the elementwise product is written  {} * {}", left, right);
      else if (const auto product = fitting_product(left, right, a, b); !product.empty())
        error.hint = fmt::format("the shapes fit after a {}:  {}",
                                 product.find('\'') == std::string::npos ? "swap" : "transpose", product);
    } else {
      error.notes =
          aligned_shapes(sides, mismatch.left, mismatch.right, failing_axis(mismatch.left, mismatch.right));
      // The target of an assignment does not change its shape, so these hints do not apply.
      auto hint = node.kind == NodeKind::assign ? std::string()
                                                : suggest_broadcast(op, sides, mismatch.left, mismatch.right);
      if (op == Op::multiply && node.kind != NodeKind::assign) {
        const auto product =
            fitting_product(in_parentheses(sides.left, sides.left_node),
                            in_parentheses(sides.right, sides.right_node), mismatch.left, mismatch.right);
        const bool is_line =
            hint.find("down(") != std::string::npos || hint.find("across(") != std::string::npos;
        if (!product.empty())
          hint = fmt::format("the matrix product is written  {}{}", product, is_line ? "; " + hint : "");
      }
      if (!hint.empty())
        error.hint = op != Op::add && hint.starts_with("to add") ? "to use" + hint.substr(6) : hint;
    }
  }
  throw error;
}

[[noreturn]] void fail_operands(Op op, const Value& a, const Value& b) {
  const auto& odd = a.is_array_like() ? b : a;
  std::string hint;
  if (odd.is(Kind::none)) hint = "none means that there is no value; did a function return nothing?";
  fail(fmt::format("`{}` takes arrays, not {}", symbol(op), kind_in_words(odd)), hint);
}

// Whether the function is defined for complex numbers.
bool takes_complex(std::string_view name) {
  static constexpr std::array<std::string_view, 10> names = {"sqrt", "log",   "log2",  "log10", "asin",
                                                             "acos", "acosh", "atanh", "asinh", "atan"};
  return std::find(names.begin(), names.end(), name) != names.end();
}

}  // namespace

void name_axes(Runtime& runtime, Array& out, std::span<const Array* const> operands, const Node* node) {
  if (std::none_of(operands.begin(), operands.end(), is_named)) return;
  MergedAxisNames names(out.axes());
  for (const auto* operand : operands)
    if (operand != nullptr) names.add(*operand);
  if (const auto& two = names.mismatch())
    runtime.warn(
        fmt::format("the axis \"{}\" meets the axis \"{}\"", printable(two->first), printable(two->second)),
        "permute_axes brings axes into the same order", node);
  if (!names.empty()) set_axis_names(out, names.take());
}

static const Array* named_array(const Value& v) {
  return v.is(Kind::array) && is_named(&v.array()) ? &v.array() : nullptr;
}

void warn_domain(Runtime& machine, std::string_view what, const Node* node) {
  const bool is_power = what == "^";
  machine.warn(fmt::format("the result of {} is not real for some elements, which became nan",
                           is_power ? "a power" : what),
               is_power              ? "use complex(x) ^ y for complex results"
               : what == "gamma"     ? "its poles are 0, -1, -2, …"
               : takes_complex(what) ? fmt::format("use {}(complex(x)) for complex results", what)
                                     : std::string(),
               node);
}

namespace {

void warn_domain(Machine& machine, const Domain& domain, std::string_view what, const Node* node) {
  if (domain.exceeded) warn_domain(machine, what, node);
}

// Timestamps plus seconds give timestamps, differences of timestamps seconds; all else plain numbers.
LabelPtr label_of_times(Op op, const Value& a, const Value& b) {
  if (op == Op::add && is_time(a) && is_time(b))
    fail("two timestamps cannot be added",
         "end - start is in seconds; the middle is start + (end - start) / 2");
  const bool remains = op == Op::add || (op == Op::subtract && is_time(a) && !is_time(b));
  return remains ? (is_time(a) ? a : b).array().label : nullptr;
}

}  // namespace

// For deferred arrays; nothing if neither operand is one.
static std::optional<Value> operate_deferred(Machine& machine, Op op, const Value& a, const Value& b,
                                             std::uint8_t flags, const Node& node, int operand) {
  const auto *left = deferred_array(a), *right = deferred_array(b);
  if (!left && !right) return std::nullopt;
  if (op == Op::matrix_product || (flags & (kForAny | kForAll)))
    return operate(machine, op, in_memory(machine, a), in_memory(machine, b), flags, node, operand);
  const auto is_literal = [&](const Value& v, std::uint8_t flag) {
    return (flags & flag) && v.is_number() && is_whole(v.number());
  };
  try {
    return left ? left->mapped(binary_of(op), b, false, is_literal(b, kRightLiteral))
                : right->mapped(binary_of(op), a, true, is_literal(a, kLeftLiteral));
  } catch (const ShapeMismatch& mismatch) { explain_mismatch(machine, op, mismatch, node, operand); }
}

Value operate(Machine& machine, Op op, const Value& a, const Value& b, std::uint8_t flags, const Node& node,
              int operand) {
  if (a.is_number() && b.is_number() && op >= Op::add && op <= Op::divide) {
    Value out;
    scalar::with_basic(binary_of(op), [&](auto f) { out.set_number(f(a.number(), b.number())); });
    return out;
  }
  if (a.is(Kind::text) && b.is(Kind::text) && (op == Op::equal || op == Op::not_equal))
    return Value::boolean((a.text() == b.text()) == (op == Op::equal));
  if (a.is(Kind::library) || b.is(Kind::library)) {
    if (const auto made = operate_deferred(machine, op, a, b, flags, node, operand)) return *made;
    if (op <= Op::remainder && op >= Op::add) {
      std::optional<Value> made;
      if (a.is(Kind::library)) made = a.object<LibraryObject>().combined(binary_of(op), b, false);
      if (!made && b.is(Kind::library)) made = b.object<LibraryObject>().combined(binary_of(op), a, true);
      if (made) return std::move(*made);
    }
    const auto x = numeric_value(a), y = numeric_value(b);
    if (x.kind() != a.kind() || y.kind() != b.kind()) return operate(machine, op, x, y, flags, node, operand);
  }
  if (!a.is_array_like() || !b.is_array_like()) {
    if (op == Op::equal) return Value::boolean(same(a, b));
    if (op == Op::not_equal) return Value::boolean(!same(a, b));
    fail_operands(op, a, b);
  }
  try {
    if (op == Op::matrix_product) return Value::array(matrix_product(to_array(a), to_array(b)));
    Array hold_a, hold_b;
    Domain domain;
    const auto *left = long_range(a), *right = long_range(b);
    if ((left && b.is_number()) || (right && a.is_number())) {
      if (flags & (kForAny | kForAll)) return holds_in(binary_of(op), a, b, (flags & kForAny) != 0);
      auto out = in_pieces(left ? *left : *right, [&](const Array& piece) {
        return left ? apply(binary_of(op), piece, b.number(), &domain)
                    : apply(binary_of(op), a.number(), piece, &domain);
      });
      warn_domain(machine, domain, "^", &node);
      return Value::array(std::move(out));
    }
    const bool a_literal = (flags & kLeftLiteral) && a.is_number() && is_whole(a.number());
    const bool b_literal = (flags & kRightLiteral) && b.is_number() && is_whole(b.number());
    const Array* const named[] = {named_array(a), named_array(b)};
    if (auto out = operate_fused(binary_of(op), a, a_literal, b, b_literal, domain)) {
      name_axes(machine, *out, named, &node);
      warn_domain(machine, domain, "^", &node);
      return Value::array(std::move(*out));
    }
    auto x = operand_of(a, hold_a), y = operand_of(b, hold_b);
    if ((op == Op::equal || op == Op::not_equal) &&
        (x.type == ElementType::any) != (y.type == ElementType::any))
      return operate(machine, op, in_list(a), in_list(b), kNone, node, operand);
    x.literal = a_literal;
    y.literal = b_literal;
    auto out = apply(binary_of(op), x, y, &domain);
    if (is_time(a) || is_time(b)) out.label = label_of_times(op, a, b);
    name_axes(machine, out, named, &node);
    warn_domain(machine, domain, "^", &node);
    return Value::array(std::move(out));
  } catch (const ShapeMismatch& mismatch) { explain_mismatch(machine, op, mismatch, node, operand); }
}

namespace {

// Fast path for small row-major float64 arrays and numbers, the bulk of step-by-step calculations: no
// broadcasting or strided loops.
constexpr Index kSmall = 256;

const Array* small_array(const Value& v) {
  if (!v.is(Kind::array)) return nullptr;
  const auto& a = v.array();
  const bool fits = a.type() == ElementType::float64 && a.size() <= kSmall && a.axes() > 0 &&
                    a.is_row_major() && !holds_times(a) && !is_named(&a);
  return fits ? &a : nullptr;
}

template <class F>
void combine(double* out, const double* x, bool x_single, const double* y, bool y_single, Index n, F f) {
  if (!x_single && !y_single)
    for (Index i = 0; i < n; ++i) out[i] = f(x[i], y[i]);
  else if (x_single)
    for (Index i = 0; i < n; ++i) out[i] = f(*x, y[i]);
  else
    for (Index i = 0; i < n; ++i) out[i] = f(x[i], *y);
}

}  // namespace

bool operate_small(Op op, Value& target, Value& a, Value& b, std::uint8_t last_use) {
  const Array* x = small_array(a);
  const Array* y = small_array(b);
  if (!(x ? y ? x->shape() == y->shape() : b.is_number() : y && a.is_number())) return false;
  const Array& like = x ? *x : *y;
  // The result may reuse the storage of an operand at its last use.
  const auto is_free = [&](const Value& v, const Array* array, OperandFlag side) {
    return array && (&target == &v || (last_use & side)) && v.object<ArrayObject>().use_count() == 1 &&
           !array->shares_storage();
  };
  const bool left = is_free(a, x, kLeftLastUse), right = !left && is_free(b, y, kRightLastUse);
  Value made;
  if (!left && !right) made = Value(Kind::array, new ArrayObject(Array::Like{}, like));
  Value& place = left ? a : right ? b : made;
  auto& out = place.object<ArrayObject>().array;
  out.label.reset();
  const double* from_x = x ? x->data<double>() : &a.number();
  const double* from_y = y ? y->data<double>() : &b.number();
  double* to = out.mutable_data<double>();
  const auto run = [&](auto f) { combine(to, from_x, !x, from_y, !y, like.size(), f); };
  scalar::with_basic(binary_of(op), run);
  if (&place != &target) target = std::move(place);
  return true;
}

void operate_into(Machine& machine, Op op, Value& target, Value& a, Value& b, std::uint8_t flags,
                  const Node& node) {
  // The left operand is unshared and at its last use: computes in place.
  if ((&target == &a || (flags & kLeftLastUse)) && op >= Op::add && op <= Op::divide && a.is(Kind::array) &&
      b.is_array_like() && a.identity() != b.identity() && a.object<ArrayObject>().use_count() == 1 &&
      !is_time(a) && !is_time(b) && !named_array(a) && !named_array(b)) {
    Array hold;
    if (apply_in_place(binary_of(op), a.own_array(), operand_of(b, hold))) {
      if (&target != &a) target = std::move(a);
      return;
    }
  }
  target = operate(machine, op, a, b, flags, node);
}

void update_elements(Machine& machine, Op op, Value& base, std::span<const Value> subscripts, Value& value,
                     bool literal, const Node& node) {
  const auto& target = node.target(0);
  // Errors about the target are marked there, not in the whole assignment.
  const auto at_target = [&](auto f) {
    try {
      return f();
    } catch (Error& error) {
      if (!error.location.source) error.location = machine.location_of(&target);
      throw;
    }
  };
  // Not if an array is added to itself, possibly transposed.
  if (base.is(Kind::array) && base.array().type() == ElementType::float64 && value.is_array_like() &&
      base.identity() != value.identity() && op >= Op::add && op <= Op::divide &&
      base.object<ArrayObject>().use_count() == 1 && !base.array().shares_storage()) {
    Array hold;
    const auto operand = operand_of(value, hold);
    if (at_target([&] { return update_in_place(binary_of(op), base.own_array(), subscripts, operand); }))
      return;
  }
  if (base.is(Kind::dictionary) && subscripts.size() == 1 &&
      base.object<DictionaryObject>().find(subscripts[0]) == nullptr && target.kind == NodeKind::index) {
    const auto source = machine.location_of(&node).source;
    Error error(fmt::format("the dictionary has no key {} yet to update",
                            subscripts[0].is(Kind::text) ? fmt::format("\"{}\"", subscripts[0].text())
                                                         : inline_text(subscripts[0])));
    error.location = machine.location_of(&target);
    const auto text = [&](const Node& n) { return std::string(source->text(n.span)); };
    error.hint = fmt::format("{0}[{1}] = get({0}, {1}, 0) {2} {3}", text(target.base()),
                             text(target.subscript(0)), symbol(op), text(node.assigned_value()));
    throw error;
  }
  auto changed = at_target([&] { return select(machine, base, subscripts, target, true); });
  operate_into(machine, op, changed, changed, value, literal ? kRightLiteral : kNone, node);
  at_target([&] { set_elements(base, subscripts, changed); });
}

Value operate(Machine& machine, Op op, const Value& a, const Node& node) {
  if (const auto* array = deferred_array(a)) {
    if (op == Op::transpose)
      return array->shape().count() < 2 ? operate(machine, op, array->whole(machine), node)
                                        : array->transposed();
    return array->mapped(op == Op::negate ? Unary::negate : Unary::logical_not);
  }
  if (const auto number = numeric_value(a); number.kind() != a.kind())
    return operate(machine, op, number, node);
  if (op == Op::negate && a.is(Kind::library))
    if (auto made = a.object<LibraryObject>().combined(Binary::multiply, Value(-1.0), true)) return *made;
  if (!a.is_array_like())
    fail(fmt::format("`{}` takes an array, not {}",
                     op == Op::negate        ? "-"
                     : op == Op::logical_not ? "not"
                                             : "'",
                     kind_in_words(a)));
  if (op == Op::transpose) {
    const auto axes = shape_of(a).count();
    if (axes < 2) {
      const auto source = machine.location_of(&node).source;
      const auto name = source ? std::string(source->text(node.operand().span)) : "v";
      fail(axes == 1 ? "a vector has no second axis to transpose" : "a single value cannot be transposed",
           axes == 1
               ? fmt::format("across({0}) is one row, down({0}) one column; outer(a, b) multiplies all pairs",
                             name)
               : "");
    }
    return Value::array(a.array().transposed());
  }
  Array hold;
  auto out = apply(op == Op::negate ? Unary::negate : Unary::logical_not, operand_of(a, hold));
  const Array* const named[] = {named_array(a)};
  name_axes(machine, out, named, &node);
  return Value::array(std::move(out));
}

Value apply_function(Machine& machine, Unary function, const Value& a, const Node* node) {
  if (const auto* array = deferred_array(a)) return array->mapped(function);
  if (a.is(Kind::library))
    if (const auto number = numeric_value(a); !number.is(Kind::library))
      return apply_function(machine, function, number, node);
  if (!a.is_array_like()) fail(fmt::format("{} takes numbers, not {}", name_of(function), kind_in_words(a)));
  Array hold;
  Domain domain;
  const auto* range = long_range(a);
  std::optional<Array> out;
  if (range)
    out = in_pieces(*range, [&](const Array& piece) { return apply(function, piece, &domain); });
  else if (out = operate_fused(function, a, domain); !out)
    out = apply(function, operand_of(a, hold), &domain);
  const Array* const named[] = {named_array(a)};
  name_axes(machine, *out, named, node);
  warn_domain(machine, domain, name_of(function), node);
  return Value::array(std::move(*out));
}

bool condition_of(const Value& value) {
  if (value.is(Kind::boolean)) return value.boolean();
  if (value.is(Kind::array) && value.array().type() == ElementType::boolean)
    fail(fmt::format("a condition must be a single boolean, not {}", kind_in_words(value)),
         "any(…) or all(…) reduces it to one");
  fail(fmt::format("a condition must be a boolean, not {}", kind_in_words(value)),
       value.is_number() ? "compare: x != 0" : "");
}

}  // namespace quill
