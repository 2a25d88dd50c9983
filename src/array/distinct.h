// Numbers the distinct elements of a vector in order of first appearance, by a hash table with open
// addressing.
#pragma once

#include <bit>
#include <cmath>
#include <cstdint>
#include <functional>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

#include "base/number.h"

namespace quill {

// T: numbers or texts. All nan are equal, and 0 equals -0. The elements must outlive this object.
template <class T>
class Distinct {
 public:
  Distinct(const T* line, Index step) : line_(line), step_(step), slots_(1024, -1) {}
  // Number of the element at index k; a new one if it was not seen before.
  Index number_of(Index k) {
    const T& x = line_[k * step_];
    const auto hash = hash_of(x);
    const auto slot = slot_of(x, hash);
    if (slots_[slot] >= 0) return slots_[slot];
    const auto number = static_cast<Index>(firsts_.size());
    slots_[slot] = static_cast<std::int32_t>(number);
    firsts_.push_back(k);
    hashes_.push_back(static_cast<std::uint32_t>(hash));
    if (2 * firsts_.size() > slots_.size()) grow();
    return number;
  }
  // Number of an element, or -1 if it was not seen.
  Index find(const T& x) const { return slots_[slot_of(x, hash_of(x))]; }
  Index size() const { return static_cast<Index>(firsts_.size()); }
  // Index of the first occurrence of an element.
  Index first_of(Index number) const { return firsts_[static_cast<std::size_t>(number)]; }

 private:
  static std::uint64_t hash_of(const T& x) {
    std::uint64_t bits = 0;
    if constexpr (std::is_same_v<T, std::string>)
      bits = std::hash<std::string_view>()(x);
    else if constexpr (std::is_floating_point_v<T>)
      bits = std::isnan(x) ? 1 : x == 0 ? 0 : std::bit_cast<std::uint64_t>(static_cast<double>(x));
    else
      bits = static_cast<std::uint64_t>(x);
    // Finaliser that mixes all bits (D. Stafford, 2011).
    bits = (bits ^ (bits >> 30)) * 0xbf58476d1ce4e5b9ULL;
    bits = (bits ^ (bits >> 27)) * 0x94d049bb133111ebULL;
    return bits ^ (bits >> 31);
  }
  static bool are_equal(const T& a, const T& b) {
    if constexpr (std::is_floating_point_v<T>)
      return a == b || (std::isnan(a) && std::isnan(b));
    else
      return a == b;
  }
  std::size_t slot_of(const T& x, std::uint64_t hash) const {
    const auto mask = slots_.size() - 1;
    auto slot = static_cast<std::size_t>(hash) & mask;
    while (slots_[slot] >= 0) {
      const auto number = static_cast<std::size_t>(slots_[slot]);
      if (hashes_[number] == static_cast<std::uint32_t>(hash) && are_equal(line_[firsts_[number] * step_], x))
        break;
      slot = (slot + 1) & mask;
    }
    return slot;
  }
  void grow() {
    slots_.assign(4 * slots_.size(), -1);
    const auto mask = slots_.size() - 1;
    for (std::size_t k = 0; k < firsts_.size(); ++k) {
      auto slot = static_cast<std::size_t>(hash_of(line_[firsts_[k] * step_])) & mask;
      while (slots_[slot] >= 0) slot = (slot + 1) & mask;
      slots_[slot] = static_cast<std::int32_t>(k);
    }
  }

  const T* line_;
  Index step_;
  std::vector<std::int32_t> slots_;  // numbers, -1 for free slots; at least half of them are free
  std::vector<Index> firsts_;
  std::vector<std::uint32_t> hashes_;
};

}  // namespace quill
