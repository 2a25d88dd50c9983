// Statistics of samples.
#include <fmt/format.h>

#include <limits>

#include "array/rearrange.h"
#include "builtins/arguments.h"
#include "builtins/context.h"
#include "builtins/tables.h"
#include "numerics/samples.h"
#include "numerics/statistics.h"
#include "numerics/variables.h"

namespace quill {

namespace statistics_calls {
namespace {

constexpr std::string_view kFamily = "statistics";

// The columns of a matrix, or two vectors beside each other; of two vectors one number comes out.
Value relation(const Call& call, Array (*of)(const Array&)) {
  const bool skip = call.boolean_or(2, false), is_correlation = call.row.name == "correlation";
  const bool has_second = call.given(1) && !call.value(1).is(Kind::none);
  const auto relate = [&](const Array& m) {
    if (!skip) return of(m);
    if (m.axes() != 2) return pairwise_covariance(down(m), is_correlation);
    return pairwise_covariance(m, is_correlation);
  };
  if (!has_second) return Value::array(relate(call.reals(0)));
  const auto x = call.vector(0), y = call.vector(1);
  if (x.size() != y.size())
    call.fail_argument(1, fmt::format("must have as many samples as `x`, {}; not {}", x.size(), y.size()));
  const Array columns[] = {down(x), down(y)};
  return {relate(join(columns, 1)).at<double>({0, 1})};
}

Value histogram_row(Call& call) {
  const auto data = call.reals(0);
  Histogram h;
  if (call.given(1) && shape_of(call.value(1)).count() > 0)
    h = histogram(data, call.vector(1));
  else
    h = histogram(data, call.given(1) ? call.whole(1) : 100);
  return Value::record({{"counts", Value::array(h.counts)},
                        {"edges", Value::array(h.edges)},
                        {"centers", Value::array(h.centers)},
                        {"width", Value::array(h.width)},
                        {"density", Value::array(h.density)}});
}

Value moving_mean_row(Call& call) {
  const auto a = call.reals(0);
  return Value::array(moving_mean(a, call.whole(1), axis_argument(call, 2, a)));
}

Array drawable(const Call& call) {
  auto v = call.array(0);
  if (v.axes() == 0) call.fail_argument(0, "must be an array, not a single value");
  return v;
}

Value bin_means_row(Call& call) {
  const auto x = call.reals(0), values = call.reals(1);
  const auto edges = call.vector(2);
  if (!call.given(3) && !call.given(4))
    return Value::array(as_times_like(values, bin_means(x, values, edges)));
  std::vector<double> out;
  const double empty = call.number_or(4, std::numeric_limits<double>::quiet_NaN());
  for (const auto& bin : binned(x, values, edges)) {
    auto of_bin = Array::vector(bin);
    if (bin.empty()) {
      out.push_back(empty);
    } else if (!call.given(3)) {
      out.push_back(*mean(of_bin, {}).data<double>());
    } else {
      of_bin.label = values.label;
      const Value arguments[] = {Value::array(std::move(of_bin))};
      const auto result = call.runtime.call(call.callable(3), arguments);
      const auto number = single_real(result);
      if (!number)
        call.fail_argument(
            3, fmt::format("must return a single number, but returned {}", kind_in_words(result)));
      out.push_back(*number);
    }
  }
  return Value::array(Array::vector(out));
}

}  // namespace
}  // namespace statistics_calls

std::vector<Builtin> statistics_rows() {
  using namespace statistics_calls;
  const Parameter samples = {"x", "matrix with one variable in each column, or a vector", ""};
  const Parameter second = {"y", "second vector, if x is a vector", "none"};
  const Parameter skip = {"skip_nan", "whether samples with nan are left out, pair by pair of variables",
                          "false"};
  return {
      {
          .name = "mode",
          .family = kFamily,
          .summary = "Most frequent element; the smallest one if several are equally frequent.",
          .parameters = {{"a", "numbers, texts or booleans", ""}},
          .returns = "a single value",
          .errors = "no elements",
          .example = "mode([3, 1, 3, 2])",
          .output = "mode([3, 1, 3, 2]) = 3",
          .run = [](Call& c) { return Value::array(mode(c.array(0))); },
      },
      {
          .name = "covariance",
          .family = kFamily,
          .summary = "Covariance matrix of variables, with n - 1 in the denominator.",
          .parameters = {samples, second, skip},
          .returns = "a matrix; for two vectors a number",
          .errors = "if there are fewer than two samples; if data are nan",
          .example = "covariance([1, 2, 3], [2, 4, 6])",
          .output = "covariance([1, 2, 3], [2, 4, 6]) = 2",
          .run = [](Call& c) { return relation(c, covariance); },
      },
      {
          .name = "correlation",
          .family = kFamily,
          .summary = "Correlation coefficients of variables.",
          .parameters = {samples, second, skip},
          .returns =
              "a matrix of numbers from -1 to 1; for two vectors a number; nan for a constant variable",
          .errors = "if there are fewer than two samples; if data are nan",
          .example = "correlation([1, 2, 3], [6, 4, 2])",
          .output = "correlation([1, 2, 3], [6, 4, 2]) = -1",
          .run = [](Call& c) { return relation(c, correlation); },
      },
      {
          .name = "histogram_counts",
          .family = kFamily,
          .summary = "Count numbers in bins; nan is ignored.",
          .parameters = {{"data", "numbers", ""},
                         {"bins", "number of equal bins, or a vector of increasing edges", "100"}},
          .returns = "a record: counts, edges, centers, width, density (integrates to 1)",
          .errors = "if there are no finite numbers; if the edges do not increase",
          .example = "h = histogram_counts([1, 2, 2, 4], bins: [0, 2, 4])\nh.counts",
          .output = "h.counts : int64 2\n  1  3",
          .run = histogram_row,
      },
      {
          .name = "bin_means",
          .family = kFamily,
          .summary = "Compute the mean of the values in each bin of their positions.",
          .parameters = {{"x", "the positions", ""},
                         {"values", "values, in the same shape", ""},
                         {"edges", "increasing edges of the bins", ""},
                         {"apply", "function of the values of a bin, instead of the mean", "mean"},
                         {"empty", "result for a bin without values", "nan"}},
          .returns = "a vector, with one result for each bin",
          .errors =
              "if the shapes differ; if the edges do not increase; if f does not return a single number",
          .example = "bin_means([0.5, 1.5, 1.6], [10, 20, 30], 0..2)\n"
                     "bin_means([0.5, 2.5, 2.6], [10, 20, 30], 0..3, apply: length, empty: 0)",
          .output =
              "bin_means([0.5, 1.5, 1.6], [10, 20, 30], 0..2) : float64 2\n  10  25\n"
              "bin_means([0.5, 2.5, 2.6], [10, 20, 30], 0..3, apply: length, empty… : float64 3\n  1  0  2",
          .run = bin_means_row,
      },
      {
          .name = "moving_mean",
          .family = kFamily,
          .summary = "Moving average over centred neighbours; near the ends over fewer.",
          .parameters = {{"a", "numbers", ""}, {"count", "number of neighbours", ""}, {"over", "axis", "1"}},
          .returns = "array of the shape of a",
          .example = "moving_mean([1, 2, 6, 2], 3)",
          .output = "moving_mean([1, 2, 6, 2], 3) : float64 4\n  1.5000  3.0000  3.3333  4.0000",
          .run = moving_mean_row,
      },
      {
          .name = "sample",
          .family = "random numbers",
          .summary = "Draw elements at random from an array, along its first axis.",
          .parameters = {{"v", "an array", ""},
                         {"count", "number of copies", ""},
                         {"replacement", "whether to sample with replacement", "false"}},
          .returns = "array of the type of v",
          .errors = "if there are more draws than elements",
          .source = "R. Durstenfeld, Commun. ACM 7, 1964",
          .example = "seed(7)\nlength(unique(sample(1..100, 20)))",
          .output = "length(unique(sample(1..100, 20))) = 20",
          .run =
              [](Call& c) {
                return Value::array(
                    drawn(c.context.random(), drawable(c), c.whole(1), c.boolean_or(2, false)));
              },
      },
      {
          .name = "shuffle",
          .family = "random numbers",
          .summary = "Return the elements along the first axis in random order.",
          .parameters = {{"v", "an array", ""}},
          .returns = "array of the shape of v",
          .source = "R. Durstenfeld, Commun. ACM 7, 1964",
          .example = "seed(7)\nsort(shuffle(1..5))",
          .output = "sort(shuffle(1..5)) : float64 5\n  1  2  3  4  5",
          .run =
              [](Call& c) {
                const auto v = drawable(c);
                return Value::array(drawn(c.context.random(), v, v.extent(0), false));
              },
      },
  };
}

}  // namespace quill
