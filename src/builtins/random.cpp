// Random numbers.
#include "numerics/random.h"

#include <fmt/format.h>

#include "builtins/arguments.h"
#include "builtins/context.h"
#include "builtins/tables.h"

namespace quill {

namespace {

Value seed_row(Call& call) {
  const auto n = call.whole(0);
  if (n < 0) call.fail_argument(0, fmt::format("is a whole number from 0, not {}", n));
  context(call).random = RandomStream(static_cast<std::uint64_t>(n));
  return Value::none();
}

}  // namespace

std::vector<Builtin> random_rows() {
  const Parameter sizes = {"sizes", "one size for each axis; none for a single number", "", true};
  const Parameter like = {"like", "an array that gives the shape instead", "none"};
  constexpr std::string_view engine =
      "64-bit Mersenne twister (M. Matsumoto, T. Nishimura, 1998) with Boost.Random's distributions: the "
      "same numbers on every platform";
  return {
      {"random",
       "random numbers",
       "Random numbers, evenly spread from 0 (included) to 1 (not included).",
       {sizes, like},
       "an array of these sizes",
       "",
       engine,
       "seed(7)\nr = random(1000)\nall(0 <= r and r < 1)",
       "all(0 <= r and r < 1) = true",
       [](Call& c) { return Value::array(context(c).random.uniform(shape_argument(c, 1))); }},
      {"random_normal",
       "random numbers",
       "Random numbers from the normal distribution with mean 0 and standard deviation 1.",
       {sizes, like},
       "an array of these sizes",
       "",
       engine,
       "seed(7)\nshape(random_normal(3, 4))",
       "shape(random_normal(3, 4)) : float64 2\n  3  4",
       [](Call& c) { return Value::array(context(c).random.normal(shape_argument(c, 1))); }},
      {"random_whole",
       "random numbers",
       "Random whole numbers; both ends are possible.",
       {{"low", "the smallest", ""}, {"high", "the largest", ""}, sizes, like},
       "an int64 array of these sizes",
       "ends that are not whole",
       engine,
       "seed(7)\ndice = random_whole(1, 6, 500)\nprint(min(dice), max(dice))",
       "1 6",
       [](Call& c) {
         return Value::array(context(c).random.whole(c.number(0), c.number(1), shape_argument(c, 3)));
       }},
      {"seed",
       "random numbers",
       "Restarts the random numbers.",
       {{"n", "a whole number from 0", ""}},
       "nothing",
       "",
       engine,
       "seed(7)\na = random(3)\nseed(7)\nsame(a, random(3))",
       "same(a, random(3)) = true",
       seed_row},
  };
}

}  // namespace quill
