// Goes through the code of a function once, with what each register is in each of many calls.
#include "compiler/elementwise_analysis.h"

#include <algorithm>
#include <map>

#include "compiler/operations_table.h"

namespace quill {

namespace {

// What a register is; `other` is everything that is not proved.
enum class Variation : std::uint8_t { unset, uniform, varying, vector, other };

struct Register {
  Variation variation = Variation::unset;
  const Value* function = nullptr;  // that it surely holds
};
using Registers = std::vector<Register>;

// Of two ways that lead to one place.
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

  // Whether the result is surely a number for numbers; with its variation.
  Variation result() {
    if (!code_.is_expression || roles_.size() != code_.parameters.size()) return Variation::other;
    start();
    bool reached = true;
    for (std::size_t k = 0; k < code_.code.size(); ++k) {
      if (const auto found = waiting_.find(static_cast<int>(k)); found != waiting_.end()) {
        if (reached)
          merge(found->second);
        else
          now_ = std::move(found->second);
        reached = true;
      }
      if (!reached) continue;
      switch (step(code_.code[k], static_cast<int>(k))) {
        case Next::on: break;
        case Next::elsewhere: reached = false; break;
        case Next::nothing: return Variation::other;
      }
    }
    return result_;
  }

 private:
  enum class Next { on, elsewhere, nothing };

  void start() {
    now_.resize(static_cast<std::size_t>(code_.frame_size));
    for (std::size_t k = 0; k < roles_.size(); ++k)
      now_[k].variation = roles_[k] == Role::varying  ? Variation::varying
                          : roles_[k] == Role::single ? Variation::uniform
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
  // Goes on there later, with the registers as they are now; not backwards.
  bool wait(int target, int from) {
    if (target <= from) return false;
    const auto [found, is_new] = waiting_.try_emplace(target, now_);
    if (!is_new) {
      std::swap(now_, found->second);
      merge(found->second);
      std::swap(now_, found->second);
    }
    return true;
  }

  // Of operands that are combined element by element; `other` unless all are numbers.
  Variation combined(std::initializer_list<int> registers) {
    auto out = Variation::uniform;
    for (const int r : registers) {
      const auto one = at(r).variation;
      if (one != Variation::uniform && one != Variation::varying) return Variation::other;
      out = std::max(out, one);
    }
    return out;
  }

  Next give(int r, Variation variation) {
    at(r) = {variation, nullptr};
    return variation == Variation::other ? Next::nothing : Next::on;
  }

  Next step(const Instruction& i, int k) {
    switch (i.op) {
      case Op::load: set(i.a, code_.literals[static_cast<std::size_t>(i.b)]); return Next::on;
      case Op::move: at(i.a) = at(i.b); return Next::on;
      case Op::check:
      case Op::fused:
      case Op::fused_more: return Next::on;  // it gives what the operations after it give
      case Op::self: at(i.a) = {Variation::other, &value_}; return Next::on;
      case Op::get_global: {
        const auto& value = code_.module->slots[static_cast<std::size_t>(i.b)];
        if (value.is(Kind::store) || value.is(Kind::alias) || value.is(Kind::unset)) return Next::nothing;
        set(i.a, value);
        return Next::on;
      }
#define QUILL_CASE(name, ...) case Op::name:
        QUILL_ARITHMETIC_OPERATORS(QUILL_CASE)
        return give(i.a, combined({i.b, i.c}));
        QUILL_COMPARISON_OPERATORS(QUILL_CASE)
#undef QUILL_CASE
        // A boolean that is the same in all calls may decide which way all of them go.
        if (combined({i.b, i.c}) != Variation::uniform) return Next::nothing;
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
      case Op::jump_set: return wait(i.a, k) ? Next::elsewhere : Next::nothing;  // all arguments are given
      case Op::jump_false:
        return at(i.b).variation == Variation::uniform && wait(i.a, k) ? Next::on : Next::nothing;
      case Op::jump: return wait(i.a, k) ? Next::elsewhere : Next::nothing;
      case Op::give_back:
        if (i.a < 0 || combined({i.a}) == Variation::other) return Next::nothing;
        result_ = merged(result_, at(i.a).variation);
        return Next::elsewhere;
      default: return Next::nothing;
    }
  }

  Next call(const Instruction& i) {
    const auto* function = at(i.b).function;
    if (!function || (i.flag & 1) || depth_ >= kDeepest) return Next::nothing;
    std::vector<Role> roles;
    for (int k = 1; k <= i.n; ++k) {
      const auto one = at(i.b + k).variation;
      if (one == Variation::other || one == Variation::unset) return Next::nothing;
      roles.push_back(one == Variation::varying   ? Role::varying
                      : one == Variation::uniform ? Role::single
                                                  : Role::vector);
    }
    if (Proof(*function, roles, depth_ + 1).result() == Variation::other) return Next::nothing;
    const bool varies = std::find(roles.begin(), roles.end(), Role::varying) != roles.end();
    return give(i.a, varies ? Variation::varying : Variation::uniform);
  }

  const Value& value_;
  const FunctionObject& object_;
  const Function& code_;
  std::span<const Role> roles_;
  int depth_;
  Registers now_;
  std::map<int, Registers> waiting_;  // at places that jumps lead to
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
