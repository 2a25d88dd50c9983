// Timed blocks, repeated from equal initial values.
#include <fmt/format.h>

#include "array/buffer.h"
#include "base/memory.h"
#include "engine/machine.h"
#include "value/timing.h"

namespace quill {

namespace {

constexpr Index kMostRepetitions = 1'000'000;

// The state of a timed block, in a register while it runs.
class TimingState : public LibraryObject {
 public:
  std::string type_name() const override { return "timing"; }
  std::string describe() const override { return "a timing"; }

  Timing timing;
  Index repetitions = 1;
  // If the block is repeated: initial values of the names it changes and of the arrays its aliases refer to.
  std::vector<std::pair<int, Value>> kept;
  std::vector<std::pair<boost::intrusive_ptr<StoreObject>, Value>> behind;
  std::shared_ptr<const void> random;
  double started = 0;
  MemoryUse before;
  Index passes_before = 0;
  std::optional<Progress> progress;  // of the repetitions
};

// A deep copy, so that modifying it costs as much as modifying the original.
Value separate(const Value& v) {
  if (v.is(Kind::array) && v.array().axes() > 0) return {Kind::array, new ArrayObject(v.array().copied())};
  if (v.is(Kind::dictionary)) return {Kind::dictionary, new DictionaryObject(v.object<DictionaryObject>())};
  return v;
}

}  // namespace

void Machine::begin_timing(const Instruction& i, Value* r) {
  auto* state = new TimingState;
  Value held(Kind::library, state);
  const Value& label = r[i.a + 1];
  if (!label.is(Kind::none)) {
    if (!label.is(Kind::text))
      fail(fmt::format("the label of `timed` must be a text, not {}", kind_in_words(label)));
    state->timing.label = label.text();
  }
  const Value& repeat = r[i.a + 2];
  if (!repeat.is(Kind::none)) {
    const auto count = single_real(repeat);
    if (!count || !is_whole(*count) || *count < 1 || *count > static_cast<double>(kMostRepetitions))
      fail(fmt::format("`repeat` must be an integer from 1 to {}, not {}", kMostRepetitions,
                       kind_in_words(repeat)));
    state->repetitions = static_cast<Index>(*count);
  }
  const auto& places = frames_.back().function->literals[static_cast<std::size_t>(i.c)];
  if (state->repetitions > 1) {
    state->random = services_.random_state();
    for (const auto& place : places.object<TupleObject>().items) {
      const int name = static_cast<int>(place.number());
      const Value& value = r[name];
      state->kept.emplace_back(name, value);
      const auto behind = value.is(Kind::alias)   ? value.object<AliasObject>().store
                          : value.is(Kind::store) ? boost::intrusive_ptr(&value.object<StoreObject>())
                                                  : nullptr;
      if (behind) state->behind.emplace_back(behind, behind->current);
    }
  }
  if (state->repetitions > 1)
    state->progress.emplace("timed repetitions", [state] {
      return static_cast<double>(state->timing.seconds.size()) / static_cast<double>(state->repetitions);
    });
  r[i.a] = std::move(held);
  start_repetition(r[i.a], r);
}

void Machine::start_repetition(const Value& timing, Value* r) {
  auto& state = static_cast<TimingState&>(timing.object<LibraryObject>());
  if (state.repetitions > 1) {
    services_.set_random_state(state.random);
    for (const auto& [name, value] : state.kept) r[name] = separate(value);
    for (const auto& [store, value] : state.behind) store->current = separate(value);
  }
  state.before = memory_use();
  state.passes_before = passes_begun;
  state.started = services_.clock();
}

bool Machine::end_timing(const Instruction& i, Value* r) {
  const double now = services_.clock();
  auto& state = static_cast<TimingState&>(r[i.a].object<LibraryObject>());
  state.timing.seconds.push_back(now - state.started);
  state.timing.bytes = memory_use().bytes - state.before.bytes;
  state.timing.arrays = memory_use().arrays - state.before.arrays;
  state.timing.passes = passes_begun - state.passes_before;
  if (i.c >= 0 && static_cast<Index>(state.timing.seconds.size()) < state.repetitions) {
    start_repetition(r[i.a], r);
    return true;
  }
  state.progress.reset();
  services_.timed(state.timing);
  return false;
}

}  // namespace quill
