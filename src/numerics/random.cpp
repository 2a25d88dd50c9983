#include "numerics/random.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/random/mersenne_twister.hpp>
#include <boost/random/normal_distribution.hpp>
#include <boost/random/uniform_int_distribution.hpp>
#include <boost/random/uniform_real_distribution.hpp>
#include <cmath>

#include "base/interrupt.h"

namespace quill {

struct RandomStream::State {
  boost::random::mt19937_64 engine;
  std::uint64_t seed = 0;
};

namespace {

std::uint64_t mixed(std::uint64_t x) {
  x += 0x9e3779b97f4a7c15;
  x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9;
  x = (x ^ (x >> 27)) * 0x94d049bb133111eb;
  return x ^ (x >> 31);
}

}  // namespace

RandomStream::RandomStream(std::uint64_t seed) : state_(std::make_unique<State>()) {
  state_->engine.seed(seed);
  state_->seed = seed;
}
RandomStream::~RandomStream() = default;
RandomStream::RandomStream(RandomStream&&) noexcept = default;
RandomStream& RandomStream::operator=(RandomStream&&) noexcept = default;

RandomStream::RandomStream(const RandomStream& other) : state_(std::make_unique<State>(*other.state_)) {}
RandomStream& RandomStream::operator=(const RandomStream& other) {
  *state_ = *other.state_;
  return *this;
}

bool RandomStream::operator==(const RandomStream& other) const {
  return state_->seed == other.state_->seed && state_->engine == other.state_->engine;
}

RandomStream RandomStream::stream(std::uint64_t n) const {
  return RandomStream(mixed(mixed(state_->seed) ^ n));
}

namespace {

// An interruptible loop.
template <class Body>
void in_pieces(Index count, Body body) {
  constexpr Index piece = 65536;
  for (Index first = 0; first < count; first += piece) {
    poll_interrupt();
    for (Index k = first; k < std::min(count, first + piece); ++k) body(k);
  }
}

// Boost's uniform integers for many draws from one range: the same numbers, with the division by the size of
// a bucket as a product with its reciprocal.
class WholeDraws {
 public:
  WholeDraws(Index low, Index high)
      : low_(low), range_(static_cast<std::uint64_t>(high) - static_cast<std::uint64_t>(low)) {
    if (range_ == 0) return;  // one number, which takes no draw
    constexpr std::uint64_t most = ~std::uint64_t{0};
    bucket_ = most / (range_ + 1) + (most % (range_ + 1) == range_ ? 1 : 0);
    reciprocal_ = most / bucket_;
  }
  template <class Engine>
  Index operator()(Engine& engine) const {
    if (range_ == 0) return low_;
    while (true) {
      const std::uint64_t bits = engine();
      auto quotient = static_cast<std::uint64_t>((static_cast<Wide>(bits) * reciprocal_) >> 64);
      for (auto rest = bits - quotient * bucket_; rest >= bucket_; rest -= bucket_) ++quotient;
      if (quotient <= range_) return static_cast<Index>(static_cast<std::uint64_t>(low_) + quotient);
    }
  }

 private:
  __extension__ using Wide = unsigned __int128;
  Index low_;
  std::uint64_t range_, bucket_ = 1, reciprocal_ = 0;
};

template <class Draw>
Array drawn(const Shape& shape, Draw draw) {
  Array out(ElementType::float64, shape);
  double* to = out.mutable_data<double>();
  in_pieces(out.size(), [&](Index k) { to[k] = draw(); });
  return out;
}

}  // namespace

double RandomStream::uniform() {
  return boost::random::uniform_real_distribution<double>(0, 1)(state_->engine);
}

std::uint64_t RandomStream::bits() { return state_->engine(); }

double RandomStream::normal() { return boost::random::normal_distribution<double>()(state_->engine); }

std::optional<Index> RandomStream::whole(double low, double high) {
  if (!is_whole(low) || !is_whole(high) || low > high ||
      std::max(std::fabs(low), std::fabs(high)) > kLargestExact)
    return std::nullopt;
  return boost::random::uniform_int_distribution<Index>(static_cast<Index>(low),
                                                        static_cast<Index>(high))(state_->engine);
}

Array RandomStream::uniform(const Shape& shape) {
  boost::random::uniform_real_distribution<double> distribution(0, 1);
  return drawn(shape, [&] { return distribution(state_->engine); });
}

Array RandomStream::normal(const Shape& shape) {
  boost::random::normal_distribution<double> distribution;
  return drawn(shape, [&] { return distribution(state_->engine); });
}

Array RandomStream::whole(double low, double high, const Shape& shape) {
  if (!is_whole(low) || !is_whole(high) || low > high)
    fail(fmt::format("random integers need integer ends with low <= high, not {} and {}", shortest(low),
                     shortest(high)));
  if (std::max(std::fabs(low), std::fabs(high)) > kLargestExact)
    fail(fmt::format("random integers are limited to ±2^53, not from {} to {}", shortest(low),
                     shortest(high)));
  const WholeDraws draws(static_cast<Index>(low), static_cast<Index>(high));
  Array out(ElementType::int64, shape);
  auto* to = out.mutable_data<Index>();
  in_pieces(out.size(), [&](Index k) { to[k] = draws(state_->engine); });
  return out;
}

void RandomStream::choose(const double* from, Index count, Index stride, double* to, Index size) {
  const WholeDraws draws(0, count - 1);
  in_pieces(size, [&](Index k) { to[k] = from[draws(state_->engine) * stride]; });
}

}  // namespace quill
