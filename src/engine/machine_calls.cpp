// Frames: calls, loops, closures.
#include <fmt/format.h>

#include <array>
#include <cmath>

#include "array/index.h"
#include "base/interrupt.h"
#include "base/restored.h"
#include "base/text.h"
#include "compiler/elementwise_analysis.h"
#include "engine/expectation.h"
#include "engine/machine.h"
#include "engine/operations.h"
#include "engine/siblings.h"
#include "value/arguments.h"
#include "value/deferred.h"
#include "value/print.h"

namespace quill {

namespace {

constexpr int kDeepestBuiltins = 100;  // nesting of calls of functions by built-ins

}  // namespace

void Machine::check_builtin_depth() const {
  if (builtin_depth_ >= kDeepestBuiltins) fail("nested calls through built-ins are too deep");
}

Value Machine::call(const Value& function, std::span<const Value> arguments) {
  if (function.is(Kind::builtin)) {
    std::vector<Value> copy(arguments.begin(), arguments.end());
    return call_builtin(*this, *function.object<BuiltinObject>().row, copy, nullptr, nullptr);
  }
  if (function.is(Kind::library)) {
    std::vector<Value> copy(arguments.begin(), arguments.end());
    return call_library(function, copy, nullptr);
  }
  poll_interrupt();
  check_builtin_depth();
  const Deeper one_more(builtin_depth_);
  Value result = Value::none();
  if (function.is(Kind::function))
    if (auto* hot = hot_.called(*function.object<FunctionObject>().function))
      if (call_native(*hot, function, arguments, result)) return result;
  // A few arguments need no allocation: right-hand sides of differential equations are called very often.
  std::array<Value, 4> few;
  std::vector<Value> many;
  Value* copy = few.data();
  if (arguments.size() > few.size()) {
    many.resize(arguments.size());
    copy = many.data();
  }
  std::copy(arguments.begin(), arguments.end(), copy);
  const auto before = frames_.size();
  enter(function, copy, static_cast<int>(arguments.size()), nullptr, nullptr, &result);
  execute(before);
  return result;
}

void Machine::fail_names_given(const Value& library) {
  fail(fmt::format("{} takes positional arguments", kind_in_words(library)));
}

Value Machine::call_library(const Value& function, std::span<Value> arguments, const Node* node) {
  for (auto& argument : arguments) argument = in_memory(*this, numeric_value(argument));
  const auto& object = function.object<LibraryObject>();
  try {
    return object.call(*this, arguments);
  } catch (Error& error) {
    error.name_caller(kind_in_words(function), location_of(node));
    throw;
  }
}

bool Machine::is_elementwise(const Value& function, std::span<const Role> arguments) const {
  return quill::is_elementwise(function, arguments);
}

void Machine::enter(const Value& function, Value* arguments, int count, const CallForm* form,
                    const Node* node, Value* result) {
  const auto& object = function.object<FunctionObject>();
  const Function& f = *object.function;
  if (frames_.size() >= kMostFrames || stack_top_ + f.frame_size > stack_end_)
    fail(fmt::format("the calls are nested too deeply: {} levels", frames_.size()),
         fmt::format("does {} call itself without end?", f.name));
  Value* base = stack_top_;
  Frame frame;
  frame.keep = function;
  frame.function = &f;
  frame.closure = &object;
  frame.base = base;
  frame.result = result;
  frame.call_node = node;
  try {
    if (!form && static_cast<std::size_t>(count) == f.parameters.size())
      for (int i = 0; i < count; ++i) base[i] = std::move(arguments[i]);
    else
      bind_arguments(f, base, arguments, count, form);
    frames_.push_back(std::move(frame));
  } catch (...) {
    for (std::size_t i = 0; i < f.parameters.size(); ++i) base[i].reset();
    throw;
  }
  stack_top_ += f.frame_size;
  for (std::size_t i = 0; i < object.captured.size(); ++i)
    base[f.first_capture + static_cast<int>(i)] =
        f.captures[i].kind == Binding::Kind::sibling ? sibling_of(object.captured[i]) : object.captured[i];
  for (const auto& [r, number] : f.constants) base[r] = Value(number);
}

Value Machine::sibling_of(const Value& captured) {
  return captured.is(Kind::library) ? static_cast<const Sibling&>(captured.object<LibraryObject>()).function()
                                    : captured;
}

void Machine::bind_arguments(const Function& f, Value* base, Value* arguments, int count,
                             const CallForm* form) {
  auto bound =
      bound_arguments(f, form ? std::span<const std::string>(form->names) : std::span<const std::string>(),
                      static_cast<std::size_t>(count));
  if (bound.mistake) throw std::move(*bound.mistake);
  for (int i = 0; i < count; ++i)
    base[bound.parameters[static_cast<std::size_t>(i)]] = std::move(arguments[i]);
}

void Machine::leave_frame() {
  auto& frame = frames_.back();
  if (frame.closure) {
    for (Value* v = frame.base; v != frame.base + frame.function->frame_size; ++v) v->reset();
    stack_top_ = frame.base;
  }
  frames_.pop_back();
}

// Adds location and call stack to the error, popping frames down to `depth`. The innermost frame was at
// `running`, which fast paths do not store.
void Machine::unwind(Error& error, std::size_t depth, const Instruction* running) {
  if (frames_.size() > depth && running)
    frames_.back().pc = static_cast<std::size_t>(running - frames_.back().function->code.data());
  while (frames_.size() > depth) {
    auto& frame = frames_.back();
    const auto& nodes = frame.function->nodes;
    const auto* node = frame.pc < nodes.size() ? nodes[frame.pc] : nullptr;
    if (!error.location.source && node) error.location = {frame.function->tree->source, node->span};
    if (frame.closure) {
      Error::Call call;
      call.function = frame.function->name;
      if (frame.call_node && frames_.size() >= 2)
        call.location = {frames_[frames_.size() - 2].function->tree->source, frame.call_node->span};
      error.calls.push_back(std::move(call));
    }
    leave_frame();
  }
}

void Machine::call_value(const Instruction& i, const Node* node, Value* r) {
  Value callee = r[i.b];
  const auto& form = frames_.back().function->calls[static_cast<std::size_t>(i.c)];
  if (!callee.is_callable()) {
    // A name whose value cannot be called falls back to the built-in of that name.
    if (form.row >= 0)
      callee = Value::builtin(registry_.row(form.row));
    else if (callee.is(Kind::unset))
      fail(fmt::format("`{}` has no value yet", written(node->callee())));
    else
      fail(fmt::format("{} cannot be called", kind_in_words(callee)),
           !callee.is_array_like() ? ""
           : shape_of(callee).empty()
               ? "write a product with its sign: a * (b)"
               : "select elements with brackets: a[2]; write a product with its sign: a * (b)");
  }
  poll_interrupt();
  Value* arguments = r + i.b + 1;
  const bool some_by_name = (i.flag & 1) != 0;
  if (callee.is(Kind::function)) {
    if (!some_by_name && callee.object<FunctionObject>().function.get() == frames_.back().function &&
        call_recursive(i, callee, node, r))
      return;
    enter(callee, arguments, i.n, some_by_name ? &form : nullptr, node, r + i.a);
    frames_.back().needs_result = (i.flag & 2) != 0;
    return;
  }
  if (callee.is(Kind::builtin)) {
    Value result = quill::call_builtin(*this, *callee.object<BuiltinObject>().row, std::span(arguments, i.n),
                                       &form, node);
    r[i.a] = std::move(result);
    poll_interrupt();
    return;
  }
  if (some_by_name) fail_names_given(callee);
  Value result = call_library(callee, std::span(arguments, i.n), node);
  r[i.a] = std::move(result);
}

void Machine::iterate(Value* state, const Value& source, const Node& node) {
  double count = 0;
  switch (source.kind()) {
    case Kind::range: {
      const auto& range = source.object<RangeObject>();
      count = static_cast<double>(range.count);
      if (range.step != 1 && range.is_of_integers()) {
        state[0] = Value(range.step);
        state[1].set_number(0);
        state[2].set_number(count);
        state[3].set_number(range.first);
        return;
      }
      if (range.step != 1 || !is_whole(range.first) || std::fabs(range.first) + count > kLargestExact) break;
      state[0] = Value::none();
      state[1].set_number(range.first);
      state[2].set_number(range.first + count - 1);
      state[3].set_number(range.first);
      return;
    }
    case Kind::array: count = static_cast<double>(source.array().length()); break;
    case Kind::tuple: count = static_cast<double>(source.object<TupleObject>().items.size()); break;
    case Kind::dictionary: {
      std::vector<Value> keys;
      for (const auto& [key, value] : source.object<DictionaryObject>().entries) keys.push_back(key);
      count = static_cast<double>(keys.size());
      state[0] = Value::tuple(std::move(keys));
      state[1].set_number(0);
      state[2].set_number(count);
      return;
    }
    case Kind::record:
      if (const auto rows = table_length(source)) {
        count = static_cast<double>(*rows);
        break;
      }
      [[fallthrough]];
    default:
      fail(fmt::format("a loop cannot iterate over {}", kind_in_words(source)),
           source.is_number() ? fmt::format("for k in 1..{} {{ … }}", written(node)) : "");
  }
  state[0] = source;
  state[1].set_number(0);
  state[2].set_number(count);
}

// The next element or row along the first axis; the index was already advanced.
void Machine::next_slow(Value* state, Value& target) {
  const auto k = static_cast<Index>(state[1].number()) - 1;
  if (state[0].is(Kind::tuple)) {
    target = state[0].object<TupleObject>().items[static_cast<std::size_t>(k)];
    return;
  }
  if (state[0].is(Kind::record)) {
    target = row_of(state[0].object<RecordObject>(), k);
    return;
  }
  if (state[0].array().axes() == 0)
    target = state[0];
  else
    target = element_of(state[0].array(), k);
}

void Machine::fail_unset(const Node& function, const std::string& name) const {
  const auto& text = frames_.back().function->tree->source->text();
  const auto before = trim(std::string_view(text).substr(0, function.span.begin));
  const auto parameters =
      text.substr(function.span.begin + 2, text.find(')', function.span.begin) - function.span.begin - 1);
  const bool is_itself = before.ends_with('=') && trim(before.substr(0, before.size() - 1)).ends_with(name);
  fail(
      fmt::format("`{}`, which this function reads, has no value yet where the function is created", name),
      is_itself ? fmt::format("define a recursive function by its name: fn {}{} = …", name, parameters) : "");
}

void Machine::make_closure(const Instruction& i, Value* r) {
  const auto& f = *frames_.back().function;
  const auto& function = f.functions[static_cast<std::size_t>(i.b)];
  auto* object = new FunctionObject(function, *function);
  Value made(Kind::function, object);
  for (const auto& capture : object->function->captures) {
    switch (capture.kind) {
      case Binding::Kind::local:
        object->captured.push_back(plain_value(r[f.first_local + capture.index]));
        break;
      case Binding::Kind::sibling: object->captured.push_back(Value::none()); break;
      case Binding::Kind::captured: object->captured.push_back(r[f.first_capture + capture.index]); break;
      default: object->captured.push_back(frames_.back().keep); break;
    }
    if (object->captured.back().is(Kind::unset))
      fail_unset(*f.nodes[static_cast<std::size_t>(&i - f.code.data())],
                 object->function->captured_names[object->captured.size() - 1]);
  }
  if (i.c >= 0) {
    Value& all = r[i.c];
    if (!all.is(Kind::library)) all = Value(Kind::library, new Siblings);
    auto& siblings = static_cast<Siblings&>(all.object<LibraryObject>());
    siblings.define(static_cast<std::size_t>(i.n), function, std::move(object->captured));
    r[i.a] = siblings.made(static_cast<std::size_t>(i.n), function->name);
    return;
  }
  object->depth = depth_inside(object->captured);
  r[i.a] = std::move(made);
}

Value Machine::use_file(const std::string& name, const Node& node) {
  try {
    return services_.use_file(name);
  } catch (Error& error) {
    // An error inside the file has its own location; this statement is added to its calls.
    if (error.location.source) error.calls.push_back({fmt::format("use \"{}\"", name), location_of(&node)});
    throw;
  }
}

std::string Machine::call_instead(const Node& part) const {
  const auto& text = frames_.back().function->tree->source->text();
  const auto owner = written(part.base());
  std::string further;
  if (const std::size_t open = part.span.end; open < text.size() && text[open] == '(') {
    int depth = 0;
    auto end = open;
    do {
      depth += text[end] == '(' ? 1 : text[end] == ')' ? -1 : 0;
      ++end;
    } while (depth > 0 && end < text.size());
    further = trim(std::string_view(text).substr(open + 1, end - open - 2));
  }
  const auto call = fmt::format("{}({}{}{})", part.text, owner, further.empty() ? "" : ", ", further);
  const auto& row = registry_.row(registry_.find(part.text));
  return row.changes_first && part.base().kind == NodeKind::name ? fmt::format("{} = {}", owner, call) : call;
}

void Machine::explain_assignment(Error& error, const Value& base, const Value& value,
                                 const Node* place) const {
  if (!place || place->kind != NodeKind::index || place->base().kind != NodeKind::name ||
      !base.is(Kind::array))
    return;
  // The right-hand side up to the end of the statement.
  const auto& text = frames_.back().function->tree->source->text();
  auto at = text.find_first_not_of(' ', place->span.end);
  if (at == text.npos || text[at] != '=') return;
  at = text.find_first_not_of(' ', at + 1);
  if (at == text.npos) return;
  int depth = 0;
  auto end = at;
  for (; end < text.size() && text.find_first_of("\n;#", end) != end; ++end) {
    const char c = text[end];
    depth += c == '(' || c == '[' || c == '{' ? 1 : c == ')' || c == ']' || c == '}' ? -1 : 0;
    if (depth < 0) break;  // end of the enclosing block
  }
  const auto assigned = std::string(trim(std::string_view(text).substr(at, end - at)));
  const auto& name = place->base().text;
  const auto& a = base.array();
  const auto next = fmt::format("index {} is out of range", a.length() + 1);
  if (error.message.starts_with(next) && a.axes() == 1) {
    error.message += ", and arrays do not grow by assignment";
    error.hint = fmt::format("{0} = append({0}, {1})", name, assigned);
  } else if (error.message.find("do not fit the selected shape") != std::string::npos &&
             value.is(Kind::array) && value.array().axes() == 2 &&
             (value.array().extent(0) == 1 || value.array().extent(1) == 1)) {
    error.hint = fmt::format("{} = flatten({})", written(*place), assigned);
  }
}

void Machine::check_expectation(const Instruction& i, const Node& node, Value* r) {
  const Value& result = r[i.a];
  if (!result.is(Kind::boolean)) {
    if (result.is(Kind::array) && result.array().type() == ElementType::boolean)
      fail(fmt::format("a check must be a single boolean, not {}", kind_in_words(result)), "expect all(…)");
    fail(fmt::format("a check must be a boolean, not {}", kind_in_words(result)));
  }
  const auto& source = *frames_.back().function->tree->source;
  const auto text = source.text(node.condition().span);
  const auto& watched = frames_.back().function->expectations[static_cast<std::size_t>(i.c)];
  if (result.boolean()) {
    // Releases the values, so that later updates of arrays need no copy.
    for (const auto& [part, place] : watched) r[place].reset();
    services_.checked(location_of(&node), text, true);
    return;
  }
  services_.checked(location_of(&node), text, false);
  Error error(fmt::format("check failed: {}", i.flag != 0 ? inline_text(r[i.a + 1]) : std::string(text)));
  Seen seen;
  for (const auto& [part, place] : watched)
    if (!r[place].is(Kind::unset)) seen.emplace(part, r[place]);
  error.notes = what_failed(node.condition(), seen, source);
  throw error;
}

}  // namespace quill
