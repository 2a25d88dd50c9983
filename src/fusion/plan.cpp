#include "fusion/plan.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "array/scalar.h"

namespace quill::fusion {

namespace {

// An operand as the rules of types see it, without elements.
Operand shown(const InputKind& kind) {
  static const double number = 0;
  Operand out(number);
  out.type = kind.type;
  out.literal = kind.literal;
  if (!kind.single) out.shape = {1};
  return out;
}

bool is_comparison(Binary op) { return op >= Binary::equal && op <= Binary::greater_equal; }
bool is_logic(Binary op) { return op == Binary::logical_and || op == Binary::logical_or; }

struct Obstacle {
  std::string text;
};
[[noreturn]] void refuse(std::string why) { throw Obstacle{std::move(why)}; }
[[noreturn]] void refuse_type(ElementType type) {
  refuse(fmt::format("{} is evaluated step by step", name_of(type)));
}

void check_selection(ElementType condition, const InputKind& values) {
  if (condition != ElementType::boolean) refuse("selection by indices is evaluated step by step");
  if (values.type != ElementType::float64) refuse_type(values.type);
  if (values.constant) refuse("the selected array has one element for many");
}

// Makes the calls first, whose operands and results are values with numbers of their own, then finds operands
// for them.
class Planner {
 public:
  Planner(const Expression& expression, std::span<const InputKind> inputs)
      : expression_(expression), made_(inputs.begin(), inputs.end()) {
    plan_.inputs = static_cast<int>(inputs.size());
    uses_.resize(expression.steps.size(), 0);
    for (const auto& step : expression.steps)
      for (const int from : step.from)
        if (step.kind != StepKind::input && from >= 0) ++uses_[static_cast<std::size_t>(from)];
    for (const auto& step : expression.steps) {
      step_ = static_cast<int>(results_.size());
      switch (step.kind) {
        case StepKind::input: results_.push_back(step.from[0]); break;
        case StepKind::unary: results_.push_back(unary(step.unary, operand(step, 0))); break;
        case StepKind::binary:
          if (const int made = together(step); made >= 0)
            results_.push_back(made);
          else
            results_.push_back(binary(step.binary, operand(step, 0), operand(step, 1)));
          break;
        case StepKind::convert: results_.push_back(converted(operand(step, 0), step.type)); break;
        case StepKind::pick:
          results_.push_back(pick(operand(step, 0), operand(step, 1), operand(step, 2)));
          break;
      }
    }
  }

  Plan finish(bool scattered) {
    const auto before = kind(results_.back());
    if (before.constant) refuse("it contains no array");
    if (expression_.selected >= 0) {
      check_selection(before.type, kind(expression_.selected));
    } else if (expression_.reduction) {
      make_reducible(before.type);
    } else if (expression_.operations() == 0) {
      refuse("there is nothing to compute");
    }
    if (plan_.calls.empty() ? !expression_.reduction : plan_.calls.back().out != results_.back())
      refuse("nothing remains to be computed");
    plan_.type = kind(results_.back()).type;
    if (expression_.selected >= 0) {
      plan_.selected = expression_.selected;
      plan_.type = ElementType::float64;
    }
    find_places(!scattered && !expression_.reduction);
    if (plan_.calls.empty()) plan_.last = results_.back();  // an input, to be reduced
    return std::move(plan_);
  }

 private:
  // Integers are reduced as int64, float32 as float64.
  void make_reducible(ElementType type) {
    const bool sums = expression_.reduction == Reduction::sum;
    plan_.reduced_type = expression_.divides ? ElementType::float64 : type;
    if (type == ElementType::boolean && sums) return;
    if (type != ElementType::float64 && type != ElementType::float32 && !is_integer(type)) refuse_type(type);
    if (sums && is_integer(plan_.reduced_type)) plan_.reduced_type = sum_type(type);
    results_.back() = converted(results_.back(),
                                is_integer(plan_.reduced_type) ? ElementType::int64 : ElementType::float64);
  }

  const InputKind& kind(int value) const { return made_[static_cast<std::size_t>(value)]; }
  int operand(const Step& step, int k) const { return results_[static_cast<std::size_t>(step.from[k])]; }

  int emit(Kernel kernel, ElementType type, std::initializer_list<int> operands, int watched = -1) {
    if (!kernel) refuse("one of its functions is evaluated step by step");
    InputKind out{type, true, false, true};
    for (const int k : operands) {
      out.single &= kind(k).single;
      out.constant &= kind(k).constant;
    }
    KernelCall call;
    call.kernel = kernel;
    call.step = watched;
    plan_.checks_whole |= watched == kOverflow;
    plan_.has_complex |= type == ElementType::complex128;
    std::copy(operands.begin(), operands.end(), call.from.begin());
    call.out = static_cast<int>(made_.size());
    made_.push_back(out);
    (out.constant ? plan_.once : plan_.calls).push_back(call);
    return call.out;
  }

  int converted(int value, ElementType type) {
    if (kind(value).type == type) return value;
    const auto [found, is_new] = conversions_.try_emplace({value, type}, 0);
    if (is_new) {
      const auto kernel = kernels_.convert(kind(value).type, type);
      if (!kernel) refuse_type(kind(value).type);
      found->second = emit(kernel, type, {value},
                           is_integer(type) && kind(value).type == ElementType::float64 ? kOverflow : -1);
    }
    return found->second;
  }
  int real(int value) { return converted(value, ElementType::float64); }

  Single single_of(int a, int b) const {
    if (kind(a).constant == kind(b).constant) return Single::none;
    return kind(a).constant ? Single::left : Single::right;
  }

  int unary(Unary op, int x) {
    const auto type = kind(x).type;
    if (op == Unary::logical_not) {
      if (type != ElementType::boolean) refuse("`not` takes booleans");
      return emit(kernels_.unary(op, type), type, {x});
    }
    const auto out = result_type(op, type);
    if (type == ElementType::complex128) return emit(kernels_.unary(op, type), out, {x});
    if (is_integer(out)) return emit(kernels_.unary(op, out), out, {converted(x, out)}, kOverflow);
    const auto kernel = kernels_.unary(op, ElementType::float64);
    if (out == ElementType::boolean) return emit(kernel, out, {real(x)});
    // Functions of float32 are those of float64, rounded.
    const int watched = scalar::real_function(op).limited ? step_ : -1;
    return converted(emit(kernel, ElementType::float64, {real(x)}, watched), out);
  }

  int binary(Binary op, int a, int b) {
    if (is_logic(op)) {
      if (kind(a).type != ElementType::boolean || kind(b).type != ElementType::boolean)
        refuse(fmt::format("`{}` takes booleans", symbol_of(op)));
      if (kind(a).single)
        refuse(fmt::format("a single boolean decides whether `{}` is evaluated", symbol_of(op)));
      return emit(kernels_.binary(op, ElementType::boolean, single_of(a, b)), ElementType::boolean, {a, b});
    }
    const auto type = is_comparison(op) ? common_type(shown(kind(a)), shown(kind(b)))
                                        : result_type(op, shown(kind(a)), shown(kind(b)));
    if (is_comparison(op)) {
      if (type == ElementType::complex128) refuse_type(type);
      if (type == ElementType::int64 && kind(a).type != kind(b).type) return compared_whole(op, a, b);
      if (kind(a).type == ElementType::int64 && kind(b).type == ElementType::int64)
        return compared_whole(op, a, b);
      if (kind(a).type == ElementType::int64) return compared_exactly(mirrored(op), b, a);
      if (kind(b).type == ElementType::int64) return compared_exactly(op, a, b);
      if (type == ElementType::float32) {
        a = converted(a, type);
        b = converted(b, type);
      }
      a = real(a);
      b = real(b);
      return emit(kernels_.binary(op, ElementType::float64, single_of(a, b)), ElementType::boolean, {a, b});
    }
    if (is_integer(type)) return whole(op, type, a, b);
    a = converted(a, type);
    b = converted(b, type);
    const bool narrow = type == ElementType::float32 && !scalar::is_basic(op);
    if (narrow) {
      a = real(a);
      b = real(b);
    }
    const auto work = narrow ? ElementType::float64 : type;
    const bool limited = scalar::with_arithmetic(op, []<class F>(F) { return F::kLimited; });
    return converted(emit(kernels_.binary(op, work, single_of(a, b)), work, {a, b}, limited ? step_ : -1),
                     type);
  }

  int whole(Binary op, ElementType type, int a, int b) {
    a = converted(a, type);
    b = converted(b, type);
    const bool is_checked = scalar::is_basic(op);
    return emit(kernels_.binary(op, type, single_of(a, b)), type, {a, b}, is_checked ? kOverflow : -1);
  }

  int compared_whole(Binary op, int a, int b) {
    a = converted(a, ElementType::int64);
    b = converted(b, ElementType::int64);
    return emit(kernels_.binary(op, ElementType::int64, single_of(a, b)), ElementType::boolean, {a, b});
  }

  // x op n for an integer n = d + r, where d is the nearest number of float64: x - d op r. That
  // difference is exact where it matters, and no smaller than r where it is not 0.
  int compared_exactly(Binary op, int x, int n) {
    const int rest = emit(kernels_.rest, ElementType::float64, {n});
    x = real(x);
    n = real(n);
    const int gap = emit(kernels_.binary(Binary::subtract, ElementType::float64, single_of(x, n)),
                         ElementType::float64, {x, n});
    return emit(kernels_.binary(op, ElementType::float64, single_of(gap, rest)), ElementType::boolean,
                {gap, rest});
  }

  // Some operations in one go; -1 when the step is none of them.
  int together(const Step& step) {
    const int sum = sum_of_four(step);
    if (sum >= 0) return sum;
    const int scaled = scaled_sum(step);
    if (scaled >= 0) return scaled;
    const int products = two_products(step);
    return products >= 0 ? products : sum_of_product(step);
  }

  std::vector<KernelCall>::iterator call_of(int value) {
    return std::find_if(plan_.calls.begin(), plan_.calls.end(),
                        [&](const KernelCall& call) { return call.out == value; });
  }

  // The call that adds two blocks for the operand of a step, which nothing else needs.
  const KernelCall* sum_for(int from) {
    const auto k = static_cast<std::size_t>(from);
    const auto& step = expression_.steps[k];
    if (step.kind != StepKind::binary || step.binary != Binary::add || uses_[k] != 1) return nullptr;
    const auto made = call_of(results_[k]);
    const bool is_plain = made != plan_.calls.end() && !made->wide &&
                          made->kernel == kernels_.binary(Binary::add, ElementType::float64, Single::none);
    return is_plain ? &*made : nullptr;
  }

  int sum_of_four(const Step& step) {
    const int last = operand(step, 1);
    if (step.binary != Binary::add || kind(last).constant || kind(last).type != ElementType::float64)
      return -1;
    const auto* three = sum_for(step.from[0]);
    const auto* two =
        three ? sum_for(expression_.steps[static_cast<std::size_t>(step.from[0])].from[0]) : nullptr;
    if (!two) return -1;
    const int a = two->from[0], b = two->from[1], c = three->from[1];
    for (const int gone : {three->out, two->out}) plan_.calls.erase(call_of(gone));
    const int out = emit(kernels_.binary(Binary::add, ElementType::float64, Single::none),
                         ElementType::float64, {a, b, c, last});
    plan_.calls.back().wide = kernels_.sum_of_four;
    return out;
  }

  int scaled_sum(const Step& step) {
    if (step.binary != Binary::multiply) return -1;
    for (const int side : {0, 1}) {
      const auto from = static_cast<std::size_t>(step.from[side]);
      const int value = results_[from], factor = operand(step, 1 - side);
      if (uses_[from] != 1 || !kind(factor).constant || kind(factor).type != ElementType::float64) continue;
      const auto made = call_of(value);
      if (made == plan_.calls.end() || made->wide != kernels_.sum_of_four) continue;
      made->wide = kernels_.scaled_sum_of_four;
      made->from[4] = factor;
      return value;
    }
    return -1;
  }

  // The product of a single number and a block for the operand of a step, which nothing else needs.
  const KernelCall* product_for(int from) {
    const auto k = static_cast<std::size_t>(from);
    const auto& step = expression_.steps[k];
    if (step.kind != StepKind::binary || step.binary != Binary::multiply || uses_[k] != 1 ||
        kind(results_[k]).type != ElementType::float64)
      return nullptr;
    const auto made = call_of(results_[k]);
    if (made == plan_.calls.end() || made->wide ||
        kind(made->from[0]).constant == kind(made->from[1]).constant)
      return nullptr;
    return &*made;
  }

  int two_products(const Step& step) {
    if (step.binary != Binary::add && step.binary != Binary::subtract) return -1;
    // With a number after them.
    const auto from = static_cast<std::size_t>(step.from[0]);
    const int sum = results_[from], number = operand(step, 1);
    if (uses_[from] == 1 && kind(number).constant && kind(number).type == ElementType::float64)
      if (const auto made = call_of(sum); made != plan_.calls.end() && made->wide == kernels_.two_products) {
        made->wide = step.binary == Binary::add ? kernels_.two_products_plus : kernels_.two_products_minus;
        made->from[4] = number;
        return sum;
      }
    const auto* left = step.binary == Binary::add ? product_for(step.from[0]) : nullptr;
    const auto* right = left ? product_for(step.from[1]) : nullptr;
    if (!right) return -1;
    auto a = *left, b = *right;
    for (auto* product : {&a, &b})
      if (!kind(product->from[0]).constant) std::swap(product->from[0], product->from[1]);
    for (const int gone : {a.out, b.out}) plan_.calls.erase(call_of(gone));
    const int out = emit(a.kernel, ElementType::float64, {a.from[0], a.from[1], b.from[0], b.from[1]});
    plan_.calls.back().wide = kernels_.two_products;
    return out;
  }

  // x y + z in one go, where the product is needed for nothing else; -1 when the step is something else.
  int sum_of_product(const Step& step) {
    if (step.binary != Binary::add && step.binary != Binary::subtract) return -1;
    for (const int side : {0, 1}) {
      const auto from = static_cast<std::size_t>(step.from[side]);
      const auto& product = expression_.steps[from];
      if (product.kind != StepKind::binary || product.binary != Binary::multiply || uses_[from] != 1)
        continue;
      const int value = results_[from], other = operand(step, 1 - side);
      if (kind(value).type != ElementType::float64 || kind(other).type != ElementType::float64) continue;
      const auto made = call_of(value);
      if (made == plan_.calls.end() || made->wide) continue;
      int x = made->from[0], y = made->from[1];
      if (kind(y).constant) std::swap(x, y);
      plan_.calls.erase(made);
      const auto op = step.binary == Binary::add ? ProductWith::plus
                      : side == 0                ? ProductWith::minus
                                                 : ProductWith::from;
      const auto single = kind(x).constant ? (kind(other).constant ? Single::both : Single::left)
                                           : (kind(other).constant ? Single::right : Single::none);
      return emit(kernels_.product_with(op, single), ElementType::float64, {x, y, other});
    }
    return -1;
  }

  int pick(int mask, int a, int b) {
    if (kind(mask).type != ElementType::boolean) refuse("pick takes a condition first");
    if (kind(mask).constant && !(kind(mask).single && kind(a).single && kind(b).single))
      refuse("pick has a single condition");
    if (expression_.picks_alike && kind(a).type != kind(b).type)
      refuse("the alternatives have numbers of different types");
    const auto type = common_type(shown(kind(a)), shown(kind(b)));
    a = converted(a, type);
    b = converted(b, type);
    const auto single = kind(a).constant && kind(b).constant ? Single::both : single_of(a, b);
    return emit(kernels_.pick(type, single), type, {mask, a, b});
  }

  // Constants have operands of their own; blocks are used again when the last operation that reads them has
  // gone by.
  void find_places(bool direct) {
    std::vector<int> last_use(made_.size(), -1), place(made_.size(), -1), free;
    for (std::size_t k = 0; k < plan_.calls.size(); ++k)
      for (const int value : plan_.calls[k].from)
        if (value >= 0) last_use[static_cast<std::size_t>(value)] = static_cast<int>(k);
    for (int k = 0; k < plan_.inputs; ++k) place[static_cast<std::size_t>(k)] = k;
    plan_.constants = static_cast<int>(plan_.once.size());
    int next = plan_.first_constant();
    const auto read = [&](KernelCall& call) {
      for (int& value : call.from) value = value < 0 ? 0 : place[static_cast<std::size_t>(value)];
    };
    for (auto& call : plan_.once) {
      place[static_cast<std::size_t>(call.out)] = next;
      read(call);
      call.out = next++;
    }
    const auto is_block = [&](int value) { return value >= plan_.inputs && !kind(value).constant; };
    for (std::size_t k = 0; k < plan_.calls.size(); ++k) {
      auto& call = plan_.calls[k];
      std::vector<int> dying;
      for (const int value : call.from)
        if (value >= 0 && is_block(value) &&
            last_use[static_cast<std::size_t>(value)] == static_cast<int>(k) &&
            std::find(dying.begin(), dying.end(), value) == dying.end())
          dying.push_back(value);
      int& out = place[static_cast<std::size_t>(call.out)];
      const auto fits = std::find_if(dying.begin(), dying.end(), [&](int value) {
        return size_of(kind(value).type) >= size_of(kind(call.out).type);
      });
      if (fits != dying.end()) {
        out = place[static_cast<std::size_t>(*fits)];
        dying.erase(fits);
      } else if (!free.empty()) {
        out = free.back();
        free.pop_back();
      } else {
        out = plan_.first_block() + plan_.blocks++;
      }
      for (const int value : dying) free.push_back(place[static_cast<std::size_t>(value)]);
      read(call);
      call.out = out;
    }
    if (plan_.calls.empty()) return;
    if (direct) plan_.calls.back().out = plan_.result();
    plan_.last = plan_.calls.back().out;
  }

  const Expression& expression_;
  const Kernels& kernels_ = kernels();
  Plan plan_;
  std::vector<InputKind> made_;  // all values: inputs, then results of calls
  std::vector<int> results_;     // of the steps
  std::vector<int> uses_;        // of each step by others
  std::map<std::pair<int, ElementType>, int> conversions_;
  int step_ = 0;
};

}  // namespace

Planned plan_of(const Expression& expression, std::span<const InputKind> inputs, bool scattered) {
  try {
    return {Planner(expression, inputs).finish(scattered), {}};
  } catch (const Obstacle& obstacle) { return {std::nullopt, obstacle.text}; } catch (const Error& error) {
    return {std::nullopt, error.message};
  }
}

}  // namespace quill::fusion
