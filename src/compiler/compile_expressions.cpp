#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "compiler/compiler_state.h"

namespace quill {

int Compiler::value_into(const Node& node, int wanted) {
  const int r = value(node, wanted);
  if (r != wanted) emit(taken_.contains(&node) ? Op::take : Op::move, node, wanted, r);
  return wanted;
}

int Compiler::value(const Node& node, int wanted) {
  const int r = value_unseen(node, wanted);
  for (const auto& [seen, place] : watched_)
    if (seen == &node) emit(Op::move, node, place, r);
  return r;
}

int Compiler::value_unseen(const Node& node, int wanted) {
  if (const auto leaf = leaves_.find(&node); leaf != leaves_.end()) return leaf->second;
  if (const auto number = constant_of(node)) return constant(node, *number, wanted);
  if (!one_by_one_) {
    if (const auto choice = fused_choice(node, wanted)) return *choice;
    if (const auto root = fused_root(node)) return fused(node, wanted, *root);
  }
  switch (node.kind) {
    case NodeKind::number:
      return load(node, Value::array(Array::filled<Complex>({}, Complex(0, node.number))), wanted);
    case NodeKind::text: return text(node, wanted);
    case NodeKind::boolean: return load(node, Value::boolean(node.flag), wanted);
    case NodeKind::none: return load(node, Value::none(), wanted);
    case NodeKind::name: return name(node, wanted);
    case NodeKind::last: return last(node, wanted);
    case NodeKind::unary: {
      const int mark = next_;
      const int operand = value(node.operand());
      next_ = mark;
      const int r = wanted >= 0 ? wanted : fresh();
      emit(node.op == Token::minus    ? Op::negate
           : node.op == Token::kw_not ? Op::logical_not
                                      : Op::transpose,
           node, r, operand);
      return r;
    }
    case NodeKind::binary:
      return node.op == Token::kw_and || node.op == Token::kw_or ? logical(node, wanted)
                                                                 : binary(node, wanted);
    case NodeKind::comparison: return comparison(node, wanted);
    case NodeKind::range: return range(node, wanted);
    case NodeKind::conditional: return conditional(node, wanted);
    case NodeKind::call: return call(node, wanted, false);
    case NodeKind::each: return call(node.repeated_call(), wanted, true);
    case NodeKind::index: return index(node, wanted);
    case NodeKind::part: return part(node, wanted);
    case NodeKind::tuple: return several(Op::tuple, node, wanted);
    case NodeKind::record: return several(Op::record, node, wanted);
    case NodeKind::dictionary: return several(Op::dictionary, node, wanted);
    case NodeKind::matrix: return matrix(node, wanted);
    case NodeKind::comprehension: return comprehension(node, wanted);
    case NodeKind::function: return closure(node, wanted);
    case NodeKind::alias:
      fail_node(node, "an alias can only be assigned to a variable",
                "w = alias a[1..2]; a plain copy shares nothing");
    default: fail_node(node, "this is not allowed in an expression");
  }
}

int Compiler::constant(const Node& node, double number, int wanted) {
  for (const auto& [r, value] : out_->constants)
    if (value == number && std::signbit(value) == std::signbit(number)) {
      if (wanted < 0) return r;
      emit(Op::move, node, wanted, r);
      return wanted;
    }
  return load(node, Value(number), wanted);
}

int Compiler::name(const Node& node, int wanted) {
  const auto& b = node.binding;
  if (b.kind == Binding::Kind::builtin) {
    const auto& row = registry_.row(b.index);
    return load(node, row.constant ? Value(*row.constant) : Value::builtin(row), wanted);
  }
  if (b.kind == Binding::Kind::self) {
    const int r = wanted >= 0 ? wanted : fresh();
    emit(Op::self, node, r);
    return r;
  }
  const int place = register_of(b);
  const int row = b.kind == Binding::Kind::global ? registry_.find(node.text) : -1;
  if (place >= 0 && (row < 0 || assigned_.contains(place) || !is_before_given(node))) {
    if (!assigned_.contains(place)) emit(Op::check, node, place);
    if (!shared_.contains(place)) return place;
    const int r = wanted >= 0 ? wanted : fresh();
    emit(Op::read_shared, node, r, place);
    return r;
  }
  if (const int kept = kept_value(b.index, {}); kept >= 0 && b.kind == Binding::Kind::global) {
    emit(Op::global_once, node, kept, b.index, row);
    return kept;
  }
  const int r = wanted >= 0 ? wanted : fresh();
  emit(Op::get_global, node, r, b.index, row);
  return r;
}

bool Compiler::is_before_given(const Node& name) const {
  const auto given = first_given_.find(name.text);
  return given == first_given_.end() || name.span.begin < given->second;
}

int Compiler::aliased_register(const Node& node) const {
  if (node.kind != NodeKind::name) return -1;
  const int place = register_of(node.binding);
  return place >= 0 && shared_.contains(place) && assigned_.contains(place) ? place : -1;
}

int Compiler::last(const Node& node, int wanted) {
  if (index_bases_.empty()) fail_node(node, "`last` is only allowed inside index brackets");
  const int r = wanted >= 0 ? wanted : fresh();
  emit(Op::extent, node, r, index_bases_.back().first, index_bases_.back().second);
  return r;
}

int Compiler::binary(const Node& node, int wanted) {
  const int mark = next_;
  const int left = value(node.left());
  const int right = value(node.right());
  next_ = mark;
  const int r = wanted >= 0 ? wanted : fresh();
  emit(op_of(node.op), node, r, left, right, 0,
       (is_temporary(left) ? kLeftLastUse : 0) | (is_temporary(right) ? kRightLastUse : 0) |
           literal_flags(node.left(), node.right()));
  return r;
}

int Compiler::logical(const Node& node, int wanted) {
  const bool is_and = node.op == Token::kw_and;
  const int r = wanted >= 0 && is_temporary(wanted) ? wanted : fresh();
  value_into(node.left(), r);
  const auto jump = emit(is_and ? Op::jump_if_known_false : Op::jump_if_known_true, node, 0, r);
  const auto before = assigned_;
  const int mark = next_;
  const int right = value(node.right());
  next_ = mark;
  emit(is_and ? Op::logical_and : Op::logical_or, node, r, r, right);
  assigned_ = before;
  land(jump);
  return r;
}

// any(r > 5), all(r > 5)
int Compiler::asked_of(const Node& comparison) const {
  return comparison.ops.size() == 1 && asked_ && asked_->argument_count() == 1 &&
                 &asked_->argument(0).argument_value() == &comparison
             ? (asked_->callee().text == "any" ? kForAny : kForAll)
             : 0;
}

int Compiler::comparison(const Node& node, int wanted) {
  const int mark = next_;
  const int r = wanted >= 0 && is_temporary(wanted) ? wanted : fresh();
  int left = value(node.left());
  std::vector<std::size_t> jumps;
  for (std::size_t i = 0; i < node.ops.size(); ++i) {
    const int right = value(node.kid(i + 1));
    const int literals = literal_flags(node.kid(i), node.kid(i + 1));
    if (i == 0) {
      emit(op_of(node.ops[i]), node, r, left, right, static_cast<int>(i), literals | asked_of(node));
    } else {
      const int t = fresh();
      emit(op_of(node.ops[i]), node, t, left, right, static_cast<int>(i), literals);
      emit(Op::logical_and, node, r, r, t);
    }
    if (i + 1 < node.ops.size()) jumps.push_back(emit(Op::jump_if_known_false, node, 0, r));
    left = right;
  }
  for (const auto j : jumps) land(j);
  next_ = r == wanted ? mark : std::max(mark, r + 1);
  return r;
}

int Compiler::range(const Node& node, int wanted) {
  const int mark = next_;
  const int first = fresh(3);
  const auto* step = node.range_step();
  const bool backwards = !node.flag && step && step->kind == NodeKind::number && step->number < 0;
  const auto end = [&](const Node* written, bool is_first, int r) {
    if (written)
      value_into(*written, r);
    else if (is_first == backwards)
      emit(Op::extent, node, r, index_bases_.back().first, index_bases_.back().second);
    else
      load(node, Value(1.0), r);
  };
  end(node.range_first(), true, first);
  end(node.range_last(), false, first + 1);
  if (step) value_into(*step, first + 2);
  next_ = mark;
  const int r = wanted >= 0 ? wanted : fresh();
  emit(Op::range, node, r, first, !step ? 0 : node.flag ? 2 : 1);
  return r;
}

int Compiler::conditional(const Node& node, int wanted) {
  const int r = wanted >= 0 && is_temporary(wanted) ? wanted : fresh();
  const int mark = next_;
  const int condition = value(node.condition());
  next_ = mark;
  const auto no = emit(Op::jump_false, node.condition(), 0, condition);
  const auto before = assigned_;
  value_into(node.then_part(), r);
  const auto end = emit(Op::jump, node);
  land(no);
  assigned_ = before;
  value_into(*node.else_part(), r);
  assigned_ = before;
  land(end);
  return r;
}

int Compiler::several(Op op, const Node& node, int wanted) {
  const int mark = next_;
  if (node.kids.size() > 60000) fail_node(node, "too many items");
  const int first = in_a_row(node.kids.size(), [&](std::size_t i) -> const Node& {
    return node.kid(i).kind == NodeKind::argument ? node.kid(i).argument_value() : node.kid(i);
  });
  next_ = mark;
  const int r = wanted >= 0 ? wanted : fresh();
  int names = 0;
  if (op == Op::record) {
    names = static_cast<int>(out_->name_lists.size());
    auto& list = out_->name_lists.emplace_back();
    for (const auto& kid : node.kids) list.push_back(kid->text);
  }
  emit(op, node, r, first, names, static_cast<int>(node.kids.size()));
  return r;
}

int Compiler::matrix(const Node& node, int wanted) {
  const int mark = next_;
  std::vector<const Node*> items;
  for (const auto& row : node.kids)
    for (const auto& item : row->kids) items.push_back(item.get());
  if (items.size() > 60000) fail_node(node, "too many items in brackets", "load(…) reads large tables");
  // A bracket of literals is a constant.
  const auto width = node.kids.empty() ? 0 : node.kid(0).kids.size();
  const bool plain = !items.empty() && std::all_of(items.begin(), items.end(), [](const Node* n) {
    return n->kind == NodeKind::number && !n->flag;
  }) && std::all_of(node.kids.begin(), node.kids.end(), [&](const NodePtr& row) {
    return row->kids.size() == width;
  });
  if (plain) {
    std::vector<double> numbers;
    for (const auto* item : items) numbers.push_back(item->number);
    const auto columns = static_cast<Index>(width), rows = static_cast<Index>(node.kids.size());
    return load(node,
                Value::array(Array::of<double>(node.flag ? Shape{rows, columns} : Shape{columns}, numbers)),
                wanted);
  }
  const int first = in_a_row(items.size(), [&](std::size_t i) -> const Node& { return *items[i]; });
  next_ = mark;
  const int r = wanted >= 0 ? wanted : fresh();
  BracketForm form;
  for (const auto& row : node.kids) form.lengths.push_back(static_cast<int>(row->kids.size()));
  for (const auto* item : items) form.literal.push_back(is_whole_literal(*item));
  form.is_matrix = node.flag;
  out_->brackets.push_back(std::move(form));
  emit(Op::matrix, node, r, first, static_cast<int>(out_->brackets.size()) - 1,
       static_cast<int>(items.size()));
  return r;
}

int Compiler::text(const Node& node, int wanted) {
  if (node.kids.empty()) return load(node, Value::text(""), wanted);
  if (node.kids.size() == 1 && node.kid(0).kind == NodeKind::literal)
    return load(node, Value::text(node.kid(0).text), wanted);
  const int mark = next_;
  std::vector<const Node*> holes;
  for (const auto& kid : node.kids)
    if (kid->kind == NodeKind::hole) holes.push_back(&kid->hole_value());
  const int first = in_a_row(holes.size(), [&](std::size_t i) -> const Node& { return *holes[i]; });
  next_ = mark;
  const int r = wanted >= 0 ? wanted : fresh();
  auto& parts = out_->templates.emplace_back();
  for (const auto& kid : node.kids) parts.push_back({kid->kind == NodeKind::hole, kid->text});
  emit(Op::text, node, r, first, static_cast<int>(out_->templates.size()) - 1,
       static_cast<int>(holes.size()));
  return r;
}

int Compiler::closure(const Node& node, int wanted) {
  auto function = inner(node);
  out_->functions.push_back(std::move(function));
  const int r = wanted >= 0 ? wanted : fresh();
  const auto& scope = *node.scope;
  emit(Op::closure, node, r, static_cast<int>(out_->functions.size()) - 1,
       scope.siblings < 0 ? -1 : out_->first_local + scope.siblings, std::max(scope.member, 0));
  return r;
}

}  // namespace quill
