// Writes tables.
#include "files/csv.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <functional>
#include <memory>

#include "base/interrupt.h"
#include "base/number.h"
#include "base/parallel.h"
#include "base/progress.h"
#include "base/text.h"
#include "base/time_text.h"
#include "files/csv_fields.h"
#include "files/data.h"

namespace quill {

namespace {

// Whether it could be taken for several fields with blanks between them, of which some are numbers.
bool looks_like_fields(std::string_view text) {
  static const FieldRules usual;
  if (text.find(' ') == text.npos) return false;
  for (std::size_t at = 0; at < text.size();) {
    const auto end = std::min(text.find(' ', at), text.size());
    if (end > at && number_in(text.substr(at, end - at), usual)) return true;
    at = end + 1;
  }
  return false;
}

std::string quoted_if_needed(const std::string& text) {
  static const FieldRules usual;
  const bool plain = !looks_like_fields(text) && text.find_first_of(",;\t\"\r\n#") == std::string::npos &&
                     trim(text) == text && is_plain_text(text, usual) && !boolean_in(text) &&
                     !text.starts_with("\xEF\xBB\xBF");
  if (plain) return text;
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

// Appends the element with a row-order index to a text. Points into the array without owning it, so that
// threads may share it.
using Cell = std::function<void(std::string& out, std::size_t k)>;

// For a compact array; `missing` is written for missing times.
Cell cell_of(const Array& a, const char* missing) {
  if (holds_times(a))
    return [from = a.data<double>(), missing](std::string& out, std::size_t k) {
      out += std::isnan(from[k]) ? missing : time_text(from[k]);
    };
  return visit_type(a.type(), [&]<class T>(Tag<T>) -> Cell {
    if constexpr (std::is_same_v<T, Complex> || std::is_same_v<T, Any>) {
      fail(fmt::format("elements of type {} cannot be written as CSV", name_of(type_of<T>)),
           std::is_same_v<T, Complex> ? "save real(z) and imag(z) as two columns" : "");
    } else {
      return [from = a.data<T>()](std::string& out, std::size_t k) {
        if constexpr (std::is_same_v<T, double>) {
          append_shortest(out, from[k]);
        } else if constexpr (std::is_same_v<T, float>) {
          out += shortest_single(from[k]);
        } else if constexpr (std::is_same_v<T, bool>) {
          out += from[k] ? "true" : "false";
        } else if constexpr (std::is_same_v<T, std::string>) {
          out += quoted_if_needed(from[k]);
        } else {
          char text[24];
          out.append(text, std::to_chars(text, text + sizeof text, from[k]).ptr);
        }
      };
    }
  });
}

// Rows of cells after the text, by pieces in all threads. `write(text, row)` writes a row.
template <class Write>
void append_rows(std::string& out, Index rows, const Write& write) {
  constexpr Index piece = 16384;
  constexpr std::size_t at_once = 16;  // pieces in memory beside the text
  std::vector<std::string> texts(at_once);
  for (Index from = 0; from < rows; from += piece * static_cast<Index>(at_once)) {
    const auto pieces = std::min<Index>(at_once, (rows - from + piece - 1) / piece);
    in_parallel(pieces, [&](Index p) {
      auto& text = texts[static_cast<std::size_t>(p)];
      text.clear();
      const auto begin = from + p * piece, end = std::min(rows, begin + piece);
      for (Index r = begin; r < end; ++r) {
        poll_interrupt_at(static_cast<std::size_t>(r));
        write(text, static_cast<std::size_t>(r));
      }
    });
    for (Index p = 0; p < pieces; ++p) out += texts[static_cast<std::size_t>(p)];
  }
}

}  // namespace

CsvField csv_field(const Column& element) {
  const auto& [name, value] = element;
  CsvField out;
  if (value.label && !holds_times(value)) out.unit = value.label->unit;
  cell_of(value, "")(out.text, 0);
  return out;
}

std::string csv_field(const std::string& text) { return quoted_if_needed(text); }

namespace {

// A column of a table: of `values`, or produced in parts, where `values` has only its label and type.
struct TableColumn {
  std::string name;
  Array values;
  Shape shape;
  std::shared_ptr<const DataInParts> parts{};
  // The rows from `begin`, compact.
  Array rows(Index begin, Index count) const {
    if (!parts) {
      if (count == values.size()) return values;
      return values.view(values.offset() + begin * values.strides()[0], {count}, values.strides()).compact();
    }
    auto out = parts->elements(begin, count).compact();
    out.label = values.label;
    return out;
  }
};

// Line with the names. Throws Error if the columns are no table.
std::string header_of(std::span<const TableColumn> columns, char delimiter) {
  std::string out;
  for (const auto& column : columns) {
    if (column.shape.count() != 1)
      fail(fmt::format("column `{}` is not a vector but an array of shape {}", column.name,
                       text_of(column.shape)));
    if (column.shape[0] != columns[0].shape[0])
      fail(fmt::format("columns `{}` and `{}` have different lengths: {} and {}", columns[0].name,
                       column.name, columns[0].shape[0], column.shape[0]));
    const auto& label = column.values.label;
    const auto header = label && !label->unit.empty() && !holds_times(column.values)
                            ? fmt::format("{} ({})", column.name, label->unit)
                            : column.name;
    if (&column != columns.data()) out += delimiter;
    out += quoted_if_needed(header);
  }
  return out + '\n';
}

void append_table(std::string& out, std::span<const TableColumn> columns, char delimiter, Index begin,
                  Index count) {
  std::vector<Array> kept;
  std::vector<Cell> cells;
  for (const auto& column : columns) {
    kept.push_back(column.rows(begin, count));
    // A line with nothing on it would be passed over.
    cells.push_back(cell_of(kept.back(), columns.size() == 1 ? "NA" : ""));
  }
  append_rows(out, count, [&](std::string& text, std::size_t r) {
    for (const auto& cell : cells) {
      cell(text, r);
      text += delimiter;
    }
    text.back() = '\n';
  });
}

[[noreturn]] void not_for_csv(const Shape& shape) {
  fail(fmt::format("CSV files contain vectors and matrices, not arrays of shape {}", text_of(shape)));
}

void put_matrix(const DataInParts& parts, char delimiter, const TextTaker& take) {
  const auto shape = parts.shape();
  if (shape.count() > 2) not_for_csv(shape);
  const auto sample = parts.sample();
  cell_of(sample, "");  // refuses some types before anything is read
  const auto width = shape.count() == 2 ? static_cast<std::size_t>(shape[1]) : 1;
  std::size_t before = 0;
  std::string text;
  parts.for_each_part([&](const std::vector<Index>&, const Array& given) {
    auto elements = given.compact();
    elements.label = sample.label;
    const auto cell = cell_of(elements, "NA");
    text.clear();
    append_rows(text, elements.size(), [&](std::string& out, std::size_t k) {
      cell(out, k);
      out += (before + k + 1) % width == 0 ? '\n' : delimiter;
    });
    before += static_cast<std::size_t>(elements.size());
    take(text);
  });
}

}  // namespace

std::string write_csv(std::span<const Column> columns, char delimiter) {
  std::vector<TableColumn> table;
  for (const auto& [name, values] : columns) table.push_back({name, values.compact(), values.shape()});
  auto out = header_of(table, delimiter);
  if (!table.empty()) append_table(out, table, delimiter, 0, table[0].shape[0]);
  return out;
}

void put_csv(const Data& data, char delimiter, const TextTaker& take) {
  if (data.kind == Data::Kind::parts) return put_matrix(*data.parts, delimiter, take);
  std::vector<TableColumn> table;
  Index step = 1;
  for (std::size_t k = 0; k < data.items.size(); ++k) {
    const auto& item = data.items[k];
    if (item.parts) {
      table.push_back({data.names[k], item.parts->sample(), item.parts->shape(), item.parts});
      cell_of(table.back().values, "");
    } else {
      table.push_back({data.names[k], item.array.compact(), item.array.shape()});
    }
  }
  take(header_of(table, delimiter));
  for (const auto& column : table)
    if (column.parts) step = std::max(step, column.parts->efficient_length());
  const auto rows = table.empty() ? 0 : table[0].shape[0];
  Index begin = 0;
  const Progress progress("writing a table",
                          [&] { return static_cast<double>(begin) / static_cast<double>(rows); });
  std::string text;
  for (; begin < rows; begin += step) {
    text.clear();
    append_table(text, table, delimiter, begin, std::min(step, rows - begin));
    take(text);
  }
}

std::string write_csv(const Array& array, char delimiter) {
  if (array.axes() > 2) not_for_csv(array.shape());
  const auto kept = array.compact();
  const auto cell = cell_of(kept, "NA");
  const auto width = array.axes() == 2 ? static_cast<std::size_t>(array.extent(1)) : 1;
  std::string out;
  // The first row of texts would be read as names.
  if (array.type() == ElementType::text)
    for (std::size_t c = 1; c <= width; ++c)
      out += fmt::format("column{}{}", c, c == width ? '\n' : delimiter);
  if (array.size() == 0) return out;
  append_rows(out, array.size() / static_cast<Index>(width), [&](std::string& text, std::size_t r) {
    for (std::size_t c = 0; c < width; ++c) {
      cell(text, r * width + c);
      text += delimiter;
    }
    text.back() = '\n';
  });
  return out;
}

namespace {

// Converts a tab-separated cell for blank-separated columns.
std::string between_blanks(std::string_view cell) {
  if (cell.empty()) return "NA";
  if (cell[0] == '"' || cell.find(' ') == cell.npos) return std::string(cell);
  return fmt::format("\"{}\"", cell);
}

// The cells of a line; a tab inside of quotes divides none.
std::vector<std::string> cells_in(std::string_view line) {
  std::vector<std::string> out;
  bool quoted = false;
  std::size_t begin = 0;
  for (std::size_t at = 0; at <= line.size(); ++at) {
    if (at < line.size() && line[at] == '"') quoted = !quoted;
    if (at < line.size() && (line[at] != '\t' || quoted)) continue;
    out.push_back(between_blanks(line.substr(begin, at - begin)));
    begin = at + 1;
  }
  return out;
}

}  // namespace

std::string write_columns(std::span<const Column> columns) {
  const auto text = write_csv(columns, '\t');
  std::vector<std::vector<std::string>> lines;
  std::vector<std::size_t> widths(columns.size(), 0);
  for (std::size_t at = 0; at < text.size();) {
    const auto end = text.find('\n', at);
    lines.push_back(cells_in(std::string_view(text).substr(at, end - at)));
    if (lines.back().size() != columns.size())
      fail("a text with a line end cannot be written in columns separated by spaces", "save it as CSV");
    for (std::size_t c = 0; c < columns.size(); ++c)
      widths[c] = std::max(widths[c], display_width(lines.back()[c]));
    at = end + 1;
  }
  std::string out;
  for (const auto& cells : lines) {
    for (std::size_t c = 0; c < cells.size(); ++c)
      out += (c > 0 ? "  " : "") + (columns[c].values.type() == ElementType::text
                                        ? pad_right(cells[c], widths[c])
                                        : pad_left(cells[c], widths[c]));
    out.erase(out.find_last_not_of(' ') + 1);
    out += '\n';
  }
  return out;
}

}  // namespace quill
