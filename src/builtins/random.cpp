// Random numbers.
#include "numerics/random.h"

#include <fmt/format.h>

#include "builtins/arguments.h"
#include "builtins/context.h"
#include "builtins/method.h"
#include "builtins/tables.h"

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
    // A method holds the stream itself, whose numbers go on with every draw.
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
          .summary = "Draw random numbers from the normal distribution with mean 0 and standard deviation 1.",
          .parameters = {sizes, like},
          .returns = "array of these sizes",
          .source = engine,
          .example = "seed(7)\nshape(random_normal(3, 4))",
          .output = "shape(random_normal(3, 4)) : float64 2\n  3  4",
          .run = [](Call& c) { return Value::array(c.context.random().normal(shape_argument(c, 1))); },
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
