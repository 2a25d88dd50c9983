// Operands and successors of instructions, for all analyses of programs.
#pragma once

#include <cstdint>
#include <functional>
#include <vector>

#include "compiler/program.h"

namespace quill {

enum class Access : std::uint8_t { read, write, change };

// Calls visit(register, access) for each register that the instruction at `at` uses: first those it reads or
// modifies, then those it writes. Instructions with two successors may write on one way only, see
// written_on().
void visit_operands(const Function& f, std::size_t at, const std::function<void(int, Access)>& visit);

// Instructions that may follow the one at `at`: the next one, jump targets. None after a return.
std::vector<std::size_t> successors(const Function& f, std::size_t at);

// On which way out of an instruction its results are written: a loop variable if there is a next value, the
// value of a region if it was evaluated fused.
enum class Way : std::uint8_t { both, jump, on };
Way written_on(Op op);

// Whether the operation may run other code, which may read all variables of the module.
bool runs_code(Op op);

// Whether execution may continue with the next instruction.
bool falls_through(const Instruction& i);

// Target of a jump; -1 for other instructions.
int jump_target(const Instruction& i);

}  // namespace quill
