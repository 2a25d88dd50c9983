// Data of several variables.
#include "numerics/variables.h"

#include <fmt/format.h>

#include <cmath>

#include "builtins/context.h"
#include "builtins/mapped_call.h"
#include "builtins/method.h"
#include "builtins/sample_argument.h"
#include "builtins/tables.h"
#include "value/print.h"

namespace quill {

namespace variables_calls {
namespace {

constexpr std::string_view kFamily = "statistics";

class DensityValue : public LibraryObject {
 public:
  explicit DensityValue(KernelDensity d) : d_(std::move(d)) {}
  std::string type_name() const override { return "kernel density"; }
  std::string describe() const override {
    std::string widths;
    for (const double h : d_.bandwidth()) widths += (widths.empty() ? "" : " and ") + with_digits(h, 5);
    return fmt::format("kernel density of {} samples{}, bandwidth {}", d_.count(),
                       d_.variables() == 2 ? " of two variables" : "", widths);
  }
  Value call(Runtime&, std::span<Value> arguments) const override {
    const auto x = real_arguments("a kernel density", arguments, d_.variables());
    if (d_.variables() == 1) return Value::array(mapped(x, [&](const double* v) { return d_.at(v[0]); }));
    return Value::array(mapped(x, [&](const double* v) { return d_.at(v[0], v[1]); }));
  }
  std::vector<std::string> part_names() const override { return {"bandwidth", "count"}; }
  std::optional<Value> part(const std::string& name) const override {
    if (name == "bandwidth")
      return d_.variables() == 1 ? Value(d_.bandwidth()[0]) : Value::array(Array::vector(d_.bandwidth()));
    if (name == "count") return Value(static_cast<double>(d_.count()));
    return std::nullopt;
  }

 private:
  KernelDensity d_;
};

Value density_row(Call& call) {
  std::optional<std::vector<double>> bandwidth;
  if (call.given(1) && !call.value(1).is(Kind::none)) bandwidth = call.reals(1).to_vector<double>();
  return {Kind::library, new DensityValue(KernelDensity(call.reals(0), bandwidth))};
}

Value components_row(Call& call) {
  const auto p = principal_components(call.reals(0), call.boolean_or(1, false));
  return Value::record({{"variances", Value::array(p.variances)},
                        {"shares", Value::array(p.shares)},
                        {"directions", Value::array(p.directions)},
                        {"scores", Value::array(p.scores)},
                        {"mean", Value::array(p.mean)},
                        {"scale", Value::array(p.scale)}});
}

Value cluster_row(Call& call) {
  const auto starts = call.given(2) ? call.whole(2) : 10;
  if (starts < 1 || starts > 10000) call.fail_argument(2, "must be an integer from 1 to 10000");
  const auto c = cluster(call.reals(0), call.whole(1), static_cast<int>(starts), call.context.random());
  if (!c.converged) call.warn("the clusters still changed after 300 iterations", "are there so many groups?");
  return Value::record({{"labels", Value::array(c.labels)},
                        {"centers", Value::array(c.centers)},
                        {"sizes", Value::array(c.sizes)},
                        {"within", Value(c.within)}});
}

std::vector<double> edges_argument(const Call& call, std::size_t i, const Value& given,
                                   const std::vector<double>& v) {
  if (const auto bins = single_whole(given)) return equal_edges(v, *bins);
  if (!given.is_array_like() || !is_numeric(element_type_of(given)) || shape_of(given).count() != 1)
    call.fail_argument(i, "must be a number of bins, edges, or a pair of them", "bins: (20, [0, 5, 10, 20])");
  auto edges = to_array(given).converted(ElementType::float64).to_vector<double>();
  for (std::size_t k = 1; k < edges.size(); ++k)
    if (!(edges[k] > edges[k - 1])) call.fail_argument(i, "must have rising edges");
  if (edges.size() < 2) call.fail_argument(i, "must have at least 2 edges");
  return edges;
}

Value centers_of(const std::vector<double>& edges) {
  std::vector<double> out;
  for (std::size_t k = 1; k < edges.size(); ++k) out.push_back(edges[k - 1] / 2 + edges[k] / 2);
  return Value::array(Array::vector(out));
}

Value joint_row(Call& call) {
  const auto [x, y] = pairs_argument(call, 0, 1, call.boolean_or(3, false));
  const Value bins = call.given(2) ? call.value(2) : Value(30.0);
  Value of_x = bins, of_y = bins;
  if (bins.is(Kind::tuple)) {
    const auto& items = bins.object<TupleObject>().items;
    if (items.size() != 2) call.fail_argument(2, "must be a number of bins, edges, or a pair of them");
    of_x = items[0];
    of_y = items[1];
  }
  const auto edges_x = edges_argument(call, 2, of_x, x), edges_y = edges_argument(call, 2, of_y, y);
  const auto counts = joint_counts(x, y, edges_x, edges_y);
  const auto n = counts.converted(ElementType::float64).to_vector<double>();
  double all = 0;
  for (const double c : n) all += c;
  Array density(ElementType::float64, counts.shape());
  const auto width = edges_y.size() - 1;
  for (std::size_t k = 0; k < n.size(); ++k) {
    const double area =
        (edges_x[k / width + 1] - edges_x[k / width]) * (edges_y[k % width + 1] - edges_y[k % width]);
    density.mutable_data<double>()[k] = n[k] / all / area;
  }
  return Value::record({{"counts", Value::array(counts)},
                        {"x_edges", Value::array(Array::vector(edges_x))},
                        {"y_edges", Value::array(Array::vector(edges_y))},
                        {"x_centers", centers_of(edges_x)},
                        {"y_centers", centers_of(edges_y)},
                        {"density", Value::array(std::move(density))}});
}

}  // namespace
}  // namespace variables_calls

std::vector<Builtin> variable_rows() {
  using namespace variables_calls;
  const Parameter samples = {"x", "matrix with one variable in each column and one sample in each row", ""};
  return {
      {
          .name = "kernel_density",
          .family = kFamily,
          .summary = "Estimate the density of a sample by normal kernels, in one or two variables.",
          .parameters =
              {{"x", "vector, or a matrix of 2 columns", ""},
               {"bandwidth",
                "standard deviation of the kernel, one for each variable; none: by Silverman's rule",
                "none"}},
          .returns = "a function of x, or of x and y, that broadcasts; fields: bandwidth, count",
          .errors = "if data are nan; if all samples are equal and no bandwidth is given",
          .source = "B. W. Silverman, Density Estimation for Statistics and Data Analysis, 1986",
          .example = "f = kernel_density([2.1, 2.4, 2.2, 3.0, 2.6])\nintegrate(f, -inf, inf).value",
          .output = "integrate(f, -inf, inf).value = 1",
          .run = density_row,
      },
      {
          .name = "principal_components",
          .family = kFamily,
          .summary = "Principal components of variables: the directions of largest variance.",
          .parameters = {samples,
                         {"standardize", "whether variables are divided by their standard deviations",
                          "false"}},
          .returns = "a record: variances (falling), shares (of the whole variance), directions (one in each "
                     "column), "
                     "scores (of the samples), mean, scale",
          .errors = "if there are fewer than two samples; if data are nan",
          .source = "singular values of the centred matrix; H. Hotelling, 1933",
          .example = "p = principal_components([1, 2 | 2, 5 | 3, 5 | 4, 8])\nround(p.shares, digits: 4)",
          .output = "round(p.shares, digits: 4) : float64 2\n  0.9827  0.0173",
          .run = components_row,
      },
      {
          .name = "cluster",
          .family = kFamily,
          .summary = "Divide samples into clusters around centers (k-means).",
          .parameters = {{"x", "matrix with one sample in each row, or a vector", ""},
                         {"count", "number of clusters", ""},
                         {"starts", "number of random starts, of which the best is returned", "10"}},
          .returns = "a record: labels (1 for the largest cluster), centers (one in each row), sizes, within "
                     "(sum of "
                     "squared distances to the centers)",
          .errors = "if there are more clusters than samples; if data are nan",
          .source =
              "S. P. Lloyd, IEEE Trans. Inf. Theory 28, 1982; starts: D. Arthur, S. Vassilvitskii, 2007",
          .example = "seed(7)\ncluster([1, 1.2, 9, 0.9, 9.3], 2).labels",
          .output = "cluster([1, 1.2, 9, 0.9, 9.3], 2).labels : int64 5\n  1  1  2  1  2",
          .run = cluster_row,
      },
      {
          .name = "joint_histogram",
          .family = kFamily,
          .summary = "Count pairs of values in the cells of a grid.",
          .parameters = {{"x", "a vector", ""},
                         {"y", "vector of the same length", ""},
                         {"bins", "number of bins, rising edges, or a pair of either, for x and for y", "30"},
                         {"skip_nan", "whether pairs with nan are left out", "false"}},
          .returns = "a record: counts (matrix with one row for each bin of x), x_edges, y_edges, x_centers, "
                     "y_centers, "
                     "density",
          .errors = "if x and y have different lengths; if data are nan",
          .example = "joint_histogram([1, 2, 2], [1, 2, 2], bins: 2).counts",
          .output = "joint_histogram([1, 2, 2], [1, 2, 2], bins: 2).counts : int64 2×2\n  1  0\n  0  2",
          .run = joint_row,
      },
  };
}

}  // namespace quill
