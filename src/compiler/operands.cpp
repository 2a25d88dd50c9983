#include "compiler/operands.h"

#include <algorithm>

#include "compiler/fused_region.h"
#include "compiler/operations_table.h"

namespace quill {

namespace {

using Visit = std::function<void(int, Access)>;

void visit_range(int first, int count, Access access, const Visit& visit) {
  for (int k = 0; k < count; ++k) visit(first + k, access);
}

// Registers read by a region; those whose storage it reuses are modified.
void visit_read(const FusedRead& read, const Visit& visit) {
  if (read.from == FusedRead::From::local) visit(read.index, read.last_use ? Access::change : Access::read);
}

void visit_region(const FusedRegion& region, const Visit& visit) {
  for (const auto& input : region.inputs) visit_read(input, visit);
  for (const auto& element : region.elements) {
    visit_read(element.array, visit);
    for (const auto& subscript : element.subscripts)
      for (const auto& [read, factor] : subscript.terms) visit_read(read, visit);
  }
  for (const auto& call : region.calls) visit_read(call.callee, visit);
  for (const auto& loop : region.loops) visit(loop.index, Access::read);
  if (region.condition) visit_region(*region.condition, visit);
}

// The variables that a timed block restores before each repetition.
void visit_timed(const Function& f, const Instruction& begin, const Visit& visit) {
  for (const auto& name : f.literals[static_cast<std::size_t>(begin.c)].object<TupleObject>().items)
    visit(static_cast<int>(name.number()), Access::change);
}

void visit_special(const Function& f, std::size_t at, const Visit& visit) {
  const auto& i = f.code[at];
  switch (i.op) {
    case Op::range: visit_range(i.b, i.c ? 3 : 2, Access::read, visit); return;
    case Op::list_end:
      if (i.c >= 0) visit_range(i.c, 2, Access::read, visit);
      return;
    case Op::closure:
      for (const auto& capture : f.functions[static_cast<std::size_t>(i.b)]->captures) {
        if (capture.kind == Binding::Kind::local) visit(f.first_local + capture.index, Access::read);
        if (capture.kind == Binding::Kind::captured) visit(f.first_capture + capture.index, Access::read);
      }
      if (i.c >= 0) visit(i.c, Access::change);
      return;
    case Op::return_value:
      if (i.a >= 0) visit(i.a, Access::change);
      return;
    case Op::expect:
      visit_range(i.a, i.flag ? 2 : 1, Access::read, visit);
      for (const auto& [node, place] : f.expectations[static_cast<std::size_t>(i.c)])
        visit(place, Access::change);
      return;
    case Op::timed_begin:
      visit_range(i.a + 1, 2, Access::read, visit);
      visit(i.a, Access::write);
      visit_timed(f, i, visit);
      return;
    case Op::timed_end: {
      visit(i.a, Access::change);
      const auto is_begin = [&](const Instruction& other) {
        return other.op == Op::timed_begin && other.a == i.a;
      };
      const auto begin =
          std::find_if(f.code.rend() - static_cast<std::ptrdiff_t>(at), f.code.rend(), is_begin);
      if (i.c >= 0 && begin != f.code.rend()) visit_timed(f, *begin, visit);
      return;
    }
    case Op::fused:
    case Op::fused_set: {
      const auto& region = *f.fused[static_cast<std::size_t>(i.b)];
      visit_region(region, visit);
      if (i.op == Op::fused_set)
        visit_range(region.first_subscript, i.n, Access::read, visit);
      else if (i.flag != 2)
        visit(i.n, Access::read);
      return;
    }
    case Op::make_alias: visit_range(i.c - 1, i.n + 1, Access::read, visit); return;
    default: return;
  }
}

}  // namespace

void visit_operands(const Function& f, std::size_t at, const Visit& visit) {
  const auto& i = f.code[at];
  const auto& row = row_of(i.op);
  const std::array<std::pair<OperandRole, int>, 3> operands{{{row.a, i.a}, {row.b, i.b}, {row.c, i.c}}};
  using enum OperandRole;
  const auto reads = [&](OperandRole role, int r) {
    switch (role) {
      case read: visit(r, Access::read); return;
      case read_run: visit_range(r, i.n, Access::read, visit); return;
      case read_after:
        visit(r, Access::read);
        visit_range(r + 1, i.n, Access::change, visit);
        return;
      default: return;
    }
  };
  const auto writes = [&](OperandRole role, int r) {
    switch (role) {
      case write: visit(r, Access::write); return;
      case change: visit(r, Access::change); return;
      case write_run: visit_range(r, i.n, Access::write, visit); return;
      case state: visit_range(r, 4, Access::change, visit); return;
      case new_state: visit_range(r, 4, Access::write, visit); return;
      default: return;
    }
  };
  for (const auto& [role, r] : operands) reads(role, r);
  if (std::any_of(operands.begin(), operands.end(), [](const auto& o) { return o.first == special; }))
    visit_special(f, at, visit);
  for (const auto& [role, r] : operands) writes(role, r);
}

Way written_on(Op op) {
  switch (op) {
    case Op::fused:
    case Op::loop_next: return Way::jump;
    case Op::next: return Way::on;
    default: return Way::both;
  }
}

bool runs_code(Op op) { return row_of(op).runs_code; }

int jump_target(const Instruction& i) {
  const auto& row = row_of(i.op);
  if (row.a == OperandRole::jump) return i.a;
  if (row.c == OperandRole::jump) return i.c;
  return i.op == Op::timed_end ? i.c : -1;
}

bool falls_through(const Instruction& i) { return i.op != Op::jump && i.op != Op::return_value; }

std::vector<std::size_t> successors(const Function& f, std::size_t at) {
  std::vector<std::size_t> out;
  if (falls_through(f.code[at]) && at + 1 < f.code.size()) out.push_back(at + 1);
  if (const int target = jump_target(f.code[at]); target >= 0)
    out.push_back(static_cast<std::size_t>(target));
  return out;
}

}  // namespace quill
