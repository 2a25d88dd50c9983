// Built-ins of arrays that are in files: part by part.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "array/axis_names.h"
#include "array/rearrange.h"
#include "blocks/order_statistics.h"
#include "builtins/arguments.h"
#include "builtins/opened/opened_array.h"
#include "builtins/reduced.h"
#include "numerics/samples.h"
#include "numerics/statistics.h"
#include "value/registry.h"
#include "value/runtime.h"

namespace quill {

namespace opened_calls {

namespace {

// The position of a parameter; nothing when the built-in has none of that name.
std::optional<std::size_t> parameter_of(const Builtin& row, std::string_view name) {
  for (std::size_t k = 0; k < row.parameters.size(); ++k)
    if (row.parameters[k].name == name) return k;
  return std::nullopt;
}

bool boolean_of(const Call& call, std::string_view name) {
  const auto k = parameter_of(call.row, name);
  return k && call.boolean_or(*k, false);
}

// The axes that `over:` names, from 0; none for everything.
Axes axes_of(const Call& call, const BlockSource& source) {
  const auto k = parameter_of(call.row, "over");
  if (!k || !call.given(*k) || call.value(*k).is(Kind::none)) return {};
  return quill::axes_of(call, *k, source.axes(), source.dimensions);
}

Array kept(const Array& result, const BlockSource& source, const Axes& axes) {
  Shape shape = source.shape();
  for (int k = 0; k < source.axes(); ++k)
    if (axes.empty() || std::find(axes.begin(), axes.end(), k) != axes.end()) shape[k] = 1;
  return result.with_shape(shape);
}

double nan_count(const Array& a) {
  const bool can_have = a.type() == ElementType::float64 || a.type() == ElementType::float32;
  return can_have ? *reduce(Reduction::count_nan, a).data<double>() : 0;
}

double nan_count(const BlockSourcePtr& source) {
  BlockFindings findings;
  return *reduce_blocks(Reduction::count_nan, source, {}, findings).data<double>();
}

// As the built-in for arrays in memory reports it.
void warn_of_nan(const Call& call, const BlockSourcePtr& source) {
  const auto count = nan_count(source);
  if (count > 0)
    call.warn(fmt::format("{}: the argument contains {} nan among {} elements", call.row.name,
                          shortest(count), source->size()),
              "skip_nan: true ignores them");
}

// Which built-ins are reductions whose order is known.
std::optional<Reduction> reduction_of(std::string_view name) {
  constexpr std::pair<std::string_view, Reduction> known[] = {
      {"sum", Reduction::sum},     {"product", Reduction::product}, {"min", Reduction::minimum},
      {"max", Reduction::maximum}, {"any", Reduction::any},         {"all", Reduction::all}};
  for (const auto& [row, op] : known)
    if (row == name) return op;
  return std::nullopt;
}

// Sums of squares about the mean, the mean taken twice, as for arrays in memory.
Array squares_about_mean(const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings) {
  auto left = source;
  Array first_mean;
  for (int round = 0; round < 2; ++round) {
    const auto found = mean_of_blocks(left, axes, findings);
    if (round == 0) first_mean = found;
    BlockOperand mean;
    mean.array = kept(found, *source, axes);
    left = mapped_source(Binary::subtract, {left}, std::move(mean));
  }
  const auto squares =
      reduce_blocks(Reduction::sum, mapped_source(Binary::multiply, {left}, {left}), axes, findings);
  // Where all elements are equal, nothing is left of them: looked at only where next to nothing is.
  constexpr double rounding = 1e-13;
  const auto size = apply(Unary::abs, first_mean);
  const auto limit = apply(Binary::multiply, apply(Binary::multiply, size, rounding),
                           apply(Binary::multiply, size, rounding));
  const auto count =
      static_cast<double>(source->size()) / static_cast<double>(std::max<Index>(1, squares.size()));
  const auto is_large = apply(Binary::greater, apply(Binary::divide, squares, std::max(1.0, count)), limit);
  if (*reduce(Reduction::all, is_large).data<bool>()) return squares;
  const auto least = reduce_blocks(Reduction::minimum, source, axes, findings),
             most = reduce_blocks(Reduction::maximum, source, axes, findings);
  const auto is_constant =
      apply(Binary::logical_and, apply(Binary::equal, least, most), apply(Unary::is_finite, least));
  return pick(is_constant, 0.0, squares);
}

// Powers of two by which lines of very large or very small numbers are divided first; 1 for all others.
Array units_of(const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings) {
  auto out = reduce_blocks(Reduction::maximum, mapped_source(Unary::abs, source), axes, findings);
  auto* const most = out.mutable_data<double>();
  for (Index k = 0; k < out.size(); ++k) {
    const bool is_usual = most[k] == 0 || !std::isfinite(most[k]) || (most[k] > 1e-100 && most[k] < 1e100);
    most[k] = is_usual ? 1 : std::ldexp(1.0, std::ilogb(most[k]));
  }
  return out;
}

Array spread_of(const BlockSourcePtr& given, const Axes& axes, bool is_root, BlockFindings& findings) {
  const auto source = converted_source(given, ElementType::float64);
  auto out = squares_about_mean(source, axes, findings);
  const auto count =
      static_cast<double>(source->size()) / static_cast<double>(std::max<Index>(1, out.size()));
  if (count < 2) return apply(Binary::multiply, out, std::numeric_limits<double>::quiet_NaN());
  out = apply(Binary::divide, out, count - 1);
  constexpr double small = 1e-200;
  const auto finish = [&](const Array& variance) {
    return is_root ? apply(Unary::sqrt, variance) : variance;
  };
  const auto is_plain =
      apply(Binary::logical_and, apply(Binary::greater, out, small), apply(Unary::is_finite, out));
  if (*reduce(Reduction::all, is_plain).data<bool>()) return finish(out);
  const auto units = units_of(source, axes, findings);
  BlockOperand unit;
  unit.array = kept(units, *source, axes);
  const auto scaled =
      squares_about_mean(mapped_source(Binary::divide, {source}, std::move(unit)), axes, findings);
  auto in_units = finish(apply(Binary::divide, scaled, count - 1));
  for (int round = 0; round < (is_root ? 1 : 2); ++round) in_units = apply(Binary::multiply, in_units, units);
  const auto has_unit = apply(Binary::not_equal, units, 1.0);
  return pick(apply(Binary::logical_or, is_plain, apply(Unary::logical_not, has_unit)), finish(out),
              in_units);
}

// The runtime of calls with parts: keeps the first warning, since those of all parts are alike.
class PartRuntime : public Runtime {
 public:
  explicit PartRuntime(Runtime& whole) : whole_(whole) {}
  Value call(const Value& function, std::span<const Value> arguments) override {
    return whole_.call(function, arguments);
  }
  bool call_direct_slowly(DirectCall& how, const Value& function, std::span<const double> numbers,
                          std::span<double> result) override {
    return whole_.call_direct_slowly(how, function, numbers, result);
  }
  bool is_elementwise(const Value& function, std::span<const Role> arguments) const override {
    return whole_.is_elementwise(function, arguments);
  }
  RandomStream& random() override { return whole_.random(); }
  void warn(std::string message, std::string hint, const Node* node) override {
    if (!first_) first_ = Warning{std::move(message), std::move(hint), node};
  }
  Location location_of(const Node* node) const override { return whole_.location_of(node); }

  bool has_warned() const { return first_.has_value(); }
  bool has_warned_of_nan() const {
    return first_ && first_->message.find("the argument contains") != std::string::npos;
  }
  void pass_on() const {
    if (first_) whole_.warn(first_->message, first_->hint, first_->node);
  }

 private:
  struct Warning {
    std::string message, hint;
    const Node* node;
  };
  Runtime& whole_;
  std::optional<Warning> first_;
};

// Calls the built-in with a part instead of the whole array.
Array called_with(const Call& call, PartRuntime& runtime, std::size_t i, const Array& part) {
  std::vector<Value> arguments;
  for (std::size_t k = 0; k < call.row.parameters.size(); ++k)
    arguments.push_back(k == i ? Value::array(part) : call.value(k));
  Call inner = call.with(arguments, runtime);
  return to_array(call.row.run(inner), call.row.name);
}

Value counted_in_bins(const Call& call, const BlockSourcePtr& source, BlockFindings& findings) {
  Array edges;
  if (call.given(1) && shape_of(call.value(1)).count() > 0) {
    edges = call.vector(1);
  } else {
    const auto bins = call.given(1) ? call.whole(1) : 100;
    check_bins(bins);
    double low = INFINITY, high = -INFINITY;
    for_each_block(*source, findings, [&](const Array& block) {
      const auto numbers = block.converted(ElementType::float64);
      for (Index k = 0; k < numbers.size(); ++k)
        if (const double x = numbers.data<double>()[k]; std::isfinite(x)) {
          low = std::min(low, x);
          high = std::max(high, x);
        }
    });
    edges = equal_edges(low, high, bins);
  }
  std::optional<Array> counts;
  for_each_block(*source, findings, [&](const Array& block) {
    auto some = histogram(block, edges).counts;
    counts = counts ? apply(Binary::add, *counts, some) : some;
  });
  const auto h =
      counts ? histogram_of_counts(*counts, edges) : histogram(Array(ElementType::float64, {0}), edges);
  return Value::record({{"counts", Value::array(h.counts)},
                        {"edges", Value::array(h.edges)},
                        {"centers", Value::array(h.centers)},
                        {"width", Value::array(h.width)},
                        {"density", Value::array(h.density)}});
}

// Results that do not depend on elements.
std::optional<Value> known(std::string_view name, const BlockSource& source) {
  if (name == "shape") {
    std::vector<double> out;
    for (const auto extent : source.shape()) out.push_back(static_cast<double>(extent));
    return Value::array(Array::vector(out));
  }
  if (name == "size") return Value(static_cast<double>(source.size()));
  if (name == "length") return Value(static_cast<double>(source.axes() ? source.shape()[0] : 1));
  if (name == "axes") return Value(static_cast<double>(source.axes()));
  if (name == "type") return Value::text(std::string(name_of(source.type())));
  return std::nullopt;
}

// Functions of single elements that are no functions of one or two numbers: conversions and choices.
std::optional<Value> elementwise_call(const Call& call, std::size_t i, const BlockSourcePtr& source) {
  constexpr std::pair<std::string_view, ElementType> types[] = {{"float64", ElementType::float64},
                                                                {"float32", ElementType::float32},
                                                                {"int32", ElementType::int32},
                                                                {"int64", ElementType::int64},
                                                                {"uint8", ElementType::uint8}};
  for (const auto& [name, type] : types)
    if (call.row.name == name && is_numeric(source->type()))
      return OpenedArray::value(converted_source(source, type));
  if (call.row.name != "pick" || !call.many().empty()) return std::nullopt;
  std::array<BlockOperand, 3> operands;
  for (std::size_t k = 0; k < operands.size(); ++k) {
    if (!call.given(k)) return std::nullopt;
    if (k != i && !call.value(k).is_array_like()) return std::nullopt;
    operands[k] = block_operand(call.value(k), false);
  }
  return OpenedArray::value(picked_source(operands));
}

// Median and quantiles of all elements; nothing where errors are reported as for arrays in memory.
std::optional<Value> quantiles_of_all(Call& call, const BlockSourcePtr& source, BlockFindings& findings) {
  const auto weights = parameter_of(call.row, "weights");
  Array of_times(source->type(), {0});
  of_times.label = source->label;
  if (holds_times(of_times) || !is_real(source->type()) || !axes_of(call, *source).empty() ||
      (weights && call.given(*weights)))
    return std::nullopt;
  const bool is_median = call.row.name == "median";
  if (!is_median && !call.value(1).is_array_like()) return std::nullopt;
  const auto fractions = is_median ? Array::single(0.5) : call.reals(1);
  const auto shares = fractions.to_vector<double>();
  const auto is_fraction = [](double p) { return p >= 0 && p <= 1; };
  if (fractions.axes() > 1 || shares.empty() || !std::all_of(shares.begin(), shares.end(), is_fraction))
    return std::nullopt;
  const OrderedBlocks ordered(*source, findings);
  std::vector<double> out(shares.size(), std::numeric_limits<double>::quiet_NaN());
  const bool skips = boolean_of(call, "skip_nan");
  if (ordered.count() > 0 && (skips || ordered.nan_count() == 0)) {
    std::vector<Index> ranks;
    const auto last = ordered.count() - 1;
    const auto place = [&](double p) { return p * static_cast<double>(last); };
    for (const double p : shares) {
      ranks.push_back(static_cast<Index>(std::floor(place(p))));
      ranks.push_back(std::min(last, ranks.back() + 1));
    }
    const auto found = ordered.at(ranks);
    for (std::size_t k = 0; k < shares.size(); ++k)
      out[k] = between(found[2 * k], found[2 * k + 1], place(shares[k]) - std::floor(place(shares[k])));
  } else if (skips) {
    return std::nullopt;
  }
  std::vector<Array> each;
  for (const double x : out) {
    const auto single = Array::single(x);
    each.push_back(boolean_of(call, "keep") ? kept(single, *source, {}) : single);
  }
  auto result = fractions.axes() == 0 ? each[0] : stack(each);
  if (nan_count(result) > 0) warn_of_nan(call, source);
  return Value::array(std::move(result));
}

std::optional<Value> reduced(Call& call, const BlockSourcePtr& source, BlockFindings& findings) {
  const auto& name = call.row.name;
  if (name == "median" || name == "quantile") return quantiles_of_all(call, source, findings);
  const bool is_mean = name == "mean", is_variance = name == "variance" || name == "std";
  const auto op = reduction_of(name);
  if (!op && !is_mean && !is_variance) return std::nullopt;
  if ((name == "min" || name == "max") && call.given(1)) return std::nullopt;  // of several arrays
  if (boolean_of(call, "skip_nan") || (!is_real(source->type()) && (is_mean || is_variance)))
    return std::nullopt;
  if ((op == Reduction::any || op == Reduction::all) && source->type() != ElementType::boolean)
    return std::nullopt;
  const auto axes = axes_of(call, *source);
  auto result = op        ? reduce_blocks(*op, source, axes, findings)
                : is_mean ? mean_of_blocks(source, axes, findings)
                          : spread_of(source, axes, name == "std", findings);
  if (is_mean && *reduce(Reduction::any, apply(Unary::is_inf, result)).data<bool>()) return std::nullopt;
  const bool keeps = boolean_of(call, "keep");
  if (keeps) result = kept(result, *source, axes);
  if (!axes.empty())
    set_axis_names(result, keeps ? source->dimensions : names_without(source->dimensions, axes));
  if (nan_count(result) > 0) warn_of_nan(call, source);
  return Value::array(std::move(result));
}

// Whether the built-in processes each line along `over:` independently.
bool has_separate_lines(const Call& call) {
  constexpr std::string_view known[] = {"sum",
                                        "product",
                                        "mean",
                                        "median",
                                        "variance",
                                        "std",
                                        "min",
                                        "max",
                                        "quantile",
                                        "norm",
                                        "rms",
                                        "skewness",
                                        "kurtosis",
                                        "argmin",
                                        "argmax",
                                        "cumsum",
                                        "cumprod",
                                        "diff",
                                        "running_max",
                                        "running_min",
                                        "sort",
                                        "reverse",
                                        "rotate",
                                        "repeat",
                                        "sort_order",
                                        "low_pass",
                                        "high_pass",
                                        "band_pass",
                                        "smooth",
                                        "detrend",
                                        "moving",
                                        "moving_mean",
                                        "unwrap",
                                        "fft",
                                        "ifft",
                                        "real_fft",
                                        "dct",
                                        "idct",
                                        "real_ifft",
                                        "gradient",
                                        "integrate_samples",
                                        "cumulative_integral"};
  if (std::find(std::begin(known), std::end(known), call.row.name) == std::end(known)) return false;
  // Rows sorted by a key stay together, and weights have the shape of the whole array.
  for (const char* name : {"by", "weights"})
    if (const auto k = parameter_of(call.row, name); k && call.row.name != "rotate" && call.given(*k))
      return false;
  return call.many().empty();
}

Value value_of(LineResults results) {
  return results.stored ? OpenedArray::value(results.stored) : Value::array(std::move(results.array));
}

// Whether the call is made again in memory, so that an error names the position in the whole array.
bool in_memory_instead(const Error& error, const BlockSource& source) {
  return error.kind == Error::Kind::mistake && fits_in_memory(source);
}

std::optional<Value> line_by_line(const Call& call, std::size_t i, const BlockSourcePtr& source,
                                  BlockFindings& findings) {
  const auto over = *parameter_of(call.row, "over");
  if (!call.given(over) && call.row.parameters[over].fallback != "1") return std::nullopt;
  const auto axes = call.given(over) ? axes_of(call, *source) : Axes{0};
  if (axes.empty() || !has_whole_lines(*source, axes)) return std::nullopt;
  // Several fractions of a quantile come first in the result.
  const bool has_fractions = call.row.name == "quantile" && !shape_of(call.value(1)).empty();
  try {
    PartRuntime runtime(call.runtime);
    auto out = stored_by_whole_lines(
        source, axes, findings, [&](const Array& part) { return called_with(call, runtime, i, part); },
        has_fractions);
    // Warnings that count state the numbers of the whole array.
    if (runtime.has_warned() && boolean_of(call, "skip_nan"))
      warn_of_undefined(call, out.stored ? nan_count(out.stored) : nan_count(out.array),
                        out.stored ? out.stored->size() : out.array.size());
    else if (runtime.has_warned_of_nan())
      warn_of_nan(call, source);
    else
      runtime.pass_on();
    return value_of(std::move(out));
  } catch (const Error& error) {
    if (in_memory_instead(error, *source)) return std::nullopt;
    throw;
  }
}

// The curves of a table are the columns of y.
std::optional<Value> interpolated(Call& call, const BlockSourcePtr& source, BlockFindings& findings) {
  const auto skips = parameter_of(call.row, "skip_nan");
  if (source->axes() != 2 || !call.value(0).is_array_like() || !call.value(2).is_array_like() ||
      (skips && call.boolean_or(*skips, false)) || !has_whole_lines(*source, {0}))
    return std::nullopt;
  const int axes_of_queries = shape_of(call.value(2)).count();
  try {
    PartRuntime runtime(call.runtime);
    auto out = stored_by_whole_lines(
        source, {0}, findings, [&](const Array& part) { return called_with(call, runtime, 1, part); },
        axes_of_queries);
    runtime.pass_on();
    return value_of(std::move(out));
  } catch (const Error& error) {
    if (in_memory_instead(error, *source)) return std::nullopt;
    throw;
  }
}

}  // namespace

}  // namespace opened_calls

std::optional<Value> OpenedArray::applied(Call& call, std::size_t i) const {
  using namespace opened_calls;
  const auto& row = call.row;
  if (i == 0)
    if (auto value = known(row.name, *source_)) return value;
  if (auto value = elementwise_call(call, i, source_)) return value;
  if (is_small(*source_)) return std::nullopt;
  if (row.name == "save") return row.run(call);  // it writes them in parts
  if (auto drawn = drawn_in_parts(call, i, source_)) return drawn;
  BlockFindings findings;
  std::optional<Value> out;
  if (i == 0 && row.name == "histogram_counts")
    out = counted_in_bins(call, source_, findings);
  else if (i == 1 && row.name == "interpolate")
    out = interpolated(call, source_, findings);
  else if (i == 0)
    out = opened_calls::reduced(call, source_, findings);
  if (!out && has_separate_lines(call)) out = line_by_line(call, i, source_, findings);
  if (out) report(call.runtime, findings, call.node());
  return out;
}

}  // namespace quill
