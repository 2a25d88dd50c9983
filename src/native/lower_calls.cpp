// Short vectors and tuples, and functions of the language that are called.
#include "array/scalar.h"
#include "compiler/operands.h"
#include "native/lowering.h"

namespace quill::native {

namespace {

constexpr std::size_t kMostInlined = 300;  // instructions of a function that is inlined
constexpr int kDeepestInlined = 8;         // functions within functions

}  // namespace

void Lowering::keep(const Value& function) {
  const auto is_it = [&](const Value& v) { return v.identity() == function.identity(); };
  if (std::none_of(out_.kept.begin(), out_.kept.end(), is_it)) out_.kept.push_back(function);
}

// The function in a register, checked to be the one that was there when the loop became hot; null for others.
const FunctionObject* Lowering::known_function(int r) {
  auto& type = type_of(r);
  if (type.place == Place::function) return type.function;
  if (type.place != Place::memory || absolute(r) >= f_size_ || !seen(r).is(Kind::function) ||
      is_for_machine(at_))
    return nullptr;
  const auto& value = seen(r);
  keep(value);
  if (type.function == nullptr) {
    guard(compare(Do::equal, kind_of(r), whole_constant(static_cast<int>(Kind::function))), Reason::type);
    const int held = make(VariableType::whole);
    emit({.what = Do::load_register, .dst = held, .immediate = absolute(r)});
    guard(compare(Do::equal, held, whole_constant(reinterpret_cast<std::int64_t>(value.identity()))),
          Reason::type);
    type.function = &value.object<FunctionObject>();
  }
  return type.function;
}

std::optional<Lowering::Operand> Lowering::combine_vectors(Op op, const Operand& x, const Operand& y) {
  if (op > Op::power) return std::nullopt;  // comparisons give booleans
  const bool left = x.place == Place::vector, right = y.place == Place::vector;
  if (left && right && x.items.size() != y.items.size()) return std::nullopt;
  const auto is_plain = [](const Operand& v) { return v.place == Place::number || v.place == Place::whole; };
  if ((!left && !is_plain(x)) || (!right && !is_plain(y))) return std::nullopt;
  Operand out{.place = Place::vector};
  for (std::size_t k = 0; k < (left ? x : y).items.size(); ++k) {
    const auto one = combine_numbers(op, left ? number(x.items[k]) : x, right ? number(y.items[k]) : y);
    if (!one) return std::nullopt;
    out.items.push_back(one->variable);
  }
  return out;
}

// The numbers and vectors in a tuple, or the elements of a vector.
std::vector<Lowering::Operand> Lowering::parts_of(const Operand& whole) {
  std::vector<Operand> out;
  if (whole.place != Place::tuple) {
    for (const int v : whole.items) out.push_back({.place = Place::number, .variable = v});
    return out;
  }
  std::size_t at = 0;
  for (auto parts = whole.parts; parts != 0; parts >>= 5) {
    const int size = part_size(parts);
    if (size == 1) {
      out.push_back({.place = Place::number, .variable = whole.items[at++]});
      continue;
    }
    Operand vector{.place = Place::vector};
    for (int k = 1; k < size; ++k) vector.items.push_back(whole.items[at++]);
    out.push_back(std::move(vector));
  }
  return out;
}

bool Lowering::select_item(const Instruction& i) {
  if (i.n != 1) return false;
  const auto base = operand(i.b);
  const auto at = operand(i.c);
  if (!base || !at || (at->place != Place::whole && at->place != Place::number)) return false;
  const auto parts = parts_of(*base);
  const auto count = static_cast<std::int64_t>(parts.size());
  if (at->place == Place::whole && at->low == at->high && at->low >= 1 && at->low <= count) {
    define(i.a, parts[static_cast<std::size_t>(at->low - 1)]);
    return true;
  }
  if (parts.size() != base->items.size()) return false;
  const int place = whole_of(*at);
  guard(compare(Do::greater_equal, place, whole_constant(1)), Reason::value);
  guard(compare(Do::less_equal, place, whole_constant(count)), Reason::value);
  int found = base->items[0];
  for (std::int64_t k = 2; k <= count; ++k) {
    const int next = make(VariableType::number);
    emit({.what = Do::select,
          .dst = next,
          .x = compare(Do::equal, place, whole_constant(k)),
          .y = base->items[static_cast<std::size_t>(k - 1)],
          .z = found});
    found = next;
  }
  define(i.a, number(found));
  return true;
}

bool Lowering::step_items(const Instruction& i) {
  const auto numbers = [&](int first) {
    std::vector<int> out;
    for (int k = 0; k < i.n; ++k) {
      const auto x = operand(first + k);
      if (!x || (x->place != Place::number && x->place != Place::whole)) return std::vector<int>{};
      out.push_back(as_number(*x)->variable);
    }
    return out;
  };
  switch (i.op) {
    case Op::matrix: {
      const auto& form = f().brackets[static_cast<std::size_t>(i.c)];
      if (form.is_matrix || form.lengths.size() != 1 || i.n < 1 || i.n > kMostItems) return false;
      const auto items = numbers(i.b);
      if (items.empty()) return false;
      define(i.a, {.place = Place::vector, .items = items});
      return true;
    }
    case Op::tuple: {
      if (i.n < 1 || i.n > kMostParts) return false;
      Operand out{.place = Place::tuple};
      for (int k = 0; k < i.n; ++k) {
        const auto x = operand(i.b + k);
        const bool is_vector = x && x->place == Place::vector;
        if (!is_vector && (!x || (x->place != Place::number && x->place != Place::whole))) return false;
        if (is_vector)
          out.items.insert(out.items.end(), x->items.begin(), x->items.end());
        else
          out.items.push_back(as_number(*x)->variable);
        out.parts |= static_cast<std::uint64_t>(is_vector ? x->items.size() + 1 : 1) << (5 * k);
      }
      if (out.items.size() > kMostItems) return false;
      define(i.a, out);
      return true;
    }
    case Op::unpack: {
      const auto x = operand(i.b);
      if (!x || (x->place != Place::vector && x->place != Place::tuple)) return false;
      Operand copy = *x;
      for (int& v : copy.items) v = unary(Do::copy, VariableType::number, v);
      const auto parts = parts_of(copy);
      if (static_cast<int>(parts.size()) != i.n) return false;
      for (int k = 0; k < i.n; ++k) define(i.a + k, parts[static_cast<std::size_t>(k)]);
      return true;
    }
    case Op::call: return inline_call(i);
    default: return false;
  }
}

bool Lowering::inline_call(const Instruction& i) {
  if ((i.flag & 1) != 0 || is_for_machine(at_)) return false;
  const auto* callee = known_function(i.b);
  if (callee == nullptr) return false;
  const auto& f = *callee->function;
  int depth = 0;
  for (const Scope* scope = scope_; scope; scope = scope->caller, ++depth)
    if (scope->f == &f) return false;
  if (depth > kDeepestInlined || f.code.size() > kMostInlined || static_cast<int>(f.parameters.size()) != i.n)
    return false;
  auto& flow = flows_[&f];
  if (!flow) flow = std::make_unique<Flow>(f);
  if (!flow->loops.empty()) return false;
  Scope scope{.f = &f,
              .flow = flow.get(),
              .offset = static_cast<int>(state_.size()),
              .caller = scope_,
              .end = f.code.size()};
  return run_inlined(scope, i, *callee);
}

// Arrays are passed as views of the caller's registers.
void Lowering::bind_arguments(Scope& scope, const std::vector<Operand>& given, const FunctionObject& callee) {
  const auto& f = *scope.f;
  scope_ = &scope;
  for (std::size_t k = 0; k < given.size(); ++k) define(static_cast<int>(k), given[k]);
  for (const auto& [r, number] : f.constants) constants_[absolute(r)] = number;
  for (std::size_t k = 0; k < callee.captured.size(); ++k) {
    const auto& value = callee.captured[k];
    const int r = f.first_capture + static_cast<int>(k);
    if (value.is_number()) constants_[absolute(r)] = value.number();
    if (value.is(Kind::function)) {
      keep(value);
      define(r, {.place = Place::function, .function = &value.object<FunctionObject>()});
    }
  }
}

bool Lowering::run_inlined(Scope& scope, const Instruction& call, const FunctionObject& callee) {
  std::vector<Operand> given;
  for (int k = 1; k <= call.n; ++k) {
    const int r = call.b + k;
    const auto& type = type_of(r);
    if (type.place == Place::view || (type.place == Place::memory && type.axes > 0)) {
      given.push_back({.place = Place::view, .root = absolute(root_of(r))});
      continue;
    }
    const auto x = operand(r);
    if (!x) return false;
    given.push_back(*x);
  }
  auto* const caller = scope_;
  const auto at = at_;
  const auto size = state_.size();
  const auto registers = static_cast<std::size_t>(scope.f->frame_size) + 1;  // and the result
  state_.resize(size + registers);
  if (variables_.size() < state_.size()) variables_.resize(state_.size());
  bind_arguments(scope, given, callee);
  const State first = state_;
  scope.states.emplace(0, first);
  const bool writes = writes_;
  // Inlined functions have no loops: one pass over the blocks in order finds all types, a second emits code.
  for (const bool is_writing : {false, true}) {
    writes_ = is_writing;
    if (is_writing && !writes) break;
    if (is_writing) {
      for (const auto& [block, state] : scope.states) scope.labels[block] = label();
      scope.return_label = label();
    }
    for (std::size_t block = 0; block < scope.flow->blocks.size() && !scope.has_failed; ++block) {
      if (!scope.states.contains(static_cast<int>(block))) continue;
      if (is_writing) place_label(scope.labels.at(static_cast<int>(block)));
      run_block(block);
    }
    if (scope.has_failed || !scope.returned) break;
    if (is_writing) place_label(scope.return_label);
  }
  writes_ = writes;
  std::optional<Operand> result;
  if (!scope.has_failed && scope.returned) {
    state_ = *scope.returned;
    result = operand(scope.f->frame_size);
  }
  for (std::size_t k = size; k < size + registers; ++k) constants_.erase(static_cast<int>(k));
  if (!result) {
    // The checks of the caller's registers that the failed pass assumed were not emitted.
    state_ = first;
  }
  state_.resize(size);
  scope_ = caller;
  at_ = at;
  is_over_ = false;
  skipped_ = 0;
  if (result) define(call.a, *result);
  return result.has_value();
}

void Lowering::give_back(const Instruction& i) {
  const int result = f().frame_size;
  is_over_ = true;
  const auto x = i.a < 0 ? std::nullopt : operand(i.a);
  if (!x) {
    scope_->has_failed = true;
    return;
  }
  define(result, *x);
  if (writes_) {
    convert_to(*scope_->returned);
    jump(scope_->return_label);
    return;
  }
  State state = state_;
  // Nothing else of the function is needed.
  for (int r = 0; r < f().frame_size; ++r) state[static_cast<std::size_t>(absolute(r))] = {};
  scope_->returned = scope_->returned ? merged_states(*scope_->returned, state) : state;
}

}  // namespace quill::native
