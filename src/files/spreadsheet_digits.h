// Numbers of a spreadsheet with all their digits.
#pragma once

#include <string>
#include <vector>

#include "array/array.h"

namespace quill {

// Records the numbers of the cells of a workbook that libxlsxwriter rounds, which writes 16 digits.
class ExactCells {
 public:
  void begin_sheet() { sheets_.emplace_back(); }
  // A number in the current sheet; row and column from 0. Returns what the library writes meanwhile: a short
  // number instead of one that is restored.
  double add(Index row, Index column, double value);
  // The workbook, given as the bytes of its file, with these numbers. Throws Error if its parts are not
  // found.
  std::string restored(std::string workbook) const;

 private:
  struct Cell {
    Index row, column;
    double value;
  };
  static std::string restored_sheet(const std::string& xml, std::vector<Cell> cells);
  std::vector<std::vector<Cell>> sheets_;
};

}  // namespace quill
