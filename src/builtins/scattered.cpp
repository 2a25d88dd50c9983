// Interpolation on grids and between scattered points.
#include <fmt/format.h>

#include <cmath>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/method.h"
#include "builtins/tables.h"
#include "numerics/grid.h"
#include "numerics/linear_algebra.h"
#include "numerics/scattered.h"
#include "value/runtime.h"

namespace quill {

namespace scattered_calls {
namespace {

class GridValue : public LibraryObject {
 public:
  GridValue(GridInterpolant f, LabelPtr label) : f_(std::move(f)), label_(std::move(label)) {}
  std::string type_name() const override { return "grid interpolant"; }
  std::string describe() const override {
    std::string sizes, ranges;
    for (const auto& axis : f_.coordinates()) {
      sizes += fmt::format("{}{}", sizes.empty() ? "" : "×", axis.size());
      ranges += fmt::format("{}{} … {}", ranges.empty() ? "" : ", ", with_digits(axis.front(), 5),
                            with_digits(axis.back(), 5));
    }
    return fmt::format("grid interpolant ({}) of {} points, {}", name_of(f_.method()), sizes, ranges);
  }
  Value call(Runtime& runtime, std::span<Value> arguments) const override {
    const auto q =
        broadcast_together(real_arguments("a grid interpolant", arguments, f_.coordinates().size()));
    auto r = f_.evaluate(q);
    if (r.outside > 0 && f_.outside() == Outside::nan)
      runtime.warn(
          fmt::format("{} of {} queries are outside the grid and became nan", r.outside, r.values.size()),
          r.all_outside ? "all queries are outside: are the coordinates swapped? f(x, y)"
                        : "outside: \"clamp\", \"extend\" or \"error\" sets what happens there",
          nullptr);
    r.values.label = label_;
    return Value::array(std::move(r.values));
  }
  std::vector<std::string> part_names() const override { return {"breaks", "method"}; }
  std::optional<Value> part(const std::string& name) const override {
    if (name == "method") return Value::text(std::string(name_of(f_.method())));
    if (name != "breaks") return std::nullopt;
    std::vector<Value> axes;
    for (const auto& axis : f_.coordinates()) axes.push_back(Value::array(Array::vector(axis)));
    return Value::tuple(std::move(axes));
  }

 private:
  GridInterpolant f_;
  LabelPtr label_;
};

Value grid_row(Call& call) {
  const std::size_t at = call.given(3) ? 3 : 2;
  std::vector<Array> coordinates(at);
  for (std::size_t k = 0; k < at; ++k) coordinates[k] = call.vector(k);
  const auto method = call.one_of(4);
  GridInterpolant f(coordinates, call.reals(at),
                    method == "cubic"     ? GridMethod::cubic
                    : method == "nearest" ? GridMethod::nearest
                                          : GridMethod::linear,
                    outside_argument(call, 5));
  return {Kind::library, new GridValue(std::move(f), call.label(at))};
}

// One row for each point, from an array for each coordinate.
Array as_rows(std::span<const Array> coordinates) {
  Array out(ElementType::float64, {coordinates[0].size(), static_cast<Index>(coordinates.size())});
  double* to = out.mutable_data<double>();
  for (Index i = 0; i < out.extent(0); ++i)
    for (const auto& c : coordinates) *to++ = c.data<double>()[i];
  return out;
}

class RadialValue : public LibraryObject {
 public:
  RadialValue(RadialInterpolant f, LabelPtr label) : f_(std::move(f)), label_(std::move(label)) {}
  std::string type_name() const override { return "radial interpolant"; }
  std::string describe() const override {
    return fmt::format(
        "radial interpolant ({}) of {} points with {} coordinates, radius {}{}", name_of(f_.options().kernel),
        f_.count(), f_.dimensions(), with_digits(f_.options().radius, 5),
        f_.options().smoothing > 0 ? fmt::format(", smoothing {}", with_digits(f_.options().smoothing, 5))
                                   : "");
  }
  Value call(Runtime&, std::span<Value> arguments) const override {
    const auto q = broadcast_together(
        real_arguments("this radial interpolant", arguments, static_cast<std::size_t>(f_.dimensions())));
    auto values = f_.evaluate(as_rows(q)).with_shape(q[0].shape());
    values.label = label_;
    return Value::array(std::move(values));
  }
  std::vector<std::string> part_names() const override {
    return {"residual", "residual_norm", "radius", "kernel"};
  }
  std::optional<Value> part(const std::string& name) const override {
    if (name == "residual") return Value::array(f_.residual());
    if (name == "residual_norm") return Value(norm(f_.residual()));
    if (name == "radius") return Value(f_.options().radius);
    if (name == "kernel") return Value::text(std::string(name_of(f_.options().kernel)));
    return std::nullopt;
  }

 private:
  RadialInterpolant f_;
  LabelPtr label_;
};

double largest_size(const Array& a) {
  double most = 0;
  for (const double x : a.to_vector<double>()) most = std::max(most, std::fabs(x));
  return most;
}

Value radial_row(Call& call) {
  const auto many = call.many();
  if (many.size() < 2)
    call.fail_argument(0,
                       "and values: at least one vector of coordinates and the vector of values are required",
                       "radial_interpolant(x, y, values)");
  std::vector<Array> given;
  LabelPtr label;
  for (const auto& v : many) {
    if (!v.is_array_like() || element_type_of(v) == ElementType::complex128 ||
        !is_numeric(element_type_of(v)) || shape_of(v).count() != 1)
      call.fail_argument(0,
                         fmt::format("and values must be vectors of real numbers, not {}", kind_in_words(v)));
    const auto a = to_array(v);
    label = a.label;
    given.push_back(a.converted(ElementType::float64).compact());
    if (given.back().size() != given[0].size())
      call.fail_argument(0, fmt::format("and values must have equal length, not {} and {}", given[0].size(),
                                        given.back().size()));
  }
  using enum Kernel;
  RadialOptions o;
  const auto name = call.one_of(1);
  for (const auto kernel : {multiquadric, inverse_multiquadric, gaussian, cubic, Kernel::linear})
    if (name_of(kernel) == name) o.kernel = kernel;
  if (call.given(2)) {
    o.radius = call.number(2);
    if (!(o.radius > 0)) call.fail_argument(2, "must be a number above 0");
  }
  o.smoothing = call.number_or(3, 0);
  if (!(o.smoothing >= 0)) call.fail_argument(3, "must be at least 0");
  RadialInterpolant f(as_rows(std::span(given).first(given.size() - 1)), given.back(), o);
  // Without smoothing the function has the values that it was given, unless the equations have lost digits.
  const double size = largest_size(given.back());
  if (const double missed = largest_size(f.residual()); o.smoothing == 0 && missed > 1e-6 * size)
    call.warn(fmt::format("the function misses the values by up to {}: the equations are ill-conditioned",
                          with_digits(missed, 2)),
              fmt::format("use a radius below {}, or smoothing", with_digits(f.options().radius, 3)));
  return {Kind::library, new RadialValue(std::move(f), label)};
}

Value neighbors_row(Call& call) {
  auto points = call.reals(0), at = call.reals(1);
  if (points.axes() == 1) points = points.with_shape({points.size(), 1});
  if (points.axes() != 2) call.fail_argument(0, "must be a matrix with one row for each point, or a vector");
  const Index count = call.given(2) ? call.whole(2) : 1;
  const auto d = points.extent(1);
  // The shape of the queries without their coordinates.
  Shape queries = at.shape();
  if (d > 1) {
    if (queries.empty() || queries[queries.count() - 1] != d)
      call.fail_argument(
          1, fmt::format("must have {} coordinates along its last axis, like the points; not shape {}", d,
                         text_of(at.shape())));
    queries.erase(queries.count() - 1);
  }
  auto found = nearest_neighbors(points, at.compact().with_shape({size_of(queries), d}), count);
  if (call.given(2)) queries.push_back(count);
  return Value::record(
      {{"positions",
        Value::array(
            apply(Binary::add, found.positions.converted(ElementType::float64), 1.0).with_shape(queries))},
       {"distances", Value::array(found.distances.with_shape(queries))}});
}

constexpr std::string_view kFamily = "interpolation";

}  // namespace
}  // namespace scattered_calls

std::vector<Builtin> scattered_rows() {
  using namespace scattered_calls;
  const Parameter outside =
      one_of({"outside", "result for queries outside the grid: \"nan\", \"error\", \"clamp\" or \"extend\"",
              "\"nan\""},
             choices::kOutside);
  return {
      {
          .name = "grid_interpolant",
          .family = kFamily,
          .summary = "Create an interpolating function from values on a grid with two or three axes.",
          .parameters = {{"x", "distinct coordinates along the last axis of the values", ""},
                         {"y", "coordinates along the axis before it", ""},
                         {"z",
                          "matrix of values, with a row for each y and a column for each x; or, with "
                          "`values`, the coordinates along the first of three axes",
                          ""},
                         {"values", "values of a grid with three axes", "none"},
                         one_of(
                             {"method", "\"linear\", \"cubic\" (continuous first derivatives) or \"nearest\"",
                              "\"linear\""},
                             choices::kScattered),
                         outside},
          .returns = "a function of x and y (and z) that broadcasts: f(across(x), down(y)) is a matrix; "
                     "fields: breaks, method",
          .errors = "if values are nan; if shapes do not match; if coordinates are duplicate",
          .source = "cubic: R. G. Keys, IEEE Trans. Acoust. 29, 1981, extended to unequal spacing",
          .example = "x = 0..3\ny = 0..2\nf = grid_interpolant(x, y, across(x) * down(y))\nf(1.5, 0.5)\n"
                     "f(across([1, 2]), down([0.5, 1]))",
          .output =
              "f(1.5, 0.5) = 0.75\nf(across([1, 2]), down([0.5, 1])) : float64 2×2\n  0.5  1.0\n  1.0  2.0",
          .run = grid_row,
      },
      {
          .name = "radial_interpolant",
          .family = kFamily,
          .summary = "Interpolate scattered points by a sum of radial basis functions.",
          .parameters =
              {{"coordinates", "a vector for each coordinate, followed by the vector of values", "", true},
               one_of({"kernel",
                       "radial basis function: \"multiquadric\", \"inverse_multiquadric\", \"gaussian\", "
                       "\"thin_plate\", \"cubic\" or \"linear\"",
                       "\"thin_plate\""},
                      choices::kKernels),
               {"radius", "length scale of the kernel, in the unit of the coordinates",
                "1 to 2.5 mean spacings"},
               {"smoothing",
                "0 interpolates all values; larger values allow deviations, which f.residual_norm reports",
                "0"}},
          .returns = "a function of as many arguments as there are coordinates, which broadcasts; fields: "
                     "residual, residual_norm, radius, kernel",
          .errors = "if points coincide without smoothing; if data are nan; if there are too few points; "
                    "values that are missed are a warning",
          .source = "R. L. Hardy, J. Geophys. Res. 76, 1971; H. Wendland, Scattered Data Approximation, 2005",
          .example = "x = [0, 1, 0, 1, 0.4]\ny = [0, 0, 1, 1, 0.7]\nf = radial_interpolant(x, y, 2 + x - "
                     "3*y, kernel: "
                     "\"thin_plate\")\nnear(f(0.2, 0.9), 2 + 0.2 - 2.7)",
          .output = "near(f(0.2, 0.9), 2 + 0.2 - 2.7) = true",
          .run = radial_row,
      },
      {
          .name = "nearest_neighbors",
          .family = kFamily,
          .summary = "Find the points of a set that are nearest to given points.",
          .parameters = {{"points", "matrix with one row for each point, or a vector", ""},
                         {"at", "query points, one in each row; a vector is a single point", ""},
                         {"count", "number of neighbours of each query, along an axis of their own",
                          "1, without an axis"}},
          .returns =
              "a record: positions (indices of the points), distances; nearest first, one row for each query",
          .errors =
              "if data are nan; if there are fewer points than neighbours; if the numbers of columns differ",
          .source = "k-d tree: J. L. Bentley, Commun. ACM 18, 1975; nanoflann",
          .example =
              "n = nearest_neighbors([0, 0 | 3, 4 | 1, 1], at: [0, 0], count: 2)\nn.positions\nn.distances",
          .output = "n.positions : float64 2\n  1  3\nn.distances : float64 2\n  0.0000  1.4142",
          .run = neighbors_row,
      },
  };
}

}  // namespace quill
