// Short vectors and tuples, and functions of the language that are called.
#include <utility>

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

// The function in a register, checked to be the one that was there when the loop became hot, or to run the
// same code; empty for others.
std::optional<Lowering::Operand> Lowering::known_function(int r) {
  auto& type = type_of(r);
  if (type.form == Form::function || type.form == Form::closure) return operand(r);
  if (type.form != Form::memory || absolute(r) >= f_size_ || !seen(r).is(Kind::function) ||
      is_for_machine(at_))
    return std::nullopt;
  const auto& value = seen(r);
  const auto check_kind = [&] {
    guard(compare(Do::equal, kind_of(r), whole_constant(static_cast<int>(Kind::function))), Reason::type);
  };
  if (const auto closure = observed_closure(value); closure && type.function == nullptr) {
    keep_code(value.object<FunctionObject>().function);
    const int number = template_number(closure->code);
    check_kind();
    guard(compare(Do::not_equal, help(helpers_.load_closure, absolute(r), number), whole_constant(0)),
          Reason::type);
    Operand out{.form = Form::closure, .code = closure->code};
    for (int k = 0; k < closure->count; ++k) {
      out.items.push_back(make(VariableType::number));
      emit({.what = Do::load_result, .dst = out.items.back(), .immediate = k});
    }
    return out;
  }
  keep(value);
  if (type.function == nullptr) {
    check_kind();
    const int held = make(VariableType::whole);
    emit({.what = Do::load_register, .dst = held, .immediate = absolute(r)});
    guard(compare(Do::equal, held, whole_constant(reinterpret_cast<std::int64_t>(value.identity()))),
          Reason::type);
    type.function = &value.object<FunctionObject>();
  }
  return Operand{.form = Form::function, .function = type.function};
}

void Lowering::keep_code(const std::shared_ptr<const Function>& code) {
  if (template_number(code.get()) == static_cast<int>(out_.codes.size())) out_.codes.push_back(code);
}

// The number of a closure's code in Lowered::codes.
int Lowering::template_number(const Function* code) {
  auto& codes = out_.codes;
  const auto found = std::find_if(codes.begin(), codes.end(), [&](const auto& c) { return c.get() == code; });
  return static_cast<int>(found - codes.begin());
}

// A function that captures numbers. Of other values the machine makes it.
bool Lowering::make_closure(const Instruction& i) {
  const auto& code = f().functions[static_cast<std::size_t>(i.b)];
  if (i.c >= 0 || code->captures.size() > kMostItems) return false;
  Operand out{.form = Form::closure, .code = code.get()};
  for (const auto& capture : code->captures) {
    if (capture.kind != Binding::Kind::local && capture.kind != Binding::Kind::captured) return false;
    const int r =
        capture.index + (capture.kind == Binding::Kind::local ? f().first_local : f().first_capture);
    const auto x = operand(r);
    if (!x || (x->form != Form::number && x->form != Form::whole)) return false;
    out.items.push_back(as_number(*x)->variable);
  }
  keep_code(code);
  define(i.a, out);
  return true;
}

std::optional<Lowering::Operand> Lowering::combine_vectors(Op op, const Operand& x, const Operand& y) {
  if (op > Op::power) return std::nullopt;  // comparisons give booleans
  const bool left = x.form == Form::vector, right = y.form == Form::vector;
  if (left && right && x.items.size() != y.items.size()) return std::nullopt;
  const auto is_plain = [](const Operand& v) { return v.form == Form::number || v.form == Form::whole; };
  if ((!left && !is_plain(x)) || (!right && !is_plain(y))) return std::nullopt;
  Operand out{.form = Form::vector};
  for (std::size_t k = 0; k < (left ? x : y).items.size(); ++k) {
    const auto one = combine_numbers(op, left ? number(x.items[k]) : x, right ? number(y.items[k]) : y);
    if (!one) return std::nullopt;
    out.items.push_back(one->variable);
  }
  return out;
}

// The numbers and vectors in a tuple or record, or the elements of a vector.
std::vector<Lowering::Operand> Lowering::parts_of(const Operand& whole) {
  std::vector<Operand> out;
  if (whole.form != Form::tuple && whole.form != Form::record) {
    for (const int v : whole.items) out.push_back({.form = Form::number, .variable = v});
    return out;
  }
  std::size_t at = 0;
  for (auto parts = whole.parts; parts != 0; parts >>= 5) {
    const int size = part_size(parts);
    if (size == 1) {
      out.push_back({.form = Form::number, .variable = whole.items[at++]});
      continue;
    }
    Operand vector{.form = Form::vector};
    for (int k = 1; k < size; ++k) vector.items.push_back(whole.items[at++]);
    out.push_back(std::move(vector));
  }
  return out;
}

bool Lowering::select_item(const Instruction& i) {
  if (i.n != 1) return false;
  const auto base = operand(i.b);
  const auto at = operand(i.c);
  if (!base || !at || (at->form != Form::whole && at->form != Form::number)) return false;
  const auto parts = parts_of(*base);
  const auto count = static_cast<std::int64_t>(parts.size());
  if (at->form == Form::whole && at->low == at->high && at->low >= 1 && at->low <= count) {
    define(i.a, parts[static_cast<std::size_t>(at->low - 1)]);
    return true;
  }
  if (parts.size() != base->items.size()) return false;
  const int form = whole_of(*at);
  guard(compare(Do::greater_equal, form, whole_constant(1)), Reason::value);
  guard(compare(Do::less_equal, form, whole_constant(count)), Reason::value);
  int found = base->items[0];
  for (std::int64_t k = 2; k <= count; ++k) {
    const int next = make(VariableType::number);
    emit({.what = Do::select,
          .dst = next,
          .x = compare(Do::equal, form, whole_constant(k)),
          .y = base->items[static_cast<std::size_t>(k - 1)],
          .z = found});
    found = next;
  }
  define(i.a, number(found));
  return true;
}

// Whether a value that was read before the loop is known to be there.
bool Lowering::has_kept(int r) {
  const auto& kept = type_of(r);
  if (kept.form == Form::nowhere) return false;
  if (kept.form != Form::memory || kept.axes > 0 || kept.function) return true;
  if (kept.counts || is_inlined() || seen(r).is(Kind::unset)) return false;
  guard(compare(Do::not_equal, kind_of(r), whole_constant(static_cast<int>(Kind::unset))), Reason::value);
  return true;
}

// A field of a record that is held in variables, or one that was read before the loop.
bool Lowering::select_field(const Instruction& i) {
  if (i.op == Op::part_once && has_kept(i.a)) return true;
  if (type_of(i.b).form != Form::record) return false;
  const auto record = operand(i.b);
  const auto& name = f().literals[static_cast<std::size_t>(i.c)].text();
  const auto found = std::find(record->names->begin(), record->names->end(), name);
  if (found == record->names->end()) return false;
  define(i.a, parts_of(*record)[static_cast<std::size_t>(found - record->names->begin())]);
  return true;
}

bool Lowering::step_items(const Instruction& i) {
  const auto numbers = [&](int first) {
    std::vector<int> out;
    for (int k = 0; k < i.n; ++k) {
      const auto x = operand(first + k);
      if (!x || (x->form != Form::number && x->form != Form::whole)) return std::vector<int>{};
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
      define(i.a, {.form = Form::vector, .items = items});
      return true;
    }
    case Op::record:
    case Op::tuple: {
      if (i.n < 1 || i.n > kMostTupleParts) return false;
      Operand out{.form = Form::tuple};
      if (i.op == Op::record) {
        out.form = Form::record;
        out.names = interned(f().name_lists[static_cast<std::size_t>(i.c)]);
      }
      for (int k = 0; k < i.n; ++k) {
        const auto x = operand(i.b + k);
        const bool is_vector = x && x->form == Form::vector;
        if (!is_vector && (!x || (x->form != Form::number && x->form != Form::whole))) return false;
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
      if (!x || (x->form != Form::vector && x->form != Form::tuple)) return false;
      Operand copy = *x;
      for (int& v : copy.items) v = unary(Do::copy, VariableType::number, v);
      const auto parts = parts_of(copy);
      if (static_cast<int>(parts.size()) != i.n) return false;
      for (int k = 0; k < i.n; ++k) define(i.a + k, parts[static_cast<std::size_t>(k)]);
      return true;
    }
    case Op::part:
    case Op::part_early:
    case Op::part_once: return select_field(i);
    case Op::call: return inline_call(i);
    case Op::closure: return make_closure(i);
    default: return false;
  }
}

bool Lowering::inline_call(const Instruction& i) {
  if ((i.flag & 1) != 0 || is_for_machine(at_)) return false;
  const auto function = known_function(i.b);
  if (!function) return false;
  const auto callee = callee_of(*function);
  const auto& f = *callee.code;
  if (static_cast<int>(f.parameters.size()) != i.n) return false;
  int depth = 0;
  bool is_recursive = false;
  for (const Scope* scope = scope_; scope; scope = scope->caller, ++depth)
    if (scope->f == &f) is_recursive = true;
  if (is_recursive || depth > kDeepestInlined || f.code.size() > kMostInlined) return call_body(i, *function);
  auto& flow = flows_[&f];
  if (!flow) flow = std::make_unique<Flow>(f);
  Scope scope{.f = &f,
              .flow = flow.get(),
              .offset = static_cast<int>(state_.size()),
              .caller = scope_,
              .end = f.code.size()};
  return run_inlined(scope, i, callee);
}

// Arrays are passed as views of the caller's registers.
void Lowering::bind_arguments(Scope& scope, const std::vector<Operand>& given, const Callee& callee) {
  const auto& f = *scope.f;
  scope_ = &scope;
  for (std::size_t k = 0; k < given.size(); ++k) define(static_cast<int>(k), given[k]);
  for (const auto& [r, number] : f.constants) constants_[absolute(r)] = number;
  for (std::size_t k = 0; k < callee.captured.size(); ++k)
    define(f.first_capture + static_cast<int>(k), number(callee.captured[k]));
  if (callee.object == nullptr) return;
  for (std::size_t k = 0; k < callee.object->captured.size(); ++k) {
    const auto& value = callee.object->captured[k];
    const int r = f.first_capture + static_cast<int>(k);
    if (value.is_number()) constants_[absolute(r)] = value.number();
    if (value.is(Kind::function)) {
      keep(value);
      define(r, {.form = Form::function, .function = &value.object<FunctionObject>()});
    } else if (const auto items = observed_items(value)) {
      define(r, constant_items(value, *items));
    } else {
      load_fixed_array(r, value);
    }
  }
}

bool Lowering::run_inlined(Scope& scope, const Instruction& call, const Callee& callee) {
  const auto given = arguments_of(call);
  if (!given) return false;
  auto* const caller = scope_;
  const auto at = at_;
  const auto size = state_.size();
  const auto registers = static_cast<std::size_t>(scope.f->frame_size) + 1;  // and the result
  state_.resize(size + registers);
  if (variables_.size() < state_.size()) variables_.resize(state_.size());
  bind_arguments(scope, *given, callee);
  const State first = state_;
  scope.states.emplace(0, first);
  scope.open.push_back(0);
  const bool writes = std::exchange(writes_, false);
  const auto is_callee = [&](const auto& loop) { return loop.first >= static_cast<int>(size); };
  std::erase_if(counted_, is_callee);
  find_types(scope);
  writes_ = writes;
  if (writes_ && !scope.has_failed && scope.returned) {
    scope.return_label = label();
    state_ = first;
    convert_to(scope.states.at(0));
    prove(scope);
    write_blocks(scope);
    place_label(scope.return_label);
  }
  std::optional<Operand> result;
  if (!scope.has_failed && scope.returned) {
    state_ = *scope.returned;
    result = operand(scope.f->frame_size);
    if (result && result->counter >= static_cast<int>(size)) result->counter = -1;
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

void Lowering::return_statement(const Instruction& i) {
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
