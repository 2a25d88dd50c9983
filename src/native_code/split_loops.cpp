#include "native_code/split_loops.h"

#include <llvm/Analysis/LoopInfo.h>
#include <llvm/Analysis/ScalarEvolution.h>
#include <llvm/Analysis/ScalarEvolutionExpressions.h>
#include <llvm/IR/IRBuilder.h>
#include <llvm/IR/Intrinsics.h>
#include <llvm/IR/PatternMatch.h>
#include <llvm/Transforms/Utils/Cloning.h>
#include <llvm/Transforms/Utils/Local.h>

#include <map>
#include <memory>
#include <vector>

namespace quill::native {

namespace {

constexpr std::int64_t kChunk = 1024;  // iterations between looking at requests
constexpr std::int64_t kFewest = 4;    // iterations without checks
constexpr unsigned kMostInstructions = 400;
constexpr int kDeepest = 12;  // operations between a counter and what is compared

using Predicate = llvm::CmpInst::Predicate;

// A condition for staying in the loop: `counter` compares as `stays` with `bound`.
struct Check {
  llvm::Value *counter, *bound;
  llvm::Value* step;  // of the counter in each iteration
  Predicate stays;
};

// A boolean and the value that it has as long as the loop goes on.
struct Condition {
  llvm::Value* value;
  bool wanted;
};

// A branch out of a loop, some of whose conditions are known in the loop without checks.
struct Exit {
  llvm::BranchInst* branch;
  unsigned inside;                // the successor in the loop
  std::vector<Condition> rest{};  // what has to be tested still
};

bool is_upper(Predicate p) {
  return p == Predicate::ICMP_SLT || p == Predicate::ICMP_SLE || p == Predicate::ICMP_ULT ||
         p == Predicate::ICMP_ULE;
}
bool is_lower(Predicate p) { return p == Predicate::ICMP_SGT || p == Predicate::ICMP_SGE; }
bool is_strict(Predicate p) {
  return p == Predicate::ICMP_SLT || p == Predicate::ICMP_ULT || p == Predicate::ICMP_SGT;
}
bool is_unsigned(Predicate p) { return p == Predicate::ICMP_ULT || p == Predicate::ICMP_ULE; }

// A comparison of a volatile load: a request.
bool is_request(const llvm::ICmpInst& comparison) {
  const auto* const load = llvm::dyn_cast<llvm::LoadInst>(comparison.getOperand(0));
  return load && load->isVolatile() && load->hasOneUse();
}

class Splitter {
 public:
  Splitter(llvm::Loop& loop, llvm::ScalarEvolution& evolution)
      : loop_(loop),
        evolution_(evolution),
        head_(loop.getHeader()),
        latch_(loop.getLoopLatch()),
        before_(loop.getLoopPreheader()),
        b_(head_->getContext()) {}

  // Finds the checks; changes nothing. False if there are too few.
  bool prepare() {
    if (!latch_ || !before_ || !loop_.hasDedicatedExits() || !is_small()) return false;
    find_checks();
    return !checks_.empty() && checks_.size() + same_.size() + (has_request_ ? 1 : 0) >= 2;
  }

  void split() {
    make_gate();
    clone();
  }

 private:
  // Whether it is worth a copy: without calls, except of pure functions.
  bool is_small() const {
    unsigned count = 0;
    for (const auto* const block : loop_.blocks())
      for (const auto& each : *block) {
        if (++count > kMostInstructions) return false;
        if (const auto* const call = llvm::dyn_cast<llvm::CallInst>(&each))
          if (!call->doesNotAccessMemory()) return false;
      }
    return true;
  }

  // The step as a value; none if it is computed.
  llvm::Value* step_of(const llvm::SCEV* step) const {
    if (const auto* const constant = llvm::dyn_cast<llvm::SCEVConstant>(step)) return constant->getValue();
    if (const auto* const known = llvm::dyn_cast<llvm::SCEVUnknown>(step)) return known->getValue();
    return nullptr;
  }

  // Whether a value can be computed before an iteration from the variables of the loop's head.
  bool is_computable(llvm::Value* value, int depth = 0) const {
    if (loop_.isLoopInvariant(value)) return true;
    const auto* const made = llvm::dyn_cast<llvm::Instruction>(value);
    if (!made || depth > kDeepest) return false;
    if (llvm::isa<llvm::PHINode>(made)) return made->getParent() == head_;
    if (!llvm::isa<llvm::BinaryOperator>(made) || made->isIntDivRem()) return false;
    return is_computable(made->getOperand(0), depth + 1) && is_computable(made->getOperand(1), depth + 1);
  }

  // Notes a comparison of a counter; false if it is something else.
  bool add_comparison(llvm::ICmpInst& comparison, bool wanted) {
    auto stays = wanted ? comparison.getPredicate() : comparison.getInversePredicate();
    auto *counter = comparison.getOperand(0), *bound = comparison.getOperand(1);
    if (!counter->getType()->isIntegerTy(64)) return false;
    if (!loop_.isLoopInvariant(bound)) {
      std::swap(counter, bound);
      stays = llvm::CmpInst::getSwappedPredicate(stays);
    }
    if (!loop_.isLoopInvariant(bound) || (!is_upper(stays) && !is_lower(stays))) return false;
    const auto* const counted = llvm::dyn_cast<llvm::SCEVAddRecExpr>(evolution_.getSCEV(counter));
    if (!counted || counted->getLoop() != &loop_ || !counted->isAffine()) return false;
    auto* const step = step_of(counted->getStepRecurrence(evolution_));
    if (!step || !loop_.isLoopInvariant(step) || !is_computable(counter)) return false;
    checks_.push_back({counter, bound, step, stays});
    return true;
  }

  // Divides a condition into those that are known in the loop without checks and the rest.
  void divide(Condition condition, std::vector<Condition>& rest) {
    using namespace llvm::PatternMatch;
    llvm::Value *x = nullptr, *y = nullptr;
    const auto [value, wanted] = condition;
    if (match(value, m_Not(m_Value(x)))) return divide({x, !wanted}, rest);
    if (wanted ? match(value, m_LogicalAnd(m_Value(x), m_Value(y)))
               : match(value, m_LogicalOr(m_Value(x), m_Value(y)))) {
      divide({x, wanted}, rest);
      divide({y, wanted}, rest);
      return;
    }
    auto* const comparison = llvm::dyn_cast<llvm::ICmpInst>(value);
    if (loop_.isLoopInvariant(value))
      same_.push_back(condition);
    else if (comparison && is_request(*comparison))
      has_request_ = true;
    else if (!comparison || !add_comparison(*comparison, wanted))
      rest.push_back(condition);
  }

  void find_checks() {
    for (auto* const block : loop_.blocks()) {
      auto* const branch = llvm::dyn_cast<llvm::BranchInst>(block->getTerminator());
      if (!branch || !branch->isConditional()) continue;
      const bool first = loop_.contains(branch->getSuccessor(0));
      if (first == loop_.contains(branch->getSuccessor(1))) continue;
      Exit exit{.branch = branch, .inside = first ? 0U : 1U};
      divide({branch->getCondition(), first}, exit.rest);
      if (exit.rest.size() != 1 || exit.rest.front().value != branch->getCondition())
        exits_.push_back(std::move(exit));
    }
  }

  // A value of the loop as it will be in the next iteration.
  llvm::Value* at_gate(llvm::Value* value) {
    if (loop_.isLoopInvariant(value)) return value;
    if (const auto found = gate_values_.find(value); found != gate_values_.end()) return found->second;
    auto* const copy = llvm::cast<llvm::Instruction>(value)->clone();
    for (unsigned k = 0; k < copy->getNumOperands(); ++k) copy->setOperand(k, at_gate(copy->getOperand(k)));
    copy->dropPoisonGeneratingFlags();
    b_.Insert(copy);
    return gate_values_[value] = copy;
  }

  llvm::Value* smaller(llvm::Value* a, llvm::Value* b) {
    return a ? b_.CreateBinaryIntrinsic(llvm::Intrinsic::smin, a, b) : b;
  }
  void require(llvm::Value* condition) { holds_ = holds_ ? b_.CreateAnd(holds_, condition) : condition; }

  // How far a counter may go on in the direction of its step such that the check passes: negative if it does
  // not pass now. All differences saturate, which makes them smaller.
  llvm::Value* room_of(const Check& check, bool is_up) {
    auto* const now = at_gate(check.counter);
    auto* const zero = b_.getInt64(0);
    const auto difference = [&](llvm::Value* x, llvm::Value* y) {
      return b_.CreateBinaryIntrinsic(llvm::Intrinsic::ssub_sat, x, y);
    };
    const auto strictly = [&](llvm::Value* x) {
      return is_strict(check.stays) ? difference(x, b_.getInt64(1)) : x;
    };
    if (is_unsigned(check.stays)) {
      require(b_.CreateICmpSGE(check.bound, zero));
      require(b_.CreateICmpSGE(now, zero));
    }
    if (is_up == is_upper(check.stays))
      return strictly(is_up ? difference(check.bound, now) : difference(now, check.bound));
    // The counter moves away from its bound: it must not leave the range of integers, or of positive ones.
    require(b_.CreateICmp(check.stays, now, check.bound));
    if (is_up) return difference(b_.getInt64(std::numeric_limits<std::int64_t>::max()), now);
    if (is_unsigned(check.stays)) return now;
    return difference(now, b_.getInt64(std::numeric_limits<std::int64_t>::min() + 1));
  }

  // Before each iteration with checks: computes how many iterations pass all of them.
  void make_gate() {
    gate_ = llvm::BasicBlock::Create(head_->getContext(), "", head_->getParent(), head_);
    b_.SetInsertPoint(gate_);
    for (auto& phi : head_->phis()) {
      auto* const both = b_.CreatePHI(phi.getType(), 2);
      both->addIncoming(phi.getIncomingValueForBlock(before_), before_);
      both->addIncoming(phi.getIncomingValueForBlock(latch_), latch_);
      gate_values_[&phi] = both;
    }
    // For each step: the least room.
    std::vector<std::pair<llvm::Value*, llvm::Value*>> rooms;
    for (const auto& [value, wanted] : same_) require(wanted ? value : b_.CreateNot(value));
    for (const auto& check : checks_) {
      const auto* const constant = llvm::dyn_cast<llvm::ConstantInt>(check.step);
      const bool is_up = !constant || !constant->isNegative();
      auto* const room = room_of(check, is_up);
      auto found = std::find_if(rooms.begin(), rooms.end(),
                                [&](const auto& each) { return each.first == check.step; });
      if (found == rooms.end()) found = rooms.insert(found, {check.step, nullptr});
      found->second = smaller(found->second, room);
    }
    auto* const counting = llvm::BasicBlock::Create(head_->getContext(), "", head_->getParent(), head_);
    // Divisions only where enough iterations pass.
    for (const auto& [step, room] : rooms) {
      const auto* const constant = llvm::dyn_cast<llvm::ConstantInt>(step);
      if (!constant) require(b_.CreateICmpSGT(step, b_.getInt64(0)));
      if (!constant) require(b_.CreateICmpSLT(step, b_.getInt64(std::int64_t{1} << 60)));
      const auto least = constant ? b_.getInt64((kFewest - 1) * std::abs(constant->getSExtValue()))
                                  : b_.CreateMul(step, b_.getInt64(kFewest - 1));
      require(b_.CreateICmpSGE(room, least));
    }
    b_.CreateCondBr(holds_, counting, head_);
    b_.SetInsertPoint(counting);
    for (const auto& [step, room] : rooms) {
      const auto* const constant = llvm::dyn_cast<llvm::ConstantInt>(step);
      auto* const by =
          constant ? b_.getInt64(static_cast<std::uint64_t>(std::abs(constant->getSExtValue()))) : step;
      count_ = smaller(count_, b_.CreateUDiv(room, by));  // one less than the iterations
    }
    if (has_request_) count_ = smaller(count_, b_.getInt64(kChunk - 1));
    counting_ = counting;
  }

  void clone() {
    llvm::ValueToValueMapTy map;
    llvm::SmallVector<llvm::BasicBlock*, 16> blocks;
    for (auto* const block : loop_.blocks()) {
      auto* const copy = llvm::CloneBasicBlock(block, map, "", head_->getParent());
      map[block] = copy;
      blocks.push_back(copy);
    }
    llvm::remapInstructionsInBlocks(blocks, map);
    const auto copied = [&](llvm::Value* value) -> llvm::Value* {
      const auto found = map.find(value);
      return found == map.end() ? value : static_cast<llvm::Value*>(found->second);
    };
    auto* const first = llvm::cast<llvm::BasicBlock>(copied(head_));
    auto* const last = llvm::cast<llvm::BasicBlock>(copied(latch_));
    b_.SetInsertPoint(counting_);
    b_.CreateBr(first);

    llvm::SmallVector<llvm::WeakTrackingVH, 16> unused;
    for (const auto& exit : exits_) {
      auto* const branch = llvm::cast<llvm::BranchInst>(copied(exit.branch));
      b_.SetInsertPoint(branch);
      llvm::Value* goes_on = b_.getTrue();
      for (const auto& [value, wanted] : exit.rest)
        goes_on = b_.CreateLogicalAnd(goes_on, wanted ? copied(value) : b_.CreateNot(copied(value)));
      auto* const before = branch->getCondition();
      if (exit.rest.empty()) {
        b_.CreateBr(branch->getSuccessor(exit.inside));
        branch->eraseFromParent();
      } else {
        branch->setCondition(exit.inside == 0 ? goes_on : b_.CreateNot(goes_on));
      }
      unused.emplace_back(before);
    }
    // After its count the loop without checks goes on with the one that has them.
    auto* const next = llvm::BasicBlock::Create(head_->getContext(), "", head_->getParent(), head_);
    last->getTerminator()->replaceSuccessorWith(first, next);
    b_.SetInsertPoint(first, first->begin());
    auto* const done = b_.CreatePHI(b_.getInt64Ty(), 2);
    b_.SetInsertPoint(next);
    auto* const after = b_.CreateAdd(done, b_.getInt64(1), "", true, true);
    b_.CreateCondBr(b_.CreateICmpULT(done, count_), first, head_);
    done->addIncoming(b_.getInt64(0), counting_);
    done->addIncoming(after, next);

    for (auto& phi : head_->phis()) {
      auto* const there = llvm::cast<llvm::PHINode>(copied(&phi));
      const int from_before = there->getBasicBlockIndex(before_);
      there->setIncomingValue(static_cast<unsigned>(from_before), gate_values_[&phi]);
      there->setIncomingBlock(static_cast<unsigned>(from_before), counting_);
      there->setIncomingBlock(static_cast<unsigned>(there->getBasicBlockIndex(last)), next);
      auto* const value = copied(phi.getIncomingValueForBlock(latch_));
      phi.setIncomingValueForBlock(before_, gate_values_[&phi]);
      phi.setIncomingValueForBlock(latch_, value);
      phi.replaceIncomingBlockWith(before_, gate_);
      phi.replaceIncomingBlockWith(latch_, next);
    }
    before_->getTerminator()->replaceSuccessorWith(head_, gate_);
    latch_->getTerminator()->replaceSuccessorWith(head_, gate_);
    add_exits(map);
    llvm::RecursivelyDeleteTriviallyDeadInstructionsPermissive(unused);
    // Requests are looked at after the count.
    for (auto* const block : blocks)
      for (auto& each : llvm::make_early_inc_range(*block))
        if (auto* const load = llvm::dyn_cast<llvm::LoadInst>(&each);
            load && load->isVolatile() && load->use_empty())
          load->eraseFromParent();
  }

  // Exits that both loops have get the values of both.
  void add_exits(llvm::ValueToValueMapTy& map) {
    llvm::SmallVector<llvm::BasicBlock*, 8> exits;
    loop_.getUniqueExitBlocks(exits);
    for (auto* const exit : exits)
      for (auto& phi : exit->phis()) {
        const unsigned known = phi.getNumIncomingValues();
        for (unsigned k = 0; k < known; ++k) {
          auto* const from = phi.getIncomingBlock(k);
          if (!map.count(from)) continue;
          auto* const copy = llvm::cast<llvm::BasicBlock>(static_cast<llvm::Value*>(map[from]));
          if (!llvm::is_contained(llvm::successors(copy), exit)) continue;
          auto* const value = phi.getIncomingValue(k);
          const auto found = map.find(value);
          phi.addIncoming(found == map.end() ? value : static_cast<llvm::Value*>(found->second), copy);
        }
      }
  }

  llvm::Loop& loop_;
  llvm::ScalarEvolution& evolution_;
  llvm::BasicBlock *head_, *latch_, *before_;
  llvm::IRBuilder<> b_;
  std::vector<Check> checks_;
  std::vector<Condition> same_;  // the same in all iterations
  std::vector<Exit> exits_;
  bool has_request_ = false;
  std::map<llvm::Value*, llvm::Value*> gate_values_;
  llvm::BasicBlock *gate_ = nullptr, *counting_ = nullptr;
  llvm::Value *holds_ = nullptr, *count_ = nullptr;
};

}  // namespace

llvm::PreservedAnalyses SplitLoops::run(llvm::Function& function, llvm::FunctionAnalysisManager& analyses) {
  auto& loops = analyses.getResult<llvm::LoopAnalysis>(function);
  auto& evolution = analyses.getResult<llvm::ScalarEvolutionAnalysis>(function);
  // The analyses hold for the function as it is: nothing is changed before all checks are found.
  std::vector<std::unique_ptr<Splitter>> splitters;
  for (auto* const loop : loops.getLoopsInPreorder()) {
    if (!loop->isInnermost()) continue;
    auto splitter = std::make_unique<Splitter>(*loop, evolution);
    if (splitter->prepare()) splitters.push_back(std::move(splitter));
  }
  for (const auto& splitter : splitters) splitter->split();
  return splitters.empty() ? llvm::PreservedAnalyses::all() : llvm::PreservedAnalyses::none();
}

}  // namespace quill::native
