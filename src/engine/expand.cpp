#include "engine/expand.h"

#include <fmt/format.h>

namespace quill {

const Value* find_read(const FusedRead& read, const Value* frame, const Callees& callees) {
  const auto k = static_cast<std::size_t>(read.index);
  switch (read.from) {
    case FusedRead::From::local: return frame + read.index;
    case FusedRead::From::global: return k < read.module->slots.size() ? &read.module->slots[k] : nullptr;
    case FusedRead::From::captured: return &callees[static_cast<std::size_t>(read.callee)]->captured[k];
    default: return nullptr;
  }
}

namespace {

constexpr std::size_t kMostSteps = 64;

// Copies the steps of a region to a new one, inlining called functions.
class Writer {
 public:
  Writer(const FusedRegion& region, const Value* frame, Callees& callees)
      : whole_(region), frame_(frame), callees_(callees) {}

  std::shared_ptr<Expansion> written() {
    auto& region = out_->region;
    auto& expression = region.fused.expression();
    expression.reduction = whole_.fused.expression().reduction;
    expression.divides = whole_.fused.expression().divides;
    expression.picks_alike = whole_.fused.expression().picks_alike;
    region.elements = whole_.elements;
    region.loops = whole_.loops;
    const int last = steps_of(whole_, {}, -1);
    if (out_->obstacle.empty() && last + 1 != static_cast<int>(expression.steps.size()))
      refuse("the result of a function is one of its arguments");
    return out_;
  }

 private:
  void refuse(std::string why) {
    if (out_->obstacle.empty()) out_->obstacle = std::move(why);
  }

  int add_input(const FusedRead& read, const Node* node) {
    out_->region.inputs.push_back(read);
    out_->region.nodes.push_back(node);
    return out_->region.fused.expression().add_input();
  }

  int input(const FusedRegion& from, int number, const Node* node, std::span<const int> arguments,
            int callee) {
    const auto k = static_cast<std::size_t>(number);
    // The assigned element follows all inputs.
    if (k >= from.inputs.size()) {
      out_->region.nodes.push_back(node);
      return out_->region.fused.expression().add_input();
    }
    auto read = from.inputs[k];
    if (callee >= 0) {
      if (read.from == FusedRead::From::local && static_cast<std::size_t>(read.index) < arguments.size())
        return arguments[static_cast<std::size_t>(read.index)];
      read = inside(read, callee);
    }
    return add_input(read, node);
  }

  // Of a function's own registers only captures are read.
  FusedRead inside(FusedRead read, int callee) const {
    if (read.from != FusedRead::From::local) return read;
    read.from = FusedRead::From::captured;
    read.index -= out_->callees[static_cast<std::size_t>(callee)].first_capture;
    read.callee = callee;
    return read;
  }

  int call(const FusedCall& called, const Node* node, std::vector<int> arguments, int callee) {
    const auto name = node->callee().text;
    const bool is_parameter =
        callee >= 0 && called.callee.from == FusedRead::From::local &&
        called.callee.index < out_->callees[static_cast<std::size_t>(callee)].first_capture;
    if (is_parameter) {
      refuse(fmt::format("{} is called, which is an argument of a function", name));
      return -1;
    }
    const auto where = callee >= 0 ? inside(called.callee, callee) : called.callee;
    const auto* value = find_read(where, frame_, callees_);
    if (!value || !value->is(Kind::function)) {
      refuse(fmt::format("{} is not a function of the script", name));
      return -1;
    }
    const auto& object = value->object<FunctionObject>();
    const int number = static_cast<int>(callees_.size());
    callees_.push_back(&object);
    out_->callees.push_back({where, object.function, object.function->first_capture});
    const auto* body = object.function->body.get();
    if (body) out_->region.fused.expression().picks_alike |= body->fused.expression().picks_alike;
    if (!body || object.head.parameters.size() != arguments.size())
      refuse(fmt::format("{} is called, which is more than one elementwise expression", name));
    else if (depth_ > 20)
      refuse("the calls are nested too deeply");
    else
      return steps_of(*body, arguments, number);
    return -1;
  }

  // Step of the result; arbitrary after a refusal.
  int steps_of(const FusedRegion& from, std::span<const int> arguments, int callee) {
    ++depth_;
    std::vector<int> of;
    const auto& steps = from.fused.expression().steps;
    for (std::size_t k = 0; k < steps.size() && out_->obstacle.empty(); ++k) {
      if (out_->region.nodes.size() >= kMostSteps) refuse("it is too long");
      const auto& step = steps[k];
      if (step.kind != fusion::StepKind::input) {
        of.push_back(operation(step, of));
        out_->region.nodes.push_back(from.nodes[k]);
        continue;
      }
      const auto called = std::find_if(from.calls.begin(), from.calls.end(),
                                       [&](const FusedCall& c) { return c.input == step.from[0]; });
      if (called == from.calls.end()) {
        of.push_back(input(from, step.from[0], from.nodes[k], arguments, callee));
        continue;
      }
      std::vector<int> given;
      for (const int argument : called->arguments) given.push_back(of[static_cast<std::size_t>(argument)]);
      of.push_back(call(*called, from.nodes[k], std::move(given), callee));
    }
    --depth_;
    return of.empty() ? -1 : of.back();
  }

  int operation(const fusion::Step& step, const std::vector<int>& of) {
    auto& expression = out_->region.fused.expression();
    const auto from = [&](int k) { return of[static_cast<std::size_t>(step.from[k])]; };
    switch (step.kind) {
      case fusion::StepKind::unary: return expression.add(step.unary, from(0));
      case fusion::StepKind::binary: return expression.add(step.binary, from(0), from(1));
      case fusion::StepKind::convert: return expression.add_conversion(step.type, from(0));
      default: return expression.add_pick(from(0), from(1), from(2));
    }
  }

  const FusedRegion& whole_;
  const Value* frame_;
  Callees& callees_;
  std::shared_ptr<Expansion> out_ = std::make_shared<Expansion>();
  int depth_ = 0;
};

bool is_for(const Expansion& expansion, const Value* frame, Callees& callees) {
  for (const auto& known : expansion.callees) {
    const auto* value = find_read(known.where, frame, callees);
    if (!value || !value->is(Kind::function)) return false;
    const auto& object = value->object<FunctionObject>();
    if (object.function != known.function.lock()) return false;
    callees.push_back(&object);
  }
  return !expansion.callees.empty();
}

}  // namespace

FusedRegion* expanded(FusedRegion& region, const Value* frame, Callees& callees) {
  if (region.calls.empty()) return &region;
  if (!region.expansion || !is_for(*region.expansion, frame, callees)) {
    callees.clear();
    region.expansion = Writer(region, frame, callees).written();
  }
  return region.expansion->obstacle.empty() ? &region.expansion->region : nullptr;
}

}  // namespace quill
