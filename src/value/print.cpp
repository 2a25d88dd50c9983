#include "value/print.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/index.h"
#include "base/text.h"
#include "base/time_text.h"

namespace quill {

namespace {

// One number as shown: the text, and where its decimal point is for the alignment of a column.
struct Cell {
  std::string text;
  std::size_t before = 0;  // width before the point
  bool left = false;       // texts stand at the left
  bool right = false;      // nan and inf at the right, whatever their length

  std::size_t behind() const { return left || right ? 0 : display_width(text) - before; }
  std::string padded(std::size_t column_before, std::size_t column_behind) const {
    const auto width = column_before + column_behind;
    if (left) return pad_right(text, width);
    if (right) return pad_left(text, width);
    return pad_right(std::string(column_before - before, ' ') + text, width);
  }
};

// The widths of a column before and behind its decimal points.
struct ColumnWidth {
  std::size_t before = 0, behind = 0;
  void add(const Cell& cell) {
    if (cell.left || cell.right) {
      const auto width = display_width(cell.text);
      if (width > before + behind) before = width - behind;
      return;
    }
    before = std::max(before, cell.before);
    behind = std::max(behind, cell.behind());
  }
};

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

// Numbers of one block get the same count of decimals: as many as the smallest of ordinary size needs for
// its significant digits, bounded by those of the largest.
struct NumberStyle {
  int digits = 5;
  int decimals = -1;  // -1: each for itself

  static NumberStyle for_block(const std::vector<double>& values, int digits) {
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
    // The digits of the largest decide; they are dropped where no number needs them.
    int decimals = std::max(0, digits - 1 - exponent);
    const double smallest_shown = std::pow(10.0, -decimals);
    for (const double v : values)
      if (std::isfinite(v) && v != 0 && std::fabs(v) < smallest_shown * 10)
        return style;  // too different in size
    const auto needs = [&](int d) {
      return std::any_of(values.begin(), values.end(), [&](double v) {
        if (!std::isfinite(v)) return false;
        return fmt::format("{:.{}f}", v, decimals)
                       .substr(0, fmt::format("{:.{}f}", v, decimals).size() -
                                      static_cast<std::size_t>(decimals - d)) !=
                   fmt::format("{:.{}f}", v, d) ||
               std::fabs(std::stod(fmt::format("{:.{}f}", v, d)) -
                         std::stod(fmt::format("{:.{}f}", v, decimals))) > 0;
      });
    };
    while (decimals > 0 && !needs(decimals - 1)) --decimals;
    style.decimals = decimals;
    return style;
  }

  std::string text(double v) const {
    if (!std::isfinite(v)) return shortest(v);
    if (decimals >= 0) {
      auto out = fmt::format("{:.{}f}", v, decimals);
      if (v == 0 && out.starts_with('-')) out.erase(0, 1);
      return out;
    }
    return with_digits(v, digits);
  }
};

void collect_numbers(const Array& a, std::vector<double>& into) {
  if (is_real(a.type()))
    for (const double v : a.converted(ElementType::float64).to_vector<double>()) into.push_back(v);
  if (a.type() == ElementType::complex128)
    for (const auto z : a.to_vector<Complex>()) {
      into.push_back(z.real());
      into.push_back(z.imag());
    }
}

std::string short_form(const Value& value);

std::vector<Cell> cells_of(const Array& a, const NumberStyle& style) {
  std::vector<Cell> out;
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
        out.push_back({fmt::format("\"{}\"", printable(v)), 0, true, false});
      else if constexpr (std::is_integral_v<T>)
        out.push_back(cell_of(fmt::format("{}", v)));
      else
        out.push_back({short_form(element_value(v)), 0, true, false});
    }
  });
  return out;
}

// The rows and columns that are shown when there are too many, with a gap after the first half.
struct Shown {
  std::vector<Index> places;
  std::size_t gap_after = 0;  // 0: everything is shown
};

Shown shown_of(Index count, Index most) {
  Shown s;
  if (count <= most) {
    for (Index i = 0; i < count; ++i) s.places.push_back(i);
    return s;
  }
  const Index half = most / 2;
  for (Index i = 0; i < half; ++i) s.places.push_back(i);
  for (Index i = count - half; i < count; ++i) s.places.push_back(i);
  s.gap_after = static_cast<std::size_t>(half);
  return s;
}

Array pick_rows(const Array& a, const std::vector<Index>& rows, const std::vector<Index>& columns) {
  const std::vector<Subscript> s = {
      {Subscript::Kind::positions, 0, 1, static_cast<Index>(rows.size()), rows},
      {Subscript::Kind::positions, 0, 1, static_cast<Index>(columns.size()), columns}};
  return select(a, s);
}

constexpr std::size_t kColumnGap = 2;

// A table of cells; each column aligned at its decimal points.
std::vector<std::string> aligned_rows(const std::vector<Cell>& cells, std::size_t rows, std::size_t columns,
                                      std::size_t row_gap, std::size_t column_gap) {
  std::vector<std::string> lines(rows);
  for (std::size_t c = 0; c < columns; ++c) {
    ColumnWidth width;
    for (std::size_t r = 0; r < rows; ++r) width.add(cells[r * columns + c]);
    for (std::size_t r = 0; r < rows; ++r) {
      const auto& cell = cells[r * columns + c];
      auto& line = lines[r];
      line += std::string(kColumnGap, ' ');
      if (c > 0 && c == column_gap) line += "…" + std::string(kColumnGap, ' ');
      line += cell.padded(width.before, width.behind);
    }
  }
  for (auto& line : lines) line.erase(line.find_last_not_of(' ') + 1);
  if (row_gap > 0) lines.insert(lines.begin() + static_cast<std::ptrdiff_t>(row_gap), "  …");
  return lines;
}

constexpr Index kMostRows = 16;

std::vector<std::string> matrix_lines(const Array& a, const PrintOptions& options, const NumberStyle& style) {
  const auto rows = shown_of(a.extent(0), kMostRows);
  // As many columns as fit, found by trying fewer and fewer.
  for (Index most = std::min<Index>(a.extent(1), 64); most >= 1; most = most > 8 ? most - 2 : most - 1) {
    const auto columns = shown_of(a.extent(1), most % 2 && most < a.extent(1) && most > 1 ? most - 1 : most);
    const auto part = pick_rows(a, rows.places, columns.places);
    auto lines = aligned_rows(cells_of(part, style), rows.places.size(), columns.places.size(),
                              rows.gap_after, columns.gap_after);
    const auto widest = std::max_element(lines.begin(), lines.end(), [](const auto& x, const auto& y) {
      return display_width(x) < display_width(y);
    });
    if (display_width(*widest) <= static_cast<std::size_t>(options.width) || a.extent(1) == 1) return lines;
    if (most > 2) continue;
    // Not even two columns fit: the first one alone, with a sign that there are more.
    lines = aligned_rows(cells_of(pick_rows(a, rows.places, {0}), style), rows.places.size(), 1,
                         rows.gap_after, 0);
    for (auto& line : lines)
      if (line != "  …") line += "  …";
    return lines;
  }
  return {};
}

std::vector<std::string> vector_lines(const Array& a, const PrintOptions& options, const NumberStyle& style) {
  const auto width = static_cast<std::size_t>(options.width);
  const auto places = shown_of(a.size(), 100);
  const std::vector<Subscript> s = {
      {Subscript::Kind::positions, 0, 1, static_cast<Index>(places.places.size()), places.places}};
  auto cells = cells_of(select(a, s), style);
  // All cells equally wide, so that several lines stand in columns.
  ColumnWidth column;
  for (const auto& cell : cells) column.add(cell);
  const auto cell_width = column.before + column.behind + kColumnGap;
  // Lists of long things stand under each other.
  constexpr std::size_t long_thing = 20;
  const bool one_each = a.type() == ElementType::any && column.before + column.behind > long_thing;
  const auto per_line = one_each ? 1 : std::max<std::size_t>(1, width / std::max<std::size_t>(cell_width, 1));
  std::vector<std::string> lines(1);
  for (std::size_t i = 0; i < cells.size(); ++i) {
    if (i > 0 && i % per_line == 0) lines.emplace_back();
    auto& line = lines.back();
    line += std::string(kColumnGap, ' ');
    if (places.gap_after > 0 && i == places.gap_after) line += "… ";
    line += cells[i].padded(column.before, column.behind);
  }
  constexpr std::size_t most_lines = 8;
  if (lines.size() > most_lines) {
    lines.erase(lines.begin() + most_lines / 2, lines.end() - most_lines / 2);
    lines.insert(lines.begin() + most_lines / 2, "  …");
  }
  for (auto& line : lines) line.erase(line.find_last_not_of(' ') + 1);
  return lines;
}

// Points in time as they are written.
Array as_time_texts(const Array& a) {
  Array out(ElementType::text, a.shape());
  const auto times = a.to_vector<double>();
  for (std::size_t k = 0; k < times.size(); ++k) out.mutable_data<std::string>()[k] = time_text(times[k]);
  return out;
}

std::vector<std::string> array_lines(const Array& a, const PrintOptions& options) {
  constexpr Index few = 100000;
  if (holds_times(a) && a.size() > 0 && a.size() < few) return array_lines(as_time_texts(a), options);
  std::vector<double> numbers;
  const bool small = a.size() <= 4000;
  if (small) collect_numbers(a, numbers);
  if (a.size() == 0) return {fmt::format("  (empty, {} {})", name_of(a.type()), text_of(a.shape()))};
  if (a.axes() == 1)
    return vector_lines(
        a, options,
        small ? NumberStyle::for_block(numbers, options.digits) : NumberStyle{options.digits, -1});
  if (a.axes() == 2) {
    if (!small) {
      const auto rows = shown_of(a.extent(0), kMostRows), columns = shown_of(a.extent(1), 64);
      collect_numbers(pick_rows(a, rows.places, columns.places), numbers);
    }
    return matrix_lines(a, options, NumberStyle::for_block(numbers, options.digits));
  }
  std::vector<std::string> lines;
  Index count = 1;
  for (int i = 0; i + 2 < a.axes(); ++i) count *= a.extent(i);
  const auto style =
      small ? NumberStyle::for_block(numbers, options.digits) : NumberStyle{options.digits, -1};
  const auto shown = shown_of(count, 6);
  for (std::size_t k = 0; k < shown.places.size(); ++k) {
    if (shown.gap_after > 0 && k == shown.gap_after) lines.emplace_back("…");
    std::vector<Subscript> s;
    std::string header = "[";
    Index left = shown.places[k];
    std::vector<Index> at(static_cast<std::size_t>(a.axes() - 2));
    for (int i = a.axes() - 3; i >= 0; --i) {
      at[static_cast<std::size_t>(i)] = left % a.extent(i);
      left /= a.extent(i);
    }
    for (const auto p : at) {
      s.push_back({Subscript::Kind::position, p, 1, 1, {}});
      header += fmt::format("{}, ", p + 1);
    }
    s.push_back({Subscript::Kind::rest, 0, 1, 0, {}});
    lines.push_back(header + ".., ..]");
    for (auto& line : matrix_lines(select(a, s), options, style)) lines.push_back(std::move(line));
  }
  return lines;
}

// A value inside of something else: small things whole, arrays by type and shape.
std::string short_form(const Value& value) {
  switch (value.kind()) {
    case Kind::number:
    case Kind::truth:
    case Kind::none: return inline_text(value);
    case Kind::text: return fmt::format("\"{}\"", printable(value.text()));
    case Kind::array:
      if (value.array().axes() <= 1 && value.array().size() <= 6) return inline_text(value);
      break;
    case Kind::tuple:
      if (value.object<TupleObject>().items.size() <= 4) return inline_text(value);
      break;
    default: break;
  }
  return card_contents(value);
}

std::vector<std::string> named_lines(const std::vector<std::pair<std::string, Value>>& fields) {
  std::vector<std::string> lines;
  std::size_t width = 0;
  for (const auto& [name, value] : fields) width = std::max(width, display_width(name));
  for (const auto& [name, value] : fields) {
    auto contents = short_form(value);
    if (value.is(Kind::array) && value.array().label && !value.array().label->unit.empty() &&
        !holds_times(value.array()))
      contents += fmt::format(" ({})", value.array().label->unit);
    lines.push_back(fmt::format("  {}  {}", pad_right(name, width), contents));
  }
  return lines;
}

std::vector<std::string> lines_of(const Value& value, const PrintOptions& options) {
  switch (value.kind()) {
    case Kind::text: return {value.text()};
    case Kind::number: return {with_digits(value.number(), options.digits)};
    case Kind::array:
      if (value.array().axes() == 0 && is_integer(value.array().type())) return {inline_text(value)};
      if (const auto x = single_real(value)) return {with_digits(*x, options.digits)};
      if (value.array().axes() == 0) {
        const auto z = value.array().to_vector<Complex>()[0];
        return {complex_text(z, with_digits(z.real(), options.digits),
                             with_digits(std::fabs(z.imag()), options.digits))};
      }
      return array_lines(value.array(), options);
    case Kind::store:
    case Kind::alias: return lines_of(plain_value(value), options);
    case Kind::range: {
      const auto& r = value.object<RangeObject>();
      if (r.count <= 200) return array_lines(r.to_array(), options);
      return {fmt::format("  {} … {}", with_digits(r.first, options.digits),
                          with_digits(r.at(r.count - 1), options.digits))};
    }
    case Kind::record: return named_lines(value.object<RecordObject>().fields);
    case Kind::dictionary: {
      std::vector<std::pair<std::string, Value>> fields;
      for (const auto& [key, v] : value.object<DictionaryObject>().entries)
        fields.emplace_back(short_form(key), v);
      if (fields.empty()) return {"  {}"};
      return named_lines(fields);
    }
    case Kind::library: return {value.object<LibraryObject>().describe()};
    default: return {inline_text(value)};
  }
}

}  // namespace

std::string layout(const Value& value, const PrintOptions& options) {
  return fmt::format("{}", fmt::join(lines_of(value, options), "\n"));
}

}  // namespace quill
