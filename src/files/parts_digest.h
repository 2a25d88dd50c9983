// Digest of the parts that were read from a file.
#pragma once

#include <mutex>
#include <set>
#include <span>
#include <string>
#include <string_view>

#include "base/number.h"
#include "files/data.h"

namespace quill {

// Independent of the order of the parts and of threads.
class PartsDigest {
 public:
  void add(std::string_view name, std::span<const Index> start, std::span<const Index> count,
           std::span<const Index> step, std::string_view bytes);
  // Adds numbers of this size; large parts are divided along their first axis, for threads.
  void add_numbers(std::string_view name, std::span<const Index> start, std::span<const Index> count,
                   std::span<const Index> step, Index size, const char* numbers);
  // Adds all elements below a path, with their types and shapes.
  void add_all(const std::string& path, const Data& data);
  // Adds facts other than numbers, such as shapes and units; each counts once.
  void add_once(const std::string& text);
  // 64 hexadecimal digits.
  std::string text() const;

 private:
  mutable std::mutex mutex_;
  std::uint64_t low_ = 0, high_ = 0, count_ = 0;  // sums of the XXH3 (128 bits) of all parts
  std::set<std::string> known_;
};

}  // namespace quill
