// One evaluation of a planned expression.
#pragma once

#include <atomic>
#include <memory>
#include <optional>
#include <vector>

#include "fusion/layout.h"
#include "fusion/plan.h"

namespace quill::fusion {

// Maximum number of operands of a plan.
inline constexpr int kMostOperands = 4 * kMostInputs;

// Maximum number of elements in a block.
inline constexpr Index kBlock = 1024;
// Block size for long arrays, so that several blocks fit into the first-level cache.
inline constexpr Index kStep = 512;

// Scratch memory of this thread, shared by all plans.
std::byte* scratch();
// Sets the addresses of a plan's constants and blocks in scratch memory. Returns the remainder, which has
// room for a block of each input.
std::byte* find_scratch(const Plan& plan, const void** operands);
inline void apply(const KernelCall& call, const void* const* operands, Index count, std::uint64_t& exceeded) {
  const auto number = [&](std::size_t k) { return static_cast<const double*>(operands[call.from[k]]); };
  auto* const out = const_cast<void*>(operands[call.out]);  // NOLINT: a place of its own
  if (call.wide) {
    call.wide(number(0), number(1), number(2), number(3), number(4), static_cast<double*>(out), count);
    return;
  }
  bool left = false;
  call.kernel(operands[call.from[0]], operands[call.from[1]], operands[call.from[2]], out, count, &left);
  if (left && call.step >= 0) exceeded |= std::uint64_t{1} << call.step;
}
// Reduces the block that the calls have computed.
double reduced_block(const Plan& plan, Reduction reduction, const void* const* operands, Index count);

// Divides an evaluation into pieces for threads; everything that they read is written beforehand.
class Run {
 public:
  Run(const Plan& plan, const Layout& layout, std::optional<Reduction> reduction);
  ~Run();
  Run(const Run&) = delete;
  Run& operator=(const Run&) = delete;

  // Stores the result: row-major, unless the layout has a target.
  void fill(void* result);
  double reduced();
  // The same for integers; nothing on overflow of the sum.
  std::optional<std::int64_t> reduced_whole();
  // Number of elements reduced.
  Index reduced_size() const { return plan_.selected >= 0 ? selected_ : layout_.size; }
  // Bit set of steps that had no real result for some elements.
  std::uint64_t exceeded() const { return exceeded_.load(); }

 private:
  struct Work;
  void pieces();
  void calculate(Index piece);
  void go_to(Work& work, Index position) const;
  void next_row(Work& work) const;
  void find_constants(Work& work) const;
  template <class F>
  void along_rows(const Work& work, std::size_t stream, Index count, F f) const;
  void gather(const Work& work, int stream, Index count) const;
  void choose(Work& work, int stream, Index count) const;
  void climb(const Work& work, int stream, Index position, Index count) const;
  void put_away(Work& work, Index position, Index count);
  void put_selected_away(Work& work, Index piece);

  const Plan& plan_;
  const Layout& layout_;
  std::optional<Reduction> reduction_;
  Index piece_;  // elements in a piece
  const Kernels& kernels_ = kernels();
  std::byte* result_ = nullptr;
  bool is_in_place_ = false;
  double* numbers_ = nullptr;  // sums of blocks, or extremes or counts of pieces
  __extension__ using Wide = __int128;
  std::vector<Wide> wholes_;  // sums or extremes of pieces, for integers
  struct Ended;
  std::unique_ptr<Ended[]> ended_;  // pieces of a selection that is summed
  Index selected_ = 0;
  std::atomic<std::uint64_t> exceeded_ = 0;
};

}  // namespace quill::fusion
