#include "files/parts_digest.h"

#include <fmt/format.h>

#include "files/digest.h"
#include "files/xxh3.h"

namespace quill {

void PartsDigest::add(std::string_view name, std::span<const Index> start, std::span<const Index> count,
                      std::span<const Index> step, std::string_view bytes) {
  std::string where(name);
  for (const auto list : {start, count, step})
    for (const auto n : list) where += fmt::format(" {}", n);
  const auto hash =
      XXH3_128bits_withSeed(bytes.data(), bytes.size(), XXH3_64bits(where.data(), where.size()));
  const std::scoped_lock lock(mutex_);
  low_ += hash.low64;
  high_ += hash.high64;
  ++count_;
}

void PartsDigest::add_once(const std::string& text) {
  const std::scoped_lock lock(mutex_);
  known_.insert(text);
}

std::string PartsDigest::text() const {
  const std::scoped_lock lock(mutex_);
  Sha256 sum;
  sum.add(fmt::format("{:016x}{:016x} {}\n", high_, low_, count_));
  for (const auto& text : known_) sum.add(text + "\n");
  return sum.digest();
}

}  // namespace quill
