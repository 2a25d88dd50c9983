// Cells of printed columns, aligned at decimal points.
#pragma once

#include <string>
#include <vector>

#include "base/text.h"
#include "value/print.h"

namespace quill {

// One displayed number: its text, and the position of its decimal point.
struct Cell {
  std::string text;
  std::size_t before = 0;  // width before the point
  bool left = false;       // texts are aligned left
  bool right = false;      // nan and inf are aligned right, whatever their length

  std::size_t behind() const { return left || right ? 0 : display_width(text) - before; }
  std::string padded(std::size_t column_before, std::size_t column_behind) const {
    const auto width = column_before + column_behind;
    if (left) return pad_right(text, width);
    if (right) return pad_left(text, width);
    return pad_right(std::string(column_before - before, ' ') + text, width);
  }
};

// Widths of a column before and after its decimal points.
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

// Numbers of one block have equally many decimals: as many as the smallest one of ordinary size needs for its
// significant digits, limited by the largest.
struct NumberStyle {
  int digits = 5;
  int decimals = -1;  // -1: chosen for each number

  static NumberStyle for_block(const std::vector<double>& values, int digits);
  std::string text(double v) const;
};

// Displayed rows or columns if there are too many: a gap follows the first half.
struct Shown {
  std::vector<Index> indices;
  std::size_t gap_after = 0;  // 0: no gap
};
Shown shown_of(Index count, Index most);

Cell cell_of(std::string text);
// Appends the numbers of a real or complex array, from which the style is chosen.
void collect_numbers(const Array& a, std::vector<double>& into);
std::vector<Cell> cells_of(const Array& a, const NumberStyle& style);
// A nested value: small ones complete, arrays abbreviated.
std::string short_form(const Value& value, int digits);
// At most `rows` rows of a table: heads with units, each column in its own style.
std::vector<std::string> table_lines(const RecordObject& table, Index rows, const PrintOptions& options);
// The same by columns, with padded cells so that decimal points align in a monospaced font.
struct TableColumn {
  std::string name, unit;  // "(m)"
  bool left = false;
  std::vector<std::string> cells;
};
std::vector<TableColumn> table_columns(const RecordObject& table, Index rows, int digits);
// The records of a list as columns, if there are several with equal fields.
std::optional<Value> table_of_records(const Array& list);

inline constexpr std::size_t kColumnGap = 2;

}  // namespace quill
