// A digest of what was read of a file that is read in parts.
#pragma once

#include <mutex>
#include <set>
#include <span>
#include <string>
#include <string_view>

#include "base/number.h"

namespace quill {

// The same for the same parts, in whatever order and by whatever thread they were read.
class PartsDigest {
 public:
  void add(std::string_view name, std::span<const Index> start, std::span<const Index> count,
           std::span<const Index> step, std::string_view bytes);
  // What is known beside numbers: shapes, units. Counts once.
  void add_once(const std::string& text);
  // 64 hexadecimal digits.
  std::string text() const;

 private:
  mutable std::mutex mutex_;
  std::uint64_t low_ = 0, high_ = 0, count_ = 0;  // sums of the XXH3 (128 bits) of all parts
  std::set<std::string> known_;
};

}  // namespace quill
