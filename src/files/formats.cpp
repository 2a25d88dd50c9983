#include "files/formats.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/text.h"
#include "files/provenance.h"
#include "files/text_sink.h"
#include "files/whole_files.h"

namespace quill {

std::int64_t bytes_of(const Data& data) {
  constexpr std::int64_t around = 1024;
  std::int64_t out = around;
  const auto add = [&](ElementType type, Index elements) {
    out += elements * static_cast<std::int64_t>(quill::size_of(type));
  };
  if (data.kind == Data::Kind::parts) add(data.parts->sample().type(), size_of(data.parts->shape()));
  if (data.kind == Data::Kind::array && data.array.type() == ElementType::text)
    for (const auto& text : data.array.to_vector<std::string>())
      out += static_cast<std::int64_t>(text.size());
  else if (data.kind == Data::Kind::array)
    add(data.array.type(), data.array.size());
  for (const auto& item : data.items) out += bytes_of(item);
  return out;
}

std::optional<std::vector<Column>> table_of(const Data& data) {
  if (data.kind != Data::Kind::record || data.items.empty()) return std::nullopt;
  std::vector<Column> out;
  for (std::size_t k = 0; k < data.items.size(); ++k) {
    if (data.items[k].kind != Data::Kind::array) return std::nullopt;
    out.push_back({data.names[k], data.items[k].array});
  }
  return out;
}

Data data_of(std::vector<Column> columns) {
  Data out;
  out.kind = Data::Kind::record;
  for (auto& column : columns) out.add(column.name, Data::of(std::move(column.values)));
  return out;
}

std::string ending_of(const std::string& name) {
  const auto ending = extension_of(name);
  return ending == "gz" ? extension_of(name.substr(0, name.size() - 3)) : ending;
}

namespace {

Data read_table(std::string_view bytes, const std::string& name, const CsvOptions& options) {
  auto with_tabs = options;
  if (!with_tabs.delimiter && ending_of(name) == "tsv") with_tabs.delimiter = '\t';
  return data_of(read_csv(bytes, name, with_tabs));
}

[[noreturn]] void no_table() {
  fail("a CSV file can contain a table, a vector or a matrix", "save(\"name.json\", value) saves any value");
}

std::string write_table(const Data& data, const SaveOptions& options) {
  const auto head = options.provenance.empty() ? "" : provenance_comment("#", options.provenance);
  if (data.kind == Data::Kind::array) return head + write_csv(data.array, options.delimiter);
  const auto columns = table_of(data);
  if (columns && options.delimiter == ' ') return head + write_columns(*columns);
  if (!columns) no_table();
  return head + write_csv(*columns, options.delimiter);
}

void make_table(const Data& data, const SaveOptions& options, const std::string& path) {
  for (const auto& item : data.items)
    if (item.kind != Data::Kind::array && item.kind != Data::Kind::parts) no_table();
  TextSink file(path);
  if (!options.provenance.empty()) file.put(provenance_comment("#", options.provenance));
  put_csv(data, options.delimiter, [&](std::string_view text) { file.put(text); });
  file.close();
}

Data read_plain(std::string_view bytes, const std::string& name, const CsvOptions&) {
  if (const auto at = find_malformed(bytes); at != bytes.npos)
    fail(fmt::format("{} is not UTF-8 text: invalid byte {}", name, at + 1));
  return Data::of(Array::filled<std::string>({}, std::string(bytes)));
}

std::string write_plain(const Data& data, const SaveOptions& options) {
  if (!options.provenance.empty())
    fail("a text file cannot contain its provenance", "CSV, JSON, HDF5 and PNG can");
  if (data.kind != Data::Kind::array || data.array.type() != ElementType::text || data.array.axes() > 1)
    fail("a text file can contain a text, or a vector of lines");
  std::string out;
  for (const auto& line : data.array.to_vector<std::string>())
    out += line + (data.array.axes() == 1 ? "\n" : "");
  return out;
}

bool starts_like_json(std::string_view bytes) {
  const auto at = bytes.find_first_not_of(" \t\r\n");
  return at != bytes.npos && (bytes[at] == '{' || bytes[at] == '[');
}
bool starts_like_matrix(std::string_view bytes) { return bytes.starts_with("%%MatrixMarket"); }
bool starts_like_png(std::string_view bytes) { return bytes.starts_with("\x89PNG\r\n\x1a\n"); }
// Version 4 is a kind of HDF5.
bool may_be_netcdf(std::string_view bytes) { return is_netcdf(bytes) || is_hdf5(bytes); }
// A first line with delimiters in it.
bool starts_like_table(std::string_view bytes) {
  const auto line = bytes.substr(0, std::min(bytes.find('\n'), bytes.size()));
  return find_malformed(line) == line.npos && line.find('\0') == line.npos &&
         (line.find_first_of(",;\t") != line.npos || has_columns_between_blanks(bytes));
}

constexpr auto kFormats = std::to_array<Format>({
    {"CSV", "csv tsv dat asc",
     "a table of columns with names and units, dates as timestamps, separated by a delimiter or spaces "
     "(.dat, .asc, and .txt with such columns); of vectors and matrices only the numbers",
     starts_like_table, read_table, write_table, make_table},
    {"JSON", "json",
     "any value: numbers in brackets become arrays, rows of equal length a matrix, braces a record; dates "
     "are written as ISO 8601, nan as null",
     starts_like_json, read_json, write_json, make_json},
    {"HDF5", "h5 hdf5",
     "any value: arrays of all types with their names and units, records as groups; attributes and "
     "compression",
     is_hdf5, read_hdf5, write_hdf5, make_hdf5},
    {"NetCDF", "nc nc4 cdf",
     "a record of variables with their units, by the CF conventions: missing and packed values, times as "
     "timestamps; groups as records",
     may_be_netcdf, read_netcdf, write_netcdf, make_netcdf},
    {"spreadsheet", "xlsx",
     "a sheet as a table, or of a matrix only the numbers; a record of tables is written as one sheet each",
     is_spreadsheet, read_spreadsheet, write_spreadsheet},
    {"Matrix Market", "mtx", "a matrix, real, integer or complex, dense or sparse", starts_like_matrix,
     read_matrix_market, write_matrix_market},
    {"PNG", "png", "an image: uint8, rows × columns for grey, × 3 for colour, × 4 with opacity",
     starts_like_png, read_png, write_png},
    {"text", "txt md eq log", "a text; for a vector of texts, each is a line", nullptr, read_plain,
     write_plain},
});

bool has_ending(const Format& format, std::string_view ending) {
  for (std::size_t at = 0; at < format.endings.size();) {
    const auto end = std::min(format.endings.find(' ', at), format.endings.size());
    if (format.endings.substr(at, end - at) == ending) return true;
    at = end + 1;
  }
  return false;
}

std::string all_endings() {
  std::vector<std::string> endings;
  for (const auto& format : kFormats)
    endings.push_back("." + std::string(format.endings.substr(0, format.endings.find(' '))));
  return list_in_prose(endings);
}

}  // namespace

std::span<const Format> formats() { return kFormats; }

const Format& format_to_read(const std::string& name, std::string_view bytes) {
  const auto ending = ending_of(name);
  const Format* by_contents = nullptr;
  for (const auto& format : kFormats)
    if (by_contents == nullptr && format.looks_like && format.looks_like(bytes)) by_contents = &format;
  if (ending == "txt" && has_columns_between_blanks(bytes)) return kFormats[0];
  for (const auto& format : kFormats) {
    if (!has_ending(format, ending)) continue;
    // An image called table.csv is no table.
    if (by_contents && by_contents != &format && format.looks_like && !format.looks_like(bytes) &&
        by_contents != &kFormats[0])
      fail(fmt::format("{} has the extension .{}, but its content is {}", name, ending, by_contents->name),
           fmt::format("rename it to end in .{}",
                       by_contents->endings.substr(0, by_contents->endings.find(' '))));
    return format;
  }
  if (by_contents) return *by_contents;
  fail(fmt::format("the format of {} is unknown", name),
       fmt::format("files with these extensions can be read: {}", all_endings()));
}

const Format& format_to_write(const std::string& name) {
  const auto ending = ending_of(name);
  for (const auto& format : kFormats)
    if (has_ending(format, ending) && format.write) return format;
  fail(ending.empty() ? fmt::format("the extension of the name selects the format, and \"{}\" has none", name)
                      : fmt::format("the format .{} cannot be written", ending),
       fmt::format("files with these extensions can be written: {}", all_endings()));
}

}  // namespace quill
