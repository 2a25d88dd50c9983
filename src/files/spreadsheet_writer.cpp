// Tables and matrices as Office Open XML workbooks.
#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <cmath>

#include "base/descriptor.h"
#include "base/error.h"
#include "base/interrupt.h"
#include "base/mapped_file.h"
#include "base/temporary_file.h"
#include "base/text.h"
#include "files/formats.h"
#include "files/spreadsheet_digits.h"
#include "files/spreadsheet_libraries.h"

namespace quill {

namespace spreadsheet_writer {

namespace {

constexpr Index kMostRows = 1048576, kMostColumns = 16384;

class Writer {
 public:
  Writer(const std::string& comment, std::int64_t bytes) : x_(xlsxwriter_library()) {
    auto made = temporary_file(bytes);
    file_ = std::move(made.file);
    path_ = std::move(made.path);
    book_ = x_.workbook_new(path_.c_str());
    if (book_ == nullptr) failed("there is not enough memory");
    // The same values give the same bytes on every day.
    lxw_doc_properties properties{};
    constexpr time_t some_day = 946684800;  // 2000-01-01
    properties.created = some_day;
    auto text = comment;
    if (!text.empty()) properties.comments = text.data();
    x_.workbook_set_properties(book_, &properties);
    bold_ = x_.workbook_add_format(book_);
    x_.format_set_bold(bold_);
    day_ = x_.workbook_add_format(book_);
    x_.format_set_num_format(day_, "yyyy-mm-dd");
    moment_ = x_.workbook_add_format(book_);
    x_.format_set_num_format(moment_, "yyyy-mm-dd hh:mm:ss");
  }
  ~Writer() {
    if (book_ != nullptr) x_.workbook_close(book_);
    if (file_.is_open()) ::unlink(path_.c_str());
  }
  Writer(const Writer&) = delete;
  Writer& operator=(const Writer&) = delete;

  std::string write(const Data& data) {
    const auto columns = table_of(data);
    if (columns && is_table(*columns)) {
      table(*columns, nullptr);
    } else if (columns && are_vectors(*columns)) {
      for (const auto& column : *columns)
        if (column.values.size() != (*columns)[0].values.size())
          fail(fmt::format("columns `{}` and `{}` have different lengths: {} and {}", (*columns)[0].name,
                           column.name, (*columns)[0].values.size(), column.values.size()),
               "a record of tables is written as one sheet each");
    } else if (data.kind == Data::Kind::record && !data.items.empty()) {
      for (std::size_t k = 0; k < data.items.size(); ++k) sheet_of(data.names[k], data.items[k]);
    } else if (data.kind == Data::Kind::array) {
      rows(data.array, "the array", nullptr);
    } else {
      fail("a spreadsheet contains a table, a matrix, or a record of them, one for each sheet");
    }
    const auto status = x_.workbook_close(std::exchange(book_, nullptr));
    if (status != LXW_NO_ERROR) failed(x_.lxw_strerror(status));
    return exact_.restored(contents());
  }

 private:
  [[noreturn]] static void failed(const std::string& why) {
    fail_hindered(fmt::format("the spreadsheet cannot be written: {}", why));
  }

  static bool are_vectors(const std::vector<Column>& columns) {
    return std::all_of(columns.begin(), columns.end(), [](const Column& c) { return c.values.axes() == 1; });
  }
  static bool is_table(const std::vector<Column>& columns) {
    return are_vectors(columns) && std::all_of(columns.begin(), columns.end(), [&](const Column& c) {
             return c.values.size() == columns[0].values.size();
           });
  }

  void sheet_of(const std::string& name, const Data& data) {
    constexpr std::size_t longest = 31;
    if (name.empty() || display_width(name) > longest || name.find_first_of("[]:*?/\\") != name.npos)
      fail(fmt::format("\"{}\" cannot be the name of a sheet", printable(name)),
           "names of sheets have up to 31 characters, without [ ] : * ? / \\");
    if (const auto columns = table_of(data); columns && is_table(*columns))
      table(*columns, name.c_str());
    else if (data.kind == Data::Kind::array)
      rows(data.array, name, name.c_str());
    else
      fail(fmt::format("{} is neither a table nor a matrix, which a sheet can contain", printable(name)));
  }

  lxw_worksheet* sheet(Index rows, Index columns, const char* name) {
    if (rows > kMostRows || columns > kMostColumns)
      fail(fmt::format("a sheet has at most {} rows and {} columns, and these are {} × {}", kMostRows,
                       kMostColumns, rows, columns),
           "CSV, HDF5 and NetCDF files have no such limit");
    auto* const out = x_.workbook_add_worksheet(book_, name);
    if (out == nullptr) fail(fmt::format("a sheet cannot be called \"{}\"", name ? printable(name) : ""));
    exact_.begin_sheet();
    return out;
  }

  void table(const std::vector<Column>& columns, const char* name) {
    const auto count = columns[0].values.size();
    auto* const to = sheet(count + 1, std::ssize(columns), name);
    for (std::size_t c = 0; c < columns.size(); ++c) {
      const auto& values = columns[c].values;
      const auto header = values.label && !values.label->unit.empty() && !holds_times(values)
                              ? fmt::format("{} ({})", columns[c].name, values.label->unit)
                              : columns[c].name;
      text(to, 0, static_cast<Index>(c), header, bold_);
      constexpr double least = 9, of_times = 20;
      x_.worksheet_set_column(
          to, static_cast<lxw_col_t>(c), static_cast<lxw_col_t>(c),
          holds_times(values) ? of_times : std::max(least, 2.0 + static_cast<double>(display_width(header))),
          nullptr);
      cells(to, 1, static_cast<Index>(c), values, columns[c].name);
    }
    // Rows without a value would be lost at the end of the sheet.
    for (Index row = count - 1; row >= 0 && is_empty_row(columns, row); --row)
      text(to, row + 1, 0, "NA", nullptr);
    x_.worksheet_freeze_panes(to, 1, 0);
  }

  static bool is_empty_row(const std::vector<Column>& columns, Index row) {
    return std::all_of(columns.begin(), columns.end(), [&](const Column& column) {
      const auto& a = column.values;
      const Index at = row * a.strides()[0];
      if (a.type() == ElementType::text) return a.data<std::string>()[at].empty();
      if (a.type() == ElementType::float64) return std::isnan(a.data<double>()[at]);
      return a.type() == ElementType::float32 && std::isnan(a.data<float>()[at]);
    });
  }

  void rows(const Array& a, const std::string& what, const char* name) {
    if (a.axes() > 2) fail(fmt::format("{} has {} axes, and a sheet has two", printable(what), a.axes()));
    auto* const to = sheet(a.length(), a.axes() == 2 ? a.extent(1) : 1, name);
    if (a.axes() < 2) return cells(to, 0, 0, a.axes() == 0 ? a.with_shape({1}) : a, what);
    const auto columns = a.transposed().compact();
    for (Index c = 0; c < a.extent(1); ++c)
      cells(to, 0, c, columns.view(columns.offset() + c * a.extent(0), {a.extent(0)}, {1}), what);
  }

  // Escapes text that looks like a character code, "_x0041_".
  static std::string escaped(const std::string& text) {
    std::string out;
    for (std::size_t k = 0; k < text.size(); ++k) {
      const bool is_sign = text.compare(k, 2, "_x") == 0 && k + 6 < text.size() && text[k + 6] == '_' &&
                           std::all_of(text.begin() + static_cast<std::ptrdiff_t>(k) + 2,
                                       text.begin() + static_cast<std::ptrdiff_t>(k) + 6,
                                       [](unsigned char c) { return std::isxdigit(c) != 0; });
      out += is_sign ? "_x005F_" : std::string(1, text[k]);
    }
    return out;
  }

  void text(lxw_worksheet* to, Index row, Index column, const std::string& value, lxw_format* format) const {
    constexpr std::size_t longest = 32767;
    if (value.size() > longest)
      fail(fmt::format("a text of {} bytes is too long for a cell of a spreadsheet", value.size()));
    if (value.find('\0') != value.npos) fail("a text with a NUL byte cannot be written to a spreadsheet");
    check(x_.worksheet_write_string(to, static_cast<lxw_row_t>(row), static_cast<lxw_col_t>(column),
                                    escaped(value).c_str(), format));
  }
  void check(lxw_error status) const {
    if (status != LXW_NO_ERROR) failed(x_.lxw_strerror(status));
  }

  void cells(lxw_worksheet* to, Index first_row, Index column, const Array& values, const std::string& what) {
    const bool is_time = holds_times(values);
    visit_type(values.type(), [&]<class T>(Tag<T>) {
      if constexpr (std::is_same_v<T, Complex> || std::is_same_v<T, Any>) {
        fail(fmt::format("{} contains {}, which a spreadsheet cannot contain", printable(what),
                         std::is_same_v<T, Complex> ? "complex numbers" : "lists"));
      } else {
        Index k = 0;
        for (const auto& value : values.to_vector<T>()) {
          const auto row = first_row + k++;
          poll_interrupt_at(static_cast<std::size_t>(row));
          const auto r = static_cast<lxw_row_t>(row);
          const auto c = static_cast<lxw_col_t>(column);
          if constexpr (std::is_same_v<T, std::string>) {
            if (!value.empty()) text(to, row, column, value, nullptr);
          } else if constexpr (std::is_same_v<T, bool>) {
            check(x_.worksheet_write_boolean(to, r, c, value, nullptr));
          } else {
            number(to, r, c, static_cast<double>(value), is_time, what);
            if (std::is_same_v<T, std::int64_t> && static_cast<T>(static_cast<double>(value)) != value)
              fail(fmt::format("{} contains the integer {}, which a spreadsheet would round", printable(what),
                               value),
                   "texts keep all digits: save(…, each text(x))");
          }
        }
      }
    });
  }

  void put(lxw_worksheet* to, lxw_row_t row, lxw_col_t column, double value, lxw_format* format) {
    check(x_.worksheet_write_number(to, row, column, exact_.add(row, column, value), format));
  }

  void number(lxw_worksheet* to, lxw_row_t row, lxw_col_t column, double value, bool is_time,
              const std::string& what) {
    if (std::isnan(value)) return;
    if (std::isinf(value))
      fail(fmt::format("{} contains an infinite number, which a spreadsheet cannot contain", printable(what)),
           "pick(is_finite(x), x, nan) makes it missing");
    if (!is_time) {
      put(to, row, column, value, nullptr);
      return;
    }
    constexpr double to_1970 = 25569, day = 86400;
    const double days = value / day + to_1970;
    constexpr double first = 61, end = 2958466;  // 1900-03-01 to 9999-12-31
    if (!(days >= first && days < end))
      fail(fmt::format(
          "{} contains a time before 1900-03-01 or after 9999, which a spreadsheet cannot contain",
          printable(what)));
    put(to, row, column, days, days == std::floor(days) ? day_ : moment_);
  }

  std::string contents() const {
    const Descriptor written(::open(path_.c_str(), O_RDONLY | O_CLOEXEC));
    if (!written.is_open()) failed(system_reason());
    return std::string(MappedFile(written).bytes());
  }

  const XlsxwriterLibrary& x_;
  std::string path_;
  Descriptor file_;
  lxw_workbook* book_ = nullptr;
  ExactCells exact_;
  lxw_format *bold_ = nullptr, *day_ = nullptr, *moment_ = nullptr;
};

}  // namespace

}  // namespace spreadsheet_writer

std::string write_spreadsheet(const Data& data, const SaveOptions& options) {
  return spreadsheet_writer::Writer(options.provenance, 4 * bytes_of(data)).write(data);
}

}  // namespace quill
