// The formats of files: one row each.
#pragma once

#include <span>
#include <string>
#include <string_view>

#include "base/mapped_file.h"
#include "files/data.h"

namespace quill {

struct SaveOptions {
  std::string provenance;                // one line of JSON that goes into the file; "" for none
  char delimiter = ',';                  // of tables
  int compression = 0;                   // of HDF5, from 0 (none) to 9
  const Data* attributes = nullptr;      // of HDF5: a record, in which records belong to what has their name
  std::vector<std::string> unlimited{};  // dimensions of NetCDF that can grow
};

struct Format {
  std::string_view name;     // "CSV"
  std::string_view endings;  // "csv tsv", with spaces between them
  std::string_view about;    // what it is read as, and what can be written, in one sentence
  // Whether the contents look like it, for files with another ending; null where nothing reports.
  bool (*looks_like)(std::string_view bytes) = nullptr;
  // `name` is the file's, for errors.
  Data (*read)(std::string_view bytes, const std::string& name, const CsvOptions& options) = nullptr;
  // Null where it is only read.
  std::string (*write)(const Data& data, const SaveOptions& options) = nullptr;
};

std::span<const Format> formats();
// By the ending of the name, without .gz; failing that, by the contents. Error that says what is known, and
// what the file looks like.
const Format& format_to_read(const std::string& name, std::string_view bytes);
const Format& format_to_write(const std::string& name);
// "csv" for t.CSV and t.csv.gz
std::string ending_of(const std::string& name);

// Contents of a .gz file, or of a stream of zlib, and back to .gz. Errors name the file.
std::string unzipped(std::string_view bytes, const std::string& name);
std::string zipped(std::string_view bytes);
bool is_zipped(std::string_view bytes);

// The rows of the table of formats.
Data read_json(std::string_view bytes, const std::string& name, const CsvOptions&);
std::string write_json(const Data& data, const SaveOptions& options);
Data read_matrix_market(std::string_view bytes, const std::string& name, const CsvOptions&);
std::string write_matrix_market(const Data& data, const SaveOptions& options);
Data read_hdf5(std::string_view bytes, const std::string& name, const CsvOptions&);
std::string write_hdf5(const Data& data, const SaveOptions& options);
// The attributes of an HDF5 file, as SaveOptions has them.
Data read_hdf5_attributes(std::string_view bytes, const std::string& name);
bool is_hdf5(std::string_view bytes);
// Classic, with 64-bit offsets and sizes, and of version 4.
Data read_netcdf(std::string_view bytes, const std::string& name, const CsvOptions& options);
Data read_netcdf_attributes(std::string_view bytes, const std::string& name);
std::string write_netcdf(const Data& data, const SaveOptions& options);
// The same as a temporary file: on the disk for data in parts, which may be larger than memory.
MappedFile write_netcdf_file(const Data& data, const SaveOptions& options, bool has_parts);
bool is_netcdf(std::string_view bytes);
// Office Open XML: one sheet as a table; tables and matrices, one for each sheet.
Data read_spreadsheet(std::string_view bytes, const std::string& name, const CsvOptions& options);
std::string write_spreadsheet(const Data& data, const SaveOptions& options);
bool is_spreadsheet(std::string_view bytes);
// The comment in its properties, where the provenance stands; nothing when there is none.
std::optional<std::string> spreadsheet_comment(std::string_view bytes);
Data read_png(std::string_view bytes, const std::string& name, const CsvOptions&);
std::string write_png(const Data& data, const SaveOptions& options);

}  // namespace quill
