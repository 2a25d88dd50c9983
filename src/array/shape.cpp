#include "array/shape.h"

#include <fmt/format.h>

#include <algorithm>

namespace quill {

Extents::Extents(std::span<const Index> values) : Extents() {
  for (const auto value : values) push_back(value);
}

Extents Extents::filled(int count, Index value) {
  Extents out;
  for (int i = 0; i < count; ++i) out.push_back(value);
  return out;
}

void Extents::push_back(Index value) {
  if (count_ == kMostAxes) fail(fmt::format("an array has at most {} axes", kMostAxes));
  values_[count_++] = value;
}

void Extents::insert(int at, Index value) {
  push_back(0);
  for (int i = count_ - 1; i > at; --i) values_[i] = values_[i - 1];
  values_[at] = value;
}

void Extents::erase(int at) {
  for (int i = at; i + 1 < count_; ++i) values_[i] = values_[i + 1];
  --count_;
}

Index size_of(const Shape& shape) {
  Index size = 1;
  for (const auto extent : shape)
    if (extent == 0) return 0;
  for (const auto extent : shape) {
    const auto product = checked_product(size, extent);
    if (!product || *product > (Index{1} << 56))
      fail(fmt::format("an array of {} elements is too large", text_of(shape)));
    size = *product;
  }
  return size;
}

Strides row_major_strides(const Shape& shape) {
  auto strides = Strides::filled(shape.count(), 1);
  for (int i = shape.count() - 2; i >= 0; --i) strides[i] = strides[i + 1] * std::max<Index>(shape[i + 1], 1);
  return strides;
}

std::string text_of(const Shape& shape) {
  if (shape.empty()) return "single";
  return fmt::format("{}", fmt::join(shape.begin(), shape.end(), "×"));
}

ShapeMismatch::ShapeMismatch(const Shape& a, const Shape& b, const std::string& between)
    : Error(fmt::format("shapes do not match: {}{}{}", text_of(a), between, text_of(b))), left(a), right(b) {}

namespace {

// Extent of axis i of the common shape with n axes, as s sees it.
Index aligned(const Shape& s, int i, int n) {
  const int k = i - (n - s.count());
  return k < 0 ? 1 : s[k];
}

}  // namespace

int failing_axis(const Shape& a, const Shape& b) {
  const int n = std::max(a.count(), b.count());
  for (int i = 0; i < n; ++i) {
    const auto x = aligned(a, i, n), y = aligned(b, i, n);
    if (x != y && x != 1 && y != 1) return i + 1;
  }
  return 0;
}

bool can_broadcast(const Shape& a, const Shape& b) { return failing_axis(a, b) == 0; }

Shape broadcast_shapes(const Shape& a, const Shape& b, const std::string& between) {
  if (!can_broadcast(a, b)) throw ShapeMismatch(a, b, between);
  const int n = std::max(a.count(), b.count());
  Shape out;
  for (int i = 0; i < n; ++i) {
    const auto x = aligned(a, i, n), y = aligned(b, i, n);
    out.push_back(x == 1 ? y : x);
  }
  return out;
}

Strides stretched_strides(const Shape& from, const Strides& strides, const Shape& to) {
  Strides out;
  const int lead = to.count() - from.count();
  for (int i = 0; i < to.count(); ++i)
    out.push_back(i < lead || (from[i - lead] == 1 && to[i] != 1) ? 0 : strides[i - lead]);
  return out;
}

}  // namespace quill
