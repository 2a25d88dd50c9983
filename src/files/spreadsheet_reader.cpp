// Sheets of Office Open XML workbooks (ECMA-376, ISO/IEC 29500), read as tables.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <map>
#include <memory>
#include <pugixml.hpp>

#include "base/interrupt.h"
#include "base/memory.h"
#include "base/number.h"
#include "base/text.h"
#include "base/time_text.h"
#include "files/formats.h"
#include "files/spreadsheet_libraries.h"

namespace quill {

namespace spreadsheet_reader {

namespace {

constexpr Index kMostRows = 1048576, kMostColumns = 16384;

// The file is a ZIP archive of XML documents.
class Archive {
 public:
  Archive(std::string_view bytes, std::string name) : z_(zip_library()), name_(std::move(name)) {
    auto* const source = z_.zip_source_buffer_create(bytes.data(), bytes.size(), 0, nullptr);
    if (source == nullptr) damaged();
    zip_ = z_.zip_open_from_source(source, ZIP_RDONLY, nullptr);
    if (zip_ != nullptr) return;
    z_.zip_source_free(source);
    damaged();
  }
  ~Archive() { z_.zip_discard(zip_); }
  Archive(const Archive&) = delete;
  Archive& operator=(const Archive&) = delete;

  [[noreturn]] void damaged(const std::string& why = "it is no archive of the parts of a spreadsheet") const {
    fail(fmt::format("{} is damaged: {}", name_, why));
  }
  const std::string& name() const { return name_; }

  // The bytes of a part; nothing when there is none of that name.
  std::optional<std::string> part(const std::string& path) const {
    zip_stat_t info{};
    if (z_.zip_stat(zip_, path.c_str(), ZIP_FL_NOCASE, &info) != 0) return std::nullopt;
    if ((info.valid & ZIP_STAT_SIZE) == 0) damaged("a part of it has no size");
    // A document takes several times the memory of its text.
    constexpr std::uint64_t most = std::uint64_t{1} << 31;
    constexpr std::int64_t times = 8;
    if (info.size > most || is_beyond_ceiling(times * static_cast<std::int64_t>(info.size)))
      fail(fmt::format("{}: its part {} unpacks to {}, which is too large", name_, printable(path),
                       bytes_in_prose(static_cast<double>(info.size))));
    const auto close = [this](zip_file_t* file) { z_.zip_fclose(file); };
    const std::unique_ptr<zip_file_t, decltype(close)> file(z_.zip_fopen(zip_, path.c_str(), ZIP_FL_NOCASE),
                                                            close);
    if (!file) damaged(fmt::format("its part {} cannot be unpacked", printable(path)));
    std::string out(info.size, '\0');
    std::size_t done = 0;
    while (done < out.size()) {
      poll_interrupt();
      constexpr std::size_t piece = std::size_t{1} << 20;
      const auto n = z_.zip_fread(file.get(), out.data() + done, std::min(piece, out.size() - done));
      if (n <= 0) damaged(fmt::format("its part {} cannot be unpacked", printable(path)));
      done += static_cast<std::size_t>(n);
    }
    return out;
  }

 private:
  const ZipLibrary& z_;
  std::string name_;
  zip_t* zip_ = nullptr;
};

// Names without a prefix of their namespace.
std::string_view local(const char* name) {
  const char* const colon = std::strchr(name, ':');
  return colon != nullptr ? colon + 1 : name;
}
pugi::xml_node child(const pugi::xml_node& of, std::string_view name) {
  for (const auto& node : of.children())
    if (local(node.name()) == name) return node;
  return {};
}
std::string_view attribute(const pugi::xml_node& of, std::string_view name) {
  for (const auto& one : of.attributes())
    if (local(one.name()) == name) return one.value();
  return {};
}

// Replaces "_x000D_" by the character with that code.
std::string unescaped(std::string_view text) {
  std::string out;
  for (std::size_t k = 0; k < text.size(); ++k) {
    const auto code = text.substr(k, 7);
    unsigned number = 0;
    bool is_code = code.size() == 7 && code[0] == '_' && code[1] == 'x' && code[6] == '_';
    for (std::size_t i = 2; is_code && i < 6; ++i) {
      const auto c = static_cast<unsigned char>(code[i]);
      is_code = std::isxdigit(c) != 0;
      number = number * 16 + static_cast<unsigned>(std::isdigit(c) ? c - '0' : std::tolower(c) - 'a' + 10);
    }
    if (is_code && number < 128) {
      out += static_cast<char>(number);
      k += 6;
    } else {
      out += text[k];
    }
  }
  return find_malformed(out) == out.npos ? out : printable(out);
}

// The text of an item, of which runs with formats of their own are parts.
std::string text_of(const pugi::xml_node& item) {
  std::string out;
  for (const auto& node : item.children()) {
    if (local(node.name()) == "t") out += node.text().get();
    if (local(node.name()) == "r") out += child(node, "t").text().get();
  }
  return unescaped(out);
}

// Whether a format of numbers shows a date: outside of quotes and brackets it has a year or a day.
bool is_date(std::string_view format) {
  bool in_quotes = false, in_brackets = false;
  for (std::size_t k = 0; k < format.size(); ++k) {
    const char c = format[k];
    if (c == '"') in_quotes = !in_quotes;
    if (in_quotes) continue;
    if (c == '\\' || c == '_' || c == '*') {
      ++k;
      continue;
    }
    if (c == '[') in_brackets = true;
    if (c == ']') in_brackets = false;
    if (!in_brackets && (c == 'y' || c == 'Y' || c == 'd' || c == 'D')) return true;
  }
  return false;
}

struct CellPosition {
  Index row = 0, column = 0;  // from 0; -1 where only the other one is named
};

// "B7", "$B$7", "B", "7".
std::optional<CellPosition> position_in(std::string_view text) {
  CellPosition out{-1, -1};
  std::size_t k = 0;
  const auto skip = [&] { k += k < text.size() && text[k] == '$'; };
  skip();
  for (; k < text.size() && std::isalpha(static_cast<unsigned char>(text[k])); ++k) {
    out.column = (out.column + 1) * 26 + std::toupper(static_cast<unsigned char>(text[k])) - 'A';
    if (out.column >= kMostColumns) return std::nullopt;
  }
  skip();
  for (bool is_first = true; k < text.size() && std::isdigit(static_cast<unsigned char>(text[k])); ++k) {
    out.row = (is_first ? 0 : out.row * 10) + (text[k] - '0');
    is_first = false;
    if (out.row > kMostRows) return std::nullopt;
  }
  if (k < text.size() || out.row == 0 || (out.row < 0 && out.column < 0)) return std::nullopt;
  if (out.row > 0) --out.row;
  return out;
}

struct CellRange {
  Index first_row = 0, last_row = kMostRows - 1, first_column = 0, last_column = kMostColumns - 1;
  bool is_given = false;
};

CellRange range_in(const std::string& text) {
  CellRange out;
  if (text.empty()) return out;
  out.is_given = true;
  const auto colon = text.find(':');
  const auto first = position_in(std::string_view(text).substr(0, colon));
  const auto last = colon == text.npos ? first : position_in(std::string_view(text).substr(colon + 1));
  const bool fits = first && last && (first->row < 0) == (last->row < 0) &&
                    (first->column < 0) == (last->column < 0) && first->row <= last->row &&
                    first->column <= last->column;
  if (!fits)
    fail(fmt::format("`range` must name cells of a sheet, not \"{}\"", printable(text)),
         "range: \"A1:D20\", or \"A:D\"");
  if (first->row >= 0) {
    out.first_row = first->row;
    out.last_row = last->row;
  }
  if (first->column >= 0) {
    out.first_column = first->column;
    out.last_column = last->column;
  }
  return out;
}

class Workbook {
 public:
  Workbook(std::string_view bytes, const std::string& name) : archive_(bytes, name) {
    book_ = document("xl/workbook.xml");
    if (!book_) archive_.damaged();
    for (const auto& sheet : child(root(*book_), "sheets").children())
      if (local(sheet.name()) == "sheet") sheets_.push_back(sheet);
    if (sheets_.empty()) archive_.damaged("it has no sheet");
    const auto properties = child(root(*book_), "workbookPr");
    const auto from = attribute(properties, "date1904");
    is_from_1904_ = from == "1" || from == "true";
    read_texts();
    read_styles();
  }

  // The sheet as a table in comma-separated text.
  std::string table(const CsvOptions& options) {
    const auto sheet = document(path_of(chosen(options)));
    if (!sheet) archive_.damaged("a sheet is missing");
    const auto cells = cells_of(child(root(*sheet), "sheetData"), range_in(options.range));
    if (errors_ > 0 && options.warn)
      options.warn(
          fmt::format("{}: {} cell{} an error in place of a value, and {} missing", archive_.name(), errors_,
                      errors_ == 1 ? " contains" : "s contain", errors_ == 1 ? "is" : "are"),
          "");
    return text_of_cells(cells);
  }

 private:
  struct Cell {
    Index row, column;
    std::string field;  // of comma-separated text
  };

  static pugi::xml_node root(const pugi::xml_document& document) { return document.document_element(); }

  std::unique_ptr<pugi::xml_document> document(const std::string& path) const {
    auto text = archive_.part(path);
    if (!text) return nullptr;
    auto out = std::make_unique<pugi::xml_document>();
    const auto parsed =
        out->load_buffer(text->data(), text->size(), pugi::parse_default | pugi::parse_ws_pcdata_single);
    if (!parsed) archive_.damaged(fmt::format("its part {} is not XML", printable(path)));
    return out;
  }

  pugi::xml_node chosen(const CsvOptions& options) const {
    if (options.sheet.empty()) {
      if (options.sheet_number > std::ssize(sheets_))
        fail(fmt::format("{} has {} sheet{}, and number {} is wanted", archive_.name(), sheets_.size(),
                         sheets_.size() == 1 ? "" : "s", options.sheet_number));
      return sheets_[static_cast<std::size_t>(std::max<Index>(1, options.sheet_number) - 1)];
    }
    std::vector<std::string> names;
    for (const auto& sheet : sheets_) {
      names.push_back(printable(std::string(attribute(sheet, "name"))));
      if (attribute(sheet, "name") == options.sheet) return sheet;
    }
    if (names.size() > 12) names.resize(12);
    fail(fmt::format("{} has no sheet \"{}\"", archive_.name(), printable(options.sheet)),
         "its sheets are " + list_in_prose(names));
  }

  std::string path_of(const pugi::xml_node& sheet) const {
    const auto relations = document("xl/_rels/workbook.xml.rels");
    if (!relations) archive_.damaged("the list of its parts is missing");
    std::string_view id;
    for (const auto& one : sheet.attributes())  // r:id, beside an attribute of another kind
      if (std::string_view(one.name()) != "id" && local(one.name()) == "id") id = one.value();
    for (const auto& relation : root(*relations).children()) {
      if (attribute(relation, "Id") != id || id.empty()) continue;
      const std::string target(attribute(relation, "Target"));
      return target.starts_with("/") ? target.substr(1) : "xl/" + target;
    }
    archive_.damaged("a sheet is missing");
  }

  void read_texts() {
    const auto texts = document("xl/sharedStrings.xml");
    if (!texts) return;
    for (const auto& item : root(*texts).children())
      if (local(item.name()) == "si") texts_.push_back(text_of(item));
  }

  void read_styles() {
    const auto styles = document("xl/styles.xml");
    if (!styles) return;
    std::map<std::string, bool, std::less<>> own;
    for (const auto& format : child(root(*styles), "numFmts").children())
      own[std::string(attribute(format, "numFmtId"))] = is_date(attribute(format, "formatCode"));
    for (const auto& style : child(root(*styles), "cellXfs").children()) {
      if (local(style.name()) != "xf") continue;
      const std::string id(attribute(style, "numFmtId"));
      const auto found = own.find(id);
      const auto number = parse_number(id).value_or(0);
      const bool is_usual = (number >= 14 && number <= 17) || number == 22 ||
                            (number >= 27 && number <= 36) || (number >= 50 && number <= 58);
      is_date_style_.push_back(found != own.end() ? found->second : is_usual);
    }
  }

  std::vector<Cell> cells_of(const pugi::xml_node& data, const CellRange& range) {
    std::vector<Cell> out;
    Index row = -1;
    for (const auto& line : data.children()) {
      if (local(line.name()) != "row") continue;
      poll_interrupt();
      ++row;
      if (const auto named = attribute(line, "r"); !named.empty()) {
        const auto position = position_in(named);
        if (!position || position->row < row) archive_.damaged("the rows of a sheet are not in order");
        row = position->row;
      }
      Index column = -1;
      for (const auto& cell : line.children()) {
        if (local(cell.name()) != "c") continue;
        ++column;
        if (const auto named = attribute(cell, "r"); !named.empty()) {
          const auto position = position_in(named);
          if (!position || position->column < column) archive_.damaged("the cells of a row are not in order");
          column = position->column;
        }
        if (row < range.first_row || row > range.last_row || column < range.first_column ||
            column > range.last_column)
          continue;
        if (auto field = field_of(cell); !field.empty()) out.push_back({row, column, std::move(field)});
      }
    }
    return out;
  }

  // Text cells are texts whatever they contain, except the usual marks of missing values.
  static std::string quoted(std::string_view text) {
    for (const char* sign : {"NA", "n/a", "-"})
      if (text == sign) return std::string(text);
    std::string out = "\"";
    for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
    return out + '"';
  }

  std::string field_of(const pugi::xml_node& cell) {
    const auto type = attribute(cell, "t");
    const std::string value = child(cell, "v").text().get();
    if (type == "s") {
      const auto k = parse_number(value);
      if (!k || !(*k >= 0) || *k >= static_cast<double>(texts_.size()) || *k != std::floor(*k))
        archive_.damaged("a cell refers to a text that is missing");
      const auto& text = texts_[static_cast<std::size_t>(*k)];
      return text.empty() ? std::string() : quoted(text);
    }
    if (type == "inlineStr") {
      const auto text = text_of(child(cell, "is"));
      return text.empty() ? std::string() : quoted(text);
    }
    if (type == "str") return value.empty() ? std::string() : quoted(unescaped(value));
    if (type == "e") {
      ++errors_;
      return {};
    }
    if (type == "b") return value == "1" || value == "true" ? "true" : "false";
    if (type == "d") return value;
    if (value.empty()) return {};
    const auto number = parse_number(std::string(trim(value)));
    if (!number) return quoted(unescaped(value));
    const auto style = parse_number(std::string(attribute(cell, "s")));
    const bool is_date = style && *style >= 0 && *style < static_cast<double>(is_date_style_.size()) &&
                         is_date_style_[static_cast<std::size_t>(*style)];
    return is_date ? date_of(*number) : shortest(*number);
  }

  // Days since the day before 1900-01-01, or since 1904-01-01. The first calendar has a 29th of February
  // 1900, which was not: days before it are one later.
  std::string date_of(double days) const {
    constexpr double to_1970 = 25569, to_1970_from_1904 = 24107, seconds = 86400;
    constexpr double no_day = 60;
    if (is_from_1904_)
      days -= to_1970_from_1904;
    else
      days -= to_1970 - (days < no_day ? 1 : 0);
    return time_text(std::round(days * seconds * 1000) / 1000);
  }

  // From the first cell to the last one, row by row.
  std::string text_of_cells(const std::vector<Cell>& cells) const {
    if (cells.empty()) fail(fmt::format("{}: there are no values in these cells", archive_.name()));
    Index first = kMostColumns, last = 0;
    for (const auto& cell : cells) {
      first = std::min(first, cell.column);
      last = std::max(last, cell.column);
    }
    const Index rows = cells.back().row - cells.front().row + 1, columns = last - first + 1;
    constexpr Index usual = 1000000, most_each = 1000;
    if (rows * columns > usual && rows * columns / most_each > std::ssize(cells))
      fail(fmt::format("{}: its {} values are scattered over {} × {} cells", archive_.name(), cells.size(),
                       rows, columns),
           "range: \"A1:D20\" selects a table");
    std::string out;
    auto next = cells.begin();
    for (Index row = cells.front().row; row <= cells.back().row; ++row) {
      for (Index column = first; column <= last; ++column) {
        if (column > first) out += ',';
        if (next != cells.end() && next->row == row && next->column == column)
          out += (next++)->field;
        else if (columns == 1)
          out += "NA";  // a line with nothing on it would be passed over
      }
      out += '\n';
    }
    return out;
  }

  Archive archive_;
  std::unique_ptr<pugi::xml_document> book_;
  std::vector<pugi::xml_node> sheets_;
  std::vector<std::string> texts_;
  std::vector<bool> is_date_style_;
  bool is_from_1904_ = false;
  Index errors_ = 0;
};

}  // namespace

}  // namespace spreadsheet_reader

std::optional<std::string> spreadsheet_comment(std::string_view bytes) {
  using namespace spreadsheet_reader;
  try {
    const auto text = Archive(bytes, "").part("docProps/core.xml");
    pugi::xml_document document;
    if (!text || !document.load_buffer(text->data(), text->size())) return std::nullopt;
    const std::string comment = child(document.document_element(), "description").text().get();
    return comment.empty() ? std::nullopt : std::optional(comment);
  } catch (const Error&) { return std::nullopt; }
}

bool is_spreadsheet(std::string_view bytes) { return bytes.starts_with("PK\x03\x04"); }

Data read_spreadsheet(std::string_view bytes, const std::string& name, const CsvOptions& options) {
  auto as_text = options;
  as_text.delimiter = ',';
  as_text.decimal = '.';
  const auto text = spreadsheet_reader::Workbook(bytes, name).table(options);
  return data_of(read_csv(text, name, as_text));
}

}  // namespace quill
