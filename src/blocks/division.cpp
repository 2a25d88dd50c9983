#include "blocks/division.h"

#include <algorithm>

namespace quill {

Index product_from(const Shape& shape, int axis) {
  Index out = 1;
  for (int k = axis; k < shape.count(); ++k) out *= shape[k];
  return out;
}

namespace blocks_division {
namespace {

// How many positions along an axis go together: not too many, and whole chunks where that is bearable.
Index positions_at_once(Index each, Index extent, Index chunk) {
  Index out = std::max<Index>(1, block_limits().elements / std::max<Index>(1, each));
  if (chunk > 1 && chunk * each <= block_limits().most) out = (out + chunk - 1) / chunk * chunk;
  return std::min(out, extent);
}

// Parts in row order below an axis, whose axes before are fixed in `at`.
void add_row_parts(const BlockSource& source, const std::vector<Index>& chunk, int axis, BlockPart& at,
                   std::vector<BlockPart>& out) {
  const auto& shape = source.shape();
  if (axis == shape.count()) {
    out.push_back(at);
    return;
  }
  const auto k = static_cast<std::size_t>(axis);
  const Index each = product_from(shape, axis + 1);
  if (each > block_limits().most) {
    for (at.start[k] = 0; at.start[k] < shape[axis]; ++at.start[k]) {
      at.count[k] = 1;
      add_row_parts(source, chunk, axis + 1, at, out);
    }
    at.start[k] = 0;
    at.count[k] = shape[axis];
    return;
  }
  const Index step = positions_at_once(each, shape[axis], chunk.empty() ? 1 : chunk[k]);
  for (Index start = 0; start < shape[axis]; start += step) {
    at.start[k] = start;
    at.count[k] = std::min(step, shape[axis] - start);
    out.push_back(at);
  }
  at.start[k] = 0;
  at.count[k] = shape[axis];
}

// The axis by which parts with whole lines are divided; -1 when there is none.
int dividing_axis(const BlockSource& source, const Axes& axes) {
  for (int k = 0; k < source.axes(); ++k)
    if (source.shape()[k] > 1 && std::find(axes.begin(), axes.end(), k) == axes.end()) return k;
  return -1;
}

}  // namespace
}  // namespace blocks_division

using namespace blocks_division;

double share_of(std::size_t done, std::size_t all) {
  return static_cast<double>(done) / static_cast<double>(std::max<std::size_t>(1, all));
}

std::vector<BlockPart> row_parts(const BlockSource& source) {
  std::vector<BlockPart> out;
  if (source.size() == 0) return out;
  auto at = BlockPart::whole(source.shape());
  add_row_parts(source, source.chunk(), 0, at, out);
  return out;
}

Division division_of(const BlockSource& source, const Axes& axes) {
  Division out{dividing_axis(source, axes), 0};
  if (out.axis < 0) return out;
  const Index each = source.size() / source.shape()[out.axis];
  const auto chunk = source.chunk();
  out.step = positions_at_once(each, source.shape()[out.axis],
                               chunk.empty() ? 1 : chunk[static_cast<std::size_t>(out.axis)]);
  // Lines across the order of a file are read in pieces: not too short ones.
  constexpr Index piece = 4096;
  const Index below = product_from(source.shape(), out.axis + 1);
  if (out.axis > 0 && each * (piece / std::max<Index>(1, below)) <= block_limits().most)
    out.step = std::min(source.shape()[out.axis], std::max(out.step, piece / std::max<Index>(1, below)));
  return out;
}

// Parts of complete lines, one after the other.
std::vector<BlockPart> parts_of(const BlockSource& source, const Division& division) {
  std::vector<BlockPart> parts;
  const auto axis = static_cast<std::size_t>(division.axis);
  const Index extent = source.shape()[division.axis];
  for (Index start = 0; start < extent; start += division.step) {
    parts.push_back(BlockPart::whole(source.shape()));
    parts.back().start[axis] = start;
    parts.back().count[axis] = std::min(division.step, extent - start);
  }
  return parts;
}

}  // namespace quill
