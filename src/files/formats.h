// Table of file formats.
#pragma once

#include <span>
#include <string>
#include <string_view>

#include "files/data.h"

namespace quill {

struct SaveOptions {
  std::string provenance;  // one line of JSON to store in the file; "" for none
  char delimiter = ',';    // for tables
  int compression = 0;     // for HDF5, from 0 (none) to 9
  const Data* attributes =
      nullptr;  // for HDF5: a record; nested records are attributes of the member with their name
  std::vector<std::string> unlimited{};  // NetCDF dimensions that can grow
};

struct Format {
  std::string_view name;     // "CSV"
  std::string_view endings;  // extensions separated by spaces: "csv tsv"
  std::string_view about;    // one sentence: what it is read as, and what can be written
  // Whether the contents look like this format, for files with another extension; null if it cannot be
  // detected.
  bool (*looks_like)(std::string_view bytes) = nullptr;
  // `name` is the file name, for errors.
  Data (*read)(std::string_view bytes, const std::string& name, const CsvOptions& options) = nullptr;
  // Null if the format can only be read.
  std::string (*write)(const Data& data, const SaveOptions& options) = nullptr;
  // The same into an empty file, for data that may exceed memory; null if the format has no way to do it.
  void (*make)(const Data& data, const SaveOptions& options, const std::string& path) = nullptr;
};

std::span<const Format> formats();
// Format by extension, ignoring .gz, else by contents. Errors list the known formats and the probable one.
const Format& format_to_read(const std::string& name, std::string_view bytes);
const Format& format_to_write(const std::string& name);
// "csv" for t.CSV and t.csv.gz
std::string ending_of(const std::string& name);

// Decompresses a .gz file or zlib stream; compresses to .gz. Errors name the file.
std::string unzipped(std::string_view bytes, const std::string& name);
std::string zipped(std::string_view bytes);
bool is_zipped(std::string_view bytes);

// Functions in the table of formats.
Data read_json(std::string_view bytes, const std::string& name, const CsvOptions&);
std::string write_json(const Data& data, const SaveOptions& options);
void make_json(const Data& data, const SaveOptions& options, const std::string& path);
Data read_matrix_market(std::string_view bytes, const std::string& name, const CsvOptions&);
std::string write_matrix_market(const Data& data, const SaveOptions& options);
Data read_hdf5(std::string_view bytes, const std::string& name, const CsvOptions&);
std::string write_hdf5(const Data& data, const SaveOptions& options);
void make_hdf5(const Data& data, const SaveOptions& options, const std::string& path);
// Attributes of an HDF5 file, in the form of SaveOptions.
Data read_hdf5_attributes(std::string_view bytes, const std::string& name);
bool is_hdf5(std::string_view bytes);
// NetCDF: classic, 64-bit offset, 64-bit data, version 4.
Data read_netcdf(std::string_view bytes, const std::string& name, const CsvOptions& options);
Data read_netcdf_attributes(std::string_view bytes, const std::string& name);
std::string write_netcdf(const Data& data, const SaveOptions& options);
void make_netcdf(const Data& data, const SaveOptions& options, const std::string& path);
bool is_netcdf(std::string_view bytes);
// Office Open XML: reads one sheet as a table; writes tables and matrices, one to a sheet.
Data read_spreadsheet(std::string_view bytes, const std::string& name, const CsvOptions& options);
std::string write_spreadsheet(const Data& data, const SaveOptions& options);
bool is_spreadsheet(std::string_view bytes);
// The comment property, which stores the provenance; nothing if there is none.
std::optional<std::string> spreadsheet_comment(std::string_view bytes);
Data read_png(std::string_view bytes, const std::string& name, const CsvOptions&);
std::string write_png(const Data& data, const SaveOptions& options);

}  // namespace quill
