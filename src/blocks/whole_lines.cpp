// Functions of complete lines of a source, part by part.
#include <algorithm>

#include "array/axis_names.h"
#include "array/rearrange.h"
#include "base/interrupt.h"
#include "base/memory.h"
#include "base/progress.h"
#include "blocks/division.h"
#include "blocks/read_ahead.h"
#include "blocks/stored_source.h"

namespace quill {

bool has_whole_lines(const BlockSource& source, const Axes& axes) {
  const auto division = division_of(source, axes);
  return division.axis >= 0 && source.size() / source.shape()[division.axis] <= block_limits().most;
}

namespace whole_lines {
namespace {

// Whether a result of so many elements may not be held, and collected from parts, in memory.
bool is_beyond_memory(ElementType type, const Shape& shape) {
  double bytes = 2 * static_cast<double>(size_of(type));
  for (const auto extent : shape) bytes *= static_cast<double>(extent);
  constexpr double most = 0x1p62;
  return is_numeric(type) && (bytes > most || is_beyond_ceiling(static_cast<std::int64_t>(bytes)));
}

LineResults results_of_lines(const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings,
                             const std::function<Array(const Array& lines)>& f, int axes_in_front,
                             bool may_store) {
  if (source->size() == 0) return {f(Array(source->type(), source->shape()))};
  const auto division = division_of(*source, axes);
  if (division.axis < 0) return {f(read_all(*source, findings))};
  const auto parts = parts_of(*source, division);
  const auto label = with_axis_names(source->label, source->dimensions);
  std::vector<Array> out;
  std::shared_ptr<StoredSource> stored;
  // Position of the axis in the results: after new axes, without dropped ones before it.
  int at = division.axis + axes_in_front;
  std::size_t done = 0;
  const Progress progress("reading " + source->origin(), [&] { return share_of(done, parts.size()); });
  const ReadsSettled settled;
  source->prefetch(parts[0]);
  for (std::size_t k = 0; k < parts.size(); ++k) {
    done = k;
    poll_interrupt();
    auto lines = source->read(parts[k], findings);
    lines.label = label;
    if (k + 1 < parts.size()) source->prefetch(parts[k + 1]);
    auto made = f(lines);
    if (k == 0) {
      if (made.axes() - axes_in_front < source->axes())
        at -= static_cast<int>(
            std::count_if(axes.begin(), axes.end(), [&](int axis) { return axis < division.axis; }));
      auto shape = made.shape();
      shape[at] = source->shape()[division.axis];
      if (may_store && is_beyond_memory(made.type(), shape)) {
        stored = std::make_shared<StoredSource>(made.type(), shape, "a result from " + source->origin());
        stored->label = made.label;
        stored->dimensions.assign(axis_names(made).begin(), axis_names(made).end());
      }
    }
    if (!stored) {
      out.push_back(std::move(made));
      continue;
    }
    std::vector<Index> start(static_cast<std::size_t>(made.axes()), 0);
    start[static_cast<std::size_t>(at)] = parts[k].start[static_cast<std::size_t>(division.axis)];
    stored->write(start, made);
  }
  if (stored) return {Array(), stored};
  auto all = join(out, at);
  all.label = out[0].label;
  return {all};
}

}  // namespace
}  // namespace whole_lines

using namespace whole_lines;

Array by_whole_lines(const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings,
                     const std::function<Array(const Array& lines)>& f, int axes_in_front) {
  return results_of_lines(source, axes, findings, f, axes_in_front, false).array;
}

LineResults stored_by_whole_lines(const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings,
                                  const std::function<Array(const Array& lines)>& f, int axes_in_front) {
  return results_of_lines(source, axes, findings, f, axes_in_front, true);
}

}  // namespace quill
