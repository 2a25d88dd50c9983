#include "value/print.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/index.h"
#include "base/text.h"
#include "value/construct.h"
#include "value/print_cells.h"

namespace quill {

namespace {

Array pick_rows(const Array& a, const std::vector<Index>& rows, const std::vector<Index>& columns) {
  const std::vector<Subscript> s = {
      {Subscript::Kind::positions, 0, 1, static_cast<Index>(rows.size()), rows},
      {Subscript::Kind::positions, 0, 1, static_cast<Index>(columns.size()), columns}};
  return select(a, s);
}

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
  // The largest number of columns that fit.
  for (Index most = std::min<Index>(a.extent(1), 64); most >= 1; most = most > 8 ? most - 2 : most - 1) {
    const auto columns = shown_of(a.extent(1), most % 2 && most < a.extent(1) && most > 1 ? most - 1 : most);
    const auto part = pick_rows(a, rows.indices, columns.indices);
    auto lines = aligned_rows(cells_of(part, style), rows.indices.size(), columns.indices.size(),
                              rows.gap_after, columns.gap_after);
    const auto widest = std::max_element(lines.begin(), lines.end(), [](const auto& x, const auto& y) {
      return display_width(x) < display_width(y);
    });
    if (display_width(*widest) <= static_cast<std::size_t>(options.width) || a.extent(1) == 1) return lines;
    if (most > 2) continue;
    // If not even two columns fit: only the first one, marked as incomplete.
    lines = aligned_rows(cells_of(pick_rows(a, rows.indices, {0}), style), rows.indices.size(), 1,
                         rows.gap_after, 0);
    for (auto& line : lines)
      if (line != "  …") line += "  …";
    return lines;
  }
  return {};
}

std::vector<std::string> vector_lines(const Array& a, const PrintOptions& options, const NumberStyle& style) {
  const auto width = static_cast<std::size_t>(options.width);
  const auto indices = shown_of(a.size(), 100);
  const std::vector<Subscript> s = {
      {Subscript::Kind::positions, 0, 1, static_cast<Index>(indices.indices.size()), indices.indices}};
  auto cells = cells_of(select(a, s), style);
  // Cells of equal width, so that lines form columns.
  ColumnWidth column;
  for (const auto& cell : cells) column.add(cell);
  const auto cell_width = column.before + column.behind + kColumnGap;
  // Lists of long items are shown one below the other.
  constexpr std::size_t long_thing = 20;
  const bool one_each = a.type() == ElementType::any && column.before + column.behind > long_thing;
  const auto per_line = one_each ? 1 : std::max<std::size_t>(1, width / std::max<std::size_t>(cell_width, 1));
  std::vector<std::string> lines(1);
  for (std::size_t i = 0; i < cells.size(); ++i) {
    if (i > 0 && i % per_line == 0) lines.emplace_back();
    auto& line = lines.back();
    line += std::string(kColumnGap, ' ');
    if (indices.gap_after > 0 && i == indices.gap_after) line += "… ";
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

std::vector<std::string> array_lines(const Array& a, const PrintOptions& options) {
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
      collect_numbers(pick_rows(a, rows.indices, columns.indices), numbers);
    }
    return matrix_lines(a, options, NumberStyle::for_block(numbers, options.digits));
  }
  std::vector<std::string> lines;
  Index count = 1;
  for (int i = 0; i + 2 < a.axes(); ++i) count *= a.extent(i);
  const auto style =
      small ? NumberStyle::for_block(numbers, options.digits) : NumberStyle{options.digits, -1};
  const auto shown = shown_of(count, 6);
  for (std::size_t k = 0; k < shown.indices.size(); ++k) {
    if (shown.gap_after > 0 && k == shown.gap_after) lines.emplace_back("…");
    std::vector<Subscript> s;
    std::string header = "[";
    Index left = shown.indices[k];
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

std::vector<std::string> named_lines(const std::vector<std::pair<std::string, Value>>& fields, int digits) {
  std::vector<std::string> lines;
  std::size_t width = 0;
  for (const auto& [name, value] : fields) width = std::max(width, display_width(name));
  for (const auto& [name, value] : fields) {
    auto contents = short_form(value, digits);
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
      if (value.array().axes() == 0 && (is_integer(value.array().type()) || is_time(value)))
        return {inline_text(value)};
      if (const auto x = single_real(value)) return {with_digits(*x, options.digits)};
      if (value.array().axes() == 0) {
        const auto z = value.array().to_vector<Complex>()[0];
        return {complex_text(z, with_digits(z.real(), options.digits),
                             with_digits(std::fabs(z.imag()), options.digits))};
      }
      if (value.array().type() == ElementType::any)
        if (const auto table = table_of_records(value.array()))
          return table_lines(table->object<RecordObject>(), kMostRows, options);
      return array_lines(value.array(), options);
    case Kind::store:
    case Kind::alias: return lines_of(plain_value(value), options);
    case Kind::range: {
      const auto& r = value.object<RangeObject>();
      if (r.count <= 200) return array_lines(r.to_array(), options);
      return {fmt::format("  {} … {}", with_digits(r.first, options.digits),
                          with_digits(r.at(r.count - 1), options.digits))};
    }
    case Kind::record: {
      const auto& record = value.object<RecordObject>();
      if (is_shown_as_table(value)) return table_lines(record, options.rows, options);
      return named_lines(record.fields, options.digits);
    }
    case Kind::dictionary: {
      std::vector<std::pair<std::string, Value>> fields;
      for (const auto& [key, v] : value.object<DictionaryObject>().entries)
        fields.emplace_back(short_form(key, options.digits), v);
      if (fields.empty()) return {"  {}"};
      return named_lines(fields, options.digits);
    }
    case Kind::library: return {value.object<LibraryObject>().describe()};
    case Kind::function: {
      const auto& prose = value.object<FunctionObject>().head.prose;
      std::vector<std::string> lines = {inline_text(value)};
      for (std::size_t at = 0; at < prose.size();) {
        const auto end = std::min(prose.find('\n', at), prose.size());
        lines.push_back("  " + prose.substr(at, end - at));
        at = end + 1;
      }
      return lines;
    }
    default: return {inline_text(value)};
  }
}

}  // namespace

std::string layout(const Value& value, const PrintOptions& options) {
  return fmt::format("{}", fmt::join(lines_of(value, options), "\n"));
}

}  // namespace quill
