#include <fmt/format.h>

#include <set>

#include "array/axis_names.h"
#include "base/forked_probe.h"
#include "base/interrupt.h"
#include "base/text.h"
#include "files/conventions.h"
#include "files/formats.h"
#include "files/library_lock.h"
#include "files/netcdf_file.h"
#include "files/parts.h"

namespace quill {

namespace netcdf_reader {

namespace {

constexpr int kDeepestGroup = 100;

class Reader {
 public:
  using Warn = std::function<void(std::string message, std::string hint)>;
  Reader(const NetcdfFile& file, Warn warn, const PartsWanted& wanted = {})
      : file_(file), warn_(std::move(warn)), parts_(wanted, file.name()) {}

  Data values() {
    const LibraryLock lock;
    auto out = group(file_.root(), "", 0);
    parts_.check_all_found();
    return out;
  }
  Data attributes() {
    const LibraryLock lock;
    return attributes_of(file_.root(), 0);
  }
  // Goes through everything but the numbers.
  void look_through() {
    is_probe_ = true;
    values();
    attributes();
  }

 private:
  Data group(int id, const std::string& path, int depth) {
    if (depth > kDeepestGroup) fail(fmt::format("{} has groups nested too deeply", file_.name()));
    Data out;
    out.kind = Data::Kind::record;
    for (const int k : file_.variables_of(id)) {
      poll_interrupt();
      const auto v = file_.variable(id, k);
      const auto name = printable(v.name);
      if (!parts_.wants(path + name)) continue;
      if (auto elements = elements_of(v, path + name)) out.add(name, std::move(*elements));
    }
    for (const auto& [name, inner] : file_.groups_of(id)) {
      const auto shown = printable(name);
      if (parts_.wants_below(path + shown)) out.add(shown, group(inner, path + shown + "/", depth + 1));
    }
    return out;
  }

  // Nothing for types that the language has not, with a warning.
  std::optional<Data> elements_of(const NetcdfFile::Variable& v, const std::string& path) {
    if (v.type > NC_MAX_ATOMIC_TYPE) {
      if (warn_ && !is_probe_)
        warn_(fmt::format("{}: the variable {} is left out: its type is defined in the file", file_.name(),
                          printable(v.name)),
              "");
      return std::nullopt;
    }
    std::vector<int> single;
    std::vector<PartsFinder::Places> places;
    auto part = parts_.part_of(v.shape, file_.dimension_names(v), path, single, places);
    if (is_probe_ && v.is_numeric()) {
      part = BlockPart::whole({0});
      places.clear();
    }
    const auto named = [&](Array array) {
      set_axis_names(array, file_.dimension_names(v));
      return Data::of(without_axes(array, single));
    };
    if (!v.is_numeric())
      return named(with_places(part, places, [&](const BlockPart& one) { return file_.texts(v, one); }));
    auto numbers = with_places(part, places, [&](const BlockPart& one) { return file_.numbers(v, one); });
    numbers = file_.is_boolean(v) ? numbers.converted(ElementType::boolean)
                                  : decoded(std::move(numbers), file_.note_of(v), is_probe_ ? Warn() : warn_);
    return named(std::move(numbers));
  }

  void add_attributes(int group, int variable, int count, Data& to) const {
    static const std::set<std::string> used = {"units",        "long_name",  "_FillValue",  "missing_value",
                                               "scale_factor", "add_offset", "valid_range", "valid_min",
                                               "valid_max",    "_Unsigned"};
    for (int k = 0; k < count; ++k) {
      const auto name = file_.attribute_name(group, variable, k);
      if (used.contains(name)) continue;
      if (auto value = file_.attribute(group, variable, name.c_str()))
        to.add(printable(name), std::move(*value));
    }
  }

  // The attributes of a group, and below their names those of its variables, with the names of their
  // dimensions.
  Data attributes_of(int id, int depth) {
    if (depth > kDeepestGroup) fail(fmt::format("{} has groups nested too deeply", file_.name()));
    Data out;
    out.kind = Data::Kind::record;
    add_attributes(id, NC_GLOBAL, file_.attribute_count(id), out);
    for (const int k : file_.variables_of(id)) {
      const auto v = file_.variable(id, k);
      Data inner;
      inner.kind = Data::Kind::record;
      const auto dimensions = file_.dimension_names(v);
      if (std::any_of(dimensions.begin(), dimensions.end(), [](const auto& d) { return !d.empty(); }))
        inner.add("dimensions", Data::of(Array::vector(dimensions)));
      add_attributes(id, k, v.attributes, inner);
      if (!inner.items.empty()) out.add(printable(v.name), std::move(inner));
    }
    for (const auto& [name, inner] : file_.groups_of(id)) {
      auto data = attributes_of(inner, depth + 1);
      if (!data.items.empty()) out.add(printable(name), std::move(data));
    }
    return out;
  }

  const NetcdfFile& file_;
  Warn warn_;
  PartsFinder parts_;
  bool is_probe_ = false;
};

constexpr unsigned kLeastSeconds = 10;

// Damaged files may crash the library, so a forked probe reads them first: without numbers for the classic
// format, whose header determines their position, and for large files, to save time.
void try_reading(std::string_view bytes, const std::string& name) {
  constexpr std::size_t large = std::size_t{1} << 27;
  const bool is_heading_enough = bytes.starts_with("CDF") || bytes.size() > large;
  netcdf();  // loaded here, once
  constexpr std::size_t bytes_a_second = 20000000;
  const auto seconds = kLeastSeconds + static_cast<unsigned>(bytes.size() / bytes_a_second);
  const LibraryLock lock;
  const auto read = [&] {
    const NetcdfFile file(bytes, name);
    Reader reader(file, {});
    if (is_heading_enough) return reader.look_through();
    reader.values();
    reader.attributes();
  };
  if (!passes_forked_probe(read, seconds))
    fail(fmt::format("{} is damaged: the NetCDF library cannot read it", name));
}

}  // namespace

}  // namespace netcdf_reader

bool is_netcdf(std::string_view bytes) {
  return bytes.size() > 3 && bytes.starts_with("CDF") && (bytes[3] == 1 || bytes[3] == 2 || bytes[3] == 5);
}

Data read_netcdf(std::string_view bytes, const std::string& name, const CsvOptions& options) {
  if (!is_netcdf(bytes) && !is_hdf5(bytes)) fail(fmt::format("{} is not a NetCDF file", name));
  netcdf_reader::try_reading(bytes, name);
  const LibraryLock lock;
  const NetcdfFile file(bytes, name);
  return netcdf_reader::Reader(file, options.warn).values();
}

Data read_netcdf_attributes(std::string_view bytes, const std::string& name) {
  const NetcdfFile file(bytes, name);
  return netcdf_reader::Reader(file, {}).attributes();
}

std::shared_ptr<const NetcdfFile> open_netcdf(const OpenFilePtr& file, const std::string& name,
                                              std::shared_ptr<PartsDigest> digest) {
  const LibraryLock lock;
  const auto first = file->read(0, 8);
  if (!is_netcdf(first) && !is_hdf5(first)) fail(fmt::format("{} is not a NetCDF or HDF5 file", name));
  netcdf();
  // The probe reads small files completely; of others, and of the classic format, only metadata.
  constexpr std::uint64_t small = std::uint64_t{1} << 24;
  const auto look = [&] {
    const NetcdfFile tried(file, name);
    netcdf_reader::Reader reader(tried, {});
    if (is_netcdf(first) || file->size() > small) return reader.look_through();
    reader.values();
    reader.attributes();
  };
  if (!passes_forked_probe(look, netcdf_reader::kLeastSeconds))
    fail(fmt::format("{} is damaged: the NetCDF library cannot read it", name));
  auto out = std::make_shared<const NetcdfFile>(file, name, std::move(digest));
  file->forget_name();
  return out;
}

Data read_parts(const NetcdfFile& file, const PartsWanted& wanted, const CsvOptions& options) {
  return netcdf_reader::Reader(file, options.warn, wanted).values();
}

}  // namespace quill
