#include "builtins/opened/opening.h"

#include <fmt/format.h>

#include <algorithm>

#include "array/axis_names.h"
#include "base/text.h"
#include "builtins/context.h"
#include "builtins/opened/opened_array.h"
#include "builtins/tables.h"
#include "files/conventions.h"
#include "files/formats.h"
#include "value/construct.h"
#include "value/print.h"

namespace quill {

namespace opening_calls {

namespace {

std::shared_ptr<const NetcdfFile> opened(const Call& call, const std::string& name) {
  auto digest = std::make_shared<PartsDigest>();
  return open_netcdf(call.context.open_input(
                         name, [digest] { return digest->text(); }, 0),
                     name, digest);
}

bool is_netcdf_name(const std::string& name) {
  const auto extension = ending_of(name);
  return !name.ends_with(".gz") && (extension == "nc" || extension == "nc4" || extension == "cdf");
}

CsvOptions warning_options(const Call& call) {
  CsvOptions options;
  options.warn = [&call](std::string message, std::string hint) {
    call.warn(std::move(message), std::move(hint));
  };
  return options;
}

DimensionRange range_of(const Call& call, std::size_t i, const std::string& dimension, const Value& given) {
  DimensionRange out{dimension};
  const auto refuse = [&] {
    call.fail_argument(
        i,
        fmt::format("must give positions from 1 for {}, a range, a vector or one number; not {}",
                    printable(dimension), kind_in_words(given)),
        fmt::format("ranges: ({}: 1..10)", dimension));
  };
  const auto position = [&](double x) {
    if (!(x >= 1) || !is_whole(x) || x > 9e15)
      call.fail_argument(
          i,
          fmt::format("contains {} for {}; positions are integers from 1", shortest(x), printable(dimension)),
          fmt::format("ranges: ({}: 1..10)", dimension));
    return static_cast<Index>(x) - 1;
  };
  if (given.is(Kind::range)) {
    const auto& range = given.object<RangeObject>();
    out.count = range.count;
    if (range.count == 0) return out;
    out.start = position(range.first);
    if (range.count > 1) {
      out.step = position(range.at(1)) - out.start;
      if (out.step < 1)
        call.fail_argument(i, fmt::format("must give a rising range for {}", printable(dimension)),
                           fmt::format("ranges: ({}: 1..10)", dimension));
      position(range.at(range.count - 1));
    }
    return out;
  }
  if (given.is_array_like() && shape_of(given).count() == 1 &&
      (is_real(element_type_of(given)) || is_integer(element_type_of(given)))) {
    for (const double x : to_array(given).converted(ElementType::float64).to_vector<double>())
      out.places.push_back(position(x));
    out.count = static_cast<Index>(out.places.size());
    return out;
  }
  const auto number = single_real(given);
  if (!number) refuse();
  out.start = position(*number);
  out.is_single = true;
  return out;
}

// A record of the variables of a group and of the groups in it.
Value variables_of(const std::shared_ptr<const NetcdfFile>& file, int group, const std::string& path,
                   const std::string& wanted) {
  std::vector<std::pair<std::string, Value>> fields;
  for (const int id : file->variables_of(group)) {
    const auto v = file->variable(group, id);
    const auto name = printable(v.name);
    if (v.type > NC_MAX_ATOMIC_TYPE) continue;
    const bool is_wanted = path + name == wanted;
    const auto dimensions = file->dimension_names(v);
    const bool is_coordinate =
        v.shape.empty() || (v.shape.count() == 1 && dimensions[0] == name) ||
        (v.is_numeric() && file->note_of(v).units.find(" since ") != std::string::npos);
    Value value;
    const auto named = [&](Array array) {
      set_axis_names(array, dimensions);
      return Value::array(std::move(array));
    };
    if (v.is_numeric() && (is_wanted || !is_coordinate)) {
      value = OpenedArray::value(variable_source(file, v, path + name));
    } else if (!v.is_numeric()) {
      value = named(file->texts(v, BlockPart::whole(v.shape)));
    } else {
      value = named(decoded(file->numbers(v, BlockPart::whole(v.shape)), file->note_of(v), {}));
    }
    if (is_wanted) return value;
    fields.emplace_back(name, std::move(value));
  }
  for (const auto& [name, inner] : file->groups_of(group)) {
    const auto shown = printable(name);
    auto value = variables_of(file, inner, path + shown + "/", wanted);
    if (!wanted.empty() && !value.is(Kind::none)) return value;
    fields.emplace_back(shown, std::move(value));
  }
  return wanted.empty() ? Value::record(std::move(fields)) : Value::none();
}

std::vector<std::string> paths_in(const NetcdfFile& file, int group, const std::string& path) {
  std::vector<std::string> out;
  for (const int id : file.variables_of(group))
    out.push_back(path + printable(file.variable(group, id).name));
  for (const auto& [name, inner] : file.groups_of(group))
    for (auto& one : paths_in(file, inner, path + printable(name) + "/")) out.push_back(std::move(one));
  return out;
}

Value open_data_row(Call& call) {
  const auto name = call.text(0);
  if (name.empty()) call.fail_argument(0, "must be a file name, not an empty text");
  const auto file = opened(call, name);
  const auto wanted = call.given(1) && !call.value(1).is(Kind::none) ? call.text(1) : std::string();
  auto out = variables_of(file, file->root(), "", wanted);
  if (out.is(Kind::none)) {
    auto known = paths_in(*file, file->root(), "");
    if (known.size() > 12) known.resize(12);
    call.fail_argument(1, fmt::format("names no variable of {}: {}", name, printable(wanted)),
                       known.empty() ? "" : "it has " + list_in_prose(known));
  }
  return out;
}

}  // namespace

}  // namespace opening_calls

bool has_parts(const std::string& name) {
  const auto extension = ending_of(name);
  return opening_calls::is_netcdf_name(name) ||
         (!name.ends_with(".gz") && (extension == "h5" || extension == "hdf5" || extension == "hdf"));
}

PartsWanted parts_wanted(const Call& call, std::size_t only, std::size_t ranges) {
  PartsWanted out;
  if (call.given(only) && !call.value(only).is(Kind::none)) {
    const auto names = call.array(only);
    if (names.type() != ElementType::text || names.size() == 0)
      call.fail_argument(only,
                         fmt::format("must be a name or several, not {}", kind_in_words(call.value(only))));
    out.only = names.to_vector<std::string>();
  }
  if (!call.given(ranges) || call.value(ranges).is(Kind::none)) return out;
  const auto& given = call.value(ranges);
  if (given.is(Kind::record)) {
    for (const auto& [name, range] : given.object<RecordObject>().fields)
      out.ranges.push_back(opening_calls::range_of(call, ranges, name, range));
  } else if (given.is(Kind::dictionary)) {
    for (const auto& [name, range] : given.object<DictionaryObject>().entries)
      out.ranges.push_back(opening_calls::range_of(call, ranges, inline_text(name), range));
  } else {
    call.fail_argument(
        ranges, fmt::format("must be a record of dimensions and positions, not {}", kind_in_words(given)),
        "ranges: (time: 1..24)");
  }
  return out;
}

Data read_parts_of(const Call& call, const std::string& name, const PartsWanted& wanted) {
  return read_parts(*opening_calls::opened(call, name), wanted, opening_calls::warning_options(call));
}

std::uint64_t& least_size_in_parts() {
  static std::uint64_t size = std::uint64_t{1} << 28;
  return size;
}

std::optional<Data> read_large(const Call& call, const std::string& name) {
  if (!has_parts(name)) return std::nullopt;
  auto digest = std::make_shared<PartsDigest>();
  const auto file = call.context.open_input(
      name, [digest] { return digest->text(); }, least_size_in_parts());
  if (!file) return std::nullopt;
  const auto options = opening_calls::warning_options(call);
  if (!opening_calls::is_netcdf_name(name))
    if (auto all = read_hdf5_file(*file, name, *digest, options)) return all;
  return read_parts(*open_netcdf(file, name, digest), {}, options);
}

std::vector<Builtin> opening_rows() {
  using namespace opening_calls;
  return {
      {
          .name = "open_data",
          .family = "files",
          .summary = "Open a NetCDF or HDF5 file without loading its arrays.",
          .parameters = {{"file", "path of the file, relative to the script", ""},
                         {"name", "one variable, with its groups: \"deep/temp\"", "none"}},
          .returns =
              "a record of all variables, or the one named. Coordinates and texts are loaded. All other "
              "variables are opened arrays, whose elements are read in blocks when they are needed: "
              "operators, functions of single elements, indices, conditions, reductions, functions along "
              "an axis, and save take them; all other functions load all elements",
          .errors =
              "if the file is not a NetCDF or HDF5 file, or changes while it is open; if a function needs "
              "all elements and there is not enough memory",
          .source = "NetCDF, CF 1.10; HDF5 file format 3.0",
          .example = "# lake = open_data(\"chain.nc\")\n# mean(lake.temperature, over: \"time\")",
          .run = open_data_row,
      },
  };
}

}  // namespace quill
