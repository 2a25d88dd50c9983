#include "engine/hot.h"

#include <dlfcn.h>
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <limits>

#include "base/allocation_failure.h"
#include "compiler/operands.h"

namespace quill {

namespace {

// Limit of compilations for one function, if types change.
constexpr std::size_t kMostLoops = 12;
// Cost of a call by a built-in, in instructions.
constexpr int kCallInstructions = 4;
// Cost of a call or array operation, in other instructions.
constexpr int kHeavy = 30;
// The same of an instruction that takes a slow path.
constexpr int kSlow = 60;
bool is_heavy(const Function& f, const Instruction& i) {
  // Loads `..`, to select a part of an array.
  if (i.op == Op::load && f.literals[static_cast<std::size_t>(i.b)].is_open(Open::everything)) return true;
  return i.op == Op::call || i.op == Op::call_builtin || i.op == Op::fused_set || i.op == Op::matrix ||
         i.op == Op::tuple || i.op == Op::unpack || i.op == Op::range;
}
constexpr int kNever = std::numeric_limits<int>::max();

bool has_loop(const Function& f) {
  for (std::size_t k = 0; k < f.code.size(); ++k)
    if (const int target = jump_target(f.code[k]); target >= 0 && static_cast<std::size_t>(target) <= k)
      return true;
  return false;
}

}  // namespace

NativeUse& default_native_use() {
  static NativeUse use = NativeUse::when_hot;
  return use;
}

std::int64_t& native_checks_left() {
  static std::int64_t left = -1;
  return left;
}

// About the time of compilation, which is longer for longer loops.
int& hot_instructions() {
  static int count = 600000;
  return count;
}

const native::Maker* native_maker() {
  static const native::Maker* const maker = []() -> const native::Maker* {
    const WithoutMemoryLimit free;
    std::error_code none;
    const auto program = std::filesystem::read_symlink("/proc/self/exe", none);
    const auto folder = program.parent_path();
    for (const auto& file : {folder / "libeager-quill-native.so",
                             folder.parent_path() / "lib" / "eager-quill" / "libeager-quill-native.so"}) {
      if (!std::filesystem::exists(file, none)) continue;
      int flags = RTLD_NOW | RTLD_LOCAL;
#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
      flags |= RTLD_DEEPBIND;  // resolves its symbols faster; the sanitizers forbid it
#endif
      void* const library = dlopen(file.c_str(), flags);
      if (library == nullptr) continue;
      return static_cast<const native::Maker*>(dlsym(library, native::kMakerSymbol));
    }
    return nullptr;
  }();
  return maker;
}

HotFunction::HotFunction(const Function& f)
    : countdown(f.code.size(), kNever),
      calls_left(hot_instructions() / kCallInstructions / static_cast<int>(f.code.size() + 5)),
      loops_around_(f.code.size()) {
  for (std::size_t k = 0; k < f.code.size(); ++k) {
    const int target = jump_target(f.code[k]);
    if (target < 0 || static_cast<std::size_t>(target) > k) continue;
    const auto first = f.code.begin() + target, end = f.code.begin() + static_cast<std::ptrdiff_t>(k) + 1;
    const auto length = static_cast<int>(end - first);
    const auto heavy =
        static_cast<int>(std::count_if(first, end, [&](const Instruction& i) { return is_heavy(f, i); }));
    const int cost = length + kHeavy * heavy;
    countdown[static_cast<std::size_t>(target)] =
        (hot_instructions() + hot_instructions() / 75 * length) / cost;
    for (auto at = static_cast<std::size_t>(target); at <= k; ++at)
      if (loops_around_[at].head < 0) loops_around_[at] = {target, cost};
  }
}

void HotFunction::charge(std::size_t at) {
  const auto [head, cost] = loops_around_[at];
  if (head < 0) return;
  charged_ += kSlow;
  int& count = countdown[static_cast<std::size_t>(head)];
  if (charged_ < cost || count == kNever) return;
  count = std::max(0, count - charged_ / cost);
  charged_ %= cost;
}

HotFunction::~HotFunction() {
  const WithoutMemoryLimit free;
  for (const auto& loop : loops)
    if (loop->made) native_maker()->release(loop->made);
}

void Hot::add_called(const Function& f) {
  if (functions_.size() <= f.id) functions_.resize(f.id + 1);
  functions_[f.id] = std::make_unique<HotFunction>(f);
  if (use_ != NativeUse::at_once) return;
  functions_[f.id]->calls_left = 0;
  for (int& count : functions_[f.id]->countdown) count = std::min(count, 0);
}

HotFunction* Hot::add(const Function& f) {
  if (f.id < have_no_loop_.size() && have_no_loop_[f.id]) return nullptr;
  if (!has_loop(f)) {
    if (have_no_loop_.size() <= f.id) have_no_loop_.resize(f.id + 1);
    have_no_loop_[f.id] = true;
    return nullptr;
  }
  add_called(f);
  return functions_[f.id].get();
}

const native::Maker* Hot::maker() {
  const auto* const found = native_maker();
  lacks_maker_ = found == nullptr;
  return found;
}

// Source and name of the function, for reports.
void Hot::describe(const Function& f, HotFunction& hot) {
  if (hot.flow) return;
  hot.flow = std::make_unique<Flow>(f);
  hot.tree = f.tree;
  hot.nodes = f.nodes;
  hot.definition = f.definition;
  hot.signature = fmt::format("fn{}{}({})", f.name == "fn" ? "" : " ", f.name == "fn" ? "" : f.name,
                              fmt::join(f.parameters, ", "));
}

void Hot::compile(NativeLoop& loop, const native::Maker& maker) {
  const WithoutMemoryLimit free;
  loop.made = maker.make(loop.lowered.code, &loop.entry);
}

NativeLoop* Hot::make_direct(const Function& f, HotFunction& hot, std::vector<native::Type> types,
                             const Registry& registry, const native::Helpers& (*helpers)()) {
  const auto* const made_by = hot.has_no_direct ? nullptr : maker();
  hot.has_no_direct = hot.has_no_direct || made_by == nullptr || hot.loops.size() >= kMostLoops;
  if (hot.has_no_direct) return nullptr;
  const auto begin = std::chrono::steady_clock::now();
  describe(f, hot);
  auto lowered = native::lower_direct(f, *hot.flow, types.front(), {types.begin() + 1, types.end() - 1},
                                      types.back(), registry, hot.direct_experience, helpers());
  if (!lowered) {
    hot.has_no_direct = true;
    return nullptr;
  }
  auto loop = std::make_unique<NativeLoop>();
  loop->is_function = loop->is_direct = true;
  loop->types = std::move(types);
  loop->lowered = std::move(*lowered);
  compile(*loop, *made_by);
  loop->seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  hot.loops.push_back(std::move(loop));
  return hot.loops.back()->entry ? hot.loops.back().get() : nullptr;
}

void Hot::note_direct(HotFunction& hot, NativeLoop& code, native::Reason reason) {
  using native::Reason;
  const int count = ++code.left[{0, reason}];
  if (reason == Reason::whole && count >= 2) {
    code.is_retired = true;
    if (!hot.direct_experience.not_whole.insert(0).second) hot.has_no_direct = true;
  }
  if ((reason == Reason::type && count >= 2) || (reason == Reason::value && count >= 1000))
    code.is_retired = hot.has_no_direct = true;
}

namespace {

bool has_fixed_values(const native::Lowered& code) {
  return std::all_of(code.fixed_values.begin(), code.fixed_values.end(),
                     [](const auto& fixed) { return native::fits(fixed.second, *fixed.first); }) &&
         std::all_of(code.fixed_objects.begin(), code.fixed_objects.end(),
                     [](const auto& fixed) { return fixed.first->identity() == fixed.second; });
}

}  // namespace

std::pair<NativeLoop*, std::size_t> Hot::loop_for(const Function& f, HotFunction& hot, std::size_t head,
                                                  const Value* frame, const Registry& registry,
                                                  const native::Helpers& (*helpers)()) {
  const bool is_function = head == native::kWholeFunction;
  int& countdown = is_function ? hot.calls_left : hot.countdown[head];
  countdown = 0;
  const auto fits_entry = [&](const NativeLoop& loop) -> std::optional<std::size_t> {
    if (loop.is_retired || !loop.entry || loop.is_function != is_function || loop.is_direct)
      return std::nullopt;
    if (!has_fixed_values(loop.lowered)) return std::nullopt;
    for (std::size_t k = 0; k < loop.lowered.entries.size(); ++k) {
      const auto& entry = loop.lowered.entries[k];
      if ((is_function || entry.head == head) &&
          std::all_of(entry.required.begin(), entry.required.end(),
                      [&](const auto& r) { return native::fits(r.second, frame[r.first]); }))
        return k;
    }
    return std::nullopt;
  };
  // Latest first: it fits most often.
  for (auto loop = hot.loops.rbegin(); loop != hot.loops.rend(); ++loop)
    if (const auto k = fits_entry(**loop)) return {loop->get(), *k};
  const auto* const made_by = maker();
  if (made_by == nullptr || hot.loops.size() >= kMostLoops) {
    countdown = kNever;
    return {nullptr, 0};
  }
  const auto begin = std::chrono::steady_clock::now();
  describe(f, hot);
  auto loop = std::make_unique<NativeLoop>();
  loop->is_function = is_function;
  loop->lowered = native::lower(f, *hot.flow, head, frame, registry, hot.experience, helpers());
  compile(*loop, *made_by);
  loop->seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  hot.loops.push_back(std::move(loop));
  if (const auto k = fits_entry(*hot.loops.back())) return {hot.loops.back().get(), *k};
  countdown = kNever;
  return {nullptr, 0};
}

std::vector<const HotFunction*> Hot::functions() const {
  std::vector<const HotFunction*> out;
  for (const auto& hot : functions_)
    if (hot && !hot->loops.empty()) out.push_back(hot.get());
  return out;
}

void Hot::note(HotFunction& hot, NativeLoop& loop, native::Left left) {
  using native::Reason;
  const int count = ++hot.left[{left.cause, left.reason}];
  ++loop.left[{left.cause, left.reason}];
  const auto learn = [&](std::set<std::size_t>& set) {
    if (set.insert(left.cause).second) loop.is_retired = true;
  };
  if (left.reason == Reason::type && count >= 2) learn(hot.experience.machine);
  if (left.reason == Reason::whole && count >= 2) learn(hot.experience.not_whole);
  if (left.reason == Reason::value && count >= 50) learn(hot.experience.machine);
}

}  // namespace quill
