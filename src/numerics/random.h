// Random numbers, identical on every platform for equal seeds.
#pragma once

#include <memory>
#include <optional>

#include "array/array.h"

namespace quill {

// The 64-bit Mersenne twister (M. Matsumoto, T. Nishimura, 1998) with the distributions of Boost.Random.
class RandomStream {
 public:
  explicit RandomStream(std::uint64_t seed);
  ~RandomStream();
  RandomStream(RandomStream&&) noexcept;
  RandomStream& operator=(RandomStream&&) noexcept;
  // A copy continues with the same numbers.
  RandomStream(const RandomStream& other);
  RandomStream& operator=(const RandomStream& other);
  // Independent stream number n: its seed is mixed from n and this stream's seed (S. Vigna's splitmix64),
  // however many numbers were drawn.
  RandomStream stream(std::uint64_t n) const;
  // Whether both continue with the same numbers.
  bool operator==(const RandomStream& other) const;

  double uniform();
  double normal();
  std::uint64_t bits();                                 // 64 of them
  std::optional<Index> whole(double low, double high);  // nothing unless low ≤ high are integers
  // The same numbers, in bulk.
  Array uniform(const Shape& shape);                         // in [0, 1)
  Array normal(const Shape& shape);                          // mean 0, standard deviation 1
  Array whole(double low, double high, const Shape& shape);  // int64, both ends possible
  // Chooses `size` of `count` numbers that are `stride` apart, by the draws of whole(0, count - 1).
  void choose(const double* from, Index count, Index stride, double* to, Index size);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

// Adapts a stream for Boost's distributions.
struct RandomBits {
  using result_type = std::uint64_t;
  static constexpr result_type min() { return 0; }
  static constexpr result_type max() { return ~result_type{0}; }
  result_type operator()() const { return stream.bits(); }
  RandomStream& stream;
};

}  // namespace quill
