// Abstract values of expressions.
#include <fmt/format.h>

#include <algorithm>

#include "array/index.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "session/check_values_state.h"
#include "value/print.h"

namespace quill {

AbstractValue ValueCheck::function(const Node& node) {
  // The body is interpreted once, with unknown parameters.
  Names outer;
  std::vector<Names> changed;
  outer.swap(names_);
  changed.swap(changed_);
  ++depth_;
  ++uncertain_;
  for (std::size_t k = 0; k < node.parameter_count(); ++k)
    if (const auto* fallback = node.parameter(k).default_value()) value(*fallback);
  if (node.flag)
    value(node.body());
  else
    block(node.body());
  --uncertain_;
  --depth_;
  names_.swap(outer);
  changed_.swap(changed);
  AbstractValue out;
  out.kind = What::function;
  return out;
}

AbstractValue ValueCheck::value(const Node& node) {
  switch (node.kind) {
    case NodeKind::number: return node.flag ? abstract_number() : abstract_number(node.number);
    case NodeKind::text: return text(node);
    case NodeKind::boolean: {
      AbstractValue out;
      out.kind = What::boolean;
      return out;
    }
    case NodeKind::name: return name(node);
    case NodeKind::unary: return unary(node);
    case NodeKind::binary: return binary(node);
    case NodeKind::comparison: return comparison(node);
    case NodeKind::range: return range(node);
    case NodeKind::conditional: {
      condition(node.condition());
      AbstractValue yes, no;
      ++uncertain_;
      yes = value(node.then_part());
      no = value(*node.else_part());
      --uncertain_;
      return joined(yes, no);
    }
    case NodeKind::call: return call(node);
    case NodeKind::index: return index(node);
    case NodeKind::part: return part(node);
    case NodeKind::tuple: {
      AbstractValue out;
      out.kind = What::tuple;
      for (const auto& kid : node.kids) out.items.push_back(value(*kid));
      return out;
    }
    case NodeKind::record: {
      AbstractValue out;
      out.kind = What::record;
      for (const auto& kid : node.kids) {
        out.names.push_back(kid->text);
        out.items.push_back(value(kid->argument_value()));
      }
      return out;
    }
    case NodeKind::dictionary: {
      for (const auto& kid : node.kids) value(*kid);
      AbstractValue out;
      out.kind = What::dictionary;
      return out;
    }
    case NodeKind::matrix: return matrix(node);
    case NodeKind::comprehension: return comprehension(node);
    case NodeKind::function: return function(node);
    case NodeKind::each: {
      const auto& repeated = node.repeated_call();
      for (std::size_t k = 0; k < repeated.argument_count(); ++k)
        value(repeated.argument(k).argument_value());
      return {};
    }
    default:
      for (const auto& kid : node.kids)
        if (kid) value(*kid);
      return {};
  }
}

AbstractValue ValueCheck::text(const Node& node) {
  for (const auto& kid : node.kids)
    if (kid->kind == NodeKind::hole) hole(*kid);
  AbstractValue out;
  out.kind = What::text;
  if (is_plain_text(node)) out.text = plain_text(node);
  return out;
}

// A format is invalid if it fails for every kind the value may have.
void ValueCheck::hole(const Node& node) {
  const auto known = value(node.hole_value());
  if (node.text.empty() || node.text.find('{') != node.text.npos) return;
  std::vector<Value> samples;
  if (!known.is(What::text))
    samples = {Value(1.0), Value::boolean(true), Value::array(Array::filled<Complex>({}, 1.0))};
  if (!known.is(What::number)) samples.push_back(Value::text("a"));
  std::optional<Error> first;
  for (const auto& sample : samples) try {
      formatted(sample, node.text);
      return;
    } catch (const Error& error) {
      if (!first) first = error;
    }
  report(node,
         known.is(What::anything) ? fmt::format("`{}` is not a valid format", node.text)
                                  : fmt::format("`{}` is not a format for {}", node.text, in_words(known)),
         first->hint);
}

AbstractValue ValueCheck::unary(const Node& node) {
  const auto known = value(node.operand());
  if (node.op == Token::minus) {
    if (known.is(What::text)) report(node, "- takes numbers, not text");
    if (known.is(What::number))
      return abstract_number(known.number ? std::optional(-*known.number) : std::nullopt);
    return known.is(What::array) ? abstract_array(known.shape) : AbstractValue{};
  }
  if (node.op == Token::kw_not) {
    if (known.is(What::number) || known.is(What::text))
      report(node, fmt::format("`not` takes booleans, not {}", in_words(known)),
             known.is(What::number) ? "compare first: x == 0" : "");
    return known.is(What::array)     ? abstract_array(known.shape, true)
           : known.is(What::boolean) ? known
                                     : AbstractValue{};
  }
  if (known.is(What::array) && known.shape && known.shape->count() == 1)
    report(node, "a vector has no second axis to transpose",
           fmt::format("across({0}) is one row, down({0}) one column; outer(a, b) multiplies all pairs",
                       written(node.operand())));
  if (known.is(What::array) && known.shape && known.shape->count() == 2)
    return abstract_array(Shape{(*known.shape)[1], (*known.shape)[0]}, known.are_booleans);
  return {};
}

AbstractValue ValueCheck::binary(const Node& node) {
  const auto left = value(node.left());
  const bool is_logic = node.op == Token::kw_and || node.op == Token::kw_or;
  if (is_logic) ++uncertain_;
  const auto right = value(node.right());
  if (is_logic) --uncertain_;
  if (is_logic) return logic(node, left, right);
  if (node.op == Token::matrix_times) return matrix_product(node, left, right);
  return arithmetic(node, std::string(row_of(node.op).spelling), left, right);
}

AbstractValue ValueCheck::arithmetic(const Node& node, const std::string& sign, const AbstractValue& left,
                                     const AbstractValue& right) {
  for (const auto* side : {&left, &right}) {
    if (side->is(What::text)) {
      report(node, fmt::format("{} takes numbers, not text", sign),
             sign != "+"                                   ? ""
             : left.is(What::text) && right.is(What::text) ? "join_text([\"lake \", \"Velm\"]) joins texts"
                                                           : "\"{x} m\" puts the number x into a text");
      return {};
    }
    if (side->is(What::nothing)) {
      report(node, fmt::format("`{}` takes arrays, but the call returns no result", sign),
             "a function with a body in braces returns a value with `return`");
      return {};
    }
    if (side->is(What::tuple) || side->is(What::record) || side->is(What::dictionary) ||
        side->is(What::function)) {
      report(node, fmt::format("`{}` takes arrays, not {}", sign, in_words(*side)));
      return {};
    }
  }
  const auto x = left.whole_shape(), y = right.whole_shape();
  if (!x || !y) return {};
  try {
    const auto shape = broadcast_shapes(*x, *y, fmt::format(" {} ", sign));
    if (shape.count() > 0) return abstract_array(shape);
  } catch (const Error& error) {
    report(node, error);
    return {};
  }
  return left.number && right.number ? abstract_number(calculated(sign, *left.number, *right.number))
                                     : abstract_number();
}

std::optional<double> ValueCheck::calculated(const std::string& sign, double a, double b) {
  if (sign == "+") return a + b;
  if (sign == "-") return a - b;
  if (sign == "*") return a * b;
  return std::nullopt;
}

AbstractValue ValueCheck::matrix_product(const Node& node, const AbstractValue& left,
                                         const AbstractValue& right) {
  if (left.is(What::number) || right.is(What::number)) {
    report(node, "*+ multiplies vectors and matrices, and one operand is a single number",
           "use * to multiply by a number");
    return {};
  }
  if (!left.is(What::array) || !right.is(What::array) || !left.shape || !right.shape) return {};
  const auto &x = *left.shape, &y = *right.shape;
  if (x.count() == 0 || y.count() == 0) return {};
  if (x.back() != y[0]) {
    report(node, fmt::format("shapes do not match: {} *+ {}", text_of(x), text_of(y)),
           x == y ? fmt::format("the elementwise product is written  {} * {}", written(node.left()),
                                written(node.right()))
                  : "");
    return {};
  }
  Shape out;
  for (int k = 0; k + 1 < x.count(); ++k) out.push_back(x[k]);
  for (int k = 1; k < y.count(); ++k) out.push_back(y[k]);
  return out.count() == 0 ? abstract_number() : abstract_array(out);
}

AbstractValue ValueCheck::logic(const Node& node, const AbstractValue& left, const AbstractValue& right) {
  const auto* sign = node.op == Token::kw_and ? "and" : "or";
  const bool on_left = left.is(What::number) || left.is(What::text);
  if (on_left || right.is(What::number) || right.is(What::text)) {
    const auto& first = node.left();
    const bool compares = !on_left && first.kind == NodeKind::comparison && first.ops.size() == 1 &&
                          first.ops[0] == Token::equal;
    // The right side is evaluated only if the left one does not decide.
    report(on_left ? node.left() : node.right(),
           fmt::format("`{}` takes booleans, not {}", sign, in_words(on_left ? left : right)),
           compares ? fmt::format("{} {} {} == {}", written(first), sign, written(first.left()),
                                  written(node.right()))
                    : "compare first: x != 0",
           on_left);
    return {};
  }
  AbstractValue out;
  if (left.is(What::boolean) && right.is(What::boolean)) out.kind = What::boolean;
  return out;
}

AbstractValue ValueCheck::comparison(const Node& node) {
  std::vector<AbstractValue> sides;
  // The sides after the second one may not be evaluated.
  for (std::size_t k = 0; k < node.kids.size(); ++k) {
    uncertain_ += k == 2;
    sides.push_back(value(node.kid(k)));
  }
  uncertain_ -= node.kids.size() > 2;
  AbstractValue out;
  if (sides.size() != 2) return out;
  const auto x = sides[0].whole_shape(), y = sides[1].whole_shape();
  if (!x || !y) return out;
  try {
    const auto shape = broadcast_shapes(*x, *y, fmt::format(" {} ", row_of(node.ops[0]).spelling));
    if (shape.count() > 0) return abstract_array(shape, true);
    out.kind = What::boolean;
  } catch (const Error& error) { report(node, error); }
  return out;
}

AbstractValue ValueCheck::range(const Node& node) {
  std::vector<AbstractValue> parts;
  for (const auto& kid : node.kids) parts.push_back(kid ? value(*kid) : AbstractValue{});
  if (!node.kids[0] || !node.kids[1]) return abstract_array();
  for (std::size_t k = 0; k < 3; ++k)
    if (parts[k].is(What::text) || parts[k].is(What::tuple) || parts[k].is(What::record))
      report(*node.kids[k], fmt::format("{} of a range is a single number, not {}",
                                        k == 0      ? "the start"
                                        : k == 1    ? "the end"
                                        : node.flag ? "the count"
                                                    : "the step",
                                        in_words(parts[k])));
  if (node.kids[2] && !node.flag && parts[2].number == 0.0) {
    report(*node.kids[2], "the step of a range cannot be 0");
    return abstract_array();
  }
  const bool is_known = parts[0].number && parts[1].number && (!node.kids[2] || parts[2].number);
  if (!is_known) return abstract_array();
  try {
    const auto made =
        node.flag
            ? Value::range_count(*parts[0].number, *parts[1].number, static_cast<Index>(*parts[2].number))
            : Value::range(*parts[0].number, *parts[1].number, node.kids[2] ? *parts[2].number : 1);
    return abstract_array(shape_of(made));
  } catch (const Error& error) { report(node, error); }
  return abstract_array();
}

AbstractValue ValueCheck::matrix(const Node& node) {
  std::vector<Index> lengths;
  bool are_single = true, are_numbers = true, are_booleans = true;
  for (const auto& row : node.kids) {
    for (const auto& item : row->kids) {
      const auto known = value(*item);
      are_single = are_single && (known.is(What::number) || known.is(What::boolean) || known.is(What::text));
      are_numbers = are_numbers && known.is(What::number);
      are_booleans = are_booleans && known.is(What::boolean);
    }
    lengths.push_back(static_cast<Index>(row->kids.size()));
  }
  if (!are_single || lengths.empty()) return lengths.empty() ? abstract_array() : AbstractValue{};
  // Arrays of texts and lists are not tracked.
  if (!are_numbers && !are_booleans) return {};
  if (!node.flag) return abstract_array(Shape{lengths[0]}, are_booleans);
  for (std::size_t k = 1; k < lengths.size(); ++k)
    if (lengths[k] != lengths[0]) {
      report(node, fmt::format("rows of different lengths: row 1 has {} columns, row {} has {}", lengths[0],
                               k + 1, lengths[k]));
      return {};
    }
  return abstract_array(Shape{static_cast<Index>(lengths.size()), lengths[0]}, are_booleans);
}

AbstractValue ValueCheck::comprehension(const Node& node) {
  const auto before = changed_by([&] {
    for (std::size_t k = 0; k < node.generator_count(); ++k) {
      const auto& generator = node.generator(k);
      value(generator.generator_source());
      const bool is_range = generator.generator_source().kind == NodeKind::range;
      if (generator.bound_count() == 0)
        set(generator.binding, is_range ? abstract_number() : AbstractValue{});
      for (std::size_t n = 1; n <= generator.bound_count(); ++n)
        set(generator.kid(n).binding, AbstractValue{});
    }
    if (const auto* filter = node.filter()) condition(*filter);
    value(node.item());
  });
  for (const auto& [name, was] : before) names_[name] = was;
  return {};
}

AbstractValue ValueCheck::part(const Node& node) {
  const auto base = value(node.base());
  if (base.is(What::record)) {
    const auto found = std::find(base.names.begin(), base.names.end(), node.text);
    if (found != base.names.end()) return base.items[static_cast<std::size_t>(found - base.names.begin())];
    const auto near = nearest_name(node.text, base.names);
    report(node, fmt::format("the record has no field `{}`", node.text),
           near.empty() ? fmt::format("known: {}", list_in_prose(base.names))
                        : fmt::format("did you mean {}?", near));
  } else if (base.is(What::number) || base.is(What::text) || base.is(What::boolean) || base.is(What::array)) {
    report(node, fmt::format("{} has no fields, so `.{}` is undefined", in_words(base), node.text),
           builtins().find(node.text) >= 0 ? fmt::format("{}({})", node.text, written(node.base())) : "");
  }
  return {};
}

AbstractValue ValueCheck::index(const Node& node) {
  const auto base = value(node.base());
  std::vector<AbstractValue> chosen;
  for (std::size_t k = 0; k < node.subscript_count(); ++k) {
    const auto& subscript = node.subscript(k);
    chosen.push_back(subscript.kind == NodeKind::rest || subscript.kind == NodeKind::new_axis
                         ? AbstractValue{}
                         : value(subscript));
  }
  if (base.is(What::text) || base.is(What::number)) {
    report(node,
           base.is(What::text) ? "a text is one value and has no elements"
                               : "a single number has no elements to select",
           base.is(What::text) ? "characters(t) makes an array of its characters" : "");
    return {};
  }
  if (base.is(What::tuple) && chosen.size() == 1 && chosen[0].number) {
    try {
      const auto at = checked_position(*chosen[0].number, static_cast<Index>(base.items.size()), 0, 1);
      return base.items[static_cast<std::size_t>(at)];
    } catch (const Error& error) { report(node, error); }
    return {};
  }
  return base.is(What::array) && base.shape ? elements(node, *base.shape, base.are_booleans, chosen)
                                            : AbstractValue{};
}

// Indexing of an array of known shape.
AbstractValue ValueCheck::elements(const Node& node, const Shape& shape, bool are_booleans,
                                   const std::vector<AbstractValue>& chosen) {
  int used = 0;
  bool is_open = false, is_mask = false, is_sure = true;
  for (std::size_t k = 0; k < chosen.size(); ++k) {
    const auto kind = node.subscript(k).kind;
    is_open = is_open || kind == NodeKind::rest;
    if (kind != NodeKind::rest && kind != NodeKind::new_axis) ++used;
    is_mask = is_mask || (chosen[k].is(What::array) && chosen[k].are_booleans);
    is_sure = is_sure && (kind == NodeKind::range || kind == NodeKind::rest || kind == NodeKind::new_axis ||
                          chosen[k].is(What::number));
  }
  // A single mask of the array's shape is allowed.
  if (is_mask || !is_sure) {
    check_numbers(node, shape, chosen, is_open);
    return {};
  }
  if (is_open ? used > shape.count() : used != shape.count()) {
    report(node,
           fmt::format("{} subscript{} for an array of shape {}, which has {} ax{}s", used,
                       used == 1 ? "" : "s", text_of(shape), shape.count(), shape.count() == 1 ? "i" : "e"),
           shape.count() == 2 && used == 1
               ? fmt::format("{0}[{1}, ..] is row {1}, {0}[.., {1}] is column {1}", written(node.base()),
                             written(node.subscript(0)))
               : "");
    return {};
  }
  if (!check_numbers(node, shape, chosen, is_open)) return {};
  const bool all_single = !is_open && std::all_of(chosen.begin(), chosen.end(),
                                                  [](const AbstractValue& c) { return c.is(What::number); });
  if (!all_single) return {};
  AbstractValue out;
  out.kind = are_booleans ? What::boolean : What::anything;
  return out;
}

// Whether all constant indices are within bounds; reports the first that is not.
bool ValueCheck::check_numbers(const Node& node, const Shape& shape, const std::vector<AbstractValue>& chosen,
                               bool is_open) {
  if (is_open || static_cast<int>(chosen.size()) != shape.count()) return true;
  for (std::size_t k = 0; k < chosen.size(); ++k) {
    if (!chosen[k].is(What::number) || !chosen[k].number) continue;
    try {
      checked_position(*chosen[k].number, shape[static_cast<int>(k)], static_cast<int>(k), shape.count());
    } catch (const Error& error) {
      report(node, error);
      return false;
    }
  }
  return true;
}

}  // namespace quill
