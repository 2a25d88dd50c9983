#include "files/spreadsheet_digits.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <memory>

#include "base/error.h"
#include "base/interrupt.h"
#include "files/spreadsheet_libraries.h"

namespace quill {

namespace spreadsheet_digits {

namespace {

[[noreturn]] void failed() {
  fail_hindered("the spreadsheet cannot be written: its cells cannot be changed");
}

// "AB12" of row 11, column 27.
std::string name_of_cell(Index row, Index column) {
  std::string letters;
  for (Index left = column + 1; left > 0; left = (left - 1) / 26)
    letters.insert(letters.begin(), static_cast<char>('A' + (left - 1) % 26));
  return fmt::format("{}{}", letters, row + 1);
}

// The file of an archive in memory.
std::string file_in(zip_t* zip, zip_uint64_t number) {
  const auto& z = zip_library();
  zip_stat_t info{};
  if (z.zip_stat_index(zip, number, 0, &info) != 0) failed();
  std::string out(info.size, '\0');
  const std::unique_ptr<zip_file_t, decltype(z.zip_fclose)> file(z.zip_fopen_index(zip, number, 0),
                                                                 z.zip_fclose);
  if (!file || z.zip_fread(file.get(), out.data(), out.size()) != static_cast<zip_int64_t>(out.size()))
    failed();
  return out;
}

// What a source contains after the archive was written to it.
std::string bytes_of(zip_source_t* source) {
  const auto& z = zip_library();
  zip_stat_t info{};
  if (z.zip_source_stat(source, &info) != 0 || z.zip_source_open(source) != 0) failed();
  std::string out(info.size, '\0');
  const auto count = z.zip_source_read(source, out.data(), out.size());
  z.zip_source_close(source);
  if (count != static_cast<zip_int64_t>(out.size())) failed();
  return out;
}

}  // namespace

}  // namespace spreadsheet_digits

double ExactCells::add(Index row, Index column, double value) {
  char written[32];
  *fmt::format_to_n(written, sizeof written - 1, "{:.16g}", value).out = '\0';
  if (std::strtod(written, nullptr) == value) return value;
  sheets_.back().push_back({row, column, value});
  return 0;
}

std::string ExactCells::restored_sheet(const std::string& xml, std::vector<Cell> cells) {
  using namespace spreadsheet_digits;
  const auto is_before = [](const Cell& a, const Cell& b) {
    return a.row != b.row ? a.row < b.row : a.column < b.column;
  };
  std::sort(cells.begin(), cells.end(), is_before);
  std::string out;
  out.reserve(xml.size() + cells.size() * 4);
  std::size_t done = 0, count = 0;
  for (const auto& cell : cells) {
    poll_interrupt_at(count++);
    const auto begin = xml.find(fmt::format("<c r=\"{}\"", name_of_cell(cell.row, cell.column)), done);
    const auto value = begin == xml.npos ? xml.npos : xml.find("<v>", begin);
    const auto end = value == xml.npos ? xml.npos : xml.find("</v>", value);
    if (end == xml.npos) failed();
    out.append(xml, done, value + 3 - done);
    fmt::format_to(std::back_inserter(out), "{}", cell.value);
    done = end;
  }
  return out.append(xml, done);
}

std::string ExactCells::restored(std::string workbook) const {
  using namespace spreadsheet_digits;
  if (std::all_of(sheets_.begin(), sheets_.end(), [](const auto& cells) { return cells.empty(); }))
    return workbook;
  const auto& z = zip_library();
  // The sources of files are read when the archive is closed.
  std::vector<std::string> files(sheets_.size());
  const std::unique_ptr<zip_source_t, decltype(z.zip_source_free)> source(
      z.zip_source_buffer_create(workbook.data(), workbook.size(), 0, nullptr), z.zip_source_free);
  if (!source) failed();
  z.zip_source_keep(source.get());
  auto* const opened = z.zip_open_from_source(source.get(), 0, nullptr);
  if (opened == nullptr) {
    z.zip_source_free(source.get());
    failed();
  }
  std::unique_ptr<zip_t, decltype(z.zip_discard)> zip(opened, z.zip_discard);
  for (std::size_t k = 0; k < sheets_.size(); ++k) {
    if (sheets_[k].empty()) continue;
    const auto name = fmt::format("xl/worksheets/sheet{}.xml", k + 1);
    const auto number = z.zip_name_locate(opened, name.c_str(), 0);
    if (number < 0) failed();
    const auto old = static_cast<zip_uint64_t>(number);
    files[k] = restored_sheet(file_in(opened, old), sheets_[k]);
    auto* const file = z.zip_source_buffer(opened, files[k].data(), files[k].size(), 0);
    if (file == nullptr) failed();
    const auto made = z.zip_delete(opened, old) == 0 ? z.zip_file_add(opened, name.c_str(), file, 0) : -1;
    if (made < 0) {
      z.zip_source_free(file);
      failed();
    }
    // The same values give the same bytes on every day: the first of January 1980. The level that the library
    // chooses takes several times as long.
    constexpr zip_uint16_t day = (1 << 5) | 1;
    constexpr zip_uint32_t level = 3;
    const auto at = static_cast<zip_uint64_t>(made);
    if (z.zip_file_set_dostime(opened, at, 0, day, 0) != 0 ||
        z.zip_set_file_compression(opened, at, ZIP_CM_DEFLATE, level) != 0)
      failed();
  }
  if (z.zip_close(opened) != 0) failed();
  static_cast<void>(zip.release());
  return bytes_of(source.get());
}

}  // namespace quill
