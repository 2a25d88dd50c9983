#include "numerics/sorted.h"

#include <numeric>

#include "array/sort_numbers.h"
#include "base/interrupt.h"
#include "base/number.h"

namespace quill {

void sort_rising(std::vector<double>& v) { sort_numbers(v.data(), static_cast<Index>(v.size()), false); }

std::vector<std::size_t> rising_order(std::span<const double> v) {
  if (std::is_sorted(v.begin(), v.end(), [](double next, double before) { return !(before <= next); })) {
    std::vector<std::size_t> order(v.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    return order;
  }
  const auto order = order_of_numbers(v.data(), static_cast<Index>(v.size()), 1, false);
  return {order.begin(), order.end()};
}

namespace {

double exchanges_within(std::vector<double>& v, std::vector<double>& room, std::size_t from, std::size_t to) {
  if (to - from < 2) return 0;
  const auto middle = (from + to) / 2;
  double count = exchanges_within(v, room, from, middle) + exchanges_within(v, room, middle, to);
  std::size_t i = from, j = middle, k = from;
  while (i < middle && j < to) {
    if (v[i] <= v[j]) {
      room[k++] = v[i++];
    } else {
      count += static_cast<double>(middle - i);
      room[k++] = v[j++];
    }
  }
  while (i < middle) room[k++] = v[i++];
  while (j < to) room[k++] = v[j++];
  std::copy(room.begin() + static_cast<Index>(from), room.begin() + static_cast<Index>(to),
            v.begin() + static_cast<Index>(from));
  return count;
}

}  // namespace

double exchanges(std::vector<double> v) {
  poll_interrupt();
  std::vector<double> room(v.size());
  return exchanges_within(v, room, 0, v.size());
}

}  // namespace quill
