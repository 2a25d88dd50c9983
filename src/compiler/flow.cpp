#include "compiler/flow.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "compiler/operands.h"

namespace quill {

namespace {

void divide(const Function& f, Flow& flow) {
  const auto count = f.code.size();
  std::vector<bool> starts(count + 1);
  starts[0] = true;
  for (std::size_t k = 0; k < count; ++k) {
    const int target = jump_target(f.code[k]);
    if (target >= 0) starts[static_cast<std::size_t>(target)] = true;
    if (target >= 0 || !falls_through(f.code[k])) starts[k + 1] = true;
  }
  for (const auto start : f.starts) starts[start] = true;
  flow.block_of.resize(count);
  for (std::size_t k = 0; k < count; ++k) {
    if (starts[k]) flow.blocks.push_back({k, k, {}, {}, false});
    flow.blocks.back().end = k + 1;
    flow.block_of[k] = static_cast<int>(flow.blocks.size()) - 1;
  }
}

void connect(const Function& f, Flow& flow) {
  for (std::size_t b = 0; b < flow.blocks.size(); ++b)
    for (const auto next : successors(f, flow.blocks[b].end - 1)) {
      const int to = flow.block_of[next];
      flow.blocks[b].successors.push_back(to);
      flow.blocks[static_cast<std::size_t>(to)].predecessors.push_back(static_cast<int>(b));
    }
  std::vector<int> open{0};
  for (const auto start : f.starts) open.push_back(flow.block_of[start]);
  while (!open.empty()) {
    auto& block = flow.blocks[static_cast<std::size_t>(open.back())];
    open.pop_back();
    if (block.is_reachable) continue;
    block.is_reachable = true;
    open.insert(open.end(), block.successors.begin(), block.successors.end());
  }
}

void find_loops(const Function& f, Flow& flow) {
  std::map<std::size_t, std::size_t> ends;  // by head
  for (std::size_t k = 0; k < f.code.size(); ++k)
    if (const int target = jump_target(f.code[k]); target >= 0 && static_cast<std::size_t>(target) <= k) {
      auto& end = ends[static_cast<std::size_t>(target)];
      end = std::max(end, k + 1);
    }
  for (const auto& [head, end] : ends) flow.loops.push_back({head, end, -1});
  std::sort(flow.loops.begin(), flow.loops.end(),
            [](const Loop& x, const Loop& y) { return x.head != y.head ? x.head < y.head : x.end > y.end; });
  for (std::size_t k = 0; k < flow.loops.size(); ++k)
    for (std::size_t j = 0; j < k; ++j)
      if (flow.loops[j].end >= flow.loops[k].end) flow.loops[k].parent = static_cast<int>(j);
}

// One step of the backward analysis: changes `live` from the registers live after the instruction to those
// before.
void step_back(const Function& f, std::size_t at, const Flow& flow, RegisterSet& live) {
  const auto& i = f.code[at];
  const int target = jump_target(i);
  const bool is_jump = target >= 0;
  RegisterSet jumped(live.size());
  if (is_jump) jumped = flow.live[static_cast<std::size_t>(target)];
  RegisterSet on(live.size());
  if (falls_through(i) && at + 1 < f.code.size()) on = live;
  const auto way = written_on(i.op);
  visit_operands(f, at, [&](int r, Access access) {
    if (access != Access::write) return;
    if (way != Way::on) jumped.erase(r);
    if (way != Way::jump) on.erase(r);
  });
  on.merge(jumped);
  visit_operands(f, at, [&](int r, Access access) {
    if (access != Access::write) on.insert(r);
  });
  live = std::move(on);
}

void find_live(const Function& f, Flow& flow) {
  // Variables of a text live on after it.
  RegisterSet always(f.frame_size);
  if (f.definition == nullptr)
    for (int r = 0; r < f.first_local; ++r) always.insert(r);
  flow.live.assign(f.code.size(), always);
  for (bool has_changed = true; has_changed;) {
    has_changed = false;
    RegisterSet live = always;
    for (std::size_t at = f.code.size(); at-- > 0;) {
      step_back(f, at, flow, live);
      live.merge(always);
      if (flow.live[at] == live) continue;
      flow.live[at] = live;
      has_changed = true;
    }
  }
}

std::string list_of(const RegisterSet& set) {
  std::string out;
  for (int r = 0; r < set.size(); ++r)
    if (set.contains(r)) out += fmt::format(" r{}", r);
  return out;
}

}  // namespace

Flow::Flow(const Function& function) {
  divide(function, *this);
  connect(function, *this);
  find_loops(function, *this);
  find_live(function, *this);
}

int Flow::loop_at(std::size_t head) const {
  int found = -1;
  for (std::size_t k = 0; k < loops.size(); ++k)
    if (loops[k].head == head) found = static_cast<int>(k);
  return found;
}

std::string dump_flow(const Function& function) {
  const Flow flow(function);
  std::string out = fmt::format("{}\n", function.name.empty() ? "top" : function.name);
  for (std::size_t b = 0; b < flow.blocks.size(); ++b) {
    const auto& block = flow.blocks[b];
    out += fmt::format("  block {}: {} to {}, then {}{}, live{}\n", b, block.begin, block.end - 1,
                       block.successors.empty() ? "out" : fmt::format("{}", fmt::join(block.successors, " ")),
                       block.is_reachable ? "" : ", unreachable", list_of(flow.live[block.begin]));
  }
  for (const auto& loop : flow.loops)
    out += fmt::format("  loop: {} to {}{}\n", loop.head, loop.end - 1,
                       loop.parent < 0 ? "" : fmt::format(", in loop {}", loop.parent));
  for (const auto& f : function.functions) out += dump_flow(*f);
  return out;
}

}  // namespace quill
