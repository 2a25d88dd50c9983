#include "engine/compiler.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/text.h"

namespace quill {

int Module::declare(const std::string& name) {
  const auto [place, is_new] = places.emplace(name, static_cast<int>(names.size()));
  if (is_new) names.push_back(name);
  return place->second;
}

namespace {

Op op_of(Token token) {
  switch (token) {
    case Token::plus:
    case Token::assign_plus: return Op::add;
    case Token::minus:
    case Token::assign_minus: return Op::subtract;
    case Token::times:
    case Token::assign_times: return Op::multiply;
    case Token::divide:
    case Token::assign_divide: return Op::divide;
    case Token::remainder:
    case Token::assign_remainder: return Op::remainder;
    case Token::power:
    case Token::assign_power: return Op::power;
    case Token::matrix_times: return Op::matrix_product;
    case Token::equal: return Op::equal;
    case Token::not_equal: return Op::not_equal;
    case Token::less: return Op::less;
    case Token::less_equal: return Op::less_equal;
    case Token::greater: return Op::greater;
    default: return Op::greater_equal;
  }
}

class Compiler {
 public:
  Compiler(const std::shared_ptr<Tree>& tree, Module& module, const Registry& registry,
           const CompileOptions& options)
      : tree_(tree), module_(module), registry_(registry), options_(options) {}

  std::shared_ptr<const Function> top() {
    top_level_ = true;
    scope_ = tree_->root->scope.get();
    globals_ = static_cast<int>(module_.names.size());
    out_->first_local = globals_;
    prepare(globals_ + static_cast<int>(scope_->locals.size()), *tree_->root);
    for (int i = 0; i < globals_; ++i)
      if (i < static_cast<int>(module_.slots.size()) &&
          !module_.slots[static_cast<std::size_t>(i)].is(Kind::unset))
        assigned_.insert(i);
    block(*tree_->root);
    emit(Op::give_back, *tree_->root, -1);
    return finish();
  }

 private:
  // A function inside this one.
  std::shared_ptr<const Function> inner(const Node& node) {
    Compiler c(tree_, module_, registry_, options_);
    c.scope_ = node.scope.get();
    c.out_->name = node.text.empty() ? "fn" : node.text;
    c.out_->prose = node.prose;
    const auto parameters = node.kids.size() - 1;
    c.out_->first_capture = static_cast<int>(c.scope_->locals.size());
    c.out_->captures = c.scope_->captures;
    c.out_->captured_names = c.scope_->captured;
    c.prepare(c.out_->first_capture + static_cast<int>(c.scope_->captures.size()), node);
    for (std::size_t i = 0; i < parameters; ++i) {
      const auto& p = node.kid(i);
      c.out_->parameters.push_back(p.text);
      c.out_->has_default.push_back(p.kids[0] != nullptr);
      const int r = static_cast<int>(i);
      c.assigned_.insert(r);
      if (!p.kids[0]) continue;
      const auto jump = c.emit(Op::jump_set, p, 0, r);
      c.guarded([&] { c.value_into(p.kid(0), r); });
      c.land(jump);
    }
    for (std::size_t i = 0; i < c.scope_->captures.size(); ++i)
      c.assigned_.insert(c.out_->first_capture + static_cast<int>(i));
    const auto& body = *node.kids.back();
    if (node.flag)
      c.guarded([&] { c.emit(Op::give_back, body, c.value(body)); });
    else {
      c.block(body);
      c.emit(Op::give_back, body, -1);
    }
    return c.finish();
  }

  // Numbers written in the text get registers of their own, filled on entry.
  void prepare(int first_free, const Node& body) {
    out_->tree = tree_;
    out_->module = &module_;
    next_ = first_free;
    std::vector<double> numbers;
    collect_numbers(body, numbers, true);
    std::sort(numbers.begin(), numbers.end());
    numbers.erase(std::unique(numbers.begin(), numbers.end()), numbers.end());
    for (const auto number : numbers) out_->constants.emplace_back(next_++, number);
    most_ = next_;
  }

  static void collect_numbers(const Node& node, std::vector<double>& out, bool outermost) {
    if (node.kind == NodeKind::function && !outermost) return;
    if (node.kind == NodeKind::number && !node.flag && out.size() < 10000) out.push_back(node.number);
    for (const auto& kid : node.kids)
      if (kid) collect_numbers(*kid, out, false);
  }

  std::shared_ptr<const Function> finish() {
    out_->frame_size = most_ + 1;
    return out_;
  }

  // -- code and registers

  std::size_t emit(Op op, const Node& node, int a = 0, int b = 0, int c = 0, int n = 0, int flag = 0) {
    Instruction i;
    i.op = op;
    i.a = a;
    i.b = b;
    i.c = c;
    i.n = static_cast<std::uint16_t>(n);
    i.flag = static_cast<std::uint8_t>(flag);
    out_->code.push_back(i);
    out_->nodes.push_back(&node);
    return out_->code.size() - 1;
  }
  int here() const { return static_cast<int>(out_->code.size()); }
  void land(std::size_t jump) { out_->code[jump].a = here(); }

  int fresh(int count = 1) {
    const int r = next_;
    next_ += count;
    most_ = std::max(most_, next_);
    return r;
  }

  [[noreturn]] void fail_node(const Node& node, std::string message, std::string hint = {}) {
    fail_at(tree_->source, node.span, std::move(message), std::move(hint));
  }

  // Runs a piece of compilation whose Error is one of possibly several.
  template <class F>
  void guarded(F f) {
    try {
      f();
    } catch (Error& error) { tree_->errors.push_back(std::move(error)); }
  }

  int literal(Value value) {
    out_->literals.push_back(std::move(value));
    return static_cast<int>(out_->literals.size()) - 1;
  }

  int load(const Node& node, Value value, int wanted) {
    const int r = wanted >= 0 ? wanted : fresh();
    emit(Op::load, node, r, literal(std::move(value)));
    return r;
  }

  // The frame's place of a resolved name, or -1 when it has none here.
  int place_of(const Binding& b) const {
    switch (b.kind) {
      case Binding::Kind::local: return top_level_ ? globals_ + b.index : b.index;
      case Binding::Kind::captured: return out_->first_capture + b.index;
      case Binding::Kind::global: return top_level_ ? b.index : -1;
      default: return -1;
    }
  }

  // -- expressions: the register that holds the value; `wanted` is where it should be, when not -1

  int value_into(const Node& node, int wanted) {
    const int r = value(node, wanted);
    if (r != wanted) emit(Op::move, node, wanted, r);
    return wanted;
  }

  int value(const Node& node, int wanted = -1) {
    switch (node.kind) {
      case NodeKind::number: return number(node, wanted);
      case NodeKind::text: return text(node, wanted);
      case NodeKind::truth: return load(node, Value::truth(node.flag), wanted);
      case NodeKind::none: return load(node, Value::none(), wanted);
      case NodeKind::name: return name(node, wanted);
      case NodeKind::last: return last(node, wanted);
      case NodeKind::unary: {
        const int mark = next_;
        const int operand = value(node.kid(0));
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
      case NodeKind::choice: return choice(node, wanted);
      case NodeKind::call: return call(node, wanted, false);
      case NodeKind::each: return call(node.kid(0), wanted, true);
      case NodeKind::index: return index(node, wanted);
      case NodeKind::part: {
        const int mark = next_;
        const int base = value(node.kid(0));
        next_ = mark;
        const int r = wanted >= 0 ? wanted : fresh();
        emit(Op::part, node, r, base);
        return r;
      }
      case NodeKind::tuple: return several(Op::tuple, node, wanted);
      case NodeKind::record: return several(Op::record, node, wanted);
      case NodeKind::dictionary: return several(Op::dictionary, node, wanted);
      case NodeKind::matrix: return matrix(node, wanted);
      case NodeKind::comprehension: return comprehension(node, wanted);
      case NodeKind::function: return closure(node, wanted);
      case NodeKind::alias: fail_node(node, "`alias` is not built yet", "a plain copy shares nothing");
      default: fail_node(node, "this cannot stand in an expression");
    }
  }

  int number(const Node& node, int wanted) {
    if (node.flag) {
      const Complex z(0, node.number);
      return load(node, Value::array(Array::filled<Complex>({}, z)), wanted);
    }
    for (const auto& [r, value] : out_->constants)
      if (value == node.number) {
        if (wanted < 0) return r;
        emit(Op::move, node, wanted, r);
        return wanted;
      }
    return load(node, Value(node.number), wanted);
  }

  int name(const Node& node, int wanted) {
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
    const int place = place_of(b);
    if (place >= 0) {
      if (!assigned_.contains(place)) emit(Op::check, node, place);
      return place;
    }
    const int r = wanted >= 0 ? wanted : fresh();
    emit(Op::get_global, node, r, b.index);
    return r;
  }

  int last(const Node& node, int wanted) {
    if (index_bases_.empty()) fail_node(node, "`last` stands only inside index brackets");
    const int r = wanted >= 0 ? wanted : fresh();
    emit(Op::extent, node, r, index_bases_.back().first, index_bases_.back().second);
    return r;
  }

  int binary(const Node& node, int wanted) {
    const int mark = next_;
    const int left = value(node.kid(0));
    const int right = value(node.kid(1));
    next_ = mark;
    const int r = wanted >= 0 ? wanted : fresh();
    emit(op_of(node.op), node, r, left, right);
    return r;
  }

  // The right side is evaluated only when a single truth value on the left does not decide.
  int logical(const Node& node, int wanted) {
    const bool is_and = node.op == Token::kw_and;
    const int r = wanted >= 0 && !is_name_place(wanted) ? wanted : fresh();
    value_into(node.kid(0), r);
    const auto jump = emit(is_and ? Op::jump_if_known_false : Op::jump_if_known_true, node, 0, r);
    const auto before = assigned_;
    const int mark = next_;
    const int right = value(node.kid(1));
    next_ = mark;
    emit(is_and ? Op::logical_and : Op::logical_or, node, r, r, right);
    assigned_ = before;
    land(jump);
    return r;
  }

  bool is_name_place(int r) const { return r < (out_->constants.empty() ? most_ : out_->constants[0].first); }

  int comparison(const Node& node, int wanted) {
    const int mark = next_;
    const int r = wanted >= 0 && !is_name_place(wanted) ? wanted : fresh();
    int left = value(node.kid(0));
    std::vector<std::size_t> jumps;
    for (std::size_t i = 0; i < node.ops.size(); ++i) {
      const int right = value(node.kid(i + 1));
      if (i == 0) {
        emit(op_of(node.ops[i]), node, r, left, right, static_cast<int>(i));
      } else {
        const int t = fresh();
        emit(op_of(node.ops[i]), node, t, left, right, static_cast<int>(i));
        emit(Op::logical_and, node, r, r, t);
      }
      if (i + 1 < node.ops.size()) jumps.push_back(emit(Op::jump_if_known_false, node, 0, r));
      left = right;
    }
    for (const auto j : jumps) land(j);
    next_ = r == wanted ? mark : std::max(mark, r + 1);
    return r;
  }

  // Missing ends are filled in only inside index brackets.
  int range(const Node& node, int wanted) {
    const int mark = next_;
    const int first = fresh(3);
    const bool backwards =
        !node.flag && node.kids[2] && node.kid(2).kind == NodeKind::number && node.kid(2).number < 0;
    const auto end = [&](std::size_t i, int r) {
      if (node.kids[i])
        value_into(node.kid(i), r);
      else if ((i == 0) == backwards)
        emit(Op::extent, node, r, index_bases_.back().first, index_bases_.back().second);
      else
        load(node, Value(1.0), r);
    };
    end(0, first);
    end(1, first + 1);
    if (node.kids[2]) value_into(node.kid(2), first + 2);
    next_ = mark;
    const int r = wanted >= 0 ? wanted : fresh();
    emit(Op::range, node, r, first, !node.kids[2] ? 0 : node.flag ? 2 : 1);
    return r;
  }

  int choice(const Node& node, int wanted) {
    const int r = wanted >= 0 && !is_name_place(wanted) ? wanted : fresh();
    const int mark = next_;
    const int condition = value(node.kid(0));
    next_ = mark;
    const auto no = emit(Op::jump_false, node.kid(0), 0, condition);
    const auto before = assigned_;
    value_into(node.kid(1), r);
    const auto end = emit(Op::jump, node);
    land(no);
    assigned_ = before;
    value_into(node.kid(2), r);
    assigned_ = before;
    land(end);
    return r;
  }

  // Evaluates nodes into neighbouring registers and returns the first.
  template <class Get>
  int in_a_row(std::size_t count, Get get) {
    const int first = fresh(static_cast<int>(count));
    for (std::size_t i = 0; i < count; ++i) value_into(get(i), first + static_cast<int>(i));
    return first;
  }

  int several(Op op, const Node& node, int wanted) {
    const int mark = next_;
    if (node.kids.size() > 60000) fail_node(node, "there are too many items here");
    const int first = in_a_row(node.kids.size(), [&](std::size_t i) -> const Node& {
      return node.kid(i).kind == NodeKind::argument ? node.kid(i).kid(0) : node.kid(i);
    });
    next_ = mark;
    const int r = wanted >= 0 ? wanted : fresh();
    emit(op, node, r, first, 0, static_cast<int>(node.kids.size()));
    return r;
  }

  int matrix(const Node& node, int wanted) {
    const int mark = next_;
    std::vector<const Node*> items;
    for (const auto& row : node.kids)
      for (const auto& item : row->kids) items.push_back(item.get());
    if (items.size() > 60000)
      fail_node(node, "there are too many items in these brackets", "load(…) reads large tables");
    // A bracket of plain numbers is made once.
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
    emit(Op::matrix, node, r, first, 0, static_cast<int>(items.size()));
    return r;
  }

  int text(const Node& node, int wanted) {
    if (node.kids.empty()) return load(node, Value::text(""), wanted);
    if (node.kids.size() == 1 && node.kid(0).kind == NodeKind::literal)
      return load(node, Value::text(node.kid(0).text), wanted);
    const int mark = next_;
    std::vector<const Node*> holes;
    for (const auto& kid : node.kids)
      if (kid->kind == NodeKind::hole) holes.push_back(&kid->kid(0));
    const int first = in_a_row(holes.size(), [&](std::size_t i) -> const Node& { return *holes[i]; });
    next_ = mark;
    const int r = wanted >= 0 ? wanted : fresh();
    emit(Op::text, node, r, first, 0, static_cast<int>(holes.size()));
    return r;
  }

  int comprehension(const Node& node, int wanted) {
    const int mark = next_;
    const int collector = fresh();
    const bool grid = node.kids.size() == 4;
    const Node* outer = node.kids[1].get();
    const Node* inner = grid ? node.kids[2].get() : nullptr;
    if (grid && outer->flag) std::swap(outer, inner);
    emit(Op::list_begin, node, collector);
    const int rows = grid ? fresh() : -1;
    int outer_source = value(outer->kid(0));
    const int inner_source = grid ? value(inner->kid(0)) : -1;
    if (grid) emit(Op::extent, node, rows, outer_source, axis_code(0, false));
    const auto loop = [&](auto& self, const Node& generator, int source) -> void {
      const int state = fresh(3);
      emit(Op::iterate, generator.kid(0), state, source);
      const int top = here();
      const int target = globals_and(generator.binding.index);
      const auto next = emit(Op::next, generator, state, target);
      assigned_.insert(target);
      if (grid && &generator == outer) {
        self(self, *inner, inner_source);
      } else {
        std::size_t skip = 0;
        const auto* condition = node.kids.back().get();
        const int inside = next_;
        if (condition) skip = emit(Op::jump_false, *condition, 0, value(*condition));
        emit(Op::list_push, node.kid(0), collector, value(node.kid(0)));
        next_ = inside;
        if (condition) land(skip);
      }
      emit(Op::jump, generator, top);
      out_->code[next].c = here();
      assigned_.erase(target);
    };
    loop(loop, *outer, outer_source);
    emit(Op::list_end, node, collector, 0, rows);
    next_ = mark;
    const int r = wanted >= 0 ? wanted : fresh();
    if (r != collector) emit(Op::move, node, r, collector);
    return r;
  }

  int globals_and(int local) const { return top_level_ ? globals_ + local : local; }

  int closure(const Node& node, int wanted) {
    auto function = inner(node);
    out_->functions.push_back(std::move(function));
    const int r = wanted >= 0 ? wanted : fresh();
    emit(Op::closure, node, r, static_cast<int>(out_->functions.size()) - 1);
    return r;
  }

  // -- calls

  // A call of a built-in is checked here: names of arguments, their count. Arguments start at kid `from`.
  void check_builtin_call(const Node& node, const Builtin& row, std::size_t from) {
    if (row.constant) fail_node(node, fmt::format("`{}` is a constant and cannot be called", row.name));
    const auto many_at = row.many_at();
    std::vector<std::string> known;
    for (const auto& p : row.parameters)
      if (!p.many && !p.free_names) known.emplace_back(p.name);
    std::set<std::string_view> given;
    std::size_t position = 0;
    for (auto i = from; i < node.kids.size(); ++i) {
      if (node.kid(i).kind != NodeKind::argument) continue;
      const auto& argument = node.kid(i);
      if (argument.text.empty()) {
        if (position < many_at && !row.parameters[position].free_names)
          given.insert(row.parameters[position].name);
        ++position;
        continue;
      }
      if (std::find(known.begin(), known.end(), argument.text) == known.end()) {
        if (row.has_free_names()) continue;
        const auto near = nearest_name(argument.text, known);
        fail_node(argument, fmt::format("{} has no argument `{}`", row.name, argument.text),
                  near.empty()
                      ? fmt::format("it takes {}", known.empty() ? "none by name" : list_in_prose(known))
                      : fmt::format("did you mean {}:?", near));
      }
      if (!given.insert(argument.text).second)
        fail_node(argument, fmt::format("the argument `{}` of {} is given twice, by position and by name",
                                        argument.text, row.name));
    }
    const auto places = row.parameters.size() - (row.has_free_names() ? 1 : 0);
    if (many_at == row.parameters.size() && position > places)
      fail_node(node,
                fmt::format("{} takes {} argument{}, and {} {} given", row.name, places,
                            places == 1 ? "" : "s", position, position == 1 ? "is" : "are"),
                signature(row));
    std::vector<std::string> missing;
    for (const auto& p : row.parameters)
      if (p.fallback.empty() && !p.many && !p.free_names && !given.contains(p.name))
        missing.push_back(fmt::format("`{}`", p.name));
    if (!missing.empty())
      fail_node(node, fmt::format("{} needs {} too", row.name, list_in_prose(missing)), signature(row));
  }

  static std::string signature(const Builtin& row) {
    std::string out = fmt::format("{}(", row.name);
    for (std::size_t i = 0; i < row.parameters.size(); ++i) {
      const auto& p = row.parameters[i];
      out += fmt::format("{}{}{}", i ? ", " : "", p.name,
                         p.many               ? ", …"
                         : p.fallback.empty() ? ""
                                              : fmt::format(": {}", p.fallback));
    }
    return out + ")";
  }

  int call(const Node& node, int wanted, bool each) {
    const int mark = next_;
    const auto count = node.kids.size() - 1;
    if (count > 1000) fail_node(node, "a call takes at most 1000 arguments");
    const auto& callee = node.kid(0);
    const auto argument = [&](std::size_t i) -> const Node& { return node.kid(i + 1).kid(0); };
    if (callee.kind == NodeKind::name && callee.binding.kind == Binding::Kind::builtin && !each) {
      const auto& row = registry_.row(callee.binding.index);
      check_builtin_call(node, row, 1);
      if (row.unary && count == 1) {
        const int operand = value(argument(0));
        next_ = mark;
        const int r = wanted >= 0 ? wanted : fresh();
        emit(Op::apply, node, r, operand, static_cast<int>(*row.unary));
        return r;
      }
      const int first = in_a_row(count, argument);
      next_ = mark;
      const int r = wanted >= 0 ? wanted : fresh();
      emit(Op::call_builtin, node, r, first, callee.binding.index, static_cast<int>(count));
      return r;
    }
    const int base = fresh(static_cast<int>(count) + 1);
    // An unset name may still be a built-in; the call finds out.
    if (callee.kind == NodeKind::name && place_of(callee.binding) >= 0)
      emit(Op::move, callee, base, place_of(callee.binding), 0, 0, 1);
    else
      value_into(callee, base);
    for (std::size_t i = 0; i < count; ++i) value_into(argument(i), base + 1 + static_cast<int>(i));
    next_ = mark;
    const int r = wanted >= 0 ? wanted : fresh();
    emit(each ? Op::each : Op::call, node, r, base, 0, static_cast<int>(count));
    return r;
  }

  // -- choosing and assigning elements

  // Subscripts in neighbouring registers; `..`, `...` and `new` leave theirs alone.
  int subscripts(const Node& node, int base) {
    const auto count = node.kids.size() - 1;
    const int first = fresh(static_cast<int>(count));
    int axis = 0;
    std::size_t behind_rest = 0;
    for (std::size_t i = 0; i < count; ++i) {
      const auto& s = node.kid(i + 1);
      if (s.kind == NodeKind::rest) {
        if (behind_rest) fail_node(s, "`...` stands once in an index");
        behind_rest = i + 1;
        continue;
      }
      if (s.kind == NodeKind::new_axis) continue;
      int code = axis_code(axis, false);
      if (behind_rest) {
        int left = 0;
        for (std::size_t k = i; k < count; ++k) left += node.kid(k + 1).kind != NodeKind::new_axis;
        code = axis_code(left, true);
      }
      ++axis;
      if (s.kind == NodeKind::range && !s.kids[0] && !s.kids[1] && !s.kids[2]) continue;
      index_bases_.emplace_back(base, code);
      const auto depth = index_bases_.size();
      try {
        value_into(s, first + static_cast<int>(i));
      } catch (Error&) {
        index_bases_.resize(depth - 1);
        throw;
      }
      index_bases_.pop_back();
    }
    return first;
  }

  int index(const Node& node, int wanted) {
    const int mark = next_;
    const int base = value(node.kid(0));
    const int first = subscripts(node, base);
    next_ = mark;
    const int r = wanted >= 0 ? wanted : fresh();
    emit(Op::index, node, r, base, first, static_cast<int>(node.kids.size()) - 1);
    return r;
  }

  // The register of a name that is going to be changed.
  int changed_name(const Node& node) {
    const auto kind = node.binding.kind;
    const int place = place_of(node.binding);
    if (place < 0 || kind == Binding::Kind::captured) {
      if (kind == Binding::Kind::builtin)
        fail_node(node, fmt::format("`{}` is a built-in and has no elements to change", node.text));
      fail_node(
          node,
          fmt::format("`{}` belongs to the text around this function, which reads it and cannot change it",
                      node.text),
          fmt::format("make it a parameter and return the changed one, or copy it first: mine = {}",
                      node.text));
    }
    if (!assigned_.contains(place)) emit(Op::check, node, place);
    return place;
  }

  // target[…] = value in register r. With `op`, the chosen elements are combined with it first.
  void set_elements(const Node& target, int r, Op op, const Node& statement) {
    const int mark = next_;
    const auto& base_node = target.kid(0);
    const auto count = static_cast<int>(target.kids.size()) - 1;
    int base = 0;
    if (base_node.kind == NodeKind::name)
      base = changed_name(base_node);
    else {
      base = fresh();
      value_into(base_node, base);
    }
    const int first = subscripts(target, base);
    if (op != Op::move) {
      const int old = fresh();
      emit(Op::index, target, old, base, first, count, 1);
      emit(op, statement, old, old, r);
      r = old;
    }
    emit(Op::set_index, target, base, first, r, count);
    if (base_node.kind != NodeKind::name) set_elements(base_node, base, Op::move, statement);
    next_ = mark;
  }

  // -- statements

  // At the prompt an assignment is shown; one inside of a loop once, when the loop has ended.
  void card(const Node& node, int place) {
    if (!options_.interactive || !top_level_) return;
    if (loops_.empty()) {
      emit(Op::card, node, place);
      return;
    }
    for (const auto& [other, r] : cards_of_loop_)
      if (r == place) return;
    cards_of_loop_.emplace_back(&node, place);
  }

  void cards_after_loop() {
    if (!loops_.empty()) return;
    for (const auto& [node, place] : cards_of_loop_) emit(Op::card, *node, place);
    cards_of_loop_.clear();
  }

  void block(const Node& node) {
    for (const auto& statement : node.kids) {
      const int mark = next_;
      guarded([&] { this->statement(*statement); });
      next_ = mark;
    }
  }

  // A block that may not run: what it assigns is not certain afterwards.
  void uncertain_block(const Node& node) {
    const auto before = assigned_;
    if (node.kind == NodeKind::branch)
      statement(node);
    else
      block(node);
    assigned_ = before;
  }

  void statement(const Node& node) {
    switch (node.kind) {
      case NodeKind::assign: return assign(node);
      case NodeKind::expression: return bare(node);
      case NodeKind::define: return define(node);
      case NodeKind::block: return block(node);
      case NodeKind::branch: return branch(node);
      case NodeKind::loop_for: return loop_for(node);
      case NodeKind::loop_while: return loop_while(node);
      case NodeKind::leave_loop:
      case NodeKind::next_round: return leave(node);
      case NodeKind::give_back: return give_back(node);
      case NodeKind::section: emit(Op::section, node); return;
      case NodeKind::given: return given(node);
      case NodeKind::figure:
      case NodeKind::panel: return drawing(node);
      case NodeKind::expect: return expect(node);
      case NodeKind::use: fail_node(node, "`use` is not built yet");
      case NodeKind::extend: fail_node(node, "`extend` is not built yet");
      case NodeKind::timed: fail_node(node, "`timed` is not built yet");
      default: fail_node(node, "this is not a statement");
    }
  }

  void assign(const Node& node) {
    const auto& source = *node.kids.back();
    const auto targets = node.kids.size() - 1;
    if (targets > 1) return unpack(node);
    const auto& target = node.kid(0);
    const bool plain = node.op == Token::assign;
    if (target.kind == NodeKind::discard) {
      if (!plain) fail_node(target, "`_` has no value");
      value(source);
      return;
    }
    if (target.kind == NodeKind::index) {
      // The right side first; when it is a name's own register nothing is copied.
      const int r = value(source);
      set_elements(target, r, plain ? Op::move : op_of(node.op), node);
      const Node* base = &target;
      while (base->kind == NodeKind::index) base = &base->kid(0);
      card(*base, place_of(base->binding));
      return;
    }
    if (plain) {
      const int place = place_of(target.binding);
      if (place < 0) fail_node(target, fmt::format("`{}` cannot be assigned here", target.text));
      value_into(source, place);
      assigned_.insert(place);
    } else {
      const int place = changed_name(target);
      const int r = value(source);
      emit(op_of(node.op), node, place, place, r);
    }
    card(target, place_of(target.binding));
  }

  void unpack(const Node& node) {
    const auto targets = node.kids.size() - 1;
    const int source = value(*node.kids.back());
    const int first = fresh(static_cast<int>(targets));
    emit(Op::unpack, node, first, source, 0, static_cast<int>(targets));
    for (std::size_t i = 0; i < targets; ++i) {
      const auto& target = node.kid(i);
      const int r = first + static_cast<int>(i);
      if (target.kind == NodeKind::discard) continue;
      if (target.kind == NodeKind::index) {
        set_elements(target, r, Op::move, node);
        continue;
      }
      const int place = place_of(target.binding);
      emit(Op::move, target, place, r);
      assigned_.insert(place);
      card(target, place);
    }
  }

  void bare(const Node& node) {
    const int r = value(node.kid(0));
    if (top_level_) emit(Op::show, node.kid(0), r);
  }

  void define(const Node& node) {
    const int place = place_of(node.binding);
    closure(node.kid(0), place);
    assigned_.insert(place);
    card(node.kid(0), place);
  }

  void branch(const Node& node) {
    const int mark = next_;
    const auto no = emit(Op::jump_false, node.kid(0), 0, value(node.kid(0)));
    next_ = mark;
    const auto before = assigned_;
    block(node.kid(1));
    auto after_yes = assigned_;
    assigned_ = before;
    if (!node.kids[2]) {
      land(no);
      return;
    }
    const auto end = emit(Op::jump, node);
    land(no);
    if (node.kid(2).kind == NodeKind::branch)
      statement(node.kid(2));
    else
      block(node.kid(2));
    land(end);
    std::set<int> both;
    std::set_intersection(after_yes.begin(), after_yes.end(), assigned_.begin(), assigned_.end(),
                          std::inserter(both, both.begin()));
    assigned_ = std::move(both);
  }

  struct Loop {
    std::vector<std::size_t> leave;
    std::vector<std::size_t> next;
    std::size_t drawings = 0;  // figure and panel blocks open around the loop
  };

  void loop_for(const Node& node) {
    const auto targets = node.kids.size() - 2;
    const int source = value(node.kid(targets));
    const int state = fresh(3);
    emit(Op::iterate, node.kid(targets), state, source);
    const auto place = [&](std::size_t i) {
      return node.kid(i).kind == NodeKind::discard ? -1 : place_of(node.kid(i).binding);
    };
    const int single = targets == 1 && place(0) >= 0 ? place(0) : fresh();
    const int parts = targets > 1 ? fresh(static_cast<int>(targets)) : 0;
    const int top = here();
    const auto next = emit(Op::next, node, state, single);
    const auto before = assigned_;
    if (targets > 1) {
      emit(Op::unpack, node, parts, single, 0, static_cast<int>(targets));
      for (std::size_t i = 0; i < targets; ++i)
        if (place(i) >= 0) emit(Op::move, node, place(i), parts + static_cast<int>(i));
    }
    for (std::size_t i = 0; i < targets; ++i)
      if (place(i) >= 0) assigned_.insert(place(i));
    loops_.push_back({{}, {}, drawings_.size()});
    block(*node.kids.back());
    for (const auto j : loops_.back().next) land(j);
    emit(Op::jump, node, top);
    out_->code[next].c = here();
    for (const auto j : loops_.back().leave) land(j);
    loops_.pop_back();
    assigned_ = before;
    cards_after_loop();
  }

  void loop_while(const Node& node) {
    const int top = here();
    const int mark = next_;
    const auto leave = emit(Op::jump_false, node.kid(0), 0, value(node.kid(0)));
    next_ = mark;
    loops_.push_back({{}, {}, drawings_.size()});
    uncertain_block(node.kid(1));
    for (const auto j : loops_.back().next) out_->code[j].a = top;
    emit(Op::jump, node, top);
    land(leave);
    for (const auto j : loops_.back().leave) land(j);
    loops_.pop_back();
    cards_after_loop();
  }

  void close_drawings(std::size_t down_to) {
    for (auto i = drawings_.size(); i > down_to; --i) emit(Op::close_block, *drawings_[i - 1]);
  }

  void leave(const Node& node) {
    if (loops_.empty()) fail_node(node, "this stands outside of a loop");
    close_drawings(loops_.back().drawings);
    const auto jump = emit(Op::jump, node);
    (node.kind == NodeKind::leave_loop ? loops_.back().leave : loops_.back().next).push_back(jump);
  }

  void give_back(const Node& node) {
    const int r = node.kids[0] ? value(node.kid(0)) : -1;
    close_drawings(0);
    emit(Op::give_back, node, r);
  }

  void given(const Node& node) {
    const int place = place_of(node.binding);
    const int r = value(node.kid(0));
    emit(Op::given, node, place, r);
    assigned_.insert(place);
    card(node, place);
  }

  void drawing(const Node& node) {
    const std::string word = node.kind == NodeKind::figure ? "figure" : "panel";
    const int row = registry_.find(word);
    if (row < 0) fail_node(node, fmt::format("`{}` is not available", word));
    // The block's header is an ordinary call of the built-in that opens it.
    const int mark = next_;
    const auto count = node.kids.size() - 1;
    const auto argument = [&](std::size_t i) -> const Node& { return node.kid(i).kid(0); };
    check_builtin_call(node, registry_.row(row), 0);
    const int first = in_a_row(count, argument);
    next_ = mark;
    emit(Op::call_builtin, node, fresh(), first, row, static_cast<int>(count));
    next_ = mark;
    drawings_.push_back(&node);
    block(*node.kids.back());
    drawings_.pop_back();
    emit(Op::close_block, node);
  }

  // A comparison of two sides keeps both, so that a failure can show them.
  void expect(const Node& node) {
    const auto& condition = node.kid(0);
    const int first = fresh(4);
    const bool two_sides = condition.kind == NodeKind::comparison && condition.ops.size() == 1;
    if (two_sides) {
      value_into(condition.kid(0), first + 1);
      value_into(condition.kid(1), first + 2);
      emit(op_of(condition.ops[0]), condition, first, first + 1, first + 2);
    } else {
      value_into(condition, first);
    }
    // The message is made only when it is needed.
    const auto fine = emit(Op::jump_if_known_true, node, 0, first);
    if (node.kids[1]) value_into(node.kid(1), first + 3);
    land(fine);
    emit(Op::expect, node, first, 0, (two_sides ? 1 : 0) + (node.kids[1] ? 2 : 0));
  }

  std::shared_ptr<Tree> tree_;
  Module& module_;
  const Registry& registry_;
  CompileOptions options_;
  std::shared_ptr<Function> out_ = std::make_shared<Function>();
  const Scope* scope_ = nullptr;
  bool top_level_ = false;
  int globals_ = 0;
  int next_ = 0;
  int most_ = 0;
  std::set<int> assigned_;                        // registers of names that surely have a value here
  std::vector<std::pair<int, int>> index_bases_;  // register and axis that `last` speaks of
  std::vector<Loop> loops_;
  std::vector<const Node*> drawings_;
  std::vector<std::pair<const Node*, int>> cards_of_loop_;
};

}  // namespace

std::shared_ptr<const Function> compile(const std::shared_ptr<Tree>& tree, Module& module,
                                        const Registry& registry, const CompileOptions& options) {
  return Compiler(tree, module, registry, options).top();
}

}  // namespace quill
