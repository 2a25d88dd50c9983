// Compiles typed linear code to machine code with LLVM.
#include <llvm/ExecutionEngine/Orc/CompileUtils.h>
#include <llvm/ExecutionEngine/Orc/LLJIT.h>
#include <llvm/IR/IRBuilder.h>
#include <llvm/IR/Intrinsics.h>
#include <llvm/IR/MDBuilder.h>
#include <llvm/IR/Verifier.h>
#include <llvm/Passes/PassBuilder.h>
#include <llvm/Support/TargetSelect.h>

#include <cstddef>
#include <memory>
#include <optional>

#include "array/element.h"
#include "native/code.h"
#include "native_code/split_loops.h"

namespace quill::native {

namespace {

class Writer {
 public:
  // `bodies`: the functions of Code::bodies.
  Writer(llvm::LLVMContext& context, llvm::Module& module, const Code& code,
         const std::vector<llvm::Function*>& bodies)
      : context_(context), module_(module), code_(code), b_(context), bodies_(bodies) {}

  // Of a body: (run, parameters) to status and results.
  llvm::Function* declare_body() {
    std::vector<llvm::Type*> given{b_.getPtrTy()}, results{b_.getInt64Ty()};
    for (const int v : code_.parameters) given.push_back(type_of(kind(v)));
    for (const auto each : code_.results) results.push_back(type_of(each));
    auto* const type = llvm::FunctionType::get(llvm::StructType::get(context_, results), given, false);
    auto* const made = llvm::Function::Create(type, llvm::Function::InternalLinkage, "body", module_);
    made->addFnAttr(llvm::Attribute::NoUnwind);
    made->setCallingConv(llvm::CallingConv::Fast);
    return made;
  }

  void write_body(llvm::Function* function) {
    begin(function);
    for (std::size_t k = 0; k < code_.parameters.size(); ++k)
      set(code_.parameters[k], function->getArg(static_cast<unsigned>(k) + 1));
    write_steps();
  }

  void write_entry() {
    auto* const type = llvm::FunctionType::get(b_.getInt64Ty(), {b_.getPtrTy(), b_.getInt64Ty()}, false);
    // Helpers report errors by their result.
    begin(llvm::Function::Create(type, llvm::Function::ExternalLinkage, "entry", module_));
    function_->addFnAttr(llvm::Attribute::NoUnwind);
    auto* const nowhere = llvm::BasicBlock::Create(context_, "", function_);
    auto* const choice = b_.CreateSwitch(function_->getArg(1), nowhere);
    for (std::size_t k = 0; k < code_.entries.size(); ++k)
      choice->addCase(b_.getInt64(k), block(code_.entries[k]));
    b_.SetInsertPoint(nowhere);
    b_.CreateUnreachable();
    write_steps();
  }

 private:
  void begin(llvm::Function* function) {
    function_ = function;
    auto* const first = llvm::BasicBlock::Create(context_, "", function_);
    for (int k = 0; k < code_.labels; ++k)
      blocks_.push_back(llvm::BasicBlock::Create(context_, "", function_));
    b_.SetInsertPoint(first);
    for (const auto variable : code_.variables) {
      auto* const slot = b_.CreateAlloca(type_of(variable));
      b_.CreateStore(llvm::Constant::getNullValue(type_of(variable)), slot);
      slots_.push_back(slot);
    }
    run_ = function_->getArg(0);
    registers_ = b_.CreateLoad(b_.getPtrTy(), field(offsetof(Run, registers)));
    attention_ = b_.CreateLoad(b_.getPtrTy(), field(offsetof(Run, attention)));
    saved_ = b_.CreateLoad(b_.getPtrTy(), field(offsetof(Run, saved)));
  }

  void write_steps() {
    for (const auto& step : code_.steps) {
      // Steps between a jump and the next label are not reachable.
      if (b_.GetInsertBlock()->getTerminator()) {
        if (step.what != Do::label) continue;
      }
      write(step);
    }
    if (!b_.GetInsertBlock()->getTerminator()) b_.CreateUnreachable();
    for (auto* const each : blocks_)
      if (each->empty()) new llvm::UnreachableInst(context_, each);
  }

  llvm::Type* type_of(VariableType type) {
    switch (type) {
      case VariableType::number: return b_.getDoubleTy();
      case VariableType::whole: return b_.getInt64Ty();
      case VariableType::boolean: return b_.getInt1Ty();
      case VariableType::pointer: return b_.getPtrTy();
    }
    return nullptr;
  }
  VariableType kind(int v) const { return code_.variables[static_cast<std::size_t>(v)]; }
  bool is_number(int v) const { return kind(v) == VariableType::number; }
  llvm::Value* get(int v) { return b_.CreateLoad(type_of(kind(v)), slots_[static_cast<std::size_t>(v)]); }
  void set(int v, llvm::Value* value) { b_.CreateStore(value, slots_[static_cast<std::size_t>(v)]); }
  llvm::BasicBlock* block(int l) { return blocks_[static_cast<std::size_t>(l)]; }
  llvm::Value* field(std::size_t offset) { return b_.CreateConstGEP1_64(b_.getInt8Ty(), run_, offset); }
  llvm::Value* address(std::int64_t at) {
    return b_.CreateIntToPtr(b_.getInt64(static_cast<std::uint64_t>(at)), b_.getPtrTy());
  }
  // The address of a register, or a fixed address.
  llvm::Value* value_at(const Step& step, int offset) {
    if (step.p == 1) return address(step.immediate + offset);
    return b_.CreateConstGEP1_64(b_.getInt8Ty(), registers_,
                                 static_cast<std::uint64_t>(step.immediate * 16 + offset));
  }

  llvm::Value* result_at(const Step& step) {
    return field(offsetof(Run, results) + static_cast<std::size_t>(step.immediate) * 8);
  }

  void write(const Step& step) {
    switch (step.what) {
      case Do::constant:
        if (is_number(step.dst))
          set(step.dst, llvm::ConstantFP::get(b_.getDoubleTy(), step.number));
        else
          set(step.dst, llvm::ConstantInt::getSigned(type_of(kind(step.dst)), step.immediate));
        return;
      case Do::copy: set(step.dst, get(step.x)); return;
      case Do::add:
      case Do::subtract:
      case Do::multiply:
      case Do::divide:
      case Do::remainder:
      case Do::remainder_31: set(step.dst, arithmetic(step)); return;
      case Do::negate: set(step.dst, b_.CreateFNeg(get(step.x))); return;
      case Do::add_checked:
        checked(step, llvm::Intrinsic::sadd_with_overflow, llvm::Intrinsic::uadd_with_overflow);
        return;
      case Do::subtract_checked:
        checked(step, llvm::Intrinsic::ssub_with_overflow, llvm::Intrinsic::usub_with_overflow);
        return;
      case Do::multiply_checked:
        checked(step, llvm::Intrinsic::smul_with_overflow, llvm::Intrinsic::umul_with_overflow);
        return;
      case Do::equal:
      case Do::not_equal:
      case Do::less:
      case Do::less_equal:
      case Do::greater:
      case Do::greater_equal: set(step.dst, comparison(step)); return;
      case Do::logical_and: set(step.dst, b_.CreateAnd(get(step.x), get(step.y))); return;
      case Do::logical_or: set(step.dst, b_.CreateOr(get(step.x), get(step.y))); return;
      case Do::logical_not: set(step.dst, b_.CreateNot(get(step.x))); return;
      case Do::square_root: function_of(step, llvm::Intrinsic::sqrt); return;
      case Do::floor: function_of(step, llvm::Intrinsic::floor); return;
      case Do::ceil: function_of(step, llvm::Intrinsic::ceil); return;
      case Do::truncate: function_of(step, llvm::Intrinsic::trunc); return;
      case Do::round: function_of(step, llvm::Intrinsic::round); return;
      case Do::absolute: function_of(step, llvm::Intrinsic::fabs); return;
      case Do::multiply_add:
        set(step.dst, b_.CreateIntrinsic(llvm::Intrinsic::fma, {b_.getDoubleTy()},
                                         {get(step.x), get(step.y), get(step.z)}));
        return;
      case Do::call_1:
      case Do::call_2: set(step.dst, call(step)); return;
      case Do::to_number: set(step.dst, b_.CreateSIToFP(get(step.x), b_.getDoubleTy())); return;
      case Do::to_whole: set(step.dst, b_.CreateFPToSI(get(step.x), b_.getInt64Ty())); return;
      case Do::bits: set(step.dst, b_.CreateBitCast(get(step.x), b_.getInt64Ty())); return;
      case Do::narrow:
        set(step.dst, b_.CreateFPExt(b_.CreateFPTrunc(get(step.x), b_.getFloatTy()), b_.getDoubleTy()));
        return;
      case Do::select: set(step.dst, b_.CreateSelect(get(step.x), get(step.y), get(step.z))); return;
      default: write_memory(step);
    }
  }

  void write_memory(const Step& step) {
    switch (step.what) {
      case Do::address: {
        const auto size = size_of(static_cast<ElementType>(step.immediate));
        auto* const bytes = b_.CreateMul(get(step.y), b_.getInt64(size));
        set(step.dst, b_.CreateGEP(b_.getInt8Ty(), get(step.x), bytes));
        return;
      }
      case Do::load: set(step.dst, load(step)); return;
      case Do::store: store(step); return;
      case Do::load_kind:
        set(step.dst, b_.CreateZExt(b_.CreateLoad(b_.getInt8Ty(), value_at(step, 0)), b_.getInt64Ty()));
        return;
      case Do::load_register:
        if (kind(step.dst) != VariableType::boolean)
          set(step.dst, b_.CreateLoad(type_of(kind(step.dst)), value_at(step, 8)));
        else
          set(step.dst, b_.CreateTrunc(b_.CreateLoad(b_.getInt8Ty(), value_at(step, 8)), b_.getInt1Ty()));
        return;
      case Do::store_register: store_register(step); return;
      case Do::load_result: set(step.dst, b_.CreateLoad(type_of(kind(step.dst)), result_at(step))); return;
      case Do::store_result: b_.CreateStore(get(step.x), result_at(step)); return;
      case Do::help: {
        auto* const i64 = b_.getInt64Ty();
        auto* const type = llvm::FunctionType::get(i64, {b_.getPtrTy(), i64, i64, i64}, false);
        auto* const x = step.x < 0 ? b_.getInt64(0) : get(step.x);
        auto* const result = b_.CreateCall(type, address(step.immediate),
                                           {run_, b_.getInt64(static_cast<std::uint64_t>(step.p)),
                                            b_.getInt64(static_cast<std::uint64_t>(step.q)), x});
        result->addFnAttr(llvm::Attribute::NoUnwind);
        set(step.dst, result);
        return;
      }
      case Do::poll: {
        auto* const asked = b_.CreateLoad(b_.getInt32Ty(), attention_, true);
        set(step.dst, b_.CreateICmpNE(asked, b_.getInt32(0)));
        return;
      }
      case Do::label:
        if (!b_.GetInsertBlock()->getTerminator()) b_.CreateBr(block(static_cast<int>(step.immediate)));
        b_.SetInsertPoint(block(static_cast<int>(step.immediate)));
        return;
      case Do::jump: b_.CreateBr(block(step.p)); return;
      case Do::branch: {
        llvm::MDNode* weights = nullptr;
        if (step.immediate != 0)
          weights = llvm::MDBuilder(context_).createBranchWeights(step.immediate > 0 ? 2000 : 1,
                                                                  step.immediate > 0 ? 1 : 2000);
        b_.CreateCondBr(get(step.x), block(step.p), block(step.q), weights);
        return;
      }
      case Do::leave: b_.CreateRet(get(step.x)); return;
      case Do::load_depth: set(step.dst, b_.CreateLoad(b_.getInt64Ty(), field(offsetof(Run, depth)))); return;
      case Do::save: {
        if (step.x < 0) {
          b_.CreateStore(b_.getInt64(static_cast<std::uint64_t>(step.p)), field(offsetof(Run, exit)));
          return;
        }
        auto* value = get(step.x);
        if (kind(step.x) == VariableType::boolean) value = b_.CreateZExt(value, b_.getInt64Ty());
        b_.CreateStore(value, b_.CreateConstGEP1_64(b_.getInt64Ty(), saved_,
                                                    static_cast<std::uint64_t>(step.immediate)));
        return;
      }
      case Do::call_body: call_body(step); return;
      case Do::give: {
        llvm::Value* all = llvm::PoisonValue::get(function_->getReturnType());
        all = b_.CreateInsertValue(all, get(step.x), 0);
        for (unsigned k = 0; step.p >= 0 && k < list(step.p).size(); ++k)
          all = b_.CreateInsertValue(all, get(list(step.p)[k]), k + 1);
        b_.CreateRet(all);
        return;
      }
      default: return;
    }
  }

  const std::vector<int>& list(std::int64_t k) const { return code_.lists[static_cast<std::size_t>(k)]; }
  void call_body(const Step& step) {
    auto* const body = bodies_[static_cast<std::size_t>(step.p)];
    std::vector<llvm::Value*> given{run_};
    for (const int v : list(step.q)) given.push_back(get(v));
    auto* const all = b_.CreateCall(body, given);
    all->setCallingConv(llvm::CallingConv::Fast);
    set(step.dst, b_.CreateExtractValue(all, 0));
    const auto& results = list(step.immediate);
    for (unsigned k = 0; k < results.size(); ++k) set(results[k], b_.CreateExtractValue(all, k + 1));
  }

  llvm::Value* arithmetic(const Step& step) {
    auto* const x = get(step.x);
    auto* const y = get(step.y);
    if (is_number(step.dst)) switch (step.what) {
        case Do::add: return b_.CreateFAdd(x, y);
        case Do::subtract: return b_.CreateFSub(x, y);
        case Do::multiply: return b_.CreateFMul(x, y);
        default: return b_.CreateFDiv(x, y);
      }
    switch (step.what) {
      case Do::add: return b_.CreateAdd(x, y);
      case Do::subtract: return b_.CreateSub(x, y);
      case Do::multiply: return b_.CreateMul(x, y);
      case Do::divide: return b_.CreateSDiv(x, y);
      case Do::remainder: return b_.CreateSRem(x, y);
      default: {
        auto* const i32 = b_.getInt32Ty();
        return b_.CreateZExt(b_.CreateURem(b_.CreateTrunc(x, i32), b_.CreateTrunc(y, i32)), b_.getInt64Ty());
      }
    }
  }

  void checked(const Step& step, llvm::Intrinsic::ID with_sign, llvm::Intrinsic::ID without) {
    const bool has_sign = step.immediate > 0;
    auto* const type = b_.getIntNTy(static_cast<unsigned>(has_sign ? step.immediate : -step.immediate));
    auto* const x = b_.CreateTrunc(get(step.x), type);
    auto* const y = b_.CreateTrunc(get(step.y), type);
    auto* const both = b_.CreateBinaryIntrinsic(has_sign ? with_sign : without, x, y);
    auto* const value = b_.CreateExtractValue(both, 0);
    set(step.dst, has_sign ? b_.CreateSExt(value, b_.getInt64Ty()) : b_.CreateZExt(value, b_.getInt64Ty()));
    set(step.z, b_.CreateExtractValue(both, 1));
  }

  llvm::Value* comparison(const Step& step) {
    auto* const x = get(step.x);
    auto* const y = get(step.y);
    using P = llvm::CmpInst::Predicate;
    if (is_number(step.x)) {
      const auto predicate = step.what == Do::equal        ? P::FCMP_OEQ
                             : step.what == Do::not_equal  ? P::FCMP_UNE
                             : step.what == Do::less       ? P::FCMP_OLT
                             : step.what == Do::less_equal ? P::FCMP_OLE
                             : step.what == Do::greater    ? P::FCMP_OGT
                                                           : P::FCMP_OGE;
      return b_.CreateFCmp(predicate, x, y);
    }
    const bool has_sign = step.p == 0;
    const auto predicate = step.what == Do::equal        ? P::ICMP_EQ
                           : step.what == Do::not_equal  ? P::ICMP_NE
                           : step.what == Do::less       ? (has_sign ? P::ICMP_SLT : P::ICMP_ULT)
                           : step.what == Do::less_equal ? (has_sign ? P::ICMP_SLE : P::ICMP_ULE)
                           : step.what == Do::greater    ? (has_sign ? P::ICMP_SGT : P::ICMP_UGT)
                                                         : (has_sign ? P::ICMP_SGE : P::ICMP_UGE);
    return b_.CreateICmp(predicate, x, y);
  }

  void function_of(const Step& step, llvm::Intrinsic::ID id) {
    set(step.dst, b_.CreateUnaryIntrinsic(id, get(step.x)));
  }

  // A call of a pure function of numbers.
  llvm::Value* call(const Step& step) {
    auto* const number = b_.getDoubleTy();
    std::vector<llvm::Type*> types{number};
    std::vector<llvm::Value*> values{get(step.x)};
    if (step.what == Do::call_2) {
      types.push_back(number);
      values.push_back(get(step.y));
    }
    auto* const result =
        b_.CreateCall(llvm::FunctionType::get(number, types, false), address(step.immediate), values);
    result->addFnAttr(llvm::Attribute::NoUnwind);
    result->setDoesNotAccessMemory();
    return result;
  }

  llvm::Type* element_type(std::int64_t element) {
    switch (static_cast<ElementType>(element)) {
      case ElementType::float64: return b_.getDoubleTy();
      case ElementType::float32: return b_.getFloatTy();
      case ElementType::int32: return b_.getInt32Ty();
      case ElementType::int64: return b_.getInt64Ty();
      default: return b_.getInt8Ty();
    }
  }
  llvm::Value* load(const Step& step) {
    auto* const type = element_type(step.immediate);
    auto* const x = b_.CreateLoad(type, b_.CreateGEP(type, get(step.x), get(step.y)));
    switch (static_cast<ElementType>(step.immediate)) {
      case ElementType::float64: return x;
      case ElementType::float32: return b_.CreateFPExt(x, b_.getDoubleTy());
      case ElementType::boolean: return b_.CreateICmpNE(x, b_.getInt8(0));
      case ElementType::uint8: return b_.CreateZExt(x, b_.getInt64Ty());
      default: return b_.CreateSExt(x, b_.getInt64Ty());
    }
  }
  void store(const Step& step) {
    auto* const type = element_type(step.immediate);
    auto* value = get(step.z);
    if (kind(step.z) == VariableType::boolean)
      value = b_.CreateZExt(value, type);
    else if (type->isFloatTy())
      value = b_.CreateFPTrunc(value, type);
    else if (kind(step.z) == VariableType::whole)
      value = b_.CreateTrunc(value, type);
    b_.CreateStore(value, b_.CreateGEP(type, get(step.x), get(step.y)));
  }
  void store_register(const Step& step) {
    const auto what = step.x < 0          ? static_cast<std::uint8_t>(step.q)
                      : is_number(step.x) ? kKindNumber
                                          : kKindTruth;
    b_.CreateStore(b_.getInt8(what), value_at(step, 0));
    if (step.x < 0) return;
    auto* value = get(step.x);
    // All 8 bytes are written.
    if (!is_number(step.x)) value = b_.CreateZExt(value, b_.getInt64Ty());
    b_.CreateStore(value, value_at(step, 8));
  }

  llvm::LLVMContext& context_;
  llvm::Module& module_;
  const Code& code_;
  llvm::IRBuilder<> b_;
  const std::vector<llvm::Function*>& bodies_;
  llvm::Function* function_ = nullptr;
  llvm::Value *run_ = nullptr, *registers_ = nullptr, *attention_ = nullptr, *saved_ = nullptr;
  std::vector<llvm::AllocaInst*> slots_;
  std::vector<llvm::BasicBlock*> blocks_;
};

void write(llvm::LLVMContext& context, llvm::Module& module, const Code& code) {
  std::vector<llvm::Function*> bodies;
  for (const auto& body : code.bodies)
    bodies.push_back(body.steps.empty() ? nullptr : Writer(context, module, body, bodies).declare_body());
  for (std::size_t k = 0; k < bodies.size(); ++k)
    if (bodies[k]) Writer(context, module, code.bodies[k], bodies).write_body(bodies[k]);
  Writer(context, module, code, bodies).write_entry();
}

void optimise(llvm::Module& module, llvm::TargetMachine& machine) {
  llvm::LoopAnalysisManager loops;
  llvm::FunctionAnalysisManager functions;
  llvm::CGSCCAnalysisManager calls;
  llvm::ModuleAnalysisManager modules;
  llvm::PassBuilder builder(&machine);
  builder.registerModuleAnalyses(modules);
  builder.registerCGSCCAnalyses(calls);
  builder.registerFunctionAnalyses(functions);
  builder.registerLoopAnalyses(loops);
  builder.crossRegisterProxies(loops, functions, calls, modules);
  // Few passes: the script waits for them.
  llvm::ModulePassManager passes;
  const auto add = [&](llvm::StringRef names) {
    if (auto error = builder.parsePassPipeline(passes, names)) llvm::consumeError(std::move(error));
  };
  add("function(sroa,early-cse<memssa>,simplifycfg,instcombine<no-verify-fixpoint>,"
      "loop-mssa(loop-rotate,licm<allowspeculation>),gvn<no-pre>,instcombine<no-verify-fixpoint>,"
      "loop-mssa(licm<allowspeculation>),simplifycfg,dse,loop-simplify,lcssa)");
  passes.addPass(llvm::createModuleToFunctionPassAdaptor(SplitLoops()));
  add("function(simplifycfg,early-cse,loop-simplify,lcssa,loop-vectorize,instcombine<no-verify-fixpoint>,"
      "loop-mssa(licm<allowspeculation>),simplifycfg)");
  passes.run(module, modules);
}

// The compiler, shared by all loops.
struct Machinery {
  std::optional<llvm::orc::JITTargetMachineBuilder> target;
  std::unique_ptr<llvm::TargetMachine> machine;
  std::unique_ptr<llvm::orc::LLJIT> jit;

  Machinery() {
    llvm::InitializeNativeTarget();
    llvm::InitializeNativeTargetAsmPrinter();
    auto found = llvm::orc::JITTargetMachineBuilder::detectHost();
    if (!found) {
      llvm::consumeError(found.takeError());
      return;
    }
    target = std::move(*found);
    // No contraction of a*b+c.
    target->getOptions().AllowFPOpFusion = llvm::FPOpFusion::Strict;
    target->setCodeGenOptLevel(llvm::CodeGenOptLevel::Less);
    auto made = target->createTargetMachine();
    auto created = llvm::orc::LLJITBuilder().setJITTargetMachineBuilder(*target).create();
    if (made) machine = std::move(*made);
    if (created) jit = std::move(*created);
    if (!made) llvm::consumeError(made.takeError());
    if (!created) llvm::consumeError(created.takeError());
  }
};

Machinery& machinery() {
  static Machinery* const one = new Machinery;  // lives as long as the program: code may run at its end
  return *one;
}

struct Made {
  llvm::orc::JITDylib* library;
};

void* make(const Code& code, Entry* entry) {
  auto& all = machinery();
  if (!all.machine || !all.jit) return nullptr;
  auto context = std::make_unique<llvm::LLVMContext>();
  auto module = std::make_unique<llvm::Module>("loop", *context);
  module->setDataLayout(all.machine->createDataLayout());
  write(*context, *module, code);
  if (llvm::verifyModule(*module)) return nullptr;
  optimise(*module, *all.machine);
  static int count = 0;
  auto library = all.jit->createJITDylib("loop " + std::to_string(++count));
  if (!library) {
    llvm::consumeError(library.takeError());
    return nullptr;
  }
  // For library functions that LLVM calls itself, such as memcpy.
  if (auto generator = llvm::orc::DynamicLibrarySearchGenerator::GetForCurrentProcess(
          all.jit->getDataLayout().getGlobalPrefix()))
    library->addGenerator(std::move(*generator));
  else
    llvm::consumeError(generator.takeError());
  auto object = llvm::orc::SimpleCompiler(*all.machine)(*module);
  if (!object) {
    llvm::consumeError(object.takeError());
    return nullptr;
  }
  if (auto error = all.jit->addObjectFile(*library, std::move(*object))) {
    llvm::consumeError(std::move(error));
    return nullptr;
  }
  auto found = all.jit->lookup(*library, "entry");
  if (!found) {
    llvm::consumeError(found.takeError());
    return nullptr;
  }
  *entry = found->toPtr<Entry>();
  return new Made{&*library};
}

void release(void* made) {
  auto* const one = static_cast<Made*>(made);
  if (auto error = machinery().jit->getExecutionSession().removeJITDylib(*one->library))
    llvm::consumeError(std::move(error));
  delete one;
}

}  // namespace

}  // namespace quill::native

extern "C" __attribute__((visibility("default"))) const quill::native::Maker eager_quill_native_1;
const quill::native::Maker eager_quill_native_1 = {quill::native::make, quill::native::release};
