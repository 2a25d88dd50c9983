#include "fusion/layout.h"

#include "array/strided.h"

namespace quill::fusion {

namespace {

// Rows that are shorter are put together into blocks.
constexpr Index kShortRow = 64;

bool all_flat(std::span<const Input> inputs, const Shape& shape) {
  for (const auto& input : inputs)
    if (!input.is_single() && !(input.shape() == shape && (!input.is_whole() || input.array->is_row_major())))
      return false;
  return true;
}

void set_data(Stream& stream, const Input& input) {
  stream.size = size_of(input.type);
  stream.ramp = input.ramp;
  stream.chosen = input.chosen;
  stream.data = static_cast<const std::byte*>(input.array ? input.array->raw_data() : input.single);
}

}  // namespace

bool lay_out(std::span<const Input> inputs, const Array* target, bool linear, Layout& layout) {
  layout.inputs = static_cast<int>(inputs.size());
  const Input* first = nullptr;
  for (std::size_t k = 0; k < inputs.size(); ++k) {
    set_data(layout.streams[k], inputs[k]);
    if (inputs[k].is_single()) {
      layout.streams[k].how = Stream::How::single;
      continue;
    }
    layout.has_selections |= inputs[k].chosen != nullptr;
    layout.streams[k].how = inputs[k].ramp     ? Stream::How::ramp
                            : inputs[k].chosen ? Stream::How::chosen
                                               : Stream::How::direct;
    if (!first) first = &inputs[k];
  }
  if (!first) return false;
  layout.shape = first->shape();
  layout.size = size_of(layout.shape);
  if (!target && all_flat(inputs, layout.shape)) {
    layout.is_flat = true;
    layout.row = layout.size;
    layout.target().how = Stream::How::direct;
    return true;
  }
  if (layout.has_selections) return false;
  for (const auto& input : inputs) {
    if (input.is_single()) continue;
    const auto shape = input.shape();
    if (!can_broadcast(layout.shape, shape)) return false;
    layout.shape = broadcast_shapes(layout.shape, shape);
  }
  layout.size = size_of(layout.shape);
  std::array<Stream*, kMostInputs + 1> walked;
  std::size_t count = 0;
  for (std::size_t k = 0; k < inputs.size(); ++k) {
    if (inputs[k].is_single()) continue;
    layout.streams[k].strides = stretched_strides(inputs[k].shape(), inputs[k].strides(), layout.shape);
    walked[count++] = &layout.streams[k];
  }
  auto& to = layout.target();
  if (target) {
    if (!(target->shape() == layout.shape)) return false;
    to.data = static_cast<const std::byte*>(target->raw_data());
    to.size = size_of(target->type());
    to.strides = target->strides();
  } else {
    to.strides = row_major_strides(layout.shape);
  }
  walked[count++] = &to;
  layout.walk = layout.shape;
  std::array<Strides*, kMostInputs + 1> strides;
  for (std::size_t k = 0; k < count; ++k) strides[k] = &walked[k]->strides;
  merge_axes(layout.walk, {strides.data(), count});
  const int last = layout.walk.count() - 1;
  layout.row = layout.walk[last];
  const bool one_row = last == 0;
  layout.by_rows = !one_row && !linear && layout.row >= kShortRow;
  const auto rows = row_major_strides(layout.walk);
  for (std::size_t k = 0; k < count; ++k) {
    auto& stream = *walked[k];
    stream.step = stream.strides[last];
    const bool is_target = &stream == &to;
    if (stream.ramp)
      stream.how = Stream::How::ramp;
    else if (stream.strides == rows)
      stream.how = Stream::How::direct;
    else if (layout.by_rows && stream.step == 1)
      stream.how = Stream::How::row;
    else if (layout.by_rows && stream.step == 0 && !is_target)
      stream.how = Stream::How::constant;
    else
      stream.how = Stream::How::gathered;
    layout.has_row_constants |= stream.how == Stream::How::constant;
  }
  return true;
}

void alternate(Layout& layout) {
  auto& to = layout.target();
  if (!layout.by_rows || to.strides.empty()) return;
  const auto fits = [](const Stream& stream) {
    return stream.how == Stream::How::single || stream.how == Stream::How::constant ||
           (stream.how == Stream::How::gathered && stream.step == 2 && stream.size == sizeof(double));
  };
  if (to.how != Stream::How::gathered || !fits(to)) return;
  for (int k = 0; k < layout.inputs; ++k)
    if (!fits(layout.streams[static_cast<std::size_t>(k)])) return;
  const Index rows = layout.size / layout.row;
  layout.row = 2 * layout.row - 1;
  layout.walk[layout.walk.count() - 1] = layout.row;
  layout.size = rows * layout.row;
  layout.alternates = true;
  to.step = 1;
  for (int k = 0; k < layout.inputs; ++k) {
    auto& stream = layout.streams[static_cast<std::size_t>(k)];
    if (stream.how != Stream::How::gathered) continue;
    stream.how = Stream::How::row;
    stream.step = 1;
  }
}

}  // namespace quill::fusion
