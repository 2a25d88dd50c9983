#include "render/page_numbers.h"

#include <fmt/format.h>
#include <glib.h>
#include <zlib.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/interrupt.h"

namespace quill {

namespace {

// "2nd", "3rd", "11th", "21st"
std::string ordinal(std::size_t n) {
  const auto last = n % 10;
  const bool is_teen = n / 10 % 10 == 1;
  return fmt::format("{}{}", n,
                     is_teen     ? "th"
                     : last == 1 ? "st"
                     : last == 2 ? "nd"
                     : last == 3 ? "rd"
                                 : "th");
}

bool same_bits(double a, double b) {
  return std::bit_cast<std::uint64_t>(a) == std::bit_cast<std::uint64_t>(b);
}

// Whether they are from + k*step, as a page calculates it.
bool is_even(const std::vector<double>& numbers, double step) {
  for (std::size_t k = 0; k < numbers.size(); ++k)
    if (!same_bits(numbers[k], numbers[0] + static_cast<double>(k) * step)) return false;
  return true;
}

std::string deflated(const std::vector<double>& numbers) {
  const auto n = numbers.size();
  std::vector<unsigned char> bytes(8 * n);
  for (std::size_t k = 0; k < n; ++k) {
    poll_interrupt_at(k);
    auto bits = std::bit_cast<std::uint64_t>(numbers[k]);
    for (std::size_t b = 0; b < 8; ++b, bits >>= 8) bytes[b * n + k] = static_cast<unsigned char>(bits);
  }
  auto length = compressBound(bytes.size());
  std::vector<unsigned char> out(length);
  constexpr int level = 6;
  if (compress2(out.data(), &length, bytes.data(), bytes.size(), level) != Z_OK)
    fail("the data of the page cannot be packed");
  auto* text = g_base64_encode(out.data(), length);
  std::string base64(text);
  g_free(text);
  return base64;
}

using Column = std::vector<double> Layer::*;
constexpr Column kColumns[] = {&Layer::x,     &Layer::y,   &Layer::z,    &Layer::left,
                               &Layer::right, &Layer::low, &Layer::high, &Layer::values};

// The rows of a layer of points that are kept, in order.
Layer with_rows(const Layer& layer, const std::vector<std::size_t>& rows, std::size_t n) {
  auto out = layer;
  for (const auto column : kColumns) {
    if ((layer.*column).size() != n) continue;
    auto& kept = out.*column;
    kept.clear();
    for (const auto row : rows) kept.push_back((layer.*column)[row]);
  }
  return out;
}

// Lowest and highest point of each group, in order, and one of the gaps.
std::vector<std::size_t> extremes(const std::vector<double>& y, std::size_t bucket) {
  std::vector<std::size_t> rows;
  for (std::size_t from = 0; from < y.size(); from += bucket) {
    poll_interrupt_at(from / bucket);
    const auto to = std::min(y.size(), from + bucket);
    std::size_t low = to, high = to, gap = to;
    for (auto k = from; k < to; ++k) {
      if (std::isnan(y[k])) {
        if (gap == to) gap = k;
        continue;
      }
      if (low == to || y[k] < y[low]) low = k;
      if (high == to || y[k] > y[high]) high = k;
    }
    std::vector<std::size_t> kept;
    for (const auto k : {low, high, gap})
      if (k < to && std::find(kept.begin(), kept.end(), k) == kept.end()) kept.push_back(k);
    std::sort(kept.begin(), kept.end());
    rows.insert(rows.end(), kept.begin(), kept.end());
  }
  return rows;
}

std::vector<std::size_t> every(std::size_t n, std::size_t stride) {
  std::vector<std::size_t> rows;
  for (std::size_t k = 0; k < n; k += stride) rows.push_back(k);
  if (n > 0 && rows.back() != n - 1) rows.push_back(n - 1);
  return rows;
}

// Neighbouring bands or bars become one that reaches as far as all of them.
Layer joined_spans(const Layer& layer, std::size_t bucket) {
  Layer out = layer;
  for (const auto column : kColumns) (out.*column).clear();
  const auto n = layer.low.size();
  for (std::size_t from = 0; from < n; from += bucket) {
    const auto to = std::min(n, from + bucket);
    auto low = layer.low[from], high = layer.high[from];
    auto left = layer.left.empty() ? 0 : layer.left[from],
         right = layer.left.empty() ? 0 : layer.right[to - 1];
    for (auto k = from; k < to; ++k) {
      if (layer.is_lying) {
        left = std::min(left, layer.left[k]);
        right = std::max(right, layer.right[k]);
      } else {
        low = std::min(low, layer.low[k]);
        high = std::max(high, layer.high[k]);
      }
    }
    if (layer.is_lying) high = layer.high[to - 1];
    out.low.push_back(low);
    out.high.push_back(high);
    if (!layer.left.empty()) {
      out.left.push_back(left);
      out.right.push_back(right);
    }
    if (layer.x.size() >= n) out.x.push_back(layer.x[from]);
  }
  // Histograms keep the edges of their bins.
  if (layer.x.size() == n + 1) out.x.push_back(layer.x.back());
  return out;
}

// Cells of a field become the means of their neighbours.
Layer joined_cells(const Layer& layer, std::size_t bucket) {
  auto out = layer;
  const auto columns = layer.x.size() - 1, rows = layer.y.size() - 1;
  const auto edges = [bucket](const std::vector<double>& all) {
    std::vector<double> kept;
    for (std::size_t k = 0; k + 1 < all.size(); k += bucket) kept.push_back(all[k]);
    kept.push_back(all.back());
    return kept;
  };
  out.x = edges(layer.x);
  out.y = edges(layer.y);
  out.z.clear();
  out.pixels.clear();
  for (std::size_t r = 0; r < rows; r += bucket) {
    poll_interrupt();
    for (std::size_t c = 0; c < columns; c += bucket) {
      double sum = 0, count = 0;
      Color mean{0, 0, 0, 0};
      for (auto i = r; i < std::min(rows, r + bucket); ++i)
        for (auto j = c; j < std::min(columns, c + bucket); ++j) {
          const auto at = i * columns + j;
          if (!layer.pixels.empty()) {
            const auto& p = layer.pixels[at];
            mean = {mean.red + p.red, mean.green + p.green, mean.blue + p.blue, mean.alpha + p.alpha};
            ++count;
          } else if (std::isfinite(layer.z[at])) {
            sum += layer.z[at];
            ++count;
          }
        }
      if (!layer.pixels.empty())
        out.pixels.push_back({mean.red / count, mean.green / count, mean.blue / count, mean.alpha / count});
      else
        out.z.push_back(count > 0 ? sum / count : std::numeric_limits<double>::quiet_NaN());
    }
  }
  return out;
}

Layer every_node(const Layer& layer, std::size_t stride) {
  auto out = layer;
  const auto across = every(layer.x.size(), stride), down = every(layer.y.size(), stride);
  out.x.clear();
  out.y.clear();
  out.z.clear();
  for (const auto c : across) out.x.push_back(layer.x[c]);
  for (const auto r : down) {
    out.y.push_back(layer.y[r]);
    for (const auto c : across) out.z.push_back(layer.z[r * layer.x.size() + c]);
  }
  return out;
}

}  // namespace

nlohmann::ordered_json packed_numbers(const std::vector<double>& numbers) {
  constexpr std::size_t few = 24;
  const auto n = numbers.size();
  if (n <= few && std::all_of(numbers.begin(), numbers.end(), [](double v) { return std::isfinite(v); }))
    return numbers;
  if (n > 2 && std::isfinite(numbers[0])) {
    // The step that made them, from the first two or, but for the last bits, from the ends.
    std::vector<double> steps = {numbers[1] - numbers[0]};
    double mean = (numbers[n - 1] - numbers[0]) / static_cast<double>(n - 1);
    constexpr int bits = 4;
    for (int k = 0; k < bits; ++k) mean = std::nextafter(mean, -INFINITY);
    for (int k = 0; k <= 2 * bits; ++k, mean = std::nextafter(mean, INFINITY)) steps.push_back(mean);
    for (const double step : steps)
      if (std::isfinite(step) && is_even(numbers, step))
        return {{"n", n}, {"from", numbers[0]}, {"step", step}};
  }
  return {{"n", n}, {"z", deflated(numbers)}};
}

std::size_t count_of_numbers(const Layer& layer) {
  std::size_t count = layer.pixels.size() / 2;  // four bytes each
  for (const auto column : kColumns) count += (layer.*column).size();
  return count;
}

Layer reduced_layer(const Layer& layer, double share, std::string& told) {
  using enum Layer::Kind;
  const auto bucket = [share](double kept) {
    return static_cast<std::size_t>(std::max(2.0, std::ceil(kept / share)));
  };
  switch (layer.kind) {
    case line: {
      if (!layer.z.empty()) break;
      const auto b = bucket(2);
      told = fmt::format("minimum and maximum of every {} points", b);
      return with_rows(layer, extremes(layer.y, b), layer.y.size());
    }
    case boxes:
    case region: {
      const auto b = bucket(1);
      told = fmt::format("{} neighbours combined into their range", b);
      return joined_spans(layer, b);
    }
    case heatmap: {
      const auto b = bucket(std::sqrt(share));
      told = fmt::format("means of {}×{} cells", b, b);
      return joined_cells(layer, b);
    }
    case surface:
    case wireframe: {
      const auto b = bucket(std::sqrt(share));
      told = fmt::format("every {} row and column", ordinal(b));
      return every_node(layer, b);
    }
    case contours:
    case filled_contours: {  // which are drawn from their lines; the values are for reading
      const auto b = bucket(std::sqrt(share));
      told = fmt::format("values at every {} row and column", ordinal(b));
      return every_node(layer, b);
    }
    default: break;
  }
  const auto b = bucket(1);
  told = fmt::format("every {} point", ordinal(b));
  const auto n = layer.x.size();
  return with_rows(layer, every(n, b), n);
}

}  // namespace quill
