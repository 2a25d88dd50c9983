// Operands and successors of instructions, for all analyses of programs.
#pragma once

#include <cstdint>
#include <functional>
#include <vector>

#include "compiler/program.h"

namespace quill {

enum class Access : std::uint8_t { read, write, change };

// Calls visit(register, access) for each register that the instruction at `at` uses: first those that it
// reads or changes in part, then those that it writes. An instruction with two successors may write on one of
// the ways only, see written_on().
void visit_operands(const Function& f, std::size_t at, const std::function<void(int, Access)>& visit);

// The instructions that may run after the one at `at`: the next one, targets of jumps. None after a return.
std::vector<std::size_t> successors(const Function& f, std::size_t at);

// On which way out of an instruction its results are written: a loop variable if there is a next value, the
// value of a fused region if it was evaluated as a whole.
enum class Way : std::uint8_t { both, jump, on };
Way written_on(Op op);

// Whether the operation may run other code, which can read all variables of the module.
bool runs_code(Op op);

// Whether execution may go on with the instruction after it.
bool falls_through(const Instruction& i);

// The target of a jump; -1 for other instructions.
int jump_target(const Instruction& i);

}  // namespace quill
