// Cells of printed columns: numbers as texts that are aligned at their decimal points.
#pragma once

#include <string>
#include <vector>

#include "base/text.h"
#include "value/print.h"

namespace quill {

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

// Numbers of one block get the same count of decimals: as many as the smallest of ordinary size needs for
// its significant digits, bounded by those of the largest.
struct NumberStyle {
  int digits = 5;
  int decimals = -1;  // -1: each for itself

  static NumberStyle for_block(const std::vector<double>& values, int digits);
  std::string text(double v) const;
};

// The rows and columns that are shown when there are too many, with a gap after the first half.
struct Shown {
  std::vector<Index> places;
  std::size_t gap_after = 0;  // 0: everything is shown
};
Shown shown_of(Index count, Index most);

Cell cell_of(std::string text);
// The numbers of a real or complex array, for their style.
void collect_numbers(const Array& a, std::vector<double>& into);
std::vector<Cell> cells_of(const Array& a, const NumberStyle& style);
// A value inside of something else: small things whole, arrays by their ends.
std::string short_form(const Value& value, int digits);
// A record of columns of one length, at most so many rows of it: heads with units, each column in its style.
std::vector<std::string> table_lines(const RecordObject& table, Index rows, const PrintOptions& options);
// The same by columns: each cell padded so that points stand below each other where letters have one width.
struct TableColumn {
  std::string name, unit;  // "(m)"
  bool left = false;
  std::vector<std::string> cells;
};
std::vector<TableColumn> table_columns(const RecordObject& table, Index rows, int digits);
// The records of a list as columns, when all have the same fields and there are several; else nothing.
std::optional<Value> table_of_records(const Array& list);

inline constexpr std::size_t kColumnGap = 2;

}  // namespace quill
