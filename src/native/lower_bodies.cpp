// Calls of functions that are not inlined: of recursive and of long ones. Each is compiled for the types of
// its arguments as a body that changes nothing: after a failed check it gives up with the reason as its
// status, and so do its callers, up to the safe instruction of the loop, where the machine executes the call.
#include <utility>

#include "compiler/operands.h"
#include "native/lowering.h"

namespace quill::native {

namespace {

constexpr std::size_t kMostBodies = 12, kLongestBody = 600;

}  // namespace

std::optional<std::vector<Lowering::Operand>> Lowering::arguments_of(const Instruction& call) {
  std::vector<Operand> given;
  for (int k = 1; k <= call.n; ++k) {
    const int r = call.b + k;
    const auto& type = type_of(r);
    if (type.form == Form::view || type.form == Form::slice || (type.form == Form::memory && type.axes > 0)) {
      given.push_back({.form = Form::view, .root = absolute(root_of(r))});
      continue;
    }
    const auto x = operand(r);
    if (!x) return std::nullopt;
    given.push_back(*x);
  }
  return given;
}

// The types are coarse, so that a recursive call has the types of its caller.
Type Lowering::parameter_type(const Operand& given, bool is_whole) {
  switch (given.form) {
    case Form::whole: return is_whole ? whole_type(-kMostRead, kMostRead) : number_type();
    case Form::view: {
      const auto& array = state_[static_cast<std::size_t>(given.root)];
      return {.form = Form::view, .element = array.element, .axes = array.axes};
    }
    case Form::function: return {.form = Form::function, .function = given.function};
    default:
      return {.form = given.form,
              .element = given.element,
              .count = static_cast<std::uint8_t>(given.items.size()),
              .parts = given.parts,
              .names = given.names,
              .code = given.code};
  }
}

// An operand of that type in new variables.
Lowering::Operand Lowering::made_operand(const Type& type) {
  Operand out{.form = type.form,
              .element = type.element,
              .low = type.low,
              .high = type.high,
              .parts = type.parts,
              .names = type.names,
              .function = type.function,
              .code = type.code};
  switch (type.form) {
    case Form::number:
    case Form::real32: out.variable = make(VariableType::number); break;
    case Form::whole:
    case Form::single: out.variable = make(VariableType::whole); break;
    case Form::boolean: out.variable = make(VariableType::boolean); break;
    default:
      for (int k = 0; k < type.count; ++k) out.items.push_back(make(VariableType::number));
  }
  return out;
}

std::vector<int> Lowering::variables_of(const Operand& x) {
  if (!x.items.empty()) return x.items;
  return x.variable < 0 ? std::vector<int>{} : std::vector<int>{x.variable};
}

// Parameter k of the running body, whose arrays have registers after those of the function.
Lowering::Operand Lowering::parameter(const Type& type, std::size_t k) {
  if (type.form != Form::view) {
    auto out = made_operand(type);
    if (writes_)
      for (const int v : variables_of(out)) code_->parameters.push_back(v);
    return out;
  }
  const int r = f().frame_size + 1 + static_cast<int>(k);
  type_of(r) = array_type(type.element, type.axes, false);
  make_description(r, type.axes);
  if (writes_) {
    const auto& v = variables(r);
    code_->parameters.push_back(v.pointer);
    for (int axis = 0; axis < type.axes; ++axis) {
      code_->parameters.push_back(v.extents[axis]);
      code_->parameters.push_back(v.strides[axis]);
    }
  }
  return {.form = Form::view, .root = absolute(r)};
}

// The variables that a call passes for an argument.
std::vector<int> Lowering::passed(const Operand& given, const Type& type) {
  if (given.form == Form::view) {
    const auto& v = variables_[static_cast<std::size_t>(given.root)];
    std::vector<int> out{v.pointer};
    for (int axis = 0; axis < type.axes; ++axis) {
      out.push_back(v.extents[axis]);
      out.push_back(v.strides[axis]);
    }
    return out;
  }
  if (given.form == Form::whole && type.form == Form::number) return {as_number(given)->variable};
  if (given.form == Form::whole) {
    if (given.low < type.low)
      guard(compare(Do::greater_equal, given.variable, whole_constant(type.low)), Reason::whole);
    if (given.high > type.high)
      guard(compare(Do::less_equal, given.variable, whole_constant(type.high)), Reason::whole);
  }
  return variables_of(given);
}

Lowering::Body& Lowering::body_for(const Type& function, std::vector<Type> parameters) {
  const bool is_whole = !experience_.not_whole.contains(cause_);
  for (const auto& body : bodies_)
    if (body->function == function && body->parameters == parameters && body->is_whole == is_whole)
      return *body;
  const auto& f = function.function ? *function.function->function : *function.code;
  auto body = std::make_unique<Body>();
  body->function = function;
  body->parameters = std::move(parameters);
  body->cause = cause_;
  body->is_whole = is_whole;
  auto& flow = flows_[&f];
  if (!flow) flow = std::make_unique<Flow>(f);
  body->scope.f = &f;
  body->scope.flow = flow.get();
  body->scope.offset = f_size_;
  body->scope.caller = &root_;
  body->scope.end = f.code.size();
  body->scope.has_failed = has_all_bodies_ || bodies_.size() >= kMostBodies || f.code.size() > kLongestBody;
  bodies_.push_back(std::move(body));
  return *bodies_.back();
}

// The registers of the function follow those of the loop, which it does not see.
void Lowering::enter_body(Body& body) {
  const auto& f = *body.scope.f;
  scope_ = &body.scope;
  body_ = &body;
  cause_ = body.cause;
  constants_.clear();
  state_.assign(static_cast<std::size_t>(f_size_ + f.frame_size + 1) + body.parameters.size(), {});
  if (variables_.size() < state_.size()) variables_.resize(state_.size());
  std::vector<Operand> given;
  for (std::size_t k = 0; k < body.parameters.size(); ++k) given.push_back(parameter(body.parameters[k], k));
  bind_arguments(body.scope, given, callee_of(parameter(body.function, body.parameters.size())));
}

// Infers the types of all bodies, which may be mutually recursive: the result type of one is known once a
// path to its end without unknown types is found.
void Lowering::find_bodies() {
  auto* const scope = scope_;
  auto* const body = body_;
  const auto at = at_, cause = cause_;
  const auto skipped = skipped_;
  auto state = std::move(state_);
  auto constants = std::move(constants_);
  const bool writes = std::exchange(writes_, false);
  is_finding_bodies_ = true;
  for (bool has_changed = true; has_changed;) {
    has_changed = false;
    for (std::size_t k = 0; k < bodies_.size(); ++k) {
      auto& next = *bodies_[k];
      auto& s = next.scope;
      if (s.has_failed) continue;
      const auto before = s.returned;
      const auto count = bodies_.size();
      enter_body(next);
      s.states.try_emplace(0, state_);
      s.open.clear();
      for (const auto& [block, types] : s.states) s.open.push_back(block);
      find_types(s);
      if (s.has_failed || s.returned != before || bodies_.size() != count) has_changed = true;
    }
  }
  is_finding_bodies_ = false;
  scope_ = scope;
  body_ = body;
  at_ = at;
  cause_ = cause;
  skipped_ = skipped;
  state_ = std::move(state);
  constants_ = std::move(constants);
  writes_ = writes;
  is_over_ = false;
}

bool Lowering::call_body(const Instruction& i, const Operand& function) {
  const auto given = arguments_of(i);
  if (!given) return false;
  const bool is_whole = !experience_.not_whole.contains(cause_);
  std::vector<Type> types;
  for (const auto& x : *given) types.push_back(parameter_type(x, is_whole));
  const auto function_type = parameter_type(function, is_whole);
  auto& body = body_for(function_type, types);
  if (!is_finding_bodies_ && !has_all_bodies_) find_bodies();
  if (body.scope.has_failed) return false;
  if (!body.scope.returned) {
    if (!is_finding_bodies_) return false;
    is_over_ = true;  // its result is not known yet
    return true;
  }
  const auto result_type = result_of(body.scope);
  if (result_type.form == Form::memory || result_type.form == Form::view) return false;
  std::vector<int> variables{-1};
  for (std::size_t k = 0; k < given->size(); ++k)
    for (const int v : passed((*given)[k], types[k])) variables.push_back(v);
  variables.insert(variables.end(), function.items.begin(), function.items.end());
  const auto result = made_operand(result_type);
  if (writes_) {
    check_globals();
    variables[0] = make(VariableType::whole);
    if (body_)
      emit({.what = Do::subtract, .dst = variables[0], .x = depth_, .y = whole_constant(1)});
    else
      emit({.what = Do::load_depth, .dst = variables[0]});
    const int status = make(VariableType::whole);
    const auto number =
        std::find_if(bodies_.begin(), bodies_.end(), [&](const auto& b) { return b.get() == &body; });
    auto& lists = code_->lists;
    lists.push_back(variables);
    lists.push_back(variables_of(result));
    emit({.what = Do::call_body,
          .dst = status,
          .p = static_cast<int>(number - bodies_.begin()),
          .q = static_cast<int>(lists.size()) - 2,
          .immediate = static_cast<std::int64_t>(lists.size()) - 1});
    check_status(status);
  }
  define(i.a, result);
  return true;
}

std::optional<Lowered> Lowering::direct(const Type& called, const std::vector<Type>& parameters,
                                        const Type& result) {
  auto& body = body_for(called, parameters);
  find_bodies();
  has_all_bodies_ = true;
  if (body.scope.has_failed || !body.scope.returned) return std::nullopt;
  const auto type = result_of(body.scope);
  const bool is_number = type.form == Form::number || type.form == Form::whole;
  if (result.form == Form::number ? !is_number : type.form != result.form || type.count != result.count)
    return std::nullopt;
  const bool is_boolean = type.form == Form::boolean;
  writes_ = true;
  const int l = label();
  code_->entries.push_back(l);
  place_label(l);
  int next = 0;
  std::vector<int> given{make(VariableType::whole)};
  emit({.what = Do::load_depth, .dst = given[0]});
  const auto take = [&](int count) {
    for (int k = 0; k < count; ++k) {
      given.push_back(make(VariableType::number));
      emit({.what = Do::load_result, .dst = given.back(), .immediate = next++});
    }
  };
  const int captured = called.form == Form::closure ? called.count : 0;
  // The captured numbers are given first, and passed last.
  next = captured;
  for (const auto& parameter : parameters) take(parameter.form == Form::vector ? parameter.count : 1);
  next = 0;
  take(captured);
  const auto out = made_operand(type);
  const int status = make(VariableType::whole);
  code_->lists = {given, variables_of(out)};
  emit({.what = Do::call_body, .dst = status, .p = 0, .q = 0, .immediate = 1});
  auto numbers = type.form == Form::whole ? variables_of(*as_number(out)) : variables_of(out);
  if (is_boolean) {
    numbers = {make(VariableType::number)};
    emit({.what = Do::select,
          .dst = numbers[0],
          .x = out.variable,
          .y = number_constant(1),
          .z = number_constant(0)});
  }
  for (std::size_t k = 0; k < numbers.size(); ++k)
    emit({.what = Do::store_result, .x = numbers[k], .immediate = static_cast<std::int64_t>(k)});
  emit({.what = Do::leave, .x = status});
  write_bodies();
  return std::move(out_);
}

void Lowering::check_status(int status) {
  const int fine = label(), failed = label();
  branch(compare(Do::equal, status, whole_constant(0)), fine, failed, 1);
  place_label(failed);
  if (body_)
    emit({.what = Do::give, .x = status, .p = -1});
  else
    go_to_safe_point(status);
  place_label(fine);
}

// Whether the code that is compiled may change a register of its function.
bool Lowering::is_changed_in_loop(int r) const {
  bool is_changed = false;
  for (auto at = root_.begin; at < root_.end && !is_changed; ++at)
    visit_operands(*root_.f, at, [&](int each, Access access) {
      if (each == r && access != Access::read) is_changed = true;
    });
  return is_changed;
}

// In a body: a function that is a name of the top level whose loop is compiled. The loop must not change the
// name; the calls of the body check that it has not changed since.
bool Lowering::load_function_of_top(const Instruction& i) {
  const auto& value = frame_[i.b];
  if (!value.is(Kind::function) || is_changed_in_loop(i.b)) return false;
  keep(value);
  body_->globals.insert(i.b);
  define(i.a, {.form = Form::function, .function = &value.object<FunctionObject>()});
  return true;
}

void Lowering::check_globals() {
  if (body_) return;
  std::set<int> globals;
  for (const auto& body : bodies_) globals.insert(body->globals.begin(), body->globals.end());
  for (const int r : globals) {
    const auto& value = frame_[r];
    const auto is_kind = [&](int kind) {
      return compare(Do::equal, kind, whole_constant(static_cast<int>(Kind::function)));
    };
    const int kind = make(VariableType::whole);
    emit({.what = Do::load_kind, .dst = kind, .immediate = r});
    guard(is_kind(kind), Reason::type);
    const int held = make(VariableType::whole);
    emit({.what = Do::load_register, .dst = held, .immediate = r});
    guard(compare(Do::equal, held, whole_constant(reinterpret_cast<std::int64_t>(value.identity()))),
          Reason::type);
  }
}

void Lowering::write_bodies() {
  out_.code.bodies.resize(bodies_.size());
  is_leaving_ = false;
  for (std::size_t k = 0; k < bodies_.size(); ++k) {
    auto& body = *bodies_[k];
    auto& scope = body.scope;
    if (scope.has_failed || !scope.returned) continue;
    code_ = &out_.code.bodies[k];
    variables_.assign(variables_.size(), {});
    exit_labels_.clear();
    counted_.clear();
    depth_ = make(VariableType::whole);
    code_->parameters.push_back(depth_);
    enter_body(body);
    guard(compare(Do::greater, depth_, whole_constant(0)), Reason::value);
    poll();
    convert_to(scope.states.at(0));
    scope.return_label = label();
    write_blocks(scope);
    place_label(scope.return_label);
    state_ = *scope.returned;
    if (const auto result = operand(scope.f->frame_size)) {
      const auto given = variables_of(*result);
      for (const int v : given) code_->results.push_back(code_->variables[static_cast<std::size_t>(v)]);
      code_->lists.push_back(given);
      emit({.what = Do::give, .x = whole_constant(0), .p = static_cast<int>(code_->lists.size()) - 1});
    }
    for (const auto& [reason, exit] : exit_labels_) {
      place_label(exit);
      emit({.what = Do::give, .x = whole_constant(static_cast<int>(reason)), .p = -1});
    }
  }
  code_ = &out_.code;
  body_ = nullptr;
  scope_ = &root_;
}

std::optional<Lowered> lower_direct(const Function& function, const Flow& flow, const Type& called,
                                    const std::vector<Type>& parameters, const Type& result,
                                    const Registry& registry, const Experience& experience,
                                    const Helpers& helpers) {
  return Lowering(function, flow, kWholeFunction, nullptr, registry, experience, helpers)
      .direct(called, parameters, result);
}

}  // namespace quill::native
