#include "numerics/designs.h"

#include <fmt/format.h>

#include <boost/random/sobol.hpp>
#include <cmath>

#include "base/interrupt.h"

namespace quill {

namespace designs {
namespace {

constexpr Index kMostAxes = 3667;  // of the table of directions

void check(Index count, Index axes) {
  if (count < 1) fail(fmt::format("there must be at least one point, not {}", count));
  if (axes < 1 || axes > kMostAxes)
    fail(fmt::format("the number of coordinates must be from 1 to {}, not {}", kMostAxes, axes));
}

// Of 64 bits the first 53.
double fraction_of(std::uint64_t bits) { return std::ldexp(static_cast<double>(bits >> 11), -53); }

}  // namespace
}  // namespace designs

Array sobol_points(Index count, Index axes, RandomStream* shift) {
  using namespace designs;
  check(count, axes);
  std::vector<std::uint64_t> moved(static_cast<std::size_t>(axes), 0);
  if (shift)
    for (auto& bits : moved) bits = shift->bits();
  boost::random::sobol_engine<std::uint64_t, 64> sequence(static_cast<std::size_t>(axes));
  Array out(ElementType::float64, {count, axes});
  double* to = out.mutable_data<double>();
  for (Index k = 0; k < count; ++k) {
    poll_interrupt_at(static_cast<std::size_t>(k));
    // The library leaves the origin out.
    for (Index j = 0; j < axes; ++j)
      *to++ = fraction_of((k == 0 ? 0 : sequence()) ^ moved[static_cast<std::size_t>(j)]);
  }
  return out;
}

Array latin_hypercube(Index count, Index axes, RandomStream& random) {
  using namespace designs;
  check(count, axes);
  Array out(ElementType::float64, {count, axes});
  double* const to = out.mutable_data<double>();
  std::vector<Index> order(static_cast<std::size_t>(count));
  for (Index j = 0; j < axes; ++j) {
    for (Index k = 0; k < count; ++k) order[static_cast<std::size_t>(k)] = k;
    for (Index k = count - 1; k > 0; --k) {
      poll_interrupt_at(static_cast<std::size_t>(k));
      std::swap(order[static_cast<std::size_t>(k)],
                order[static_cast<std::size_t>(*random.whole(0, static_cast<double>(k)))]);
    }
    for (Index k = 0; k < count; ++k)
      to[k * axes + j] = (static_cast<double>(order[static_cast<std::size_t>(k)]) + random.uniform()) /
                         static_cast<double>(count);
  }
  return out;
}

}  // namespace quill
