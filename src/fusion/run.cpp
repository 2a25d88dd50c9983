#include "fusion/run.h"
#include "array/compress.h"

#include <algorithm>
#include <array>
#include <limits>
#include <memory>

#include "base/interrupt.h"
#include "base/parallel.h"

namespace quill::fusion {

namespace {

// Elements per piece; for large arrays so many that no two threads share a new huge page.
constexpr Index kPiece = 1 << 15, kLargePiece = 1 << 18, kLarge = 1 << 21;
static_assert(kPiece % kStep == 0 && kLargePiece % kStep == 0 && kStep % kSumBlock == 0 && kStep <= kBlock);
constexpr std::size_t kBlockBytes = static_cast<std::size_t>(kBlock) * sizeof(double);
static_assert(static_cast<std::size_t>(kStep) * sizeof(Complex) <= kBlockBytes);

// Of sums of blocks, in the order of pairwise_sum.
double sum_of(const double* sums, Index blocks) {
  if (blocks <= 1) return blocks == 0 ? 0 : *sums;
  const Index half = blocks / 2;
  return sum_of(sums, half) + sum_of(sums + half, blocks - half);
}

double farthest(Reduction reduction) {
  constexpr double most = std::numeric_limits<double>::infinity();
  return reduction == Reduction::maximum ? -most : most;
}
double extreme(Reduction reduction, const double* values, Index n, double so_far) {
  return (reduction == Reduction::maximum ? kernels().maximum : kernels().minimum)(values, n, so_far);
}

// Combines two integers by the reduction.
template <class T>
T reduced_pair(Reduction reduction, T a, T b) {
  if (reduction == Reduction::sum) return a + b;
  return reduction == Reduction::maximum ? std::max(a, b) : std::min(a, b);
}

std::int64_t extreme_of(const std::int64_t* numbers, Index n, bool maximum, std::int64_t so_far) {
  if (maximum)
    for (Index i = 0; i < n; ++i) so_far = std::max(so_far, numbers[i]);
  else
    for (Index i = 0; i < n; ++i) so_far = std::min(so_far, numbers[i]);
  return so_far;
}

// Memory written by this thread.
std::byte* own(const void* place) { return static_cast<std::byte*>(const_cast<void*>(place)); }  // NOLINT

}  // namespace

// Its pages are taken when they are touched.
std::byte* scratch() {
  static thread_local const std::unique_ptr<std::byte[]> memory(
      new std::byte[(kMostOperands + kMostInputs + 2) * kBlockBytes]);
  constexpr std::size_t line = 64;
  void* start = memory.get();
  std::size_t space = 2 * line;
  return static_cast<std::byte*>(std::align(line, line, start, space));
}

std::byte* find_scratch(const Plan& plan, const void** operands) {
  constexpr std::size_t line = 64;
  auto* memory = scratch();
  constexpr std::size_t most = sizeof(Complex);
  for (int k = 0; k < plan.constants; ++k)
    operands[plan.first_constant() + k] = memory + static_cast<std::size_t>(k) * most;
  memory += (static_cast<std::size_t>(plan.constants) * most + line - 1) / line * line;
  for (int k = 0; k < plan.blocks; ++k)
    operands[plan.first_block() + k] = memory + static_cast<std::size_t>(k) * kBlockBytes;
  return memory + static_cast<std::size_t>(plan.blocks) * kBlockBytes;
}

double reduced_block(const Plan& plan, Reduction reduction, const void* const* operands, Index count) {
  const void* block = operands[plan.last];
  if (reduction != Reduction::sum)
    return extreme(reduction, static_cast<const double*>(block), count, farthest(reduction));
  if (plan.type == ElementType::boolean)
    return static_cast<double>(kernels().count(static_cast<const bool*>(block), count));
  double sums[kBlock / kSumBlock];
  kernels().block_sums(static_cast<const double*>(block), count, sums);
  return sum_of(sums, (count + kSumBlock - 1) / kSumBlock);
}

// State of a thread while it works on a piece.
struct Run::Work {
  const void* operands[kMostOperands];
  Index column = 0;                            // in the row
  std::array<Index, kMostAxes> at;             // the row
  std::array<Index, kMostInputs + 1> offsets;  // of the row's start in each stream
  std::array<Index, kMostInputs> chosen_at;    // index of the next element of a selection in its array
  std::uint64_t exceeded = 0;
  double so_far = 0;
  Wide whole = 0;
  double* kept = nullptr;  // of a selection: its elements, with room for a block before them
  Index kept_count = 0;
};

// What a piece of a selection passes to the next one: number of elements up to its end, and those that do not
// fill a block of the sum.
constexpr Index kNotYet = -1, kFailed = -2;
struct Run::Ended {
  std::atomic<Index> count = kNotYet;
  std::array<double, kSumBlock> rest;
};

Run::~Run() = default;

Run::Run(const Plan& plan, const Layout& layout, std::optional<Reduction> reduction)
    : plan_(plan),
      layout_(layout),
      reduction_(reduction),
      piece_(layout.size < kLarge || plan.selected >= 0 ? kPiece : kLargePiece) {}

void Run::pieces() {
  if (layout_.size <= piece_) {
    if (layout_.size > 0) calculate(0);
    return;
  }
  const Index count = (layout_.size + piece_ - 1) / piece_;
  if (plan_.selected >= 0) {
    // Pieces wait for those before them, none of which may be left out; so stops are heard between many.
    constexpr Index at_once = 1024;
    for (Index first = 0; first < count; first += at_once) {
      poll_interrupt();
      in_parallel_to_the_end(std::min(at_once, count - first), [this, first](Index piece) {
        try {
          calculate(first + piece);
        } catch (...) {
          // Pieces that wait for this one must see that it failed.
          if (ended_) ended_[static_cast<std::size_t>(first + piece) + 1].count.store(kFailed);
          throw;
        }
      });
    }
    return;
  }
  // In-place results must not be left half written.
  const auto share_out = is_in_place_ ? in_parallel_to_the_end : in_parallel;
  share_out(count, [this](Index piece) { calculate(piece); });
}

void Run::fill(void* result) {
  is_in_place_ = result == nullptr;
  result_ = is_in_place_ ? own(layout_.target().data) : static_cast<std::byte*>(result);
  pieces();
}

double Run::reduced() {
  const Index count = (layout_.size + piece_ - 1) / piece_;
  const bool sums_blocks = reduction_ == Reduction::sum && plan_.type == ElementType::float64;
  const Index blocks = sums_blocks ? (layout_.size + kSumBlock - 1) / kSumBlock : count;
  const std::unique_ptr<double[]> numbers(new double[static_cast<std::size_t>(std::max<Index>(blocks, 1))]);
  numbers_ = numbers.get();
  if (plan_.selected >= 0) ended_.reset(new Ended[static_cast<std::size_t>(count) + 1]);
  pieces();
  if (plan_.selected >= 0) {
    const auto& last = ended_[static_cast<std::size_t>(count)];
    selected_ = count > 0 ? last.count.load() : 0;
    if (sums_blocks) {
      const Index whole = selected_ / kSumBlock, over = selected_ % kSumBlock;
      if (over > 0) kernels_.block_sums(last.rest.data(), over, numbers_ + whole);
      return sum_of(numbers_, whole + (over > 0 ? 1 : 0));
    }
  }
  // Counts are integers, which any order adds up exactly.
  return reduction_ == Reduction::sum ? sum_of(numbers_, blocks)
                                      : extreme(*reduction_, numbers_, blocks, farthest(*reduction_));
}

std::optional<std::int64_t> Run::reduced_whole() {
  wholes_.resize(static_cast<std::size_t>((layout_.size + piece_ - 1) / piece_));
  pieces();
  if (wholes_.empty()) return 0;
  Wide out = wholes_[0];
  for (std::size_t k = 1; k < wholes_.size(); ++k) out = reduced_pair(*reduction_, out, wholes_[k]);
  const auto whole = static_cast<std::int64_t>(out);
  const bool fits =
      whole == out && (plan_.reduced_type != ElementType::int32 || static_cast<std::int32_t>(whole) == whole);
  return fits ? std::optional(whole) : std::nullopt;
}

void Run::go_to(Work& work, Index position) const {
  if (layout_.walk.empty()) return;
  Index row = position / layout_.row;
  work.column = position % layout_.row;
  work.offsets.fill(0);
  for (int axis = layout_.walk.count() - 2; axis >= 0; --axis) {
    const Index at = row % layout_.walk[axis];
    row /= layout_.walk[axis];
    work.at[static_cast<std::size_t>(axis)] = at;
    for (int k = 0; k < layout_.inputs; ++k)
      if (!layout_.streams[static_cast<std::size_t>(k)].strides.empty())
        work.offsets[static_cast<std::size_t>(k)] +=
            at * layout_.streams[static_cast<std::size_t>(k)].strides[axis];
    work.offsets[kMostInputs] += at * layout_.target().strides[axis];
  }
}

void Run::next_row(Work& work) const {
  work.column = 0;
  for (int axis = layout_.walk.count() - 2; axis >= 0; --axis) {
    const bool goes_on = ++work.at[static_cast<std::size_t>(axis)] < layout_.walk[axis];
    const Index by = goes_on ? 1 : 1 - layout_.walk[axis];
    for (int k = 0; k < layout_.inputs; ++k)
      if (!layout_.streams[static_cast<std::size_t>(k)].strides.empty())
        work.offsets[static_cast<std::size_t>(k)] +=
            by * layout_.streams[static_cast<std::size_t>(k)].strides[axis];
    work.offsets[kMostInputs] += by * layout_.target().strides[axis];
    if (goes_on) return;
    work.at[static_cast<std::size_t>(axis)] = 0;
  }
}

void Run::find_constants(Work& work) const {
  for (int k = 0; k < layout_.inputs; ++k) {
    const auto& stream = layout_.streams[static_cast<std::size_t>(k)];
    if (stream.how == Stream::How::constant)
      work.operands[k] =
          stream.data + work.offsets[static_cast<std::size_t>(k)] * static_cast<Index>(stream.size);
  }
  for (const auto& call : plan_.once) apply(call, work.operands, 1, work.exceeded);
}

// Calls f(number of the element in the stream, count) for each stretch of a row among the next elements.
template <class F>
void Run::along_rows(const Work& work, std::size_t stream, Index count, F f) const {
  const auto& l = layout_.streams[stream];
  Index column = work.column, offset = work.offsets[stream];
  auto at = work.at;
  while (true) {
    const Index some = std::min(count, layout_.row - column);
    f(offset + column * l.step, some);
    count -= some;
    if (count == 0) return;
    column = 0;
    for (int axis = layout_.walk.count() - 2; axis >= 0; --axis) {
      if (++at[static_cast<std::size_t>(axis)] < layout_.walk[axis]) {
        offset += l.strides[axis];
        break;
      }
      at[static_cast<std::size_t>(axis)] = 0;
      offset += (1 - layout_.walk[axis]) * l.strides[axis];
    }
  }
}

void Run::gather(const Work& work, int k, Index count) const {
  const auto& stream = layout_.streams[static_cast<std::size_t>(k)];
  auto* to = own(work.operands[k]);
  along_rows(work, static_cast<std::size_t>(k), count, [&](Index from, Index some) {
    kernels_.gather(stream.data + from * static_cast<Index>(stream.size), stream.step, to, some, stream.size);
    to += static_cast<std::size_t>(some) * stream.size;
  });
}

namespace {

// compress for elements of a size in bytes; there is room for all.
Index compress_bytes(const std::byte* from, const bool* mask, void* to, Index n, std::size_t size) {
  const auto of = [&]<class T>(T* out) {
    return compress(reinterpret_cast<const T*>(from), mask, n, out, n);
  };
  switch (size) {
    case sizeof(double): return of(static_cast<double*>(to));
    case sizeof(float): return of(static_cast<float*>(to));
    case sizeof(Complex): return of(static_cast<Complex*>(to));
    default: return of(static_cast<std::uint8_t*>(to));
  }
}

}  // namespace

// Of the elements that follow no more are looked at than there is room for.
void Run::choose(Work& work, int k, Index count) const {
  const auto& stream = layout_.streams[static_cast<std::size_t>(k)];
  const auto size = static_cast<Index>(stream.size);
  const auto& chosen = *stream.chosen;
  const Index all = chosen.size();
  auto& place = work.chosen_at[static_cast<std::size_t>(k)];
  bool room[kStep + Selection::kRoom];
  for (auto* to = own(work.operands[k]); count > 0;) {
    const Index some = std::min(count, all - place);
    const Index made =
        compress_bytes(stream.data + place * size, chosen.booleans(place, some, room), to, some, stream.size);
    place += some;
    count -= made;
    to += made * size;
  }
}

void Run::climb(const Work& work, int k, Index position, Index count) const {
  const auto& stream = layout_.streams[static_cast<std::size_t>(k)];
  const auto& ramp = *stream.ramp;
  auto* to = static_cast<double*>(const_cast<void*>(work.operands[k]));  // NOLINT: of this thread
  const auto some_numbers = [&](Index from, Index some) {
    if (ramp.weighted)
      kernels_.weighted(ramp.first, ramp.last, static_cast<double>(ramp.count - 1), from, to, some);
    else
      kernels_.climbing(ramp.first, ramp.step, from, to, some);
    to += some;
    if (ramp.weighted && from + some == ramp.count) to[-1] = ramp.last;
  };
  if (layout_.walk.empty())
    some_numbers(position, count);
  else
    along_rows(work, static_cast<std::size_t>(k), count, some_numbers);
}

// The block in which the calls have left the result.
void Run::put_away(Work& work, Index position, Index count) {
  const void* block = work.operands[plan_.last];
  if (plan_.selected >= 0) {
    work.kept_count += compress(static_cast<const double*>(work.operands[plan_.selected]),
                                static_cast<const bool*>(block), count, work.kept + work.kept_count, count);
  } else if (!reduction_) {
    const auto& to = layout_.target();
    if (to.how != Stream::How::gathered) return;  // it is there already
    const auto* from = static_cast<const std::byte*>(block);
    if (layout_.alternates) {
      const Index over = work.column % 2;  // one that is walked in vain
      auto* place = own(to.data) + (work.offsets[kMostInputs] + work.column) * static_cast<Index>(to.size);
      kernels_.put_alternate(static_cast<const double*>(block) + over,
                             static_cast<double*>(static_cast<void*>(place)) + over, count - over);
      return;
    }
    along_rows(work, kMostInputs, count, [&](Index place, Index some) {
      kernels_.scatter(from, own(to.data + place * static_cast<Index>(to.size)), to.step, some, to.size);
      from += static_cast<std::size_t>(some) * to.size;
    });
  } else if (plan_.type == ElementType::int64) {
    const auto* numbers = static_cast<const std::int64_t*>(block);
    if (reduction_ == Reduction::sum)
      for (Index i = 0; i < count; ++i) work.whole += numbers[i];
    else
      work.whole =
          extreme_of(numbers, count, reduction_ == Reduction::maximum, static_cast<std::int64_t>(work.whole));
  } else if (reduction_ != Reduction::sum) {
    work.so_far = extreme(*reduction_, static_cast<const double*>(block), count, work.so_far);
  } else if (plan_.type == ElementType::boolean) {
    work.so_far += static_cast<double>(kernels_.count(static_cast<const bool*>(block), count));
  } else {
    kernels_.block_sums(static_cast<const double*>(block), count, numbers_ + position / kSumBlock);
  }
}

// Elements of a sum fill blocks in order, whatever the pieces: each piece waits for the remainder of the one
// before it, which has started and waits for no later one.
void Run::put_selected_away(Work& work, Index piece) {
  auto& ended = ended_[static_cast<std::size_t>(piece) + 1];
  Index before = 0;
  const auto& previous = ended_[static_cast<std::size_t>(piece)];
  if (piece > 0)
    while ((before = previous.count.load(std::memory_order_acquire)) == kNotYet) {}
  if (before == kFailed) return ended.count.store(kFailed, std::memory_order_release);
  if (reduction_ != Reduction::sum) {
    work.so_far = extreme(*reduction_, work.kept, work.kept_count, work.so_far);
    ended.count.store(before + work.kept_count, std::memory_order_release);
    return;
  }
  const Index over = before % kSumBlock, count = over + work.kept_count;
  double* const values = work.kept - over;
  std::copy_n(previous.rest.begin(), over, values);
  const Index whole = count / kSumBlock * kSumBlock;
  std::copy(values + whole, values + count, ended.rest.begin());
  ended.count.store(before + work.kept_count, std::memory_order_release);
  kernels_.block_sums(values, whole, numbers_ + before / kSumBlock);
}

void Run::calculate(Index piece) {
  Work work;
  static thread_local std::unique_ptr<double[]> kept;
  if (plan_.selected >= 0) {
    if (!kept) kept.reset(new double[static_cast<std::size_t>(kSumBlock + kPiece)]);
    work.kept = kept.get() + kSumBlock;
  }
  auto* memory = find_scratch(plan_, work.operands);
  for (int k = 0; k < layout_.inputs; ++k) {
    const auto& stream = layout_.streams[static_cast<std::size_t>(k)];
    if (stream.how == Stream::How::gathered || stream.how == Stream::How::ramp ||
        stream.how == Stream::How::chosen) {
      work.operands[k] = memory;
      memory += kBlockBytes;
      if (stream.chosen)
        work.chosen_at[static_cast<std::size_t>(k)] = stream.chosen->index_of(piece * piece_);
    } else {
      work.operands[k] = stream.data;
    }
  }
  Index position = piece * piece_;
  const Index end = std::min(layout_.size, position + piece_);
  work.so_far = !reduction_ || reduction_ == Reduction::sum ? 0 : farthest(*reduction_);
  if (reduction_ && reduction_ != Reduction::sum) {
    using Limits = std::numeric_limits<std::int64_t>;
    work.whole = reduction_ == Reduction::maximum ? Limits::min() : Limits::max();
  }
  go_to(work, position);
  find_constants(work);
  while (position < end) {
    Index count = std::min(kStep, end - position);
    if (layout_.by_rows) count = std::min(count, layout_.row - work.column);
    for (int k = 0; k < layout_.inputs; ++k) {
      const auto& stream = layout_.streams[static_cast<std::size_t>(k)];
      if (stream.how == Stream::How::direct)
        work.operands[k] = stream.data + position * static_cast<Index>(stream.size);
      else if (stream.how == Stream::How::row)
        work.operands[k] = stream.data + (work.offsets[static_cast<std::size_t>(k)] + work.column) *
                                             static_cast<Index>(stream.size);
      else if (stream.how == Stream::How::gathered)
        gather(work, k, count);
      else if (stream.how == Stream::How::ramp)
        climb(work, k, position, count);
      else if (stream.how == Stream::How::chosen)
        choose(work, k, count);
    }
    const auto& to = layout_.target();
    if (to.how == Stream::How::direct)
      work.operands[plan_.result()] = result_ + position * static_cast<Index>(size_of(plan_.type));
    else if (to.how == Stream::How::row)
      work.operands[plan_.result()] =
          to.data + (work.offsets[kMostInputs] + work.column) * static_cast<Index>(to.size);
    for (const auto& call : plan_.calls) apply(call, work.operands, count, work.exceeded);
    put_away(work, position, count);
    position += count;
    if (layout_.walk.empty()) continue;
    work.column += count;
    while (work.column >= layout_.row && position < end) {
      const Index over = work.column - layout_.row;
      next_row(work);
      work.column = over;
      if (layout_.has_row_constants) find_constants(work);
    }
  }
  const bool sums_blocks = reduction_ == Reduction::sum && plan_.type == ElementType::float64;
  if (plan_.selected >= 0) put_selected_away(work, piece);
  if (!wholes_.empty())
    wholes_[static_cast<std::size_t>(piece)] = work.whole;
  else if (reduction_ && !sums_blocks)
    numbers_[piece] = work.so_far;
  if (work.exceeded) exceeded_.fetch_or(work.exceeded, std::memory_order_relaxed);
}

}  // namespace quill::fusion
