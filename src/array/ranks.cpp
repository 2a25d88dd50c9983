#include "array/ranks.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <numeric>
#include <optional>
#include <string>

#include "array/distinct.h"
#include "array/sort_numbers.h"
#include "base/interrupt.h"

namespace quill {

namespace element_ranks {
namespace {

template <class T>
bool is_nan(const T& x) {
  if constexpr (std::is_floating_point_v<T>)
    return std::isnan(x);
  else
    return false;
}

template <class T>
bool before(const T& a, const T& b) {
  return !is_nan(a) && (is_nan(b) || a < b);
}

// Integers within a short range are counted off.
template <class T>
std::optional<Ranks> ranks_of_range(const T* v, Index count, Index step) {
  if (count == 0) return Ranks{};
  T low = v[0], high = v[0];
  for (Index k = 0; k < count; ++k) {
    low = std::min(low, v[k * step]);
    high = std::max(high, v[k * step]);
  }
  const auto range = static_cast<std::uint64_t>(high) - static_cast<std::uint64_t>(low);
  if (range > static_cast<std::uint64_t>(2 * count) + 65536) return std::nullopt;
  std::vector<Index> rank(range + 1, 0);
  const auto place = [&](Index k) {
    return static_cast<std::size_t>(static_cast<std::uint64_t>(v[k * step]) -
                                    static_cast<std::uint64_t>(low));
  };
  for (Index k = 0; k < count; ++k) rank[place(k)] = 1;
  Ranks out;
  for (auto& r : rank) {
    const Index seen = r;
    r = out.count;
    out.count += seen;
  }
  out.of.resize(static_cast<std::size_t>(count));
  for (Index k = 0; k < count; ++k) out.of[static_cast<std::size_t>(k)] = rank[place(k)];
  return out;
}

// By a table, unless there are more than `most` distinct elements.
template <class T>
std::optional<Ranks> ranks_by_table(const T* v, Index count, Index step, Index most) {
  Distinct<T> seen(v, step);
  Ranks out;
  out.of.resize(static_cast<std::size_t>(count));
  for (Index k = 0; k < count; ++k) {
    poll_interrupt_at(static_cast<std::size_t>(k));
    out.of[static_cast<std::size_t>(k)] = seen.number_of(k);
    if (seen.size() > most) return std::nullopt;
  }
  out.count = seen.size();
  std::vector<Index> order(static_cast<std::size_t>(out.count)), rank(order.size());
  std::iota(order.begin(), order.end(), Index{0});
  const auto at = [&](Index number) -> const T& { return v[seen.first_of(number) * step]; };
  std::sort(order.begin(), order.end(), [&](Index a, Index b) { return before(at(a), at(b)); });
  for (std::size_t k = 0; k < order.size(); ++k)
    rank[static_cast<std::size_t>(order[k])] = static_cast<Index>(k);
  out.has_nan = !order.empty() && is_nan(at(order.back()));
  for (auto& r : out.of) r = rank[static_cast<std::size_t>(r)];
  return out;
}

template <class T>
Ranks ranks_by_sorting(const T* v, Index count, Index step) {
  const auto order = order_of_numbers(v, count, step, false);
  Ranks out;
  out.of.resize(order.size());
  Index rank = 0;
  for (std::size_t k = 0; k < order.size(); ++k) {
    if (k > 0 && before(v[order[k - 1] * step], v[order[k] * step])) ++rank;
    out.of[static_cast<std::size_t>(order[k])] = rank;
  }
  out.count = order.empty() ? 0 : rank + 1;
  out.has_nan = !order.empty() && is_nan(v[order.back() * step]);
  return out;
}

template <class T>
Ranks ranks_in(const Array& vector) {
  const T* const v = vector.data<T>();
  const Index count = vector.size(), step = vector.strides()[0];
  if constexpr (std::is_same_v<T, bool>) {
    const auto numbers = vector.converted(ElementType::uint8);
    return ranks_in<std::uint8_t>(numbers);
  } else if constexpr (std::is_same_v<T, std::string>) {
    return *ranks_by_table(v, count, step, count);
  } else {
    if constexpr (std::is_integral_v<T>)
      if (auto counted = ranks_of_range(v, count, step)) return *std::move(counted);
    constexpr Index cached = 1 << 16;  // a table of more is slower than sorting
    if (auto found = ranks_by_table(v, count, step, cached)) return *std::move(found);
    return ranks_by_sorting(v, count, step);
  }
}

}  // namespace
}  // namespace element_ranks

Ranks distinct_ranks(const Array& vector) {
  return visit_type(vector.type(), [&]<class T>(Tag<T>) -> Ranks {
    if constexpr (std::is_same_v<T, Any> || std::is_same_v<T, Complex>)
      fail(fmt::format("elements of type {} cannot be ordered", name_of(vector.type())),
           "numbers, texts, booleans and timestamps can be ordered");
    else
      return element_ranks::ranks_in<T>(vector);
  });
}

Ranks distinct_ranks(const std::vector<Ranks>& columns) {
  auto out = columns[0];
  for (std::size_t c = 1; c < columns.size(); ++c) {
    auto pairs = Array(ElementType::int64, {static_cast<Index>(out.of.size())});
    auto* const to = pairs.mutable_data<std::int64_t>();
    for (std::size_t k = 0; k < out.of.size(); ++k) to[k] = out.of[k] * columns[c].count + columns[c].of[k];
    out = distinct_ranks(pairs);
  }
  return out;
}

Ranks descending(Ranks ranks) {
  const Index nan = ranks.has_nan ? ranks.count - 1 : ranks.count;
  for (auto& r : ranks.of)
    if (r != nan) r = nan - 1 - r;
  return ranks;
}

ByRank by_rank(const Ranks& ranks) {
  ByRank out;
  out.starts.assign(static_cast<std::size_t>(ranks.count) + 1, 0);
  for (const Index r : ranks.of) ++out.starts[static_cast<std::size_t>(r) + 1];
  std::partial_sum(out.starts.begin(), out.starts.end(), out.starts.begin());
  out.indices.resize(ranks.of.size());
  auto next = out.starts;
  for (std::size_t k = 0; k < ranks.of.size(); ++k)
    out.indices[static_cast<std::size_t>(next[static_cast<std::size_t>(ranks.of[k])]++)] =
        static_cast<Index>(k);
  return out;
}

}  // namespace quill
