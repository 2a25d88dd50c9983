#include "fusion/kernels.h"

#include <cmath>

#include "array/mathematics.h"
#include "array/scalar.h"
#include "base/processor.h"
#include "fusion/kernel_tables.h"

namespace quill::fusion {

std::string_view name_of(InstructionSet set) {
  constexpr std::string_view names[] = {"baseline", "AVX2", "AVX-512"};
  return names[static_cast<int>(set)];
}

InstructionSet best_instruction_set() {
  return has_avx512() ? InstructionSet::avx512 : has_avx2() ? InstructionSet::avx2 : InstructionSet::baseline;
}

namespace {

const Kernels& table_of(InstructionSet set) {
  switch (set) {
    case InstructionSet::avx512: return avx512::table();
    case InstructionSet::avx2: return avx2::table();
    default: return baseline::table();
  }
}

struct InUse {
  InstructionSet set = best_instruction_set();
  const Kernels* table = &table_of(set);
};
InUse& in_use() {
  static InUse use;
  return use;
}

template <Unary op>
void apply_generic(const void* operand, const void*, const void*, void* result, Index n, bool* exceeded) {
  static const auto function = scalar::real_function(op);
  const double* x = static_cast<const double*>(operand);
  double* out = static_cast<double*>(result);
  for (Index i = 0; i < n; ++i) {
    const double before = x[i], after = function.f(before);
    if (function.limited) *exceeded |= std::isnan(after) && !std::isnan(before);
    out[i] = after;
  }
}

template <class F, Single single>
void combine_generic(const void* left, const void* right, const void*, void* result, Index n,
                     bool* exceeded) {
  const F f;
  const double *a = static_cast<const double*>(left), *b = static_cast<const double*>(right);
  double* out = static_cast<double*>(result);
  for (Index i = 0; i < n; ++i) {
    const double x = single == Single::left ? *a : a[i], y = single == Single::right ? *b : b[i];
    out[i] = f(x, y);
    if constexpr (F::kLimited) *exceeded |= std::isnan(out[i]) && !std::isnan(x) && !std::isnan(y);
  }
}

}  // namespace

const Kernels& kernels() { return *in_use().table; }
InstructionSet instruction_set() { return in_use().set; }
void use_instruction_set(InstructionSet set) { in_use() = {set, &table_of(set)}; }

Kernel generic_unary(Unary op) {
  switch (op) {
#define QUILL_ROW(name, limited, expression) \
  case Unary::name: return apply_generic<Unary::name>;
    QUILL_REAL_FUNCTIONS(QUILL_ROW)
#undef QUILL_ROW
    default: return nullptr;
  }
}

Kernel generic_binary(Binary op, Single single) {
  return scalar::with_arithmetic(op, [&]<class F>(F) -> Kernel {
    switch (single) {
      case Single::none: return combine_generic<F, Single::none>;
      case Single::left: return combine_generic<F, Single::left>;
      case Single::right: return combine_generic<F, Single::right>;
      default: return nullptr;
    }
  });
}

}  // namespace quill::fusion
