#include "session/snapshot.h"

#include <algorithm>

namespace quill {

namespace {

// Copies values so that changes are not shared: each snapshot has its own cells for variables with aliases.
std::vector<Value> separated(const Value* values, std::size_t count) {
  std::map<const StoreObject*, boost::intrusive_ptr<StoreObject>> cells;
  const auto cell_of = [&](const StoreObject& store) {
    auto& cell = cells[&store];
    if (!cell) {
      cell = new StoreObject;
      cell->current = store.current;
      cell->owner = store.owner;
    }
    return cell;
  };
  std::vector<Value> out;
  out.reserve(count);
  for (std::size_t k = 0; k < count; ++k) {
    const auto& value = values[k];
    if (value.is(Kind::store)) {
      out.emplace_back(Kind::store, cell_of(value.object<StoreObject>()).get());
    } else if (value.is(Kind::alias)) {
      const auto& alias = value.object<AliasObject>();
      auto* copy = new AliasObject;
      copy->store = cell_of(*alias.store);
      copy->selection = alias.selection;
      out.emplace_back(Kind::alias, copy);
    } else {
      out.push_back(value);
    }
  }
  return out;
}

}  // namespace

RandomStates::RandomStates(const Surroundings& state) : own_(state.random) {
  for (const auto& known : state.streams)
    if (const auto stream = known.lock()) streams_.emplace_back(stream, *stream);
}

void RandomStates::restore(Surroundings& state) const {
  state.random = own_;
  for (const auto& kept : streams_) {
    *kept.first = kept.second;
    const bool is_known = std::any_of(state.streams.begin(), state.streams.end(),
                                      [&](const auto& known) { return known.lock() == kept.first; });
    if (!is_known) state.streams.push_back(kept.first);
  }
}

bool RandomStates::operator==(const RandomStates& other) const {
  return own_ == other.own_ && streams_ == other.streams_;
}

Snapshot::Snapshot(const SessionState& state)
    : slots_(separated(state.module.slots.data(), state.module.names.size())),
      surroundings_(state),
      random_(state) {}

void Snapshot::restore(SessionState& state) const {
  auto values = separated(slots_.data(), slots_.size());
  auto& slots = state.module.slots;
  for (std::size_t k = 0; k < state.module.names.size(); ++k)
    slots[k] = k < values.size() ? std::move(values[k]) : Value();
  static_cast<Surroundings&>(state) = surroundings_;
  random_.restore(state);
}

const Value* Snapshot::find(const Module& module, const std::string& name) const {
  const auto place = module.slot_of.find(name);
  if (place == module.slot_of.end() || static_cast<std::size_t>(place->second) >= slots_.size())
    return nullptr;
  const auto& value = slots_[static_cast<std::size_t>(place->second)];
  return value.is(Kind::unset) ? nullptr : &value;
}

}  // namespace quill
