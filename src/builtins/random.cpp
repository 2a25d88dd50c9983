// Random numbers.
#include "numerics/random.h"

#include <fmt/format.h>

#include <cmath>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "builtins/arguments.h"
#include "builtins/context.h"
#include "builtins/method.h"
#include "builtins/tables.h"
#include "numerics/designs.h"
#include "numerics/matrices.h"

namespace quill {

namespace random_calls {
namespace {

Value seed_row(Call& call) {
  const auto n = call.whole(0);
  if (n < 0) call.fail_argument(0, fmt::format("must be an integer from 0, not {}", n));
  call.context.random() = RandomStream(static_cast<std::uint64_t>(n));
  return Value::none();
}

// Random numbers of their own, which draws elsewhere leave alone.
class StreamValue : public LibraryObject {
 public:
  StreamValue(std::shared_ptr<RandomStream> stream, Index n) : stream_(std::move(stream)), n_(n) {}
  std::string type_name() const override { return "random stream"; }
  std::string describe() const override { return fmt::format("random stream {}", n_); }
  std::vector<std::string> part_names() const override { return {"random", "random_normal", "random_whole"}; }
  std::optional<Value> part(const std::string& name) const override {
    // A method holds the stream itself, which advances with every draw.
    const boost::intrusive_ptr<const StreamValue> self(this);
    const auto method = [&](auto draw) {
      return Method::make(name, [self, draw](Runtime&, std::span<Value> arguments) {
        return Value::array(draw(*self->stream_, arguments));
      });
    };
    if (name == "random")
      return method([](RandomStream& r, std::span<Value> a) { return r.uniform(sizes_from("random", a)); });
    if (name == "random_normal")
      return method(
          [](RandomStream& r, std::span<Value> a) { return r.normal(sizes_from("random_normal", a)); });
    if (name == "random_whole")
      return method([](RandomStream& r, std::span<Value> a) {
        const auto low = a.size() < 2 ? std::nullopt : single_real(a[0]),
                   high = low ? single_real(a[1]) : low;
        if (!high)
          fail("random_whole takes the smallest and the largest integer first", "s.random_whole(1, 6, 100)");
        return r.whole(*low, *high, sizes_from("random_whole", a.subspan(2)));
      });
    return std::nullopt;
  }

 private:
  std::shared_ptr<RandomStream> stream_;
  Index n_;
};

// Of one variable with a mean and a standard deviation, or of several with a covariance matrix.
Value normal_row(Call& call) {
  enum : std::size_t { kLike = 1, kMean, kStd, kCovariance };
  const auto shape = shape_argument(call, kLike);
  const bool has_covariance = call.given(kCovariance) && !call.value(kCovariance).is(Kind::none);
  if (!has_covariance) {
    auto out = call.context.random().normal(shape);
    if (!call.given(kMean) && !call.given(kStd)) return Value::array(std::move(out));
    const double mean = call.number_or(kMean, 0), std = call.number_or(kStd, 1);
    if (!(std >= 0) || std::isinf(std)) call.fail_argument(kStd, "must be a finite number from 0");
    double* const to = out.mutable_data<double>();
    for (Index k = 0; k < out.size(); ++k) to[k] = mean + std * to[k];
    return Value::array(std::move(out));
  }
  if (call.given(kStd)) call.fail_argument(kStd, "and `covariance` have the same meaning; give one of them");
  const auto factor = cholesky(call.reals(kCovariance));
  const Index variables = factor.extent(0);
  auto longer = shape;
  longer.push_back(variables);
  const auto z = call.context.random().normal(longer).with_shape({size_of(shape), variables});
  auto out = matrix_product(z, factor.transposed());
  if (call.given(kMean)) {
    const auto mean = call.reals(kMean);
    if (mean.axes() > 1 || (mean.axes() == 1 && mean.size() != variables))
      call.fail_argument(kMean, fmt::format("must be a number or a vector of {} elements", variables));
    out = apply(Binary::add, out, mean);
  }
  return Value::array(out.compact().with_shape(longer));
}

// Points of a design, within bounds for each coordinate.
Value within_bounds(const Call& call, Array points) {
  if (!call.given(2) || call.value(2).is(Kind::none)) return Value::array(std::move(points));
  const Index axes = points.extent(1);
  const auto [low, high] = bounds_argument(call, 2, static_cast<std::size_t>(axes));
  double* const to = points.mutable_data<double>();
  for (Index k = 0; k < points.size(); ++k) {
    const auto j = static_cast<std::size_t>(k % axes);
    to[k] = low[j] + (high[j] - low[j]) * to[k];
  }
  return Value::array(std::move(points));
}

Value sobol_row(Call& call) {
  auto* shift = call.boolean_or(3, false) ? &call.context.random() : nullptr;
  return within_bounds(call, sobol_points(call.whole(0), call.whole(1), shift));
}

Value latin_row(Call& call) {
  return within_bounds(call, latin_hypercube(call.whole(0), call.whole(1), call.context.random()));
}

Value stream_row(Call& call) {
  const auto n = call.whole(0);
  if (n < 0) call.fail_argument(0, fmt::format("must be an integer from 0, not {}", n));
  const auto stream =
      std::make_shared<RandomStream>(call.context.random().stream(static_cast<std::uint64_t>(n)));
  auto& known = call.context.state.streams;
  std::erase_if(known, [](const auto& gone) { return gone.expired(); });
  known.push_back(stream);
  return {Kind::library, new StreamValue(stream, n)};
}

}  // namespace
}  // namespace random_calls

std::vector<Builtin> random_rows() {
  using namespace random_calls;
  const Parameter sizes = {"sizes", "one size for each axis; none for a single number", "", true};
  const Parameter like = {"like", "array whose shape is used instead of sizes", "none"};
  constexpr std::string_view engine =
      "64-bit Mersenne twister (M. Matsumoto, T. Nishimura, 1998) with the distributions of Boost.Random; "
      "the same numbers on every platform";
  return {
      {
          .name = "random",
          .family = "random numbers",
          .summary = "Draw random numbers, uniformly distributed from 0 (included) to 1 (excluded).",
          .parameters = {sizes, like},
          .returns = "array of these sizes",
          .source = engine,
          .example = "seed(7)\nr = random(1000)\nall(0 <= r and r < 1)",
          .output = "all(0 <= r and r < 1) = true",
          .run = [](Call& c) { return Value::array(c.context.random().uniform(shape_argument(c, 1))); },
          .draw = [](Context& context) { return context.random().uniform(); },
      },
      {
          .name = "random_normal",
          .family = "random numbers",
          .summary = "Draw random numbers from the normal distribution, of one variable or of several that "
                     "are correlated.",
          .parameters = {sizes,
                         like,
                         {"mean", "the mean, or with a covariance the vector of means", "0"},
                         {"std", "the standard deviation", "1"},
                         {"covariance",
                          "positive definite matrix; the variables are a further axis of the result",
                          "none"}},
          .returns = "array of these sizes, with a covariance matrix one axis more",
          .errors = "if the covariance is not symmetric and positive definite",
          .source = engine,
          .example = "seed(7)\nshape(random_normal(3, 4))",
          .output = "shape(random_normal(3, 4)) : float64 2\n  3  4",
          .run = normal_row,
          .draw = [](Context& context) { return context.random().normal(); },
      },
      {
          .name = "random_whole",
          .family = "random numbers",
          .summary = "Draw random integers from low to high, both included.",
          .parameters = {{"low", "smallest integer", ""}, {"high", "largest integer", ""}, sizes, like},
          .returns = "int64 array of these sizes",
          .errors = "if an end is not an integer",
          .source = engine,
          .example = "seed(7)\ndice = random_whole(1, 6, 500)\nprint(min(dice), max(dice))",
          .output = "1 6",
          .run =
              [](Call& c) {
                return Value::array(c.context.random().whole(c.number(0), c.number(1), shape_argument(c, 3)));
              },
          .draw_whole = [](Context& context, double low,
                           double high) { return context.random().whole(low, high); },
      },
      {
          .name = "seed",
          .family = "random numbers",
          .summary = "Restart the random numbers from a seed.",
          .parameters = {{"n", "an integer from 0", ""}},
          .returns = "nothing",
          .source = engine,
          .example = "seed(7)\na = random(3)\nseed(7)\nsame(a, random(3))",
          .output = "same(a, random(3)) = true",
          .run = seed_row,
      },
      {
          .name = "sobol_points",
          .family = "random numbers",
          .summary = "Points that fill a cube evenly: Sobol's sequence.",
          .parameters = {{"count", "number of points; powers of 2 fill best", ""},
                         {"axes", "number of coordinates, up to 3667", ""},
                         {"bounds", "pair (low, high) of numbers or vectors; none: from 0 to 1", "none"},
                         {"shift",
                          "whether random bits shift all points alike, for an error estimate by repetition",
                          "false"}},
          .returns = "matrix with one point in each row, the origin first",
          .source =
              "I. M. Sobol, 1967; directions: S. Joe, F. Y. Kuo, SIAM J. Sci. Comput. 30, 2008; Boost.Random",
          .example = "sobol_points(4, 2)",
          .output =
              "sobol_points(4, 2) : float64 4×2\n  0.00  0.00\n  0.50  0.50\n  0.75  0.25\n  0.25  0.75",
          .run = sobol_row,
      },
      {
          .name = "latin_hypercube",
          .family = "random numbers",
          .summary = "Random points of which each coordinate is evenly divided (Latin hypercube).",
          .parameters = {{"count", "number of points", ""},
                         {"axes", "number of coordinates", ""},
                         {"bounds", "pair (low, high) of numbers or vectors; none: from 0 to 1", "none"}},
          .returns = "matrix with one point in each row; each coordinate has one point in each of `count` "
                     "equal intervals",
          .source = "M. D. McKay, R. J. Beckman, W. J. Conover, Technometrics 21, 1979",
          .example = "seed(7)\np = latin_hypercube(5, 2)\nsort(floor(5 * p[.., 1]))",
          .output = "sort(floor(5 * p[.., 1])) : float64 5\n  0  1  2  3  4",
          .run = latin_row,
      },
      {
          .name = "random_stream",
          .family = "random numbers",
          .summary =
              "Create an independent stream of random numbers, which depends only on the seed and on n.",
          .parameters = {{"n", "number of the stream, an integer from 0", ""}},
          .returns = "a stream s with methods s.random(sizes, …), s.random_normal(sizes, …), "
                     "s.random_whole(low, high, sizes, …)",
          .source = "64-bit Mersenne twister, seeded by S. Vigna's splitmix64 of n and the seed",
          .example =
              "seed(7)\na = random_stream(1).random(3)\nr = random(100)\nsame(a, random_stream(1).random(3))",
          .output = "same(a, random_stream(1).random(3)) = true",
          .run = stream_row,
      },
  };
}

}  // namespace quill
