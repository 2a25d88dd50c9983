#include "blocks/passes.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <future>
#include <numeric>

#include "array/axis_names.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "base/interrupt.h"
#include "base/memory.h"
#include "base/progress.h"
#include "base/text.h"
#include "blocks/division.h"
#include "blocks/read_ahead.h"

namespace quill {

namespace blocks_passes {

namespace {

// Sums of parallel lines whose rows come one after the other, in the order of additions of reduce().
class SumOfRows {
 public:
  SumOfRows(Index rows, Index columns) : columns_(columns), pending_() {
    const Index leaves = std::max<Index>(1, (rows + kSumBlock - 1) / kSumBlock);
    joins_.assign(static_cast<std::size_t>(leaves), 0);
    count_joins(0, leaves);
  }

  // Numbers of any real type; they are converted a leaf at a time, while they are at hand.
  template <class T>
  void add(const T* rows, Index count) {
    while (count > 0) {
      if constexpr (std::is_same_v<T, double> || std::is_same_v<T, float>)
        if (held_ == 0 && count >= kSumBlock && (columns_ > 1 || std::is_same_v<T, double>)) {
          leaf(rows, kSumBlock);
          rows += kSumBlock * columns_;
          count -= kSumBlock;
          continue;
        }
      const Index n = std::min(kSumBlock - held_, count);
      const auto room = static_cast<Index>(pending_.size());
      pending_.resize(static_cast<std::size_t>(room + n * columns_));
      double* const to = pending_.data() + room;
      for (Index k = 0; k < n * columns_; ++k) to[k] = static_cast<double>(rows[k]);
      rows += n * columns_;
      count -= n;
      held_ += n;
      if (held_ == kSumBlock) flush();
    }
  }

  std::vector<double> sums() {
    if (held_ > 0 || stack_.empty()) flush();
    return stack_.back();
  }

  // The sums of all leaves of some rows, which begin where a leaf does. May be called by several threads.
  template <class T>
  static std::vector<double> leaves_of(const T* rows, Index count, Index columns) {
    const Index leaves = (count + kSumBlock - 1) / kSumBlock;
    std::vector<double> out(static_cast<std::size_t>(leaves * columns)),
        scratch(static_cast<std::size_t>(std::max(8 * columns, kSumBlock)));
    for (Index k = 0; k < leaves; ++k) {
      const T* const from = rows + k * kSumBlock * columns;
      const Index n = std::min(kSumBlock, count - k * kSumBlock);
      double* const to = out.data() + k * columns;
      if (columns > 1) {
        sum_block(from, n, columns, columns, scratch.data(), to);
      } else {
        std::copy_n(from, n, scratch.data());
        *to = pairwise_sum(scratch.data(), n, 1);
      }
    }
    return out;
  }
  void add_leaves(const std::vector<double>& sums) {
    for (auto at = sums.begin(); at != sums.end(); at += columns_) join({at, at + columns_});
  }

 private:
  // After which leaf how many pairs of sums are joined: half of the leaves, rounded down, is the first part.
  void count_joins(Index first, Index leaves) {
    if (leaves < 2) return;
    count_joins(first, leaves / 2);
    count_joins(first + leaves / 2, leaves - leaves / 2);
    ++joins_[static_cast<std::size_t>(first + leaves - 1)];
  }
  void flush() {
    leaf(pending_.data(), held_);
    pending_.clear();
    held_ = 0;
  }
  template <class T>
  void leaf(const T* rows, Index count) {
    std::vector<double> sum(static_cast<std::size_t>(columns_));
    if constexpr (std::is_same_v<T, double>)
      if (columns_ == 1) sum[0] = pairwise_sum(rows, count, 1);
    if (columns_ > 1) sum_block(rows, count, columns_, columns_, lanes_.data(), sum.data());
    join(std::move(sum));
  }
  void join(std::vector<double> sum) {
    stack_.push_back(std::move(sum));
    for (int k = joins_[leaf_++]; k > 0; --k) {
      const auto second = std::move(stack_.back());
      stack_.pop_back();
      auto& first = stack_.back();
      for (std::size_t c = 0; c < first.size(); ++c) first[c] += second[c];
    }
  }

  Index columns_;
  std::vector<int> joins_;
  std::vector<std::vector<double>> stack_;
  std::vector<double> pending_;
  std::vector<double> lanes_ = std::vector<double>(static_cast<std::size_t>(8 * columns_));
  Index held_ = 0;
  std::size_t leaf_ = 0;
};

__extension__ using Wide = __int128;

// Exact sums of integers or booleans.
class WideSums {
 public:
  explicit WideSums(Index columns) : sums_(static_cast<std::size_t>(columns), 0) {}
  void add(const Array& rows) {
    visit_type(rows.type(), [&]<class T>(Tag<T>) {
      if constexpr (std::is_integral_v<T>) {
        const auto* x = rows.data<T>();
        for (Index k = 0; k < rows.size();)
          for (auto& sum : sums_) sum += x[k++];
      }
    });
  }
  Array result(ElementType type, const Shape& shape) const {
    Array out(type, shape);
    visit_numeric(type, [&]<class T>(Tag<T>) {
      if constexpr (std::is_integral_v<T>) {
        T* to = out.mutable_data<T>();
        for (const auto sum : sums_) {
          *to = static_cast<T>(sum);
          if (*to++ != sum)
            fail(fmt::format("integer overflow: the sum does not fit {}", name_of(type)),
                 "float64(a) rounds");
        }
      }
    });
    return out;
  }

 private:
  std::vector<Wide> sums_;
};

// How an array is seen by a reduction over its first axes: rows of columns.
struct Rows {
  Index count, columns;
  Shape kept;
};
Rows rows_of(const Shape& shape, int reduced) {
  Rows out{1, 1, {}};
  for (int k = 0; k < shape.count(); ++k) {
    (k < reduced ? out.count : out.columns) *= shape[k];
    if (k >= reduced) out.kept.push_back(shape[k]);
  }
  return out;
}

// Parts along the first axis, of which all but the last one have a multiple of kSumBlock rows; empty if there
// are none of suitable size.
std::vector<BlockPart> parts_of_leaves(const BlockSource& source, const Rows& rows) {
  const Index extent = source.shape()[0], each = rows.count / std::max<Index>(1, extent);
  const auto chunk = source.chunk();
  const Index least = std::lcm(kSumBlock / std::gcd(kSumBlock, each), chunk.empty() ? 1 : chunk[0]);
  const Index elements = each * rows.columns;
  if (source.size() == 0 || least > block_limits().most / elements) return {};
  const Index step = std::max<Index>(1, block_limits().elements / (least * elements)) * least;
  std::vector<BlockPart> out;
  for (Index start = 0; start < extent; start += step) {
    out.push_back(BlockPart::whole(source.shape()));
    out.back().start[0] = start;
    out.back().count[0] = std::min(step, extent - start);
  }
  return out;
}

// Sums whose leaves are computed by the threads that read.
template <class T>
void add_raw(SumOfRows& sums, const BlockSource& source, const std::vector<BlockPart>& parts, Index columns) {
  struct Slot {
    Array room;
    std::vector<double> leaves;
    std::future<void> done;
  };
  std::array<Slot, 4> slots;
  std::size_t begun = 0, done = 0;
  const Progress progress("reading " + source.origin(), [&] { return share_of(done, parts.size()); });
  const ReadsSettled settled;
  for (; done < parts.size(); ++done) {
    poll_interrupt();
    for (; begun < std::min(parts.size(), done + slots.size()); ++begun) {
      auto& slot = slots[begun % slots.size()];
      const auto& part = parts[begun];
      if (slot.room.size() == 0 || begun + 1 == parts.size()) slot.room = Array(source.type(), part.shape());
      T* const room = slot.room.template mutable_data<T>();
      const Index rows = size_of(part.shape()) / columns;
      slot.done = read_ahead([&slot, &source, &part, room, rows, columns] {
        source.read_raw(part, room);
        slot.leaves = SumOfRows::leaves_of(room, rows, columns);
      });
    }
    auto& slot = slots[done % slots.size()];
    slot.done.get();
    sums.add_leaves(slot.leaves);
  }
}

// A sum is taken of rows that come in blocks whose first axes are reduced.
Array sum_in_row_order(const BlockSourcePtr& source, int reduced, ElementType type, BlockFindings& findings) {
  const auto rows = rows_of(source->shape(), reduced);
  if (is_integer(type)) {
    WideSums sums(rows.columns);
    for_each_block(*source, findings, [&](const Array& block) { sums.add(block); });
    return sums.result(type, rows.kept);
  }
  SumOfRows sums(rows.count, rows.columns);
  if (const auto parts = source->reads_raw() ? parts_of_leaves(*source, rows) : std::vector<BlockPart>();
      parts.size() > 1) {
    if (source->type() == ElementType::float32)
      add_raw<float>(sums, *source, parts, rows.columns);
    else
      add_raw<double>(sums, *source, parts, rows.columns);
    const auto out = sums.sums();
    return Array::of<double>(rows.kept, std::span(out)).converted(type);
  }
  for_each_block(*source, findings, [&](const Array& block) {
    visit_numeric(block.type(), [&]<class T>(Tag<T>) {
      if constexpr (!std::is_same_v<T, Complex>) sums.add(block.data<T>(), block.size() / rows.columns);
    });
  });
  const auto out = sums.sums();
  return Array::of<double>(rows.kept, std::span(out)).converted(type);
}

// For reductions that combine results as they combine elements.
Array fold_in_row_order(Reduction op, const BlockSourcePtr& source, int reduced, BlockFindings& findings) {
  const auto rows = rows_of(source->shape(), reduced);
  std::optional<Array> so_far;
  for_each_block(*source, findings, [&](const Array& block) {
    auto lines = block.with_shape({block.size() / rows.columns, rows.columns});
    // Products depend on their order: the one so far is the first factor.
    if (so_far && op == Reduction::product) {
      const Array both[] = {so_far->with_shape({1, rows.columns}), lines.converted(so_far->type())};
      lines = join(both, 0);
    }
    auto made = reduce(op, lines, {0, false});
    if (so_far && op != Reduction::product) {
      const Array both[] = {*so_far, made};
      made = op == Reduction::count_nan ? apply(Binary::add, both[0], both[1])
                                        : reduce(op, stack(both), {0, false});
    }
    so_far = std::move(made);
  });
  if (!so_far) return reduce(op, Array(source->type(), {0, rows.columns}), {0, false}).with_shape(rows.kept);
  return so_far->with_shape(rows.kept);
}

// `sum_as` is the type in which a sum is taken.
Array reduce_in_row_order(Reduction op, const BlockSourcePtr& source, int reduced, ElementType sum_as,
                          BlockFindings& findings) {
  if (op == Reduction::sum) return sum_in_row_order(source, reduced, sum_as, findings);
  if (op == Reduction::product && source->type() == ElementType::float32)
    return fold_in_row_order(op, converted_source(source, ElementType::float64), reduced, findings)
        .converted(ElementType::float32);
  return fold_in_row_order(op, source, reduced, findings);
}

// A part of a source along one axis.
BlockSourcePtr slab_of(const BlockSourcePtr& source, int axis, Index start, Index count) {
  auto part = BlockPart::whole(source->shape());
  part.start[static_cast<std::size_t>(axis)] = start;
  part.count[static_cast<std::size_t>(axis)] = count;
  return selected_source(source, part, {});
}

bool is_leading(const Axes& axes) {
  for (std::size_t k = 0; k < axes.size(); ++k)
    if (axes[k] != static_cast<int>(k)) return false;
  return true;
}

constexpr Index kMostColumns = Index{1} << 17;  // of which sums are kept at once

}  // namespace

}  // namespace blocks_passes

using namespace blocks_passes;

BlockLimits& block_limits() {
  static BlockLimits limits;
  return limits;
}

void for_each_block(const BlockSource& source, BlockFindings& findings,
                    const std::function<void(const Array& elements)>& f) {
  for_each_part_of(source, findings, [&](const BlockPart&, const Array& elements) { f(elements); });
}

void for_each_part_of(const BlockSource& source, BlockFindings& findings,
                      const std::function<void(const BlockPart& part, const Array& elements)>& f) {
  const auto parts = row_parts(source);
  std::size_t done = 0;
  const Progress progress("reading " + source.origin(), [&] { return share_of(done, parts.size()); });
  const ReadsSettled settled;
  if (!parts.empty()) source.prefetch(parts[0]);
  for (std::size_t k = 0; k < parts.size(); ++k) {
    done = k;
    poll_interrupt();
    const auto block = source.read(parts[k], findings);
    if (k + 1 < parts.size()) source.prefetch(parts[k + 1]);
    f(parts[k], block);
  }
}

static Array reduce_blocks(Reduction op, const BlockSourcePtr& source, const Axes& axes, ElementType sum_as,
                           BlockFindings& findings) {
  if (op == Reduction::sum && source->type() == ElementType::complex128) {
    const auto part = [&](Unary which) {
      return reduce_blocks(op, mapped_source(which, source), axes, ElementType::float64, findings);
    };
    const auto real = part(Unary::real);
    return complex_from(real, part(Unary::imag));
  }
  const int reduced = axes.empty() ? source->axes() : static_cast<int>(axes.size());
  if (!axes.empty() && !is_leading(axes))
    return by_whole_lines(source, axes, findings, [&](const Array& given) {
      const auto lines = op == Reduction::sum ? given.converted(sum_as) : given;
      if (axes.size() == 1) return reduce(op, lines, {axes[0], false});
      return reduce(op, with_axes_joined(lines, axes), {0, false});
    });
  const auto rows = rows_of(source->shape(), reduced);
  const auto chunk = source->chunk();
  const bool is_wide =
      rows.columns > kMostColumns || (!chunk.empty() && source->axes() > 0 &&
                                      chunk[0] * product_from(source->shape(), 1) > block_limits().most);
  if (reduced == source->axes() || !is_wide || source->shape()[reduced] < 2)
    return reduce_in_row_order(op, source, reduced, sum_as, findings);
  const Index extent = source->shape()[reduced];
  const Index each = std::max<Index>(1, rows.columns / extent);
  Index step = std::max<Index>(1, kMostColumns / each);
  if (!chunk.empty()) {
    const auto own = chunk[static_cast<std::size_t>(reduced)];
    step = std::max(own, block_limits().most / std::max<Index>(1, chunk[0] * each) / own * own);
  }
  std::vector<Array> out;
  for (Index start = 0; start < extent; start += step)
    out.push_back(reduce_in_row_order(op, slab_of(source, reduced, start, std::min(step, extent - start)),
                                      reduced, sum_as, findings));
  return join(out, 0);
}

Array reduce_blocks(Reduction op, const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings) {
  return reduce_blocks(op, source, axes, sum_type(source->type()), findings);
}

Array mean_of_blocks(const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings) {
  const auto sum = reduce_blocks(Reduction::sum, source, axes, ElementType::float64, findings);
  Index count = 1;
  for (int k = 0; k < source->axes(); ++k)
    if (axes.empty() || std::find(axes.begin(), axes.end(), k) != axes.end()) count *= source->shape()[k];
  if (count == 0) fail("the mean of no elements is undefined");
  return apply(Binary::divide, sum, static_cast<double>(count));
}

bool fits_in_memory(const BlockSource& source) {
  constexpr double most = 0x1p62;
  const double needed = 2 * source.bytes();
  return needed < most && !is_beyond_ceiling(static_cast<std::int64_t>(needed));
}

std::string size_in_words(const BlockSource& source) {
  return fmt::format("{} ({} {}) takes {} in memory", source.origin(), name_of(source.type()),
                     text_of(source.shape()), bytes_in_prose(source.bytes()));
}

Array read_all(const BlockSource& source, BlockFindings& findings) {
  if (!fits_in_memory(source))
    fail(size_in_words(source) + ", more than may be used at once",
         "select a part of it, or reduce it along an axis");
  Array out(source.type(), source.shape());
  if (out.size() == 0) return out;
  if (out.size() <= block_limits().elements) {
    out = source.read(BlockPart::whole(source.shape()), findings);
  } else {
    Index at = 0;
    for_each_block(source, findings, [&](const Array& block) {
      visit_type(out.type(), [&]<class T>(Tag<T>) {
        std::copy_n(block.data<T>(), block.size(), out.mutable_data<T>() + at);
      });
      at += block.size();
    });
  }
  out.label = with_axis_names(source.label, source.dimensions);
  return out;
}

Array chosen_by(const BlockSource& source, const BlockOperand& mask, BlockFindings& findings) {
  std::vector<Array> out;
  for (const auto& part : row_parts(source)) {
    poll_interrupt();
    const auto block = source.read(part, findings);
    const auto boolean = mask.source ? mask.source->read(part, findings) : part_of_array(mask.array, part);
    out.push_back(select_mask(block, boolean));
  }
  auto all = out.empty() ? Array(source.type(), {0}) : join(out, 0);
  all.label = source.label;
  return all;
}

}  // namespace quill
