// Abstract interpretation of a function, with the variation of each register over many calls.
#include "compiler/elementwise_analysis.h"

#include <algorithm>
#include <map>
#include <utility>

#include "compiler/operands.h"
#include "compiler/operations_table.h"

namespace quill {

namespace {

// Variation of a register; `other`: nothing is known.
enum class Variation : std::uint8_t { unset, uniform, varying, vector, other };

struct Register {
  Variation variation = Variation::unset;
  const Value* function = nullptr;  // if it is certain to hold one
};
using Registers = std::vector<Register>;

// Where two paths join.
Variation merged(Variation a, Variation b) {
  if (a == b || b == Variation::unset) return a;
  if (a == Variation::unset) return b;
  const bool numbers = a <= Variation::varying && b <= Variation::varying;
  return numbers ? Variation::varying : Variation::other;
}

Variation outcome_of(const Value& value) {
  if (value.is_number()) return Variation::uniform;
  const bool is_vector =
      value.is(Kind::array) && value.array().axes() == 1 && is_numeric(value.array().type());
  return is_vector ? Variation::vector : Variation::other;
}

constexpr int kDeepest = 20;  // functions calling functions

class Proof {
 public:
  Proof(const Value& value, std::span<const Role> roles, int depth)
      : value_(value),
        object_(value.object<FunctionObject>()),
        code_(*object_.function),
        roles_(roles),
        depth_(depth) {}

  // Variation of the result, if it is certain to be a number for numbers.
  Variation result() {
    if (!code_.is_expression || roles_.size() != code_.parameters.size()) return Variation::other;
    start();
    waiting_[0] = now_;
    for (std::size_t k = 0; k < code_.code.size(); ++k) {
      const auto found = waiting_.find(k);
      if (found == waiting_.end()) continue;
      now_ = std::move(found->second);
      if (!step(code_.code[k])) return Variation::other;
      for (const auto next : ways_on(k))
        if (!wait(next, k)) return Variation::other;
    }
    return result_;
  }

 private:
  // Successors in such calls: all arguments are given, and no region is evaluated as a whole.
  std::vector<std::size_t> ways_on(std::size_t k) const {
    switch (code_.code[k].op) {
      case Op::jump_set: return {static_cast<std::size_t>(code_.code[k].a)};
      case Op::fused: return {k + 1};
      default: return successors(code_, k);
    }
  }

  void start() {
    now_.resize(static_cast<std::size_t>(code_.frame_size));
    for (std::size_t k = 0; k < roles_.size(); ++k)
      now_[k].variation = roles_[k] == Role::varying   ? Variation::varying
                          : roles_[k] == Role::uniform ? Variation::uniform
                                                       : Variation::vector;
    for (std::size_t k = 0; k < object_.captured.size(); ++k)
      set(code_.first_capture + static_cast<int>(k), object_.captured[k]);
    for (const auto& [r, number] : code_.constants) at(r).variation = Variation::uniform;
  }

  Register& at(int r) { return now_[static_cast<std::size_t>(r)]; }
  void set(int r, const Value& value) {
    at(r) = {outcome_of(value), value.is(Kind::function) ? &value : nullptr};
  }
  void merge(const Registers& other) {
    for (std::size_t k = 0; k < now_.size(); ++k) {
      now_[k].variation = merged(now_[k].variation, other[k].variation);
      if (now_[k].function != other[k].function) now_[k].function = nullptr;
    }
  }
  // Joins the current state into a later instruction; false for backward jumps.
  bool wait(std::size_t target, std::size_t from) {
    if (target <= from) return false;
    const auto [found, is_new] = waiting_.try_emplace(target, now_);
    if (is_new) return true;
    const Registers here = std::exchange(now_, std::move(found->second));
    merge(here);
    found->second = std::exchange(now_, here);
    return true;
  }

  // Variation of an elementwise result; `other` unless all operands are numbers.
  Variation combined(std::initializer_list<int> registers) {
    auto out = Variation::uniform;
    for (const int r : registers) {
      const auto one = at(r).variation;
      if (one != Variation::uniform && one != Variation::varying) return Variation::other;
      out = std::max(out, one);
    }
    return out;
  }

  bool give(int r, Variation variation) {
    at(r) = {variation, nullptr};
    return variation != Variation::other;
  }

  // False if nothing is known of the result any more.
  bool step(const Instruction& i) {
    switch (i.op) {
      case Op::load: set(i.a, code_.literals[static_cast<std::size_t>(i.b)]); return true;
      case Op::move: at(i.a) = at(i.b); return true;
      case Op::check:
      case Op::fused:
      case Op::fused_more: return true;  // equivalent to the operations after it
      case Op::self: at(i.a) = {Variation::other, &value_}; return true;
      case Op::get_global: {
        const auto& value = code_.module->slots[static_cast<std::size_t>(i.b)];
        if (value.is(Kind::store) || value.is(Kind::alias) || value.is(Kind::unset)) return false;
        set(i.a, value);
        return true;
      }
#define QUILL_CASE(name, ...) case Op::name:
        QUILL_ARITHMETIC_OPERATORS(QUILL_CASE)
        return give(i.a, combined({i.b, i.c}));
        QUILL_COMPARISON_OPERATORS(QUILL_CASE)
#undef QUILL_CASE
        // A uniform boolean may decide the path of all calls.
        if (combined({i.b, i.c}) != Variation::uniform) return false;
        return give(i.a, Variation::uniform);
      case Op::negate: return give(i.a, combined({i.b}));
      case Op::apply: return give(i.a, combined({i.b}));
      case Op::extent:
        return give(i.a, at(i.b).variation == Variation::vector ? Variation::uniform : Variation::other);
      case Op::index:
        return give(
            i.a, i.n == 1 && at(i.b).variation == Variation::vector && at(i.c).variation == Variation::uniform
                     ? Variation::uniform
                     : Variation::other);
      case Op::call: return call(i);
      case Op::jump_set:
      case Op::jump: return true;
      case Op::jump_false: return at(i.b).variation == Variation::uniform;
      case Op::return_value:
        if (i.a < 0 || combined({i.a}) == Variation::other) return false;
        result_ = merged(result_, at(i.a).variation);
        return true;
      default: return false;
    }
  }

  bool call(const Instruction& i) {
    const auto* function = at(i.b).function;
    if (!function || (i.flag & 1) || depth_ >= kDeepest) return false;
    std::vector<Role> roles;
    for (int k = 1; k <= i.n; ++k) {
      const auto one = at(i.b + k).variation;
      if (one == Variation::other || one == Variation::unset) return false;
      roles.push_back(one == Variation::varying   ? Role::varying
                      : one == Variation::uniform ? Role::uniform
                                                  : Role::vector);
    }
    if (Proof(*function, roles, depth_ + 1).result() == Variation::other) return false;
    const bool varies = std::find(roles.begin(), roles.end(), Role::varying) != roles.end();
    return give(i.a, varies ? Variation::varying : Variation::uniform);
  }

  const Value& value_;
  const FunctionObject& object_;
  const Function& code_;
  std::span<const Role> roles_;
  int depth_;
  Registers now_;
  std::map<std::size_t, Registers> waiting_;  // states at jump targets
  Variation result_ = Variation::unset;
};

}  // namespace

bool is_elementwise(const Value& function, std::span<const Role> arguments) {
  if (function.is(Kind::builtin))
    return function.object<BuiltinObject>().row->unary && arguments.size() == 1 &&
           arguments[0] == Role::varying;
  if (!function.is(Kind::function)) return false;
  const auto result = Proof(function, arguments, 0).result();
  return result == Variation::uniform || result == Variation::varying;
}

}  // namespace quill
