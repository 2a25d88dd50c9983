// One evaluation of a planned expression.
#pragma once

#include <atomic>
#include <memory>
#include <optional>
#include <vector>

#include "fusion/layout.h"
#include "fusion/plan.h"

namespace quill::fusion {

// A plan has no more places than this.
inline constexpr int kMostPlaces = 4 * kMostInputs;

// Elements that a block holds at most.
inline constexpr Index kBlock = 1024;
// Elements of each step of a longer walk, so that some blocks stay in the first-level cache.
inline constexpr Index kStep = 512;

// Memory of this thread for the blocks and constants of any plan.
std::byte* scratch();
// Sets the places of a plan's constants and blocks, which are in that memory. Returns the rest of it, with
// room for a block for each input.
std::byte* find_scratch(const Plan& plan, const void** places);
inline void apply(const KernelCall& call, const void* const* places, Index count, std::uint64_t& exceeded) {
  const auto number = [&](std::size_t k) { return static_cast<const double*>(places[call.from[k]]); };
  auto* const out = const_cast<void*>(places[call.out]);  // NOLINT: a place of its own
  if (call.wide) {
    call.wide(number(0), number(1), number(2), number(3), number(4), static_cast<double*>(out), count);
    return;
  }
  bool left = false;
  call.kernel(places[call.from[0]], places[call.from[1]], places[call.from[2]], out, count, &left);
  if (left && call.step >= 0) exceeded |= std::uint64_t{1} << call.step;
}
// The block that the calls have left, reduced.
double reduced_block(const Plan& plan, Reduction reduction, const void* const* places, Index count);

// Pieces are shared out among threads; what they see is written before they begin.
class Run {
 public:
  Run(const Plan& plan, const Layout& layout, std::optional<Reduction> reduction);
  ~Run();
  Run(const Run&) = delete;
  Run& operator=(const Run&) = delete;

  // Puts the result there; by row, unless the layout has a target.
  void fill(void* result);
  double reduced();
  // The same of integers; nothing when the sum does not fit.
  std::optional<std::int64_t> reduced_whole();
  // How many elements were reduced.
  Index reduced_size() const { return plan_.selected >= 0 ? selected_ : layout_.size; }
  // A bit for each step that had no real result for some elements.
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
  Index piece_;  // elements that a thread takes at a time
  const Kernels& kernels_ = kernels();
  std::byte* result_ = nullptr;
  bool is_in_place_ = false;
  double* numbers_ = nullptr;  // sums of blocks, or the extremes or counts of pieces
  __extension__ using Wide = __int128;
  std::vector<Wide> wholes_;  // of integers the sums or extremes of pieces
  struct Ended;
  std::unique_ptr<Ended[]> ended_;  // pieces of a selection that is summed up
  Index selected_ = 0;
  std::atomic<std::uint64_t> exceeded_ = 0;
};

}  // namespace quill::fusion
