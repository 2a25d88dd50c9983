// Tested by check_test.cpp.
#include "session/check_values.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "array/index.h"
#include "base/number.h"
#include "base/text.h"
#include "builtins/tables.h"
#include "language/effects.h"
#include "value/arguments.h"
#include "value/print.h"
#include "value/registry.h"

namespace quill {

namespace {

using What = Known::Kind;
using Names = std::map<std::pair<Binding::Kind, int>, Known>;

bool is_plain_text(const Node& node) {
  return node.kind == NodeKind::text &&
         (node.kids.empty() || (node.kids.size() == 1 && node.kid(0).kind == NodeKind::literal));
}
std::string plain_text(const Node& node) { return node.kids.empty() ? "" : node.kid(0).text; }

bool gives_back(const Node& node) {
  if (node.kind == NodeKind::give_back) return node.returned_value() != nullptr;
  if (node.kind == NodeKind::function) return false;
  return std::any_of(node.kids.begin(), node.kids.end(),
                     [](const NodePtr& kid) { return kid && gives_back(*kid); });
}

class ValueCheck {
 public:
  ValueCheck(const Tree& tree, const std::map<std::string, Known>& before) : tree_(tree) {
    effects_ = effects_of(*tree.root);
    for (const auto& use : effects_) {
      if (use.binding.kind != Binding::Kind::global) continue;
      if (const auto found = before.find(use.name); found != before.end()) {
        names_[{Binding::Kind::global, use.binding.index}] = found->second;
        given_.insert(use.name);
      }
      if (!use.is_change() || use.in_function || use.in_comprehension) continue;
      const auto [line, is_new] = lines_.try_emplace(use.name, use.node->span.begin);
      if (!is_new) line->second = std::min(line->second, use.node->span.begin);
      if (use.node->kind == NodeKind::function && ++definitions_[use.name] == 1)
        functions_[use.name] = use.node;
      if (use.node->kind != NodeKind::function) definitions_[use.name] += 2;
    }
  }

  std::vector<ValueFinding> run() {
    block(*tree_.root);
    return std::move(findings_);
  }

 private:
  void tell(const Node& node, const std::string& message, std::string hint = {}, bool is_sure = true) {
    if (!told_.insert(node.span.begin).second) return;
    Error error(message, std::move(hint));
    error.place = {tree_.source, node.span};
    findings_.push_back({is_sure && uncertain_ == 0, std::move(error)});
  }
  void tell(const Node& node, const Error& error) { tell(node, error.message, error.hint); }

  // The function of the text that a name stands for wherever it is read; null when it may be something else.
  const Node* only_function(const Node& name) const {
    if (name.kind != NodeKind::name || name.binding.kind != Binding::Kind::global) return nullptr;
    const auto found = functions_.find(name.text);
    return found != functions_.end() && definitions_.at(name.text) == 1 ? found->second : nullptr;
  }

  // ---- statements

  void block(const Node& node) {
    for (const auto& statement : node.kids) {
      this->statement(*statement);
      // What follows a statement that surely fails is never reached.
      if (!findings_.empty() && findings_.back().is_error && uncertain_ == 0 && depth_ == 0) ++uncertain_;
    }
  }

  // A part that may run or not, or often: f looks at it.
  template <class F>
  void perhaps(F f) {
    const auto before = names_;
    ++uncertain_;
    f();
    --uncertain_;
    for (auto& [name, known] : names_) {
      const auto was = before.find(name);
      known = was == before.end() ? Known{} : joined(was->second, known);
    }
  }

  void forget_changed_in(const Node& node) {
    for (const auto& use : effects_of(node))
      if (use.is_change() && !use.in_function) {
        set(use.binding, Known{});
        given_.insert(use.name);
      }
  }

  void statement(const Node& node) {
    switch (node.kind) {
      case NodeKind::assign: return assign(node);
      case NodeKind::define:
        set(node.binding, function(node.defined_function()));
        given_.insert(node.defined_function().text);
        return;
      case NodeKind::expression: value(node.shown_value()); return;
      case NodeKind::branch: return branch(node);
      case NodeKind::loop_for:
      case NodeKind::loop_while: return loop(node);
      case NodeKind::give_back:
        if (node.returned_value()) value(*node.returned_value());
        return;
      case NodeKind::section:
        if (!sections_.insert(node.text).second)
          tell(node, fmt::format("the section \"{}\" stands twice", node.text),
               "titles of sections are unique");
        return;
      case NodeKind::given: {
        auto known = value(*node.default_value());
        known.number.reset();
        known.text.reset();
        set(node.binding, known.is(What::array) ? Known{} : known);
        given_.insert(node.text);
        return;
      }
      case NodeKind::use:
        set(node.binding, Known{});
        given_.insert(node.prose);
        return;
      case NodeKind::figure:
      case NodeKind::panel:
      case NodeKind::extend:
      case NodeKind::timed: return headed(node);
      case NodeKind::expect: expectation(node); return;
      case NodeKind::block: return block(node);
      default: return;
    }
  }

  void headed(const Node& node) {
    for (std::size_t k = 0; k < node.header_count(); ++k) {
      if (node.kids[k] == nullptr) continue;
      const auto& header = node.header(k);
      value(header.kind == NodeKind::argument ? header.argument_value() : header);
    }
    if (node.kind == NodeKind::figure && node.header_count() > 0 && uncertain_ == 0 && depth_ == 0) {
      const auto& first =
          node.header(0).kind == NodeKind::argument ? node.header(0).argument_value() : node.header(0);
      if (is_plain_text(first) && !figures_.insert(plain_text(first)).second)
        tell(first,
             fmt::format("the figure \"{}\" is drawn twice, and the second one replaces the first",
                         plain_text(first)),
             fmt::format("extend(\"{}\") {{ … }} adds to it", plain_text(first)), false);
    }
    if (node.kind == NodeKind::figure || node.kind == NodeKind::panel || node.kind == NodeKind::extend)
      look_at_words(node, node.kind == NodeKind::figure  ? "figure"
                          : node.kind == NodeKind::panel ? "panel"
                                                         : "extend");
    block(node.body());
  }

  void expectation(const Node& node) {
    const auto known = value(node.condition());
    if (known.is(What::number) || known.is(What::text))
      tell(node.condition(), fmt::format("an expectation is a truth value, not {}", in_words(known)));
    if (node.message()) value(*node.message());
  }

  void branch(const Node& node) {
    condition(node.condition());
    perhaps([&] { block(node.then_part()); });
    if (const auto* otherwise = node.else_part())
      perhaps([&] { otherwise->kind == NodeKind::branch ? branch(*otherwise) : block(*otherwise); });
    forget_changed_in(node);
  }

  void condition(const Node& node) {
    const auto known = value(node);
    if (known.is(What::number) || known.is(What::text))
      tell(node, fmt::format("a condition is a truth value, not {}", in_words(known)),
           known.is(What::number) ? "compare: x != 0" : "");
    else if (known.is(What::array) && known.are_truths)
      tell(node, fmt::format("a condition is one truth value, and this is {}", in_words(known)),
           "any(…) or all(…) makes one of them");
  }

  void loop(const Node& node) {
    Known source;
    if (node.kind == NodeKind::loop_for) source = value(node.loop_source());
    if (source.is(What::number) || source.is(What::truth))
      tell(node.loop_source(), fmt::format("a loop cannot run over {}", in_words(source)),
           source.is(What::number) ? fmt::format("for k in 1..{} {{ … }}", written(node.loop_source())) : "");
    // The condition is met at once; what the loop changes it may find changed later.
    if (node.kind == NodeKind::loop_while) condition(node.condition());
    forget_changed_in(node);
    perhaps([&] {
      if (node.kind == NodeKind::loop_for && node.loop_target_count() == 1 && source.is(What::array) &&
          source.shape && source.shape->count() == 1 && node.loop_source().kind == NodeKind::range)
        set(node.target(0).binding, known_number());
      block(node.body());
    });
    forget_changed_in(node);
  }

  void assign(const Node& node) {
    auto known = value(node.assigned_value());
    if (known.is(What::nothing)) {
      tell(node.assigned_value(),
           fmt::format("{} ended without a result, so there is nothing to assign",
                       written(node.assigned_value().callee())),
           "a body in braces gives back what `return` says");
      known = {};
    }
    if (node.target_count() > 1) return unpack(node, known);
    const auto& target = node.target(0);
    if (target.kind == NodeKind::index) {
      place(target);
      return;
    }
    if (target.kind != NodeKind::name) return;
    if (node.op != Token::assign) {
      const auto old = name(target);
      known = arithmetic(node, symbol_of_update(node.op), old, known);
    }
    set(target.binding, std::move(known));
    given_.insert(target.text);
  }

  static std::string symbol_of_update(Token op) {
    const auto spelling = row_of(op).spelling;
    return std::string(spelling.substr(0, spelling.size() - 1));
  }

  void unpack(const Node& node, const Known& known) {
    const auto count = static_cast<Index>(node.target_count());
    std::optional<Index> parts;
    if (known.is(What::tuple)) parts = static_cast<Index>(known.items.size());
    if (known.is(What::array) && known.shape && known.shape->count() > 0) parts = (*known.shape)[0];
    if (parts && *parts != count)
      tell(node, fmt::format("{} names for {} part{}", count, *parts, *parts == 1 ? "" : "s"),
           "`_` takes a part that is not wanted");
    if (known.is(What::number) || known.is(What::text) || known.is(What::truth))
      tell(node, fmt::format("{} cannot be taken apart into {} names", in_words(known), count));
    for (std::size_t k = 0; k < node.target_count(); ++k) {
      const auto& target = node.target(k);
      if (target.kind == NodeKind::index) place(target);
      if (target.kind != NodeKind::name) continue;
      const bool is_part = known.is(What::tuple) && k < known.items.size();
      set(target.binding, is_part ? known.items[k] : Known{});
      given_.insert(target.text);
    }
  }

  // Elements that are assigned: the array keeps its shape.
  void place(const Node& target) { index(target); }

  // ---- names

  void set(const Binding& binding, Known known) {
    if (binding.kind == Binding::Kind::local || binding.kind == Binding::Kind::global)
      names_[{binding.kind, binding.index}] = std::move(known);
  }

  Known name(const Node& node) {
    if (node.binding.kind == Binding::Kind::builtin) {
      const auto& row = builtins().row(node.binding.index);
      return row.constant ? known_number(*row.constant) : Known{};
    }
    if (node.binding.kind == Binding::Kind::global && depth_ == 0) look_for_value(node);
    // What is outside of a function may change before it is called.
    if (depth_ > 0 && node.binding.kind != Binding::Kind::local) return {};
    const auto found = names_.find({node.binding.kind, node.binding.index});
    return found == names_.end() ? Known{} : found->second;
  }

  std::string line_of(std::uint32_t at) const {
    return fmt::format("line {}", tree_.source->position(at).line);
  }

  // A name of the top level that gets its value further down.
  void look_for_value(const Node& node) {
    if (given_.contains(node.text) || builtins().find(node.text) >= 0) return;
    const auto line = lines_.find(node.text);
    if (line == lines_.end() || line->second <= node.span.begin) return;
    tell(node, fmt::format("`{}` has no value yet: it gets one in {}", node.text, line_of(line->second)));
  }

  // The names of the top level that a function reads, by itself or by what it calls.
  void collect_reads(const std::string& function, std::set<std::string>& seen,
                     std::set<std::string>& reads) const {
    if (!seen.insert(function).second) return;
    const auto found = functions_.find(function);
    if (found == functions_.end() || definitions_.at(function) != 1) return;
    for (const auto& use : effects_of(*found->second)) {
      if (use.binding.kind != Binding::Kind::global || use.is_change()) continue;
      reads.insert(use.name);
      collect_reads(use.name, seen, reads);
    }
  }

  void look_for_early_call(const Node& call) {
    if (depth_ > 0 || only_function(call.callee()) == nullptr) return;
    std::set<std::string> seen, reads;
    collect_reads(call.callee().text, seen, reads);
    for (const auto& name : reads) {
      if (given_.contains(name) || builtins().find(name) >= 0) continue;
      const auto line = lines_.find(name);
      if (line == lines_.end() || line->second < call.span.begin) continue;
      tell(call,
           fmt::format("`{}` reads `{}`, which has no value yet: it gets one in {}", call.callee().text, name,
                       line_of(line->second)),
           {}, false);
      return;
    }
  }

  // ---- expressions

  std::string written(const Node& node) const { return std::string(tree_.source->text(node.span)); }

  Known function(const Node& node) {
    // The body is looked at once, with parameters of which nothing is known.
    Names outer;
    outer.swap(names_);
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
    Known out;
    out.kind = What::function;
    out.function = &node;
    return out;
  }

  Known value(const Node& node) {
    switch (node.kind) {
      case NodeKind::number: return node.flag ? known_number() : known_number(node.number);
      case NodeKind::text: return text(node);
      case NodeKind::truth: {
        Known out;
        out.kind = What::truth;
        return out;
      }
      case NodeKind::name: return name(node);
      case NodeKind::unary: return unary(node);
      case NodeKind::binary: return binary(node);
      case NodeKind::comparison: return comparison(node);
      case NodeKind::range: return range(node);
      case NodeKind::conditional: {
        condition(node.condition());
        Known yes, no;
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
        Known out;
        out.kind = What::tuple;
        for (const auto& kid : node.kids) out.items.push_back(value(*kid));
        return out;
      }
      case NodeKind::record: {
        Known out;
        out.kind = What::record;
        for (const auto& kid : node.kids) {
          out.names.push_back(kid->text);
          out.items.push_back(value(kid->argument_value()));
        }
        return out;
      }
      case NodeKind::dictionary: {
        for (const auto& kid : node.kids) value(*kid);
        Known out;
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

  Known text(const Node& node) {
    for (const auto& kid : node.kids)
      if (kid->kind == NodeKind::hole) hole(*kid);
    Known out;
    out.kind = What::text;
    if (is_plain_text(node)) out.text = plain_text(node);
    return out;
  }

  // A format is wrong when nothing that the value may be can be written by it.
  void hole(const Node& node) {
    const auto known = value(node.hole_value());
    if (node.text.empty() || node.text.find('{') != node.text.npos) return;
    std::vector<Value> samples;
    if (!known.is(What::text))
      samples = {Value(1.0), Value::truth(true), Value::array(Array::filled<Complex>({}, 1.0))};
    if (!known.is(What::number)) samples.push_back(Value::text("a"));
    std::optional<Error> first;
    for (const auto& sample : samples) try {
        formatted(sample, node.text);
        return;
      } catch (const Error& error) {
        if (!first) first = error;
      }
    tell(node, fmt::format("`{}` is not a format for {}", node.text, in_words(known)), first->hint);
  }

  Known unary(const Node& node) {
    const auto known = value(node.operand());
    if (node.op == Token::minus) {
      if (known.is(What::text)) tell(node, "- takes numbers, not text");
      if (known.is(What::number))
        return known_number(known.number ? std::optional(-*known.number) : std::nullopt);
      return known.is(What::array) ? known_array(known.shape) : Known{};
    }
    if (node.op == Token::kw_not) {
      if (known.is(What::number) || known.is(What::text))
        tell(node, fmt::format("`not` takes truth values, not {}", in_words(known)),
             known.is(What::number) ? "compare first: x == 0" : "");
      return known.is(What::array) ? known_array(known.shape, true) : known.is(What::truth) ? known : Known{};
    }
    if (known.is(What::array) && known.shape && known.shape->count() == 1)
      tell(node, "a vector has no second axis to transpose",
           fmt::format("across({0}) is one row, down({0}) one column; outer(a, b) multiplies all pairs",
                       written(node.operand())));
    if (known.is(What::array) && known.shape && known.shape->count() == 2)
      return known_array(Shape{(*known.shape)[1], (*known.shape)[0]}, known.are_truths);
    return {};
  }

  Known binary(const Node& node) {
    const auto left = value(node.left());
    const bool is_logic = node.op == Token::kw_and || node.op == Token::kw_or;
    if (is_logic) ++uncertain_;
    const auto right = value(node.right());
    if (is_logic) --uncertain_;
    if (is_logic) return logic(node, left, right);
    if (node.op == Token::matrix_times) return matrix_product(node, left, right);
    return arithmetic(node, std::string(row_of(node.op).spelling), left, right);
  }

  Known arithmetic(const Node& node, const std::string& sign, const Known& left, const Known& right) {
    for (const auto* side : {&left, &right}) {
      if (side->is(What::text)) {
        tell(node, fmt::format("{} takes numbers, not text", sign),
             sign != "+"                                   ? ""
             : left.is(What::text) && right.is(What::text) ? "join_text([\"lake \", \"Velm\"]) joins texts"
                                                           : "\"{x} m\" puts the number x into a text");
        return {};
      }
      if (side->is(What::nothing)) {
        tell(node, fmt::format("`{}` takes arrays, and a call here gives no result", sign),
             "a body in braces gives back what `return` says");
        return {};
      }
      if (side->is(What::tuple) || side->is(What::record) || side->is(What::dictionary) ||
          side->is(What::function)) {
        tell(node, fmt::format("`{}` takes arrays, not {}", sign, in_words(*side)));
        return {};
      }
    }
    const auto x = left.whole_shape(), y = right.whole_shape();
    if (!x || !y) return {};
    try {
      const auto shape = broadcast_shapes(*x, *y, fmt::format(" {} ", sign));
      if (shape.count() > 0) return known_array(shape);
    } catch (const Error& error) {
      tell(node, error);
      return {};
    }
    return left.number && right.number ? known_number(calculated(sign, *left.number, *right.number))
                                       : known_number();
  }

  static std::optional<double> calculated(const std::string& sign, double a, double b) {
    if (sign == "+") return a + b;
    if (sign == "-") return a - b;
    if (sign == "*") return a * b;
    return std::nullopt;
  }

  Known matrix_product(const Node& node, const Known& left, const Known& right) {
    if (left.is(What::number) || right.is(What::number)) {
      tell(node, "*+ multiplies vectors and matrices, and one side is a single number",
           "use * to multiply by a number");
      return {};
    }
    if (!left.is(What::array) || !right.is(What::array) || !left.shape || !right.shape) return {};
    const auto &x = *left.shape, &y = *right.shape;
    if (x.count() == 0 || y.count() == 0) return {};
    if (x.back() != y[0]) {
      tell(node, fmt::format("shapes do not match: {} *+ {}", text_of(x), text_of(y)),
           x == y ? fmt::format("the elementwise product is written  {} * {}", written(node.left()),
                                written(node.right()))
                  : "");
      return {};
    }
    Shape out;
    for (int k = 0; k + 1 < x.count(); ++k) out.push_back(x[k]);
    for (int k = 1; k < y.count(); ++k) out.push_back(y[k]);
    return out.count() == 0 ? known_number() : known_array(out);
  }

  Known logic(const Node& node, const Known& left, const Known& right) {
    const auto* sign = node.op == Token::kw_and ? "and" : "or";
    const bool on_left = left.is(What::number) || left.is(What::text);
    if (on_left || right.is(What::number) || right.is(What::text)) {
      const auto& first = node.left();
      const bool compares = !on_left && first.kind == NodeKind::comparison && first.ops.size() == 1 &&
                            first.ops[0] == Token::equal;
      // Whether the right side is met depends on the left one.
      tell(on_left ? node.left() : node.right(),
           fmt::format("`{}` takes truth values, not {}", sign, in_words(on_left ? left : right)),
           compares ? fmt::format("{} {} {} == {}", written(first), sign, written(first.left()),
                                  written(node.right()))
                    : "compare first: x != 0",
           on_left);
      return {};
    }
    Known out;
    if (left.is(What::truth) && right.is(What::truth)) out.kind = What::truth;
    return out;
  }

  Known comparison(const Node& node) {
    std::vector<Known> sides;
    for (const auto& kid : node.kids) sides.push_back(value(*kid));
    Known out;
    if (sides.size() != 2) return out;
    const auto x = sides[0].whole_shape(), y = sides[1].whole_shape();
    if (!x || !y) return out;
    try {
      const auto shape = broadcast_shapes(*x, *y, fmt::format(" {} ", row_of(node.ops[0]).spelling));
      if (shape.count() > 0) return known_array(shape, true);
      out.kind = What::truth;
    } catch (const Error& error) { tell(node, error); }
    return out;
  }

  Known range(const Node& node) {
    std::vector<Known> parts;
    for (const auto& kid : node.kids) parts.push_back(kid ? value(*kid) : Known{});
    if (!node.kids[0] || !node.kids[1]) return known_array();
    for (std::size_t k = 0; k < 3; ++k)
      if (parts[k].is(What::text) || parts[k].is(What::tuple) || parts[k].is(What::record))
        tell(*node.kids[k], fmt::format("{} of a range is a single number, not {}",
                                        k == 0      ? "the first end"
                                        : k == 1    ? "the last end"
                                        : node.flag ? "the count"
                                                    : "the step",
                                        in_words(parts[k])));
    if (node.kids[2] && !node.flag && parts[2].number == 0.0) {
      tell(*node.kids[2], "the step of a range cannot be 0");
      return known_array();
    }
    const bool is_known = parts[0].number && parts[1].number && (!node.kids[2] || parts[2].number);
    if (!is_known) return known_array();
    try {
      const auto made =
          node.flag
              ? Value::range_count(*parts[0].number, *parts[1].number, static_cast<Index>(*parts[2].number))
              : Value::range(*parts[0].number, *parts[1].number, node.kids[2] ? *parts[2].number : 1);
      return known_array(shape_of(made));
    } catch (const Error& error) { tell(node, error); }
    return known_array();
  }

  Known matrix(const Node& node) {
    std::vector<Index> lengths;
    bool are_single = true, are_numbers = true, are_truths = true;
    for (const auto& row : node.kids) {
      for (const auto& item : row->kids) {
        const auto known = value(*item);
        are_single = are_single && (known.is(What::number) || known.is(What::truth) || known.is(What::text));
        are_numbers = are_numbers && known.is(What::number);
        are_truths = are_truths && known.is(What::truth);
      }
      lengths.push_back(static_cast<Index>(row->kids.size()));
    }
    if (!are_single || lengths.empty()) return lengths.empty() ? known_array() : Known{};
    // Of texts and of mixed things only so much is known.
    if (!are_numbers && !are_truths) return {};
    if (!node.flag) return known_array(Shape{lengths[0]}, are_truths);
    for (std::size_t k = 1; k < lengths.size(); ++k)
      if (lengths[k] != lengths[0]) {
        tell(node, fmt::format("rows of different lengths: row 1 has {} columns, row {} has {}", lengths[0],
                               k + 1, lengths[k]));
        return {};
      }
    return known_array(Shape{static_cast<Index>(lengths.size()), lengths[0]}, are_truths);
  }

  Known comprehension(const Node& node) {
    const auto outer = names_;
    ++uncertain_;
    for (std::size_t k = 0; k < node.generator_count(); ++k) {
      const auto& generator = node.generator(k);
      const auto source = value(generator.generator_source());
      const bool is_range = generator.generator_source().kind == NodeKind::range;
      if (generator.bound_count() == 0) set(generator.binding, is_range ? known_number() : Known{});
      for (std::size_t n = 1; n <= generator.bound_count(); ++n) set(generator.kid(n).binding, Known{});
      static_cast<void>(source);
    }
    if (const auto* filter = node.filter()) condition(*filter);
    value(node.item());
    --uncertain_;
    names_ = outer;
    return {};
  }

  Known part(const Node& node) {
    const auto base = value(node.base());
    if (base.is(What::record)) {
      const auto found = std::find(base.names.begin(), base.names.end(), node.text);
      if (found != base.names.end()) return base.items[static_cast<std::size_t>(found - base.names.begin())];
      const auto near = nearest_name(node.text, base.names);
      tell(node, fmt::format("the record has no field `{}`", node.text),
           near.empty() ? fmt::format("known: {}", list_in_prose(base.names))
                        : fmt::format("did you mean {}?", near));
    } else if (base.is(What::number) || base.is(What::text) || base.is(What::truth) || base.is(What::array)) {
      tell(node, fmt::format("{} has no parts, so `.{}` means nothing", in_words(base), node.text),
           builtins().find(node.text) >= 0 ? fmt::format("{}({})", node.text, written(node.base())) : "");
    }
    return {};
  }

  Known index(const Node& node) {
    const auto base = value(node.base());
    std::vector<Known> chosen;
    for (std::size_t k = 0; k < node.subscript_count(); ++k) {
      const auto& subscript = node.subscript(k);
      chosen.push_back(subscript.kind == NodeKind::rest || subscript.kind == NodeKind::new_axis
                           ? Known{}
                           : value(subscript));
    }
    if (base.is(What::text) || base.is(What::number)) {
      tell(node,
           base.is(What::text) ? "a text is one value and has no elements to choose"
                               : "a single number has no elements to choose",
           base.is(What::text) ? "characters(t) makes an array of its characters" : "");
      return {};
    }
    if (base.is(What::tuple) && chosen.size() == 1 && chosen[0].number) {
      try {
        const auto at = checked_position(*chosen[0].number, static_cast<Index>(base.items.size()), 0, 1);
        return base.items[static_cast<std::size_t>(at)];
      } catch (const Error& error) { tell(node, error); }
      return {};
    }
    return base.is(What::array) && base.shape ? elements(node, *base.shape, base.are_truths, chosen)
                                              : Known{};
  }

  // Elements of an array of a known shape.
  Known elements(const Node& node, const Shape& shape, bool are_truths, const std::vector<Known>& chosen) {
    int used = 0;
    bool is_open = false, is_mask = false, is_sure = true;
    for (std::size_t k = 0; k < chosen.size(); ++k) {
      const auto kind = node.subscript(k).kind;
      is_open = is_open || kind == NodeKind::rest;
      if (kind != NodeKind::rest && kind != NodeKind::new_axis) ++used;
      is_mask = is_mask || (chosen[k].is(What::array) && chosen[k].are_truths);
      is_sure = is_sure && (kind == NodeKind::range || kind == NodeKind::rest || kind == NodeKind::new_axis ||
                            chosen[k].is(What::number));
    }
    // A condition of the array's own shape may stand alone.
    if (is_mask || !is_sure) {
      check_numbers(node, shape, chosen, is_open);
      return {};
    }
    if (is_open ? used > shape.count() : used != shape.count()) {
      tell(node,
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
                                                    [](const Known& c) { return c.is(What::number); });
    if (!all_single) return {};
    Known out;
    out.kind = are_truths ? What::truth : What::anything;
    return out;
  }

  // Whether the single positions lie within the axes.
  bool check_numbers(const Node& node, const Shape& shape, const std::vector<Known>& chosen, bool is_open) {
    if (is_open || static_cast<int>(chosen.size()) != shape.count()) return true;
    for (std::size_t k = 0; k < chosen.size(); ++k) {
      if (!chosen[k].is(What::number) || !chosen[k].number) continue;
      try {
        checked_position(*chosen[k].number, shape[static_cast<int>(k)], static_cast<int>(k), shape.count());
      } catch (const Error& error) {
        tell(node, error);
        return false;
      }
    }
    return true;
  }

  void refuse_call(const Node& node, const Known& called) {
    tell(node, fmt::format("{} cannot be called", in_words(called)),
         called.is(What::array) ? "elements are chosen with brackets: a[2]; a product needs its sign: a * (b)"
                                : "a product needs its sign: a * (b)");
  }

  Known call(const Node& node) {
    const auto& callee = node.callee();
    const auto called = callee.kind == NodeKind::name ? Known{} : value(callee);
    if (called.is(What::number) || called.is(What::text)) refuse_call(node, called);
    const auto of_callee = callee.kind == NodeKind::name && callee.binding.kind != Binding::Kind::builtin
                               ? name(callee)
                               : Known{};
    std::vector<Known> arguments;
    bool some_by_name = false;
    for (std::size_t k = 0; k < node.argument_count(); ++k) {
      arguments.push_back(value(node.argument(k).argument_value()));
      some_by_name = some_by_name || !node.argument(k).text.empty();
    }
    if (callee.kind != NodeKind::name) return {};
    if (callee.binding.kind == Binding::Kind::builtin) {
      const auto& row = builtins().row(callee.binding.index);
      look_at_words(node, row.name);
      look_at_functions(node, row, arguments);
      try {
        return known_result(row.name, arguments, some_by_name);
      } catch (const Error& error) { tell(node, error); }
      return {};
    }
    const bool is_no_function = of_callee.is(What::number) || of_callee.is(What::text) ||
                                of_callee.is(What::truth) || of_callee.is(What::array);
    if (is_no_function && builtins().find(callee.text) < 0) refuse_call(node, of_callee);
    look_for_early_call(node);
    const auto* function = only_function(callee);
    if (!function || function->flag || gives_back(function->body())) return {};
    Known out;
    out.kind = What::nothing;
    return out;
  }

  // Words among arguments that the built-in does not know.
  void look_at_words(const Node& node, std::string_view builtin) {
    const int at = builtins().find(builtin);
    if (at < 0) return;
    const auto& row = builtins().row(at);
    std::vector<std::string> names;
    std::vector<const Node*> given;
    for (const auto& kid : node.kids)
      if (kid && kid->kind == NodeKind::argument) {
        names.push_back(kid->text);
        given.push_back(&kid->argument_value());
      }
    std::size_t position = 0;
    for (std::size_t k = 0; k < given.size(); ++k) {
      std::size_t place = position;
      if (names[k].empty()) {
        if (position < row.many_at()) ++position;
      } else {
        place = 0;
        while (place < row.parameters.size() && row.parameters[place].name != names[k]) ++place;
      }
      if (place >= row.parameters.size() || place == row.many_at()) continue;
      look_at_word(row, row.parameters[place], *given[k]);
    }
  }

  void look_at_word(const Builtin& row, const Parameter& parameter, const Node& argument) {
    const auto tell_of = [&](const std::string& message, const std::string& hint = {}) {
      tell(argument, argument_message(row, parameter, message), hint);
    };
    if (parameter.fallback == "true" || parameter.fallback == "false") {
      if (argument.kind == NodeKind::number || argument.kind == NodeKind::text)
        tell_of(fmt::format("is true or false, not {}", written(argument)));
      return;
    }
    if (const auto& range = parameter.whole_within; range && argument.kind == NodeKind::number) {
      const double x = argument.number;
      if (!(x >= range->first && x <= range->second) || !is_whole(x))
        tell_of(fmt::format("is a whole number from {} to {}, not {}", range->first, range->second,
                            written(argument)));
    }
    if (!is_plain_text(argument)) return;
    const auto text = plain_text(argument);
    if (!parameter.choices.empty() &&
        std::find(parameter.choices.begin(), parameter.choices.end(), text) == parameter.choices.end()) {
      std::string near;
      const auto message = not_among(parameter, text, &near);
      tell_of(message, near);
    } else if (parameter.takes && !parameter.takes(text)) {
      tell_of(fmt::format("is {}, not \"{}\"", parameter.about, text));
    }
  }

  // Functions that are handed over with another number of parameters than they are called with.
  void look_at_functions(const Node& node, const Builtin& row, const std::vector<Known>& arguments) {
    for (std::size_t k = 0; k < arguments.size() && k < row.parameters.size(); ++k) {
      if (!node.argument(k).text.empty()) return;
      const int wanted = row.parameters[k].passes;
      const auto& argument = node.argument(k).argument_value();
      const auto* function = argument.kind == NodeKind::function ? &argument : only_function(argument);
      if (wanted < 0 || function == nullptr) continue;
      const auto most = static_cast<int>(function->parameter_count());
      int least = 0;
      for (int p = 0; p < most; ++p)
        least += function->parameter(static_cast<std::size_t>(p)).default_value() == nullptr;
      if (wanted < least || wanted > most)
        tell(argument, fmt::format("{}: `{}` is called with {} argument{}, and this function takes {}",
                                   row.name, row.parameters[k].name, wanted, wanted == 1 ? "" : "s", most));
    }
  }

  const Tree& tree_;
  Effects effects_;
  Names names_;
  std::set<std::string> given_;                   // names that may have a value here
  std::map<std::string, std::uint32_t> lines_;    // where names of the top level first get one
  std::map<std::string, const Node*> functions_;  // of the top level
  std::map<std::string, int> definitions_;        // 1: a function, once, and nothing else
  std::set<std::string> sections_, figures_;
  std::vector<ValueFinding> findings_;
  std::set<std::uint32_t> told_;
  int uncertain_ = 0;  // parts around that may not run
  int depth_ = 0;      // functions around
};

}  // namespace

std::vector<ValueFinding> check_values(const Tree& tree, const std::map<std::string, Known>& before) {
  return ValueCheck(tree, before).run();
}

}  // namespace quill
