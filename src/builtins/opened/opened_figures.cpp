// Figures of arrays that are too large for memory: as many elements as can be seen.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/axis_names.h"
#include "builtins/opened/opened_array.h"
#include "value/registry.h"

namespace quill {

namespace opened_figures {

namespace {

constexpr Index kCells = 2000;  // along an axis of a heatmap
constexpr Index kBins = 4000;   // of a line, each with its least and its largest element

// Means over cells, ignoring nan.
class CellMeans {
 public:
  CellMeans(Index rows, Index columns)
      : rows_(rows),
        columns_(columns),
        shape_{std::min(rows, kCells), std::min(columns, kCells)},
        sums_(static_cast<std::size_t>(size_of(shape_)), 0.0),
        counts_(sums_.size(), 0) {}

  void add(const BlockPart& part, const Array& block) {
    const auto numbers = block.converted(ElementType::float64);
    const auto* x = numbers.data<double>();
    for (Index r = 0; r < part.count[0]; ++r) {
      const Index row = (part.start[0] + r) * shape_[0] / rows_;
      for (Index c = 0; c < part.count[1]; ++c, ++x) {
        if (std::isnan(*x)) continue;
        const auto cell =
            static_cast<std::size_t>(row * shape_[1] + (part.start[1] + c) * shape_[1] / columns_);
        sums_[cell] += *x;
        ++counts_[cell];
      }
    }
  }
  Array means() const {
    Array out(ElementType::float64, shape_);
    auto* to = out.mutable_data<double>();
    for (std::size_t k = 0; k < sums_.size(); ++k)
      to[k] = counts_[k] > 0 ? sums_[k] / static_cast<double>(counts_[k]) : std::nan("");
    return out;
  }
  const Shape& shape() const { return shape_; }

 private:
  Index rows_, columns_;
  Shape shape_;
  std::vector<double> sums_;
  std::vector<Index> counts_;
};

// Midpoints of groups of consecutive coordinates.
Array middles(const Array& given, Index count) {
  const auto a = given.converted(ElementType::float64).compact();
  if (a.axes() != 1 || a.size() == count) return given;
  Array out(ElementType::float64, {count});
  auto* const to = out.mutable_data<double>();
  for (Index k = 0; k < count; ++k) {
    const Index first = (k * a.size() + count - 1) / count,
                last = ((k + 1) * a.size() + count - 1) / count - 1;
    to[k] = a.data<double>()[first] + (a.data<double>()[std::max(first, last)] - a.data<double>()[first]) / 2;
  }
  out.label = a.label;
  return out;
}

Value drawn_with(const Call& call, std::vector<Value> arguments) {
  Call inner = call.with(arguments);
  return call.row.run(inner);
}

std::vector<Value> arguments_of(const Call& call) {
  std::vector<Value> out;
  for (std::size_t k = 0; k < call.row.parameters.size(); ++k) out.push_back(call.value(k));
  return out;
}

std::optional<Value> heatmap_of(const Call& call, std::size_t i, const BlockSourcePtr& source) {
  if (source->axes() != 2 || (i != 0 && i != 2)) return std::nullopt;
  BlockFindings findings;
  CellMeans cells(source->shape()[0], source->shape()[1]);
  for_each_part_of(*source, findings,
                   [&](const BlockPart& part, const Array& block) { cells.add(part, block); });
  auto z = cells.means();
  z.label = with_axis_names(source->label, source->dimensions);
  auto arguments = arguments_of(call);
  for (const std::size_t k : {0, 1}) {
    if (i != 2 || !call.value(k).is_array_like()) continue;
    const auto coordinate = call.array(k);
    // By name if there are names, or else columns belong to x.
    const auto names = axis_names(coordinate);
    const bool is_first_axis =
        names.size() == 1 && !source->dimensions.empty() ? names[0] == source->dimensions[0] : k == 1;
    arguments[k] = Value::array(middles(coordinate, cells.shape()[is_first_axis ? 0 : 1]));
  }
  arguments[i] = Value::array(std::move(z));
  call.warn(fmt::format("{}: {} elements are drawn as the means of {} cells", call.row.name,
                        text_of(source->shape()), text_of(cells.shape())));
  return drawn_with(call, std::move(arguments));
}

// The least and the largest element of each of many parts of a line, in their order.
std::optional<Value> line_of(const Call& call, std::size_t i, const BlockSourcePtr& source) {
  if (source->axes() != 1 || i > 1) return std::nullopt;
  const Index count = source->size();
  struct Extremes {
    Index least = -1, most = -1;
    double low = 0, high = 0;
  };
  std::vector<Extremes> bins(static_cast<std::size_t>(kBins));
  BlockFindings findings;
  for_each_part_of(*source, findings, [&](const BlockPart& part, const Array& block) {
    const auto numbers = block.converted(ElementType::float64);
    for (Index k = 0; k < numbers.size(); ++k) {
      const double x = numbers.data<double>()[k];
      if (std::isnan(x)) continue;
      const Index at = part.start[0] + k;
      auto& bin = bins[static_cast<std::size_t>(static_cast<double>(at) / static_cast<double>(count) *
                                                static_cast<double>(kBins))];
      if (bin.least < 0 || x < bin.low) {
        bin.least = at;
        bin.low = x;
      }
      if (bin.most < 0 || x > bin.high) {
        bin.most = at;
        bin.high = x;
      }
    }
  });
  std::vector<double> positions, values;
  for (const auto& bin : bins) {
    if (bin.least < 0) continue;
    const bool is_rising = bin.least <= bin.most;
    positions.push_back(static_cast<double>(is_rising ? bin.least : bin.most));
    values.push_back(is_rising ? bin.low : bin.high);
    if (bin.least == bin.most) continue;
    positions.push_back(static_cast<double>(is_rising ? bin.most : bin.least));
    values.push_back(is_rising ? bin.high : bin.low);
  }
  auto y = Array::vector(values);
  y.label = source->label;
  auto x = Array::vector(positions);
  if (i == 1 && call.value(0).is_array_like()) {
    const auto given = call.array(0).converted(ElementType::float64).compact();
    if (given.axes() != 1 || given.size() != count) return std::nullopt;
    for (double& k : std::span(x.mutable_data<double>(), static_cast<std::size_t>(x.size())))
      k = given.data<double>()[static_cast<Index>(k)];
    x.label = given.label;
  } else {
    x = apply(Binary::add, x, 1.0);
  }
  auto arguments = arguments_of(call);
  arguments[0] = Value::array(std::move(x));
  arguments[1] = Value::array(std::move(y));
  call.warn(fmt::format("{}: of {} elements the least and the largest of each {} are drawn", call.row.name,
                        count, count / kBins));
  return drawn_with(call, std::move(arguments));
}

}  // namespace

}  // namespace opened_figures

std::optional<Value> drawn_in_parts(Call& call, std::size_t i, const BlockSourcePtr& source) {
  using namespace opened_figures;
  if (fits_in_memory(*source) && source->size() <= block_limits().most) return std::nullopt;
  if (call.row.name == "heatmap") return heatmap_of(call, i, source);
  if (call.row.name == "line") return line_of(call, i, source);
  return std::nullopt;
}

}  // namespace quill
