#include "engine/expectation.h"

#include <fmt/format.h>

#include <cmath>

#include "array/elementwise.h"
#include "array/reduce.h"
#include "base/text.h"
#include "compiler/compiler.h"
#include "compiler/operations_table.h"
#include "value/print.h"

namespace quill {

namespace {

std::string shown(const Value& value) {
  constexpr std::size_t most = 100;
  return shortened(value.is(Kind::text) ? fmt::format("\"{}\"", printable(value.text())) : inline_text(value),
                   most);
}

// "[2, 3]" for an element counted from 0 in row order.
std::string index_of(Index k, const Shape& shape) {
  std::vector<Index> at(static_cast<std::size_t>(shape.count()));
  for (int axis = shape.count() - 1; axis >= 0; --axis) {
    at[static_cast<std::size_t>(axis)] = k % shape[axis] + 1;
    k /= shape[axis];
  }
  return fmt::format("[{}]", fmt::join(at, ", "));
}

// Element k, counted in row order, of an array stretched to a shape.
Value stretched_element(const Array& a, const Shape& shape, Index k) {
  const auto strides = stretched_strides(a.shape(), a.strides(), shape);
  Index offset = a.offset();
  for (int axis = shape.count() - 1; axis >= 0; --axis) {
    offset += k % shape[axis] * strides[axis];
    k /= shape[axis];
  }
  return Value::array(a.view(offset, {}, {}));
}

// Elementwise result of a op b.
std::vector<bool> holding(Token op, const Array& a, const Array& b, const Shape& shape) {
  if (a.type() == ElementType::any || b.type() == ElementType::any) {
    std::vector<bool> out;
    for (Index k = 0; k < size_of(shape); ++k)
      out.push_back(same(stretched_element(a, shape, k), stretched_element(b, shape, k)) ==
                    (op == Token::equal));
    return out;
  }
  return apply(binary_of(op_of(op)), Operand(a), Operand(b)).to_vector<bool>();
}

// "they differ by at most 0.2, at [3]"; nothing if that cannot be determined.
std::string largest_difference(const Array& a, const Array& b, const Shape& shape) {
  if (!is_numeric(a.type()) || !is_numeric(b.type())) return {};
  const auto real = [](const Array& x) {
    return x.type() == ElementType::complex128 ? x : x.converted(ElementType::float64);
  };
  const auto x = real(a), y = real(b);
  const auto distance = apply(Unary::abs, apply(Binary::subtract, x, y)).to_vector<double>();
  const auto size = apply(Binary::maximum, apply(Unary::abs, x), apply(Unary::abs, y)).to_vector<double>();
  std::size_t largest = 0;
  bool found = false;
  for (std::size_t k = 0; k < distance.size(); ++k)
    if (std::isfinite(distance[k]) && distance[k] > 0 && (!found || distance[k] > distance[largest])) {
      largest = k;
      found = true;
    }
  if (!found) return {};
  const auto share = size[largest] > 0 && std::isfinite(size[largest])
                         ? fmt::format(", relative {}", with_digits(distance[largest] / size[largest], 2))
                         : "";
  const auto where = shape.count() > 0 ? fmt::format("at most {}{}, at {}", with_digits(distance[largest], 3),
                                                     share, index_of(static_cast<Index>(largest), shape))
                                       : fmt::format("{}{}", with_digits(distance[largest], 3), share);
  return fmt::format("they differ by {}", where);
}

class Explanation {
 public:
  Explanation(const Seen& seen, const Source& source) : seen_(seen), source_(source) {}

  void explain(const Node& node) {
    switch (node.kind) {
      case NodeKind::comparison:
        for (std::size_t i = 0; i < node.ops.size(); ++i) compare(node.ops[i], node.kid(i), node.kid(i + 1));
        return;
      case NodeKind::unary: values_in(node.operand()); return;
      case NodeKind::binary:
        for (const auto& side : node.kids) {
          const auto* value = find(*side);
          if (value == nullptr || is_true(*value)) continue;
          const auto before = notes.size();
          explain(*side);
          if (notes.size() == before) add(fmt::format("{} is {}", written(*side), shown(*value)));
        }
        return;
      case NodeKind::call: call(node); return;
      default: return;
    }
  }

  std::vector<std::string> notes;

 private:
  const Value* find(const Node& node) const {
    const auto it = seen_.find(&node);
    return it == seen_.end() ? nullptr : &it->second;
  }
  static bool is_true(const Value& value) { return value.is(Kind::boolean) && value.boolean(); }
  std::string written(const Node& node) const {
    constexpr std::size_t most = 60;
    return shortened(std::string(source_.text(node.span)), most);
  }
  void add(const std::string& note) {
    if (std::find(notes.begin(), notes.end(), note) == notes.end()) notes.push_back(note);
  }
  void value_of(const Node& node) {
    const auto* value = find(node);
    if (value == nullptr || node.kind == NodeKind::text) return;
    const auto text = shown(*value);
    if (text != source_.text(node.span)) add(fmt::format("{} = {}", written(node), text));
  }
  // Collects the values of a negated condition.
  void values_in(const Node& node) {
    for (const auto& [part, value] : seen_)
      if (part->span.begin >= node.span.begin && part->span.end <= node.span.end &&
          !(value.is(Kind::boolean) ||
            (value.is(Kind::array) && value.array().type() == ElementType::boolean)))
        value_of(*part);
  }

  void compare(Token op, const Node& left, const Node& right) {
    const auto *l = find(left), *r = find(right);
    if (l == nullptr || r == nullptr) return;
    const auto a = numeric_value(*l), b = numeric_value(*r);
    if (!a.is_array_like() || !b.is_array_like() || (shape_of(a).count() == 0 && shape_of(b).count() == 0)) {
      value_of(left);
      value_of(right);
      if (op == Token::equal && a.is_array_like() && b.is_array_like())
        if (const auto far = largest_difference(to_array(a), to_array(b), {}); !far.empty()) add(far);
      return;
    }
    elements(fmt::format("{} {} {}", written(left), row_of(op).spelling, written(right)), op, to_array(a),
             to_array(b));
  }

  void elements(const std::string& what, Token op, const Array& a, const Array& b) {
    const auto shape = broadcast_shapes(a.shape(), b.shape());
    const auto holds = holding(op, a, b, shape);
    const auto fails = std::count(holds.begin(), holds.end(), false);
    if (fails == 0) return;
    const auto first = std::find(holds.begin(), holds.end(), false) - holds.begin();
    add(fmt::format("{} fails at {} of {} elements, first at {}: {} against {}", what, fails, holds.size(),
                    index_of(first, shape), shown(stretched_element(a, shape, first)),
                    shown(stretched_element(b, shape, first))));
    if (op == Token::equal)
      if (const auto far = largest_difference(a, b, shape); !far.empty()) add(far);
  }

  void call(const Node& node) {
    const auto argument = [&](std::size_t i) -> const Node& { return node.argument(i).argument_value(); };
    const auto& name = node.callee().text;
    const auto* a = node.argument_count() > 0 ? find(argument(0)) : nullptr;
    const auto* b = node.argument_count() > 1 ? find(argument(1)) : nullptr;
    if ((name == "all" || name == "any") && a != nullptr) {
      const auto before = notes.size();
      explain(argument(0));
      if (notes.size() == before && a->is(Kind::array) && a->array().type() == ElementType::boolean) {
        const auto holds = a->array().to_vector<bool>();
        const auto first = std::find(holds.begin(), holds.end(), false) - holds.begin();
        if (first < std::ssize(holds))
          add(fmt::format("{} is false at {} of {} elements, first at {}", written(argument(0)),
                          std::count(holds.begin(), holds.end(), false), holds.size(),
                          index_of(first, a->array().shape())));
      }
      return;
    }
    if (name == "near" && node.argument_count() > 1) return near(argument(0), argument(1));
    if (name == "same" && a != nullptr && b != nullptr) {
      add(first_difference(*a, *b));
      return;
    }
    for (std::size_t i = 0; i < node.argument_count(); ++i) value_of(argument(i));
  }

  void near(const Node& left, const Node& right) {
    value_of(left);
    value_of(right);
    const auto as_array = [&](const Node& node) -> std::optional<Array> {
      if (const auto* value = find(node)) {
        const auto number = numeric_value(*value);
        if (number.is_array_like()) return to_array(number);
      } else if (node.kind == NodeKind::number) {
        return Array::single(node.number);
      }
      return std::nullopt;
    };
    const auto a = as_array(left), b = as_array(right);
    if (!a || !b) return;
    const auto shape = broadcast_shapes(a->shape(), b->shape());
    if (const auto far = largest_difference(*a, *b, shape); !far.empty()) add(far);
  }

  const Seen& seen_;
  const Source& source_;
};

}  // namespace

std::vector<std::string> what_failed(const Node& condition, const Seen& seen, const Source& source) {
  Explanation explanation(seen, source);
  explanation.explain(condition);
  return std::move(explanation.notes);
}

std::string first_difference(const Value& a, const Value& b) {
  // Path to the differing part, and the values there.
  const auto inside = [](const std::string& way, const Value& x, const Value& y) {
    const auto deeper = first_difference(x, y);
    return deeper.starts_with("at ") ? fmt::format("at {}{}", way, deeper.substr(3))
                                     : fmt::format("at {}: {}", way, deeper);
  };
  if (a.is_array_like() && b.is_array_like()) {
    const auto x = to_array(a), y = to_array(b);
    if (!(x.shape() == y.shape()) || is_numeric(x.type()) != is_numeric(y.type()))
      return fmt::format("{} against {}", kind_in_words(a), kind_in_words(b));
    for (Index k = 0; k < x.size(); ++k) {
      const auto p = stretched_element(x, x.shape(), k), q = stretched_element(y, x.shape(), k);
      if (same(p, q)) continue;
      if (x.axes() == 0) return fmt::format("{} against {}", shown(p), shown(q));
      return fmt::format("at {}: {} against {}", index_of(k, x.shape()), shown(p), shown(q));
    }
    return fmt::format("{} against {}", kind_in_words(a), kind_in_words(b));
  }
  if (a.is(Kind::record) && b.is(Kind::record)) {
    const auto &x = a.object<RecordObject>(), &y = b.object<RecordObject>();
    for (const auto& [name, value] : x.fields) {
      const auto* other = y.find(name);
      if (other == nullptr) return fmt::format("the field {} is missing on the right", name);
      if (!same(value, *other)) return inside("." + name, value, *other);
    }
    for (const auto& [name, value] : y.fields)
      if (x.find(name) == nullptr) return fmt::format("the field {} is missing on the left", name);
  }
  if (a.is(Kind::dictionary) && b.is(Kind::dictionary)) {
    const auto &x = a.object<DictionaryObject>(), &y = b.object<DictionaryObject>();
    for (const auto& [key, value] : x.entries) {
      const auto* other = y.find(key);
      if (other == nullptr) return fmt::format("the key {} is missing on the right", shown(key));
      if (!same(value, *other)) return inside(fmt::format("[{}]", shown(key)), value, *other);
    }
    for (const auto& [key, value] : y.entries)
      if (x.find(key) == nullptr) return fmt::format("the key {} is missing on the left", shown(key));
  }
  if (a.is(Kind::tuple) && b.is(Kind::tuple)) {
    const auto &x = a.object<TupleObject>().items, &y = b.object<TupleObject>().items;
    if (x.size() != y.size()) return fmt::format("{} parts against {}", x.size(), y.size());
    for (std::size_t k = 0; k < x.size(); ++k)
      if (!same(x[k], y[k])) return inside(fmt::format("[{}]", k + 1), x[k], y[k]);
  }
  return fmt::format("{} against {}", shown(a), shown(b));
}

}  // namespace quill
