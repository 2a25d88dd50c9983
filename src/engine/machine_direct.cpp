// Direct calls of functions with numbers, for built-ins that call them very often.
#include <algorithm>

#include "engine/native_run.h"

namespace quill {

namespace {

native::Type type_of_size(int size) {
  if (size < 0) return native::boolean_type();
  if (size == 0) return native::number_type();
  return {.form = native::Form::vector, .count = static_cast<std::uint8_t>(size)};
}

}  // namespace

NativeLoop* Machine::make_direct(const DirectCall& how, HotFunction& hot, const FunctionObject& object,
                                 const std::optional<native::Type>& closure) {
  std::vector<native::Type> types{
      closure ? *closure : native::Type{.form = native::Form::function, .function = &object}};
  for (const int size : how.sizes) types.push_back(type_of_size(size));
  types.push_back(type_of_size(how.result_size));
  auto* const made = hot_.make_direct(*object.function, hot, std::move(types), registry_, native_helpers);
  if (made == nullptr) return nullptr;
  made->sizes = how.sizes;
  made->result_size = how.result_size;
  return made;
}

bool Machine::prepare_direct(DirectCall& how, const Value& function) {
  how.is_off = true;
  if (!function.is(Kind::function)) return false;
  const auto& object = function.object<FunctionObject>();
  const auto& f = *object.function;
  const auto fits = [](int size) { return size <= native::kMostItems; };
  if (f.parameters.size() != how.sizes.count || !fits(how.result_size) ||
      !std::all_of(how.sizes.begin(), how.sizes.end(), fits))
    return false;
  auto* const hot = hot_.called(f);
  if (hot == nullptr) {
    how.is_off = false;
    return false;
  }
  if (hot->has_no_direct) return false;
  auto closure = native::observed_closure(function);
  // All objects of a function that captures nothing are the same.
  if (object.captured.empty()) closure = native::Type{.form = native::Form::closure, .code = &f};
  NativeLoop* loop = nullptr;
  for (const auto& each : hot->loops)
    if (each->is_direct && !each->is_retired && each->sizes == how.sizes &&
        each->result_size == how.result_size && (closure.has_value() || each->types[0].function == &object))
      loop = each.get();
  if (closure && object.captured.size() > DirectCall::kMostCaptured) return false;
  if (loop == nullptr) loop = make_direct(how, *hot, object, closure);
  if (loop == nullptr) return false;
  loop->function = function;
  how.captured = 0;
  if (closure)
    for (const auto& x : object.captured) how.numbers[how.captured++] = x.number();
  if (!direct_run_) {
    direct_run_ = std::make_unique<NativeRun>();
    // A lock-free atomic<int> has the layout of an int.
    direct_run_->attention = reinterpret_cast<const int*>(&detail::stop_flags);
    direct_run_->machine = this;
  }
  auto& run = *direct_run_;
  how.code = {loop->entry, &run,           &run.depth, static_cast<std::int64_t>(kDeepestBodies),
              run.results, &loop->entered, loop,       hot};
  how.is_off = false;
  return true;
}

bool Machine::call_direct_slowly(DirectCall& how, const Value& function, std::span<const double> arguments,
                                 std::span<double> result) {
  if (how.code.enter == nullptr) {
    if (!prepare_direct(how, function)) return false;
    if (how.enter(arguments, result)) return true;
  }
  const auto reason = static_cast<native::Reason>(how.left);
  if (reason == native::Reason::attention) return false;
  auto& loop = *static_cast<NativeLoop*>(how.code.loop);
  Hot::note_direct(*static_cast<HotFunction*>(how.code.owner), loop, reason);
  if (loop.is_retired) how.code = {};
  return false;
}

}  // namespace quill
