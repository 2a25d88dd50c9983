#include "files/difference.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/number.h"
#include "base/text.h"
#include "files/formats.h"
#include "files/provenance.h"
#include "files/whole_files.h"

namespace quill {

namespace {

constexpr int kLevels = 8;  // of a pixel, that another machine's rounding may make

std::string shown(std::string_view text) { return printable(shortened(text, 60)); }

std::string two(std::string_view before, std::string_view now) {
  return fmt::format("{}, and now {}", shown(before), shown(now));
}

std::string counted(Index n, std::string_view what) {
  return fmt::format("{} {}{}", n, what, n == 1 ? "" : "s");
}

FileDifference same() { return {true, ""}; }

// "element [3, 4]", "row 3", "" of a single value.
std::string element_in_words(Index k, const Shape& shape, bool is_column) {
  if (shape.empty()) return "";
  if (is_column) return fmt::format(", row {}", k + 1);
  std::string out;
  for (int axis = shape.count(); axis-- > 0; k /= shape[axis])
    out = fmt::format("{}{}{}", k % shape[axis] + 1, out.empty() ? "" : ", ", out);
  return fmt::format(", element [{}]", out);
}

template <class T>
std::string element_text(const T& x) {
  if constexpr (std::is_same_v<T, std::string>)
    return fmt::format("\"{}\"", x);
  else if constexpr (std::is_same_v<T, Complex>)
    return fmt::format("{} + {}i", shortest(x.real()), shortest(x.imag()));
  else if constexpr (std::is_same_v<T, bool>)
    return x ? "true" : "false";
  else if constexpr (std::is_floating_point_v<T>)
    return shortest(static_cast<double>(x));
  else
    return fmt::format("{}", x);
}

template <class T>
double size_of(const T& x) {
  if constexpr (std::is_same_v<T, Complex>)
    return std::abs(x);
  else
    return std::fabs(static_cast<double>(x));
}

FileDifference compare_arrays(const std::string& what, const Array& a, const Array& b, bool is_column,
                              double tolerance) {
  if (a.type() != b.type() || a.shape() != b.shape())
    return {false, what + ": " + two(type_and_shape(a), type_and_shape(b))};
  if (a.type() == ElementType::any) return same();
  FileDifference out = same();
  visit_type(a.type(), [&]<class T>(Tag<T>) {
    if constexpr (!std::is_same_v<T, Any>) {
      const auto x = a.to_vector<T>(), y = b.to_vector<T>();
      double scale = 0;
      if constexpr (!std::is_same_v<T, std::string>)
        for (const auto& v : x)
          if (const auto size = size_of(v); std::isfinite(size)) scale = std::max(scale, size);
      const auto are_equal = [&](const T& p, const T& q) {
        if constexpr (std::is_same_v<T, std::string>)
          return p == q || (tolerance > 0 && are_close(p, q, tolerance));
        else if constexpr (std::is_same_v<T, Complex>)
          return p == q || std::abs(p - q) <= tolerance * scale || (p != p && q != q);
        else
          return p == q || (p != p && q != q) ||
                 std::fabs(static_cast<double>(p) - static_cast<double>(q)) <= tolerance * scale;
      };
      Index first = -1, count = 0;
      for (std::size_t k = 0; k < x.size(); ++k)
        if (!are_equal(x[k], y[k]) && count++ == 0) first = static_cast<Index>(k);
      if (count == 0) return;
      const auto at = static_cast<std::size_t>(first);
      out = {false, fmt::format("{}{}: {}{}", what, element_in_words(first, a.shape(), is_column),
                                two(element_text<T>(x[at]), element_text<T>(y[at])),
                                count > 1 ? fmt::format(" ({} differ)", count) : "")};
    }
  });
  return out;
}

std::string kind_of(const Data& data) {
  switch (data.kind) {
    case Data::Kind::none: return "nothing";
    case Data::Kind::parts:
    case Data::Kind::array: return type_and_shape(data.array);
    case Data::Kind::list: return counted(static_cast<Index>(data.items.size()), "item");
    case Data::Kind::record: return counted(static_cast<Index>(data.items.size()), "field");
  }
  return "";
}

FileDifference compare(const std::string& what, const Data& a, const Data& b, double tolerance) {
  const auto label = what.empty() ? std::string("the value") : what;
  if (a.kind != b.kind || a.items.size() != b.items.size() || a.names != b.names) {
    for (std::size_t k = 0; k < std::min(a.names.size(), b.names.size()); ++k)
      if (a.names[k] != b.names[k])
        return {false, fmt::format("{}: field {} is called {}", label, k + 1, two(a.names[k], b.names[k]))};
    return {false, fmt::format("{}: {}", label, two(kind_of(a), kind_of(b)))};
  }
  if (a.kind == Data::Kind::array) return compare_arrays(label, a.array, b.array, false, tolerance);
  const bool is_table = what.empty() && table_of(a) && table_of(b) && a.items[0].array.axes() == 1;
  for (std::size_t k = 0; k < a.items.size(); ++k) {
    const auto name =
        a.kind == Data::Kind::record ? fmt::format("`{}`", a.names[k]) : fmt::format("item {}", k + 1);
    const auto inner =
        is_table && a.items[k].array.axes() == 1
            ? compare_arrays("column " + name, a.items[k].array, b.items[k].array, true, tolerance)
            : compare(what.empty() ? name : what + ", " + name, a.items[k], b.items[k], tolerance);
    if (!inner.is_same) return inner;
  }
  return same();
}

FileDifference compare_attributes(std::string_view before, std::string_view now, const std::string& name,
                                  double tolerance) {
  auto a = read_hdf5_attributes(before, name), b = read_hdf5_attributes(now, name);
  for (auto* attributes : {&a, &b})
    for (std::size_t k = 0; k < attributes->names.size(); ++k)
      if (attributes->names[k] == kProvenanceKey) {
        attributes->names.erase(attributes->names.begin() + static_cast<std::ptrdiff_t>(k));
        attributes->items.erase(attributes->items.begin() + static_cast<std::ptrdiff_t>(k));
        break;
      }
  return compare("the attributes", a, b, tolerance);
}

FileDifference compare_pixels(const Array& a, const Array& b, double tolerance) {
  if (a.shape() != b.shape())
    return {false,
            fmt::format("{}×{} pixels, and now {}×{}", a.extent(1), a.extent(0), b.extent(1), b.extent(0))};
  const auto x = a.to_vector<std::uint8_t>(), y = b.to_vector<std::uint8_t>();
  const Index columns = a.extent(1), channels = a.axes() == 3 ? a.extent(2) : 1;
  const int allowed = tolerance > 0 ? kLevels : 0;
  Index count = 0, left = columns, right = -1, top = a.extent(0), bottom = -1;
  for (Index pixel = 0; pixel < a.extent(0) * columns; ++pixel) {
    bool differs = false;
    for (Index k = pixel * channels; k < (pixel + 1) * channels; ++k)
      differs =
          differs || std::abs(x[static_cast<std::size_t>(k)] - y[static_cast<std::size_t>(k)]) > allowed;
    if (!differs) continue;
    ++count;
    left = std::min(left, pixel % columns);
    right = std::max(right, pixel % columns);
    top = std::min(top, pixel / columns);
    bottom = std::max(bottom, pixel / columns);
  }
  if (count == 0) return same();
  return {false,
          fmt::format("{}, within columns {} to {} and rows {} to {} of {}×{}", counted(count, "pixel"),
                      left + 1, right + 1, top + 1, bottom + 1, columns, a.extent(0))};
}

FileDifference compare_lines(std::string_view before, std::string_view now, double tolerance) {
  for (Index line = 1; !before.empty() || !now.empty(); ++line) {
    const auto a = before.substr(0, before.find('\n')), b = now.substr(0, now.find('\n'));
    if (a != b && !(tolerance > 0 && are_close(a, b, tolerance)))
      return {false, fmt::format("line {}: {}", line, two(a, b))};
    before.remove_prefix(std::min(a.size() + 1, before.size()));
    now.remove_prefix(std::min(b.size() + 1, now.size()));
  }
  return same();
}

FileDifference compare_bytes(std::string_view before, std::string_view now) {
  const auto at = std::mismatch(before.begin(), before.end(), now.begin(), now.end()).first - before.begin();
  return {false, before.size() == now.size()
                     ? fmt::format("byte {} of {}", at + 1, before.size())
                     : fmt::format("byte {}; {} bytes, and now {}", at + 1, before.size(), now.size())};
}

}  // namespace

bool are_close(std::string_view before, std::string_view now, double tolerance) {
  const auto is_part = [](char c) { return (c >= '0' && c <= '9') || c == '.'; };
  std::size_t i = 0, j = 0;
  while (i < before.size() && j < now.size()) {
    if (!is_part(before[i]) || !is_part(now[j])) {
      if (before[i++] != now[j++]) return false;
      continue;
    }
    const auto number_at = [&](std::string_view text, std::size_t& at) {
      const auto begin = at;
      while (at < text.size() &&
             (is_part(text[at]) || (text[at] == 'e' && at > begin) ||
              ((text[at] == '-' || text[at] == '+') && text[at - 1] == 'e' && at > begin)))
        ++at;
      return text.substr(begin, at - begin);
    };
    const auto a = number_at(before, i), b = number_at(now, j);
    if (a == b) continue;
    const auto x = parse_number(a), y = parse_number(b);
    // Numbers printed with fewer digits may round differently.
    const auto point = a.find('.');
    const double last = point == a.npos || a.find('e') != a.npos
                            ? 0
                            : std::pow(10.0, -static_cast<double>(a.size() - point - 1));
    if (!x || !y ||
        std::fabs(*x - *y) > std::max(tolerance * std::max(std::fabs(*x), std::fabs(*y)), 1.001 * last))
      return false;
  }
  return i == before.size() && j == now.size();
}

FileDifference difference_of(const std::string& name, std::string_view before, std::string_view now,
                             double tolerance) {
  auto a = without_provenance(std::string(before)), b = without_provenance(std::string(now));
  if (a == b) return same();
  const auto ending = extension_of(name);
  if (ending == "svg" || ending == "txt") return compare_lines(a, b, tolerance);
  if (ending == "pdf") return compare_bytes(a, b);
  try {
    if (is_zipped(a)) a = unzipped(a, name);
    if (is_zipped(b)) b = unzipped(b, name);
    const auto& format = format_to_read(name, a);
    const auto x = format.read(a, name, {}), y = format.read(b, name, {});
    if (format.name == "PNG") return compare_pixels(x.array, y.array, tolerance);
    auto found = compare("", x, y, tolerance);
    if (is_hdf5(a) && is_hdf5(b)) return found.is_same ? compare_attributes(a, b, name, tolerance) : found;
    // The same values, written in another way.
    return found.is_same && tolerance == 0 && !provenance_in(before) && !provenance_in(now)
               ? compare_lines(a, b, 0)
               : found;
  } catch (const Error&) {
    return find_malformed(a) == std::string::npos && find_malformed(b) == std::string::npos
               ? compare_lines(a, b, tolerance)
               : compare_bytes(a, b);
  }
}

}  // namespace quill
