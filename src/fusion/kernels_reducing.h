// Reductions of blocks; part of kernels_impl.h. The interleaved partial sums are the same for all instruction
// sets.

typedef double Streams __attribute__((vector_size(64)));
constexpr int kLanes = 8;

Streams lanes_at(const double* values) {
  Streams out;
  std::memcpy(&out, values, sizeof out);
  return out;
}

double sum_of_lanes(const Streams& l) {
  return ((l[0] + l[1]) + (l[2] + l[3])) + ((l[4] + l[5]) + (l[6] + l[7]));
}

void block_sums(const double* values, Index n, double* sums) {
  for (; n >= kSumBlock; n -= kSumBlock, values += kSumBlock) {
    Streams streams = {};
    for (Index i = 0; i < kSumBlock; i += kLanes) streams += lanes_at(values + i);
    *sums++ = sum_of_lanes(streams);
  }
  if (n == 0) return;
  Streams streams = {};
  Index i = 0;
  for (; i + kLanes <= n; i += kLanes) streams += lanes_at(values + i);
  for (int k = 0; i < n; ++i, ++k) streams[k] += values[i];
  *sums = sum_of_lanes(streams);
}

template <bool maximum>
double extreme(const double* values, Index n, double so_far) {
  if (so_far != so_far) return so_far;
  Streams best = so_far - Streams{};
  auto odd = best != best;  // a nan was met
  auto zero = odd;          // a zero of the preferred sign was met
  const auto take = [&](const Streams& x) {
    odd |= x != x;
    const auto bits = reinterpret_cast<const decltype(odd)&>(x);
    zero |= maximum ? bits == 0 : bits == std::numeric_limits<std::int64_t>::min();
    const auto better = maximum ? x > best : x < best;
    const auto chosen = (reinterpret_cast<const decltype(odd)&>(x) & better) |
                        (reinterpret_cast<const decltype(odd)&>(best) & ~better);
    std::memcpy(&best, &chosen, sizeof best);
  };
  Index i = 0;
  for (; i + kLanes <= n; i += kLanes) take(lanes_at(values + i));
  if (i < n) {
    double rest[kLanes];
    for (auto& number : rest) number = values[i];
    std::memcpy(rest, values + i, static_cast<std::size_t>(n - i) * sizeof(double));
    take(lanes_at(rest));
  }
  double out = so_far;
  bool has_odd = false, has_zero = std::signbit(so_far) != maximum && so_far == 0;
  for (int k = 0; k < kLanes; ++k) {
    if (maximum ? best[k] > out : best[k] < out) out = best[k];
    has_odd |= odd[k] != 0;
    has_zero |= zero[k] != 0;
  }
  if (has_odd) return std::numeric_limits<double>::quiet_NaN();
  if (out == 0) return has_zero == maximum ? 0.0 : -0.0;
  return out;
}

Index count(const bool* booleans, Index n) {
  const auto* t = reinterpret_cast<const std::uint8_t*>(booleans);
  Index out = 0;
  // Sums bytes in bytes while they cannot overflow.
  constexpr Index most = 128;
  for (Index from = 0; from < n; from += most) {
    const Index end = from + most < n ? from + most : n;
    std::uint32_t some = 0;
    for (Index i = from; i < end; ++i) some += t[i];
    out += some;
  }
  return out;
}
