// Calls, and choosing and assigning elements.
#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "base/restored.h"
#include "base/text.h"
#include "compiler/compiler_state.h"
#include "value/arguments.h"

namespace quill {

int Compiler::literal_flags(const Node& left, const Node& right) {
  return (is_whole_literal(left) ? kLeftLiteral : 0) | (is_whole_literal(right) ? kRightLiteral : 0);
}

int Compiler::call_form(const Node& node, std::size_t from, int row) {
  CallForm form;
  form.row = row;
  for (auto i = from; i < node.kids.size(); ++i) {
    if (node.kid(i).kind != NodeKind::argument) continue;
    form.names.push_back(node.kid(i).text);
    form.literal.push_back(is_whole_literal(node.kid(i).argument_value()));
  }
  if (row >= 0 && (node.kind != NodeKind::call || node.callee().binding.kind == Binding::Kind::builtin)) {
    form.is_bound = true;
    form.parameters = bound_arguments(registry_.row(row), form.names, form.names.size()).parameters;
  }
  out_->calls.push_back(std::move(form));
  return static_cast<int>(out_->calls.size()) - 1;
}

void Compiler::check_builtin_call(const Node& node, const Builtin& row, std::size_t from) {
  if (row.constant) fail_node(node, fmt::format("`{}` is a constant and cannot be called", row.name));
  std::vector<std::string> names;
  std::vector<const Node*> arguments;
  for (auto i = from; i < node.kids.size(); ++i)
    if (node.kid(i).kind == NodeKind::argument) {
      arguments.push_back(node.kids[i].get());
      names.push_back(node.kid(i).text);
    }
  auto bound = bound_arguments(row, names, names.size());
  if (!bound.mistake) return;
  const auto& place = bound.argument < 0 ? node : *arguments[static_cast<std::size_t>(bound.argument)];
  fail_node(place, std::move(bound.mistake->message), std::move(bound.mistake->hint));
}

namespace {

// Value of an integer literal, exact beyond 2^53; nothing for other notations.
std::optional<std::int64_t> whole_of(const Source& source, const Node& node) {
  const bool negative = node.kind == NodeKind::unary && node.op == Token::minus;
  const auto& number = negative ? node.operand() : node;
  if (number.kind != NodeKind::number || number.flag) return std::nullopt;
  std::string digits(negative ? "-" : "");
  for (const char c : source.text(number.span))
    if (c != '_' && c != '(' && c != ')') digits += c;
  const bool is_hex = digits.find("0x") != std::string::npos;
  if (is_hex) digits.erase(digits.find("0x"), 2);
  std::int64_t out = 0;
  const auto [end, error] =
      std::from_chars(digits.data(), digits.data() + digits.size(), out, is_hex ? 16 : 10);
  if (error == std::errc::result_out_of_range && end == digits.data() + digits.size())
    fail(fmt::format("the number {} does not fit int64, whose largest value is 9223372036854775807", digits));
  if (error != std::errc() || end != digits.data() + digits.size()) return std::nullopt;
  return out;
}

}  // namespace

std::optional<Value> Compiler::exact_integers(const Node& node) {
  const auto exact = [&](const Node& number) {
    try {
      return whole_of(*tree_->source, number);
    } catch (Error& error) { fail_node(number, error.message); }
  };
  if (node.kind != NodeKind::matrix) {
    const auto single = exact(node);
    return single ? std::optional(Value::array(Array::filled<std::int64_t>({}, *single))) : std::nullopt;
  }
  if (node.kids.empty()) return std::nullopt;
  std::vector<std::int64_t> numbers;
  const auto width = node.kid(0).kids.size();
  for (const auto& row : node.kids) {
    if (row->kids.size() != width) return std::nullopt;
    for (const auto& item : row->kids) {
      const auto number = exact(*item);
      if (!number) return std::nullopt;
      numbers.push_back(*number);
    }
  }
  const auto columns = static_cast<Index>(width), rows = static_cast<Index>(node.kids.size());
  return Value::array(Array::of<std::int64_t>(node.flag ? Shape{rows, columns} : Shape{columns}, numbers));
}

int Compiler::call(const Node& node, int wanted, bool each) {
  const int mark = next_;
  const auto count = node.argument_count();
  if (count > 1000) fail_node(node, "a call takes at most 1000 arguments");
  const auto& callee = node.callee();
  const auto argument = [&](std::size_t i) -> const Node& { return node.argument(i).argument_value(); };
  if (callee.kind == NodeKind::name && callee.binding.kind == Binding::Kind::builtin && !each) {
    const auto& row = registry_.row(callee.binding.index);
    check_builtin_call(node, row, 1);
    if (row.name == name_of(ElementType::int64) && count == 1)
      if (auto exact = exact_integers(argument(0))) return load(node, std::move(*exact), wanted);
    if (&node == assigned_call_ && row.returns.starts_with("nothing"))
      fail_node(node, fmt::format("{} returns no result to assign", row.name));
    if (row.unary && count == 1) {
      const int operand = value(argument(0));
      next_ = mark;
      const int r = wanted >= 0 ? wanted : fresh();
      emit(Op::apply, node, r, operand, static_cast<int>(*row.unary));
      return r;
    }
    if (row.name == "any" || row.name == "all") asked_ = &node;
    const int first = fresh(static_cast<int>(count));
    for (std::size_t i = 0; i < count; ++i) {
      const int place = first + static_cast<int>(i);
      const int variable = row.as_they_are ? aliased_register(argument(i)) : -1;
      if (variable >= 0)
        emit(Op::move, argument(i), place, variable);
      else
        value_into(argument(i), place);
    }
    next_ = mark;
    const int r = wanted >= 0 ? wanted : fresh();
    const bool takes = count > 0 && taken_.contains(&argument(0)) && r == register_of(argument(0).binding);
    emit(Op::call_builtin, node, r, first, call_form(node, 1, callee.binding.index), static_cast<int>(count),
         takes ? 1 : 0);
    return r;
  }
  if (each && callee.binding.kind == Binding::Kind::builtin)
    check_builtin_call(node, registry_.row(callee.binding.index), 1);
  const int base = fresh(static_cast<int>(count) + 1);
  // An unset name may still refer to a built-in, decided by the call.
  if (callee.kind == NodeKind::name && register_of(callee.binding) >= 0 &&
      !shared_.contains(register_of(callee.binding)))
    emit(Op::move, callee, base, register_of(callee.binding), 0, 0, 1);
  else
    value_into(callee, base);
  {
    const Restored inside(one_by_one_, false);  // arguments of a larger expression are compiled independently
    for (std::size_t i = 0; i < count; ++i) value_into(argument(i), base + 1 + static_cast<int>(i));
  }
  next_ = mark;
  const int r = wanted >= 0 ? wanted : fresh();
  const int form = call_form(node, 1, callee.kind == NodeKind::name ? registry_.find(callee.text) : -1);
  emit(each ? Op::each : Op::call, node, r, base, form, static_cast<int>(count),
       (out_->calls.back().some_by_name() ? 1 : 0) | (&node == assigned_call_ ? 2 : 0));
  return r;
}

int Compiler::subscripts(const Node& node, int base) {
  const auto count = node.subscript_count();
  const int first = fresh(static_cast<int>(count));
  int axis = 0;
  std::size_t behind_rest = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const auto& s = node.subscript(i);
    const auto leave_open = [&](Open which) { load(s, Value::open(which), first + static_cast<int>(i)); };
    if (s.kind == NodeKind::rest) {
      if (behind_rest) fail_node(s, "`...` can occur once in an index");
      behind_rest = i + 1;
      leave_open(Open::rest);
      continue;
    }
    if (s.kind == NodeKind::new_axis) {
      leave_open(Open::new_axis);
      continue;
    }
    int code = axis_code(axis, false);
    if (behind_rest) {
      int left = 0;
      for (std::size_t k = i; k < count; ++k) left += node.subscript(k).kind != NodeKind::new_axis;
      code = axis_code(left, true);
    }
    ++axis;
    if (s.kind == NodeKind::range && !s.range_first() && !s.range_last() && !s.range_step()) {
      leave_open(Open::everything);
      continue;
    }
    // A negative literal as an end is never a valid index.
    const auto* written = &s;
    if (s.kind == NodeKind::range && s.range_last() && !s.range_step())
      if (const auto end = constant_of(*s.range_last()); end && *end < 0) written = s.range_last();
    index_bases_.emplace_back(base, code);
    const auto depth = index_bases_.size();
    try {
      value_into(*written, first + static_cast<int>(i));
    } catch (Error&) {
      index_bases_.resize(depth - 1);
      throw;
    }
    index_bases_.pop_back();
  }
  return first;
}

int Compiler::index(const Node& node, int wanted) {
  // Not the register of a subscript: the result's storage of a single element is reused.
  const int r = wanted >= 0 ? wanted : fresh();
  const int mark = next_;
  const int base = value(node.base());
  const int first = subscripts(node, base);
  next_ = mark;
  emit(Op::index, node, r, base, first, static_cast<int>(node.subscript_count()));
  return r;
}

int Compiler::changed_name(const Node& node) {
  const auto kind = node.binding.kind;
  const int place = register_of(node.binding);
  if (place < 0 || kind == Binding::Kind::captured) {
    if (kind == Binding::Kind::builtin)
      fail_node(node, fmt::format("`{}` is a built-in and has no elements to change", node.text));
    fail_node(node,
              fmt::format("`{}` is a variable outside this function, which can read it but not change it",
                          node.text),
              fmt::format("make it a parameter and return the changed one, or copy it first: mine = {}",
                          node.text));
  }
  if (!assigned_.contains(place)) emit(Op::check, node, place);
  return place;
}

void Compiler::set_elements(const Node& target, int r, Op op, const Node& statement) {
  const int mark = next_;
  const auto& base_node = target.base();
  const auto count = static_cast<int>(target.subscript_count());
  const bool is_name = base_node.kind == NodeKind::name;
  const int place = is_name ? changed_name(base_node) : fresh();
  const bool shared = is_name && shared_.contains(place);
  const int base = shared ? fresh() : place;
  if (shared)
    emit(Op::read_shared, base_node, base, place);
  else if (!is_name) {
    value_into(base_node, base);
    if (out_->code.back().op == Op::index) out_->code.back().flag = 2;
  }
  const int first = subscripts(target, base);
  if (op != Op::move && is_name && !shared) {
    const bool literal = is_whole_literal(statement.assigned_value());
    emit(Op::update_index, statement, base, first, r, count,
         static_cast<int>(op) | (literal ? kUpdateLiteral : 0));
    next_ = mark;
    return;
  }
  if (op != Op::move) {
    const int old = fresh();
    emit(Op::index, target, old, base, first, count, 1);
    emit(op, statement, old, old, r, 0, is_whole_literal(statement.assigned_value()) ? kRightLiteral : 0);
    r = old;
  }
  if (shared) {
    load(base_node, Value::none(), base);  // releases the array, so that it is modified in place
    emit(Op::set_shared, target, place, first, r, count);
  } else {
    emit(Op::set_index, target, base, first, r, count);
  }
  if (!is_name) set_elements(base_node, base, Op::move, statement);
  next_ = mark;
}

}  // namespace quill
