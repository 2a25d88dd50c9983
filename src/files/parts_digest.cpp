#include "files/parts_digest.h"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "base/parallel.h"
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

void PartsDigest::add_numbers(std::string_view name, std::span<const Index> start,
                              std::span<const Index> count, std::span<const Index> step, Index size,
                              const char* numbers) {
  constexpr Index large = Index{1} << 25, piece = Index{1} << 22;
  Index row = size;
  for (std::size_t k = 1; k < count.size(); ++k) row *= count[k];
  const Index rows = count.empty() ? 1 : count[0], all = row * rows;
  if (all < large) return add(name, start, count, step, {numbers, static_cast<std::size_t>(all)});
  const Index rows_at_once = std::max<Index>(1, piece / row);
  in_parallel((rows + rows_at_once - 1) / rows_at_once, [&](Index k) {
    std::vector<Index> from(start.begin(), start.end()), extent(count.begin(), count.end());
    from[0] += k * rows_at_once * step[0];
    extent[0] = std::min(rows_at_once, rows - k * rows_at_once);
    add(name, from, extent, step,
        {numbers + k * rows_at_once * row, static_cast<std::size_t>(extent[0] * row)});
  });
}

void PartsDigest::add_all(const std::string& path, const Data& data) {
  for (std::size_t k = 0; k < data.items.size(); ++k)
    add_all(path + "/" + (k < data.names.size() ? data.names[k] : std::to_string(k + 1)), data.items[k]);
  add_once(fmt::format("{} {}", path, static_cast<int>(data.kind)));
  if (data.kind != Data::Kind::array) return;
  const auto& array = data.array;
  add_once(fmt::format("{} {} {}", path, name_of(array.type()), text_of(array.shape())));
  if (array.size() == 0) return;
  const auto& shape = array.shape();
  const std::vector<Index> start(static_cast<std::size_t>(shape.count()), 0),
      count(shape.begin(), shape.end()), step(start.size(), 1);
  if (array.type() == ElementType::text) {
    std::string all;
    for (const auto& text : array.to_vector<std::string>()) all += text + '\0';
    return add(path, start, count, step, all);
  }
  visit_numeric(array.type(), [&]<class T>(Tag<T>) {
    add_numbers(path, start, count, step, static_cast<Index>(sizeof(T)),
                reinterpret_cast<const char*>(array.template data<T>()));
  });
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
