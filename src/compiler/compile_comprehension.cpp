// Comprehensions, and expressions compiled without instructions: items of fused comprehensions and bodies of
// inlined functions.
#include <algorithm>
#include <cmath>

#include "array/elementwise.h"
#include "base/restored.h"
#include "compiler/compiler_state.h"
#include "compiler/fused_region.h"

namespace quill {

int Compiler::comprehension(const Node& node, int wanted) {
  const int mark = next_;
  const Restored outer(leaves_, leaves_);
  const int collector = fresh();
  const bool grid = node.is_grid();
  const auto loops = loops_of(node);
  emit(Op::list_begin, node, collector);
  const int sizes = grid ? fresh(2) : -1;
  const auto pass = fused_comprehension(node, sources_of(node), collector);
  const Restored each(one_by_one_, false);  // items are independent of the surrounding expression
  // Both sources of a grid are evaluated once; inner sources of nested loops may use outer loop variables.
  std::vector<int> sources;
  for (std::size_t k = 0; k < (grid ? 2 : 1); ++k) sources.push_back(value(loops[k]->generator_source()));
  for (int k = 0; grid && k < 2; ++k)
    emit(Op::extent, node, sizes + k, sources[static_cast<std::size_t>(k)], axis_code(0, false));
  const auto loop = [&](auto& self, std::size_t k) -> void {
    if (k == loops.size()) {
      std::size_t skip = 0;
      const auto* condition = node.filter();
      const int inside = next_;
      if (condition) skip = emit(Op::jump_false, *condition, 0, value(*condition));
      emit(Op::list_push, node.item(), collector, value(node.item()));
      next_ = inside;
      if (condition) land(skip);
      return;
    }
    const auto& generator = *loops[k];
    const int source = k < sources.size() ? sources[k] : value(generator.generator_source());
    const int state = fresh(4);
    emit(Op::iterate, generator.generator_source(), state, source);
    const int top = here();
    const auto names = static_cast<int>(generator.bound_count());
    const int target = names == 0 ? globals_and(generator.binding.index) : fresh();
    const auto next = emit(Op::next, generator, state, target);
    std::vector<int> bound = {target};
    if (names > 0) {
      const int parts = fresh(names);
      emit(Op::unpack, generator, parts, target, 0, names);
      bound.clear();
      for (int n = 0; n < names; ++n) {
        bound.push_back(globals_and(generator.kid(static_cast<std::size_t>(n) + 1).binding.index));
        emit(Op::move, generator, bound.back(), parts + n);
      }
    }
    assigned_.insert(bound.begin(), bound.end());
    self(self, k + 1);
    emit(Op::jump, generator, top);
    out_->code[next].c = here();
    for (const int r : bound) assigned_.erase(r);
  };
  loop(loop, 0);
  emit(Op::list_end, node, collector, 0, sizes);
  if (pass) out_->code[*pass].c = here();
  next_ = mark;
  const int r = wanted >= 0 ? wanted : fresh();
  if (r != collector) emit(Op::move, node, r, collector);
  return r;
}

std::optional<FusedRead> Compiler::read_of(const Node& name) const {
  if (name.kind != NodeKind::name) return std::nullopt;
  FusedRead out;
  if (name.binding.kind == Binding::Kind::builtin) {
    const auto& row = registry_.row(name.binding.index);
    if (!row.constant) return std::nullopt;
    out.from = FusedRead::From::number;
    out.number = *row.constant;
    return out;
  }
  out.index = register_of(name.binding);
  if (const auto loop = std::find(loop_variables_.begin(), loop_variables_.end(), out.index);
      out.index >= 0 && loop != loop_variables_.end()) {
    out.from = FusedRead::From::loop;
    out.index = static_cast<int>(loop - loop_variables_.begin());
    return out;
  }
  if (out.index >= 0)
    return assigned_.contains(out.index) && !shared_.contains(out.index) ? std::optional(out) : std::nullopt;
  if (name.binding.kind != Binding::Kind::global) return std::nullopt;
  out.from = FusedRead::From::global;
  out.index = name.binding.index;
  out.module = &module_;
  return out;
}

// Adds `factor` times a subscript that is a sum; false for other subscripts. Integers only, whose sums are
// exact in any order.
bool Compiler::add_terms(const Node& node, double factor, FusedElement::Subscript& to) const {
  if (const auto number = constant_of(node)) {
    to.number += factor * *number;
    return is_whole(*number);
  }
  if (node.kind == NodeKind::unary && node.op == Token::minus) return add_terms(node.operand(), -factor, to);
  if (node.kind == NodeKind::binary && (node.op == Token::plus || node.op == Token::minus))
    return add_terms(node.left(), factor, to) &&
           add_terms(node.right(), node.op == Token::plus ? factor : -factor, to);
  if (node.kind == NodeKind::binary && node.op == Token::times) {
    const auto left = constant_of(node.left()), number = left ? left : constant_of(node.right());
    return number && is_whole(*number) && add_terms(left ? node.right() : node.left(), factor * *number, to);
  }
  const auto read = read_of(node);
  if (!read || read->from == FusedRead::From::number) return false;
  if (read->from == FusedRead::From::loop)
    to.scales[static_cast<std::size_t>(read->index)] += factor;
  else
    to.terms.emplace_back(*read, factor);
  return true;
}

std::optional<FusedElement> Compiler::element_of(const Node& node) const {
  const auto array = read_of(node.base());
  if (!array || array->from == FusedRead::From::number || array->from == FusedRead::From::loop)
    return std::nullopt;
  FusedElement out{*array, std::vector<FusedElement::Subscript>(node.subscript_count())};
  for (auto& subscript : out.subscripts) subscript.scales.resize(loop_variables_.size(), 0);
  for (std::size_t k = 0; k < out.subscripts.size(); ++k)
    if (!add_terms(node.subscript(k), 1, out.subscripts[k])) return std::nullopt;
  return out;
}

int Compiler::add_quiet_leaf(const Node& node, FusedRegion& region) {
  FusedRead read;
  if (const auto number = constant_of(node)) {
    read.from = FusedRead::From::number;
    read.number = *number;
    read.literal = is_whole_literal(node);
  } else if (node.kind == NodeKind::index && !loop_variables_.empty()) {
    auto element = element_of(node);
    if (!element) return -1;
    read.from = FusedRead::From::element;
    read.index = static_cast<int>(region.elements.size());
    region.elements.push_back(std::move(*element));
  } else if (const auto named = read_of(node)) {
    read = *named;
  } else {
    return -1;
  }
  region.inputs.push_back(read);
  region.nodes.push_back(&node);
  return region.fused.expression().add_input();
}

int Compiler::add_quiet(const Node& node, FusedRegion& region) {
  constexpr std::size_t most = 64;
  std::vector<const Node*> operands = fused_operands(node);
  const bool chooses = node.kind == NodeKind::conditional;
  if (chooses) operands = {&node.condition(), &node.then_part(), node.else_part()};
  if (operands.empty()) {
    const int step = add_quiet_leaf(node, region);
    if (step < 0 && !quiet_obstacle_) quiet_obstacle_ = &node;
    return step;
  }
  std::vector<int> from;
  for (const auto* operand : operands) {
    from.push_back(add_quiet(*operand, region));
    if (from.back() < 0 || region.nodes.size() > most) return -1;
  }
  if (chooses) {
    region.fused.expression().picks_alike = true;  // the program evaluates only one alternative
    region.nodes.push_back(&node);
    return region.fused.expression().add_pick(from[0], from[1], from[2]);
  }
  return add_operation(node, from, region);
}

std::vector<const Node*> Compiler::loops_of(const Node& comprehension) {
  std::vector<const Node*> out;
  for (std::size_t k = 0; k < comprehension.generator_count(); ++k)
    out.push_back(&comprehension.generator(k));
  if (comprehension.is_grid() && out[0]->flag) std::swap(out[0], out[1]);
  return out;
}

std::vector<FusedLoop> Compiler::sources_of(const Node& node) {
  const auto loops = loops_of(node);
  const auto over = [&](const Node& source, int axis) {
    return FusedLoop{leaves_[&source] = value(source), axis};
  };
  std::vector<FusedLoop> out;
  if (one_by_one_ || (!node.is_grid() && loops.size() > 1)) return out;
  for (std::size_t k = 0; k < loops.size(); ++k) {
    const auto& source = loops[k]->generator_source();
    const auto names = loops[k]->bound_count();
    if (names == 0) {
      out.push_back(over(source, static_cast<int>(k)));
      continue;
    }
    const bool is_zip = source.kind == NodeKind::call && source.callee().kind == NodeKind::name &&
                        source.callee().binding.kind == Binding::Kind::builtin &&
                        registry_.row(source.callee().binding.index).name == "zip";
    if (!is_zip || source.argument_count() != names) return {};
    for (std::size_t n = 0; n < names; ++n) {
      if (source.argument(n).kind != NodeKind::argument || !source.argument(n).text.empty()) return {};
      out.push_back(over(source.argument(n).argument_value(), static_cast<int>(k)));
    }
  }
  return out;
}

std::shared_ptr<FusedRegion> Compiler::items_region(const Node& node, const std::vector<FusedLoop>& sources) {
  if (sources.empty()) return nullptr;
  std::vector<int> variables;
  for (const auto* loop : loops_of(node)) {
    if (loop->bound_count() == 0) variables.push_back(globals_and(loop->binding.index));
    for (std::size_t n = 1; n <= loop->bound_count(); ++n)
      variables.push_back(globals_and(loop->kid(n).binding.index));
  }
  const Restored outer(loop_variables_, std::move(variables));
  const Restored calls(inline_calls_, true);
  quiet_obstacle_ = nullptr;
  const auto made = [&](const Node& item) {
    auto region = std::make_shared<FusedRegion>();
    region->root = &node;
    region->loops = sources;
    for (const auto& source : sources) region->variables.push_back(source.index);
    return add_quiet(item, *region) >= 0 ? region : nullptr;
  };
  auto region = made(node.item());
  if (region && node.filter()) {
    region->condition = made(*node.filter());
    // Element indices would no longer correspond to the loops.
    if (!region->elements.empty()) quiet_obstacle_ = &node.item();
    if (!region->condition || !region->elements.empty()) region = nullptr;
  }
  if (!region && options_.regions && quiet_obstacle_) {
    auto told = std::make_shared<FusedRegion>();
    told->root = &node;
    told->refusals = 1;
    told->obstacle = "item by item, because of " + std::string(tree_->source->text(quiet_obstacle_->span));
    options_.regions->push_back({tree_, told});
  }
  return region;
}

std::optional<std::size_t> Compiler::fused_comprehension(const Node& node,
                                                         const std::vector<FusedLoop>& sources,
                                                         int collector) {
  auto region = items_region(node, sources);
  if (!region) return std::nullopt;
  const auto pass = emit(Op::fused, node, collector, static_cast<int>(out_->fused.size()), 0, 0, 2);
  keep(std::move(region));
  return pass;
}

std::shared_ptr<const FusedRegion> Compiler::body_region(const Node& body) {
  const Restored calls(inline_calls_, true);
  auto region = std::make_shared<FusedRegion>();
  region->root = &body;
  if (add_quiet(body, *region) < 0) return nullptr;
  const bool calculates = region->fused.expression().operations() > 0 || !region->calls.empty();
  return calculates ? region : nullptr;
}

}  // namespace quill
