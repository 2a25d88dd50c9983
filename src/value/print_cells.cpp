#include "value/print_cells.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "base/time_text.h"

namespace quill {

Cell cell_of(std::string text) {
  Cell c{std::move(text), 0, false, false};
  if (c.text.find_first_of("0123456789") == std::string::npos && c.text != "true" && c.text != "false") {
    c.right = true;
    return c;
  }
  const auto e = c.text.find_first_of(".e");
  const auto last_digit = c.text.find_last_of("0123456789");
  c.before = e != std::string::npos && last_digit != std::string::npos
                 ? display_width(std::string_view(c.text).substr(0, e))
                 : display_width(c.text);
  return c;
}

NumberStyle NumberStyle::for_block(const std::vector<double>& values, int digits) {
  NumberStyle style{digits, -1};
  double largest = 0;
  bool all_whole = true;
  for (const double v : values) {
    if (!std::isfinite(v)) continue;
    largest = std::max(largest, std::fabs(v));
    all_whole = all_whole && is_whole(v) && std::fabs(v) < 1e15;
  }
  if (all_whole) {
    style.decimals = 0;
    return style;
  }
  if (largest == 0) return style;
  const int exponent = static_cast<int>(std::floor(std::log10(largest)));
  if (exponent >= digits || exponent < -3) return style;
  // By the digits of the largest; unused decimals are dropped.
  int decimals = std::max(0, digits - 1 - exponent);
  const double smallest_shown = std::pow(10.0, -decimals);
  for (const double v : values)
    if (std::isfinite(v) && v != 0 && std::fabs(v) < smallest_shown * 10)
      return style;  // magnitudes differ too much
  const auto needs = [&](int d) {
    return std::any_of(values.begin(), values.end(), [&](double v) {
      if (!std::isfinite(v)) return false;
      return fmt::format("{:.{}f}", v, decimals)
                     .substr(0, fmt::format("{:.{}f}", v, decimals).size() -
                                    static_cast<std::size_t>(decimals - d)) != fmt::format("{:.{}f}", v, d) ||
             std::fabs(std::stod(fmt::format("{:.{}f}", v, d)) -
                       std::stod(fmt::format("{:.{}f}", v, decimals))) > 0;
    });
  };
  while (decimals > 0 && !needs(decimals - 1)) --decimals;
  style.decimals = decimals;
  return style;
}

std::string NumberStyle::text(double v) const {
  if (!std::isfinite(v)) return shortest(v);
  if (decimals >= 0) {
    auto out = fmt::format("{:.{}f}", v, decimals);
    if (v == 0 && out.starts_with('-')) out.erase(0, 1);
    return out;
  }
  return with_digits(v, digits);
}
void collect_numbers(const Array& a, std::vector<double>& into) {
  if (is_real(a.type()))
    for (const double v : a.converted(ElementType::float64).to_vector<double>()) into.push_back(v);
  if (a.type() == ElementType::complex128)
    for (const auto z : a.to_vector<Complex>()) {
      into.push_back(z.real());
      into.push_back(z.imag());
    }
}

std::vector<Cell> cells_of(const Array& a, const NumberStyle& style) {
  std::vector<Cell> out;
  if (holds_times(a)) {
    for (const double t : a.to_vector<double>()) out.push_back({time_text(t), 0, true, false});
    return out;
  }
  visit_type(a.type(), [&]<class T>(Tag<T>) {
    for (const auto& v : a.to_vector<T>()) {
      if constexpr (std::is_floating_point_v<T>)
        out.push_back(cell_of(style.text(v)));
      else if constexpr (std::is_same_v<T, bool>)
        out.push_back(cell_of(v ? "true" : "false"));
      else if constexpr (std::is_same_v<T, Complex>) {
        auto cell = cell_of(style.text(v.real()));
        cell.text = complex_text(v, cell.text, style.text(std::fabs(v.imag())));
        out.push_back(cell);
      } else if constexpr (std::is_same_v<T, std::string>)
        out.push_back({in_quotes(v), 0, true, false});
      else if constexpr (std::is_integral_v<T>)
        out.push_back(cell_of(fmt::format("{}", v)));
      else
        out.push_back({short_form(element_value(v), style.digits), 0, true, false});
    }
  });
  return out;
}

Shown shown_of(Index count, Index most) {
  Shown s;
  if (count <= most) {
    for (Index i = 0; i < count; ++i) s.indices.push_back(i);
    return s;
  }
  const Index half = most / 2;
  for (Index i = 0; i < half; ++i) s.indices.push_back(i);
  for (Index i = count - half; i < count; ++i) s.indices.push_back(i);
  s.gap_after = static_cast<std::size_t>(half);
  return s;
}

}  // namespace quill
