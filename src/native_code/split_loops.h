#pragma once

#include <llvm/IR/PassManager.h>

namespace quill::native {

// Divides each innermost loop in two: one for the iterations in which all checks are known to pass, without
// these checks, and the loop as it was for the others. A check is a branch out of the loop that compares a
// counter with a value that stays the same: the end of the loop, the range of a subscript, the largest
// integer. Requests such as interrupts are looked at after 1024 iterations.
struct SplitLoops : llvm::PassInfoMixin<SplitLoops> {
  llvm::PreservedAnalyses run(llvm::Function& function, llvm::FunctionAnalysisManager& analyses);
};

}  // namespace quill::native
