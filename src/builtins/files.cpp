// Files in and out.
#include <fmt/format.h>

#include <cmath>

#include "base/number.h"
#include "base/text.h"
#include "base/time_format.h"
#include "builtins/choices.h"
#include "builtins/context.h"
#include "builtins/opened/opening.h"
#include "builtins/opened/saving.h"
#include "builtins/tables.h"
#include "files/formats.h"
#include "files/text_columns.h"
#include "files/whole_files.h"
#include "value/construct.h"
#include "value/print.h"

namespace quill {

namespace files_calls {
namespace {

Value value_of(Data data) {
  switch (data.kind) {
    case Data::Kind::parts:  // files that were read contain none
    case Data::Kind::none: return Value::none();
    case Data::Kind::array: return Value::array(std::move(data.array));
    case Data::Kind::list: {
      std::vector<Value> items;
      for (auto& item : data.items) items.push_back(value_of(std::move(item)));
      return Value::array(list_of(items));
    }
    case Data::Kind::record: {
      std::vector<std::pair<std::string, Value>> fields;
      for (std::size_t k = 0; k < data.items.size(); ++k)
        fields.emplace_back(data.names[k], value_of(std::move(data.items[k])));
      return Value::record(std::move(fields));
    }
  }
  return Value::none();
}

Data data_of(const Value& given) {
  const auto value = numeric_value(plain_value(given));
  if (value.is_array_like() && element_type_of(value) != ElementType::any) return Data::of(to_array(value));
  Data out;
  const auto items_of = [&](std::span<const Value> items) {
    out.kind = Data::Kind::list;
    for (const auto& item : items) out.items.push_back(data_of(item));
  };
  switch (value.kind()) {
    case Kind::none: return out;
    case Kind::tuple: items_of(value.object<TupleObject>().items); return out;
    case Kind::array: {
      std::vector<Value> items;
      for (Index k = 0; k < value.array().length(); ++k) items.push_back(element_of(value.array(), k));
      items_of(items);
      return out;
    }
    case Kind::record:
      out.kind = Data::Kind::record;
      for (const auto& [name, field] : value.object<RecordObject>().fields) out.add(name, data_of(field));
      return out;
    case Kind::dictionary:
      out.kind = Data::Kind::record;
      for (const auto& [key, field] : value.object<DictionaryObject>().entries)
        out.add(inline_text(key), data_of(field));
      return out;
    default: fail(fmt::format("{} cannot be written to a file", kind_in_words(value)));
  }
}

std::vector<std::string> names_argument(const Call& call, std::size_t i) {
  if (!call.given(i) || call.value(i).is(Kind::none)) return {};
  const auto names = call.array(i);
  if (names.type() != ElementType::text)
    call.fail_argument(i, fmt::format("must be a text or several, not {}", kind_in_words(call.value(i))));
  return names.to_vector<std::string>();
}

enum : std::size_t {
  kName,
  kDelimiter,
  kHeader,
  kColumns,
  kTypes,
  kMissing,
  kSkip,
  kDecimal,
  kAttributes,
  kBadRows,
  kWidths,
  kEncoding,
  kDates,
  kOnly,
  kRanges,
  kSheet,
  kRange
};

// Fields that mark missing values: texts or numbers, one or several.
std::vector<std::string> missing_fields(const Call& call, const Value& value) {
  if (value.is(Kind::text)) return {value.text()};
  std::vector<std::string> out;
  const auto add = [&](const Value& item) {
    if (item.is(Kind::text))
      out.push_back(item.text());
    else if (const auto number = single_real(item))
      out.push_back(shortest(*number));
    else
      call.fail_argument(kMissing, fmt::format("must be texts and numbers, not {}", kind_in_words(item)));
  };
  if (!value.is_array_like()) {
    add(value);
    return out;
  }
  const auto array = to_array(value);
  visit_type(array.type(), [&]<class T>(Tag<T>) {
    for (const auto& item : array.to_vector<T>()) {
      if constexpr (std::is_same_v<T, Any>)
        add(element_value(item));
      else if constexpr (std::is_same_v<T, std::string>)
        out.push_back(item);
      else if constexpr (std::is_arithmetic_v<T>)
        out.push_back(shortest(static_cast<double>(item)));
      else
        call.fail_argument(kMissing, "must be texts and numbers");
    }
  });
  return out;
}

void add_missing(const Call& call, CsvOptions& options) {
  if (!call.given(kMissing) || call.value(kMissing).is(Kind::none)) return;
  const auto& missing = call.value(kMissing);
  if (missing.is(Kind::record)) {
    for (const auto& [column, fields] : missing.object<RecordObject>().fields)
      options.missing_in.emplace_back(column, missing_fields(call, fields));
  } else if (missing.is(Kind::dictionary)) {
    for (const auto& [column, fields] : missing.object<DictionaryObject>().entries)
      options.missing_in.emplace_back(column.is(Kind::text) ? column.text() : inline_text(column),
                                      missing_fields(call, fields));
  } else {
    options.missing = missing_fields(call, missing);
  }
}

CsvOptions csv_options(const Call& call) {
  CsvOptions options;
  const auto character = [&](std::size_t i) -> std::optional<char> {
    if (!call.given(i) || call.value(i).is(Kind::none)) return std::nullopt;
    const auto text = call.text(i);
    if (text.size() != 1)
      call.fail_argument(i, fmt::format("must be a single character, not \"{}\"", printable(text)), "\";\"");
    return text[0];
  };
  options.delimiter = character(kDelimiter);
  options.decimal = character(kDecimal);
  if (options.decimal && *options.decimal != '.' && *options.decimal != ',')
    call.fail_argument(kDecimal, fmt::format("must be \".\" or \",\", not \"{}\"", *options.decimal));
  if (call.given(kHeader) && !call.value(kHeader).is(Kind::none))
    options.header = call.boolean_or(kHeader, true);
  options.columns = names_argument(call, kColumns);
  add_missing(call, options);
  const auto bad = call.one_of(kBadRows);
  options.bad_rows = bad == "skip"  ? CsvOptions::BadRows::skip
                     : bad == "nan" ? CsvOptions::BadRows::nan
                                    : CsvOptions::BadRows::error;
  if (call.given(kWidths) && !call.value(kWidths).is(Kind::none))
    for (const double width : call.reals(kWidths).to_vector<double>()) {
      if (!(width >= 1) || width != std::floor(width) || width > 1e6)
        call.fail_argument(kWidths,
                           fmt::format("must be numbers of characters from 1, not {}", shortest(width)));
      options.widths.push_back(static_cast<Index>(width));
    }
  options.warn = [&call](std::string message, std::string hint) {
    call.warn(std::move(message), std::move(hint));
  };
  if (call.given(kDates) && !call.value(kDates).is(Kind::none)) {
    options.dates = call.text(kDates);
    if (const auto fault = format_fault(options.dates, true); !fault.empty())
      call.fail_argument(kDates, fault, "dates: \"%d.%m.%Y %H:%M\"");
  }
  if (call.given(kSheet) && call.value(kSheet).is(Kind::text))
    options.sheet = call.text(kSheet);
  else if (call.given(kSheet) && !call.value(kSheet).is(Kind::none))
    options.sheet_number = call.whole(kSheet);
  if (options.sheet_number < 0 ||
      (call.given(kSheet) && call.value(kSheet).is_number() && options.sheet_number < 1))
    call.fail_argument(kSheet, fmt::format("must be the name of a sheet or its number from 1, not {}",
                                           options.sheet_number));
  options.range = call.text_or(kRange, "");
  if (call.given(kSkip)) options.skip = call.whole(kSkip);
  if (options.skip < 0)
    call.fail_argument(kSkip, fmt::format("must be an integer from 0, not {}", options.skip));
  if (!call.given(kTypes) || call.value(kTypes).is(Kind::none)) return options;
  const auto add = [&](const std::string& name, const Value& type) {
    const std::vector<std::string> known = {"float64", "int64", "text", "time", "bool"};
    if (!type.is(Kind::text) || std::find(known.begin(), known.end(), type.text()) == known.end())
      call.fail_argument(
          kTypes,
          fmt::format("must give \"float64\", \"int64\", \"text\", \"time\" or \"bool\" for column {}", name),
          fmt::format("types: ({}: \"text\")", name));
    options.types.emplace_back(name, type.text());
  };
  const auto& types = call.value(kTypes);
  if (types.is(Kind::record))
    for (const auto& [name, type] : types.object<RecordObject>().fields) add(name, type);
  else if (types.is(Kind::dictionary))
    for (const auto& [key, type] : types.object<DictionaryObject>().entries) add(inline_text(key), type);
  else
    call.fail_argument(kTypes,
                       fmt::format("must be a record of names and types, not {}", kind_in_words(types)),
                       "types: (station: \"text\")");
  return options;
}

// The bytes of the file that the first argument names.
std::string file_name(const Call& call) {
  auto name = call.text(0);
  if (name.empty()) call.fail_argument(0, "must be a file name, not an empty text");
  return name;
}

std::string read_named(const Call& call) { return call.context.read_input(file_name(call)); }

// The requested fields of a record; for a single name, the field itself.
Value only_of(const Call& call, Data data) {
  const auto names = names_argument(call, kOnly);
  if (names.empty()) return value_of(std::move(data));
  Data out;
  out.kind = Data::Kind::record;
  for (const auto& name : names) {
    const auto found = std::find(data.names.begin(), data.names.end(), name);
    if (found != data.names.end()) {
      out.add(name, data.items[static_cast<std::size_t>(found - data.names.begin())]);
      continue;
    }
    auto known = data.names;
    if (known.size() > 12) known.resize(12);
    call.fail_argument(kOnly, fmt::format("names nothing in {}: {}", call.text(0), printable(name)),
                       known.empty() ? "" : "it has " + list_in_prose(known));
  }
  return value_of(call.value(kOnly).is(Kind::text) ? std::move(out.items[0]) : std::move(out));
}

Value value_of_file(const Call& call, const std::string& name, std::string bytes) {
  const auto options = csv_options(call);
  if (is_zipped(bytes)) bytes = unzipped(bytes, name);
  if (!is_spreadsheet(bytes)) bytes = decoded(std::move(bytes), call.text_or(kEncoding, ""), name);
  const auto& format = format_to_read(name, bytes);
  for (const auto i : {kSheet, kRange})
    if (call.given(i) && format.read != read_spreadsheet)
      call.fail_argument(i, fmt::format("applies to spreadsheets, and {} has another format", name));
  auto data = format.read(bytes, name, options);
  if (!call.boolean_or(kAttributes, false)) return only_of(call, std::move(data));
  const auto read_attributes = format.read == read_netcdf ? read_netcdf_attributes : read_hdf5_attributes;
  if (!is_hdf5(bytes) && !is_netcdf(bytes))
    call.fail_argument(kAttributes, "apply to NetCDF and HDF5 files, and this is another format");
  Data both;
  both.kind = Data::Kind::record;
  both.add("value", std::move(data));
  both.add("attributes", read_attributes(bytes, name));
  return value_of(std::move(both));
}

// The variable or group with such a path.
Data* found_in(Data& data, std::string_view path) {
  auto* at = &data;
  while (at != nullptr && !path.empty()) {
    const auto end = std::min(path.find('/'), path.size());
    const auto found = std::find(at->names.begin(), at->names.end(), path.substr(0, end));
    at = found == at->names.end() ? nullptr : &at->items[static_cast<std::size_t>(found - at->names.begin())];
    path.remove_prefix(std::min(end + 1, path.size()));
  }
  return at;
}

// Parts of a file that holds arrays by name, without the rest.
Value load_parts(const Call& call, const std::string& name) {
  const auto wanted = parts_wanted(call, kOnly, kRanges);
  auto data = read_parts_of(call, name, wanted);
  if (call.given(kOnly) && call.value(kOnly).is(Kind::text))
    if (auto* one = found_in(data, wanted.only.at(0))) return value_of(std::move(*one));
  return value_of(std::move(data));
}

Value load_row(Call& call) {
  const auto name = file_name(call);
  const bool is_part = (call.given(kOnly) && !call.value(kOnly).is(Kind::none)) ||
                       (call.given(kRanges) && !call.value(kRanges).is(Kind::none));
  if (is_part && has_parts(name)) {
    if (call.boolean_or(kAttributes, false))
      call.fail_argument(kAttributes, "cannot be combined with `only` and `ranges`");
    return load_parts(call, name);
  }
  if (call.given(kRanges) && !call.value(kRanges).is(Kind::none))
    call.fail_argument(kRanges, "apply to NetCDF and HDF5 files, and this is another format");
  if (!is_part && !call.boolean_or(kAttributes, false))
    if (auto data = read_large(call, name)) return value_of(std::move(*data));
  std::string how = "load";
  for (std::size_t k = 0; k < call.row.parameters.size(); ++k)
    how += "\n" + (call.given(k) ? inline_text(call.value(k)) : std::string());
  return call.context.loaded(name, how,
                             [&](std::string bytes) { return value_of_file(call, name, std::move(bytes)); });
}

Value read_text_row(Call& call) {
  auto text = decoded(read_named(call), call.text_or(1, ""), call.text(0));
  if (const auto at = find_malformed(text); at != std::string::npos)
    call.fail_argument(0, fmt::format("names a file that is not UTF-8 text: invalid byte {}", at + 1),
                       "encoding: \"latin-1\", \"windows-1252\" or \"utf-16\" reads other encodings");
  return Value::text(std::move(text));
}

Value write_text_row(Call& call) {
  const auto& given = call.value(1);
  std::string text;
  if (given.is(Kind::text)) {
    text = given.text();
  } else {
    if (!given.is(Kind::array) || given.array().type() != ElementType::text || given.array().axes() != 1)
      call.fail_argument(1, fmt::format("must be a text or a vector of texts, not {}", kind_in_words(given)));
    for (const auto& line : given.array().to_vector<std::string>()) text += line + "\n";
  }
  call.context.write_output(call.text(0), text);
  return Value::none();
}

Value save_row(Call& call) {
  auto& c = call.context;
  if (!call.value(0).is(Kind::text) && call.value(1).is(Kind::text) && call.node() != nullptr) {
    const auto source = call.runtime.location_of(call.node()).source;
    const auto written = [&](std::size_t i) { return source->text(call.node()->argument(i).span); };
    call.fail_argument(
        0, fmt::format("must be a text, the name of the file, not {}", kind_in_words(call.value(0))),
        fmt::format("save({}, {})", written(1), written(0)));
  }
  const auto name = call.text(0);
  const auto& format = format_to_write(name);
  SaveOptions options;
  const auto ending = ending_of(name);
  options.delimiter = ending == "tsv" ? '\t' : ending == "dat" || ending == "asc" ? ' ' : ',';
  if (call.boolean_or(2, false)) {
    options.provenance = c.provenance(name);
    if (options.provenance.empty())
      call.fail_argument(2, "records the provenance of a file, and there is no script here",
                         "eager-quill run SCRIPT");
  }
  // A list of records is a table in a file of tables.
  const auto records = ending == "csv" || options.delimiter != ',' ? records_in(call.value(1)) : std::nullopt;
  // Widths of columns between spaces are those of all their elements.
  const bool in_parts = format.make && extension_of(name) != "gz" && options.delimiter != ' ';
  bool has_parts = false;
  const auto data =
      data_to_write(call, records ? columns_of(*records) : call.value(1), data_of, in_parts, has_parts);
  const auto only_with_attributes = [&](std::size_t i, const char* what) {
    if (format.write != write_hdf5 && format.write != write_netcdf)
      call.fail_argument(
          i, fmt::format("{} available for NetCDF and HDF5 files, and {} has another format", what, name));
  };
  if (call.given(3)) {
    only_with_attributes(3, "is only");
    const auto level = call.whole(3);
    if (level < 0 || level > 9)
      call.fail_argument(3, fmt::format("must be an integer from 0 to 9, not {}", level));
    options.compression = static_cast<int>(level);
  }
  std::optional<Data> attributes;
  if (call.given(4) && !call.value(4).is(Kind::none)) {
    only_with_attributes(4, "are only");
    attributes = data_of(call.value(4));
    options.attributes = &*attributes;
  }
  if (call.given(5) && !call.value(5).is(Kind::none)) {
    if (format.write != write_netcdf)
      call.fail_argument(5, fmt::format("applies to NetCDF files, and {} has another format", name));
    options.unlimited = names_argument(call, 5);
  }
  // Small HDF5 files are quicker in memory.
  constexpr std::int64_t large = std::int64_t{1} << 22;
  if (in_parts && (has_parts || format.write == write_netcdf ||
                   (format.write == write_hdf5 && bytes_of(data) >= large))) {
    const auto make = [&](const std::string& path) { format.make(data, options, path); };
    const bool is_text = format.write != write_netcdf && format.write != write_hdf5;
    // Digits take more than a number, and along dimensions that grow the last chunk may be nearly empty.
    const int times = is_text || !options.unlimited.empty() ? 2 : 1;
    c.make_output(name, {times * bytes_of(data), is_text || options.compression > 0, make, {}});
    return Value::none();
  }
  auto bytes = format.write(data, options);
  if (extension_of(name) == "gz") bytes = zipped(bytes);
  c.write_output(name, bytes);
  return Value::none();
}

// The formats as one text for help: made once, as rows only point to texts.
std::string_view formats_in_words(bool written) {
  static const auto all = [] {
    std::array<std::string, 2> out;
    for (const auto& format : formats())
      for (const bool w : {false, true})
        if (!w || format.write)
          out[w] += fmt::format("{}{} ({}): {}", out[w].empty() ? "" : "; ", format.name, format.endings,
                                format.about);
    for (auto& text : out) text += "; append .gz to the extension for compression";
    return out;
  }();
  return all[written];
}

}  // namespace
}  // namespace files_calls

std::vector<Builtin> file_rows() {
  using namespace files_calls;
  return {
      {
          .name = "load",
          .family = "files",
          .summary = "Read a file; the format is found from its extension and content.",
          .parameters =
              {{"name", "path of the file, relative to the script", ""},
               grouped("Options for tables",
                       {"delimiter", "delimiter of a table, a character; found automatically by default",
                        "none"}),
               grouped("Options for tables",
                       {"header", "whether the first row of a table contains the column names", "none"}),
               grouped("Options for tables",
                       {"columns", "names of the columns to read from a table", "none"}),
               grouped("Options for tables", {"types",
                                              "types of columns of a table: a record of \"float64\", "
                                              "\"int64\", \"text\", \"time\" or \"bool\"",
                                              "none"}),
               grouped("Options for tables", {"missing",
                                              "missing-value markers, beside empty fields, NA, n/a and -: "
                                              "texts or numbers, or a record of them by column",
                                              "none"}),
               grouped("Options for tables", {"skip", "number of lines before the table", "0"}),
               grouped("Options for tables",
                       {"decimal",
                        "decimal separator, \".\" or \",\"; a comma if fields are separated by semicolons",
                        "none"}),
               advanced({"attributes",
                         "NetCDF and HDF5: whether to return (value: …, attributes: …) with the attributes "
                         "of the file "
                         "and its objects",
                         "false"}),
               one_of(
                   grouped(
                       "Options for tables",
                       {"bad_rows",
                        "rows with another number of fields, and fields that are not numbers in a column of "
                        "numbers: \"error\" (such a column is read as texts, with a warning), \"skip\" drops "
                        "the rows, \"nan\" makes the fields missing; the last two report how many there were",
                        "\"error\""}),
                   choices::kBadRows),
               grouped(
                   "Options for tables",
                   {"widths", "widths of the columns of a table without delimiter, in characters: [8, 8, 12]",
                    "none"}),
               advanced({"encoding",
                         "text encoding: \"latin-1\", \"windows-1252\" or \"utf-16\"; default UTF-8",
                         "\"\""}),
               grouped("Options for tables",
                       {"dates",
                        "format of dates in another form than ISO 8601, as in strftime: \"%d.%m.%Y %H:%M\"",
                        "none"}),
               {"only", "names of variables or columns to load; a single name returns that one alone",
                "none"},
               {"ranges",
                "NetCDF and HDF5: positions by dimension, without reading the rest: (time: 1..24, depth: [1, "
                "5])",
                "none"},
               grouped("Options for tables", {"sheet", "spreadsheets: name or number of the sheet", "1"}),
               grouped("Options for tables",
                       {"range", "spreadsheets: cells of the table, \"A1:D20\" or \"A:D\"", "\"\""})},
          .returns = formats_in_words(false),
          .errors =
              "if the file cannot be read or is damaged; the message names line and column where possible",
          .source = "RFC 4180, with # comments, semicolons and tabs; RFC 8259; HDF5 file format 3.0; NetCDF, "
                    "CF 1.10; NIST IR "
                    "5935; ISO/IEC 15948",
          .example = "# cast = load(\"soundings.csv\")\n# mean(cast.depth)",
          .run = load_row,
      },
      {
          .name = "read_text",
          .family = "files",
          .summary = "Read a text file.",
          .parameters = {{"name", "path of the file, relative to the script", ""},
                         {"encoding",
                          "text encoding: \"latin-1\", \"windows-1252\" or \"utf-16\"; default UTF-8",
                          "\"\""}},
          .returns = "a text",
          .errors = "if the file cannot be read; if it is not UTF-8",
          .example = "# notes = read_text(\"notes.txt\")\n# text_lines(notes)",
          .run = read_text_row,
      },
      {
          .name = "write_text",
          .family = "files",
          .summary = "Write a text to a file in the output folder.",
          .parameters = {{"name", "path of the file, relative to the output folder", ""},
                         {"t", "a text, or a vector of texts, one for each line", ""}},
          .returns = "nothing; the path is printed",
          .errors = "if the file cannot be written; an existing file is then unchanged",
          .example = "# write_text(\"summary.txt\", \"deepest {38.2} m\")",
          .run = write_text_row,
      },
      {
          .name = "save",
          .family = "files",
          .summary = "Write a value to a file in the output folder; the extension selects the format.",
          .parameters =
              {{"name", "path of the file, relative to the output folder", ""},
               {"value", formats_in_words(true), ""},
               {"provenance",
                "whether the file contains its provenance (script and inputs), for eager-quill trace",
                "false"},
               advanced({"compression", "NetCDF and HDF5: compression level from 0 (none) to 9", "0"}),
               advanced({"attributes",
                         "NetCDF and HDF5: a record of attributes of the file; a record inside it has the "
                         "attributes of "
                         "the object with that name",
                         "none"}),
               advanced({"unlimited", "NetCDF: names of dimensions that other programs can extend", "none"})},
          .returns = "nothing; the path is printed",
          .errors = "if the format cannot hold the value; if columns have different lengths; if the file "
                    "cannot be written; an existing file is then unchanged",
          .source = "RFC 4180; RFC 8259; HDF5 file format 3.0; NetCDF, CF 1.10; NIST IR 5935; ISO/IEC 15948",
          .example =
              "# save(\"profile.csv\", (depth: [0, 1, 2], temperature: [18.2, 17.9, 12.4]))\n# "
              "save(\"field.h5\", (t: random(100, 100)), compression: 4, attributes: (lake: \"Velm\"))",
          .run = save_row,
      },
  };
}

}  // namespace quill
