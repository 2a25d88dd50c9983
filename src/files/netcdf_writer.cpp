#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <functional>
#include <limits>
#include <set>

#include "array/axis_names.h"
#include "array/reduce.h"
#include "base/host.h"
#include "base/temporary_file.h"
#include "base/text.h"
#include "base/time_text.h"
#include "files/formats.h"
#include "files/library_lock.h"
#include "files/netcdf_library.h"
#include "files/provenance.h"

namespace quill {

namespace netcdf_writer {

namespace {

// Whether it can be the coordinates along an axis: numbers that rise or fall strictly.
bool is_coordinate(const Array& a) {
  if (a.axes() != 1 || a.size() == 0 || a.type() == ElementType::boolean ||
      !(is_integer(a.type()) || a.type() == ElementType::float64 || a.type() == ElementType::float32))
    return false;
  const auto x = a.converted(ElementType::float64).to_vector<double>();
  const auto ordered = [&](auto less) {
    return std::adjacent_find(x.begin(), x.end(), [&](double p, double q) { return !less(p, q); }) == x.end();
  };
  return ordered(std::less<>()) || ordered(std::greater<>());
}

// Writes version 4. If there are arrays of several axes, coordinate vectors of their axes define dimensions.
// Other vectors share a dimension by length, and axes use the first dimension of their length.
class Writer {
 public:
  // The library's in-memory files lose the order of variables.
  Writer(const SaveOptions& options, const std::string& path, std::int64_t bytes)
      : n_(netcdf()), options_(options) {
    check(n_.nc_create(path.c_str(), NC_NETCDF4 | NC_CLOBBER, &file_));
    if (const auto why = reserve_room(path, bytes); !why.empty())
      fail_hindered("the NetCDF file cannot be written: " + why);
  }
  ~Writer() {
    if (file_ >= 0) n_.nc_close(file_);
  }
  Writer(const Writer&) = delete;
  Writer& operator=(const Writer&) = delete;

  void write(const Data& data) {
    put_text(file_, NC_GLOBAL, "Conventions", "CF-1.10");
    if (!options_.provenance.empty()) put_text(file_, NC_GLOBAL, kProvenanceKey, options_.provenance);
    group(file_, data, options_.attributes, "");
    check(n_.nc_close(std::exchange(file_, -1)));
    for (const auto& name : options_.unlimited)
      if (!has_grown_.contains(name))
        fail(fmt::format("no variable has the dimension {}, which `unlimited` names", printable(name)));
  }

 private:
  struct Dimension {
    std::string name;
    Index length = 0;
    int id = 0;
  };

  void check(int status) const {
    if (status == NC_EBADNAME)
      fail("the name of a variable of a NetCDF file cannot contain / or begin with a space");
    if (status != NC_NOERR)
      fail(fmt::format("the NetCDF file cannot be written: {}", n_.nc_strerror(status)));
  }
  void put_text(int group, int variable, const char* name, const std::string& text) const {
    check(n_.nc_put_att_text(group, variable, name, text.size(), text.data()));
  }

  void group(int id, const Data& data, const Data* attributes, const std::string& path) {
    if (data.kind != Data::Kind::record)
      fail("a NetCDF file contains variables with names", "save(\"survey.nc\", (time: t, temp: temp))");
    auto dimensions = dimensions_of(id, data);
    for (std::size_t k = 0; k < data.items.size(); ++k) {
      const auto& name = data.names[k];
      const auto* own = attributes_of(attributes, name);
      if (data.items[k].kind == Data::Kind::record) {
        int inner = 0;
        check(n_.nc_def_grp(id, name.c_str(), &inner));
        group(inner, data.items[k], own, path + name + ".");
      } else if (data.items[k].kind == Data::Kind::array) {
        const auto a = data.items[k].array.compact();
        const int made = variable(id, name, a, a.shape(), own, path + name, dimensions);
        if (a.size() > 0)
          put_elements(id, made, a, std::vector<Index>(static_cast<std::size_t>(a.axes()), 0));
      } else if (data.items[k].kind == Data::Kind::parts) {
        const auto& parts = *data.items[k].parts;
        const int made = variable(id, name, parts.sample(), parts.shape(), own, path + name, dimensions);
        parts.for_each_part(
            [&](const std::vector<Index>& start, const Array& a) { put_elements(id, made, a, start); });
      } else {
        fail(fmt::format("{} is {}, which a NetCDF file cannot contain", path + name,
                         data.items[k].kind == Data::Kind::list ? "a list" : "none"),
             "JSON and HDF5 files can contain any value");
      }
    }
    for (std::size_t k = 0; attributes && k < attributes->items.size(); ++k)
      if (std::find(data.names.begin(), data.names.end(), attributes->names[k]) == data.names.end())
        put_attribute(id, NC_GLOBAL, attributes->names[k], attributes->items[k]);
  }

  std::vector<Dimension> dimensions_of(int group, const Data& data) {
    std::set<Index> lengths;  // of axes of arrays with several
    for (const auto& item : data.items) {
      const auto shape = shape_of(item);
      for (int k = 0; shape.count() > 1 && k < shape.count(); ++k) lengths.insert(shape[k]);
    }
    std::vector<Dimension> out;
    // Coordinate variables define the lengths of their dimensions; then follow axis names of other arrays.
    for (std::size_t k = 0; k < data.items.size(); ++k)
      if (const auto names = names_of(data.items[k]); names.size() == 1 && names[0] == data.names[k])
        add_dimension(group, names[0], shape_of(data.items[k])[0], out);
    for (const auto& item : data.items) {
      const auto shape = shape_of(item);
      const auto names = names_of(item);
      std::vector<int> taken;
      for (std::size_t k = 0; k < names.size(); ++k)
        if (!names[k].empty())
          taken.push_back(named_dimension(group, names[k], shape[static_cast<int>(k)], taken, out));
    }
    for (const bool is_for_coordinates : {true, false})
      for (std::size_t k = 0; k < data.items.size(); ++k) {
        const auto& item = data.items[k];
        if (item.kind != Data::Kind::array || item.array.axes() != 1 || has_axis_names(item.array)) continue;
        const auto length = item.array.extent(0);
        const auto is_own = [&](const auto& d) { return d.name == data.names[k] && d.length == length; };
        if (std::any_of(out.begin(), out.end(), is_own)) continue;
        const bool has_own = lengths.contains(length) && is_coordinate(item.array);
        if (has_own != is_for_coordinates) continue;
        if (has_own)
          add_dimension(group, data.names[k], length, out);
        else
          find_dimension(group, data.names[k], length, {}, out);
      }
    return out;
  }

  static Shape shape_of(const Data& item) {
    if (item.kind == Data::Kind::parts) return item.parts->shape();
    return item.kind == Data::Kind::array ? item.array.shape() : Shape{};
  }
  static AxisNames names_of(const Data& item) {
    if (item.kind == Data::Kind::array) return {axis_names(item.array).begin(), axis_names(item.array).end()};
    if (item.kind != Data::Kind::parts) return {};
    const auto sample = item.parts->sample();
    return {axis_names(sample).begin(), axis_names(sample).end()};
  }

  static const Data* attributes_of(const Data* all, const std::string& name) {
    if (all == nullptr) return nullptr;
    for (std::size_t k = 0; k < all->items.size(); ++k)
      if (all->names[k] == name && all->items[k].kind == Data::Kind::record) return &all->items[k];
    return nullptr;
  }

  // The dimension for an axis of this length that is not among `taken`; a new one when there is none.
  int find_dimension(int group, const std::string& name, Index length, const std::vector<int>& taken,
                     std::vector<Dimension>& dimensions) {
    for (const auto& d : dimensions)
      if (d.length == length && std::find(taken.begin(), taken.end(), d.id) == taken.end()) return d.id;
    return add_dimension(group, name, length, dimensions);
  }

  // The dimension with such a name; another one where that has another length, or is taken.
  int named_dimension(int group, const std::string& name, Index length, const std::vector<int>& taken,
                      std::vector<Dimension>& dimensions) {
    for (const auto& d : dimensions)
      if (d.name == name && d.length == length && std::find(taken.begin(), taken.end(), d.id) == taken.end())
        return d.id;
    return add_dimension(group, name, length, dimensions);
  }

  int add_dimension(int group, const std::string& name, Index length, std::vector<Dimension>& dimensions) {
    auto unused = name;
    const auto is_used = [&](const auto& d) { return d.name == unused; };
    for (int k = 2; std::any_of(dimensions.begin(), dimensions.end(), is_used); ++k)
      unused = fmt::format("{}_{}", name, k);
    Dimension made{unused, length, 0};
    const bool grows =
        std::find(options_.unlimited.begin(), options_.unlimited.end(), unused) != options_.unlimited.end();
    // The length 0 makes it unlimited, and nothing is written along it.
    check(n_.nc_def_dim(group, unused.c_str(), grows ? NC_UNLIMITED : static_cast<std::size_t>(length),
                        &made.id));
    if (grows) {
      has_grown_.insert(unused);
      grown_ids_.insert(made.id);
    }
    dimensions.push_back(made);
    return made.id;
  }

  // Along dimensions that grow the library would store each position by itself.
  static std::vector<std::size_t> chunks_for(const Shape& shape) {
    constexpr Index elements = 1 << 16;
    std::vector<std::size_t> out(static_cast<std::size_t>(shape.count()));
    Index left = elements;
    for (int k = shape.count() - 1; k >= 0; --k) {
      const Index here = std::clamp<Index>(shape[k], 1, std::max<Index>(1, left));
      out[static_cast<std::size_t>(k)] = static_cast<std::size_t>(here);
      left /= here;
    }
    return out;
  }

  static nc_type type_of(const Array& a, const std::string& path) {
    switch (a.type()) {
      case ElementType::float64: return NC_DOUBLE;
      case ElementType::float32: return NC_FLOAT;
      case ElementType::int32: return NC_INT;
      case ElementType::int64: return NC_INT64;
      case ElementType::uint8: return NC_UBYTE;
      case ElementType::boolean: return NC_BYTE;
      case ElementType::text: return NC_STRING;
      case ElementType::complex128:
        fail(fmt::format("{} is complex, which a NetCDF file cannot contain", path),
             "save real(z) and imag(z) as two variables");
      default: fail(fmt::format("{} contains lists, which a NetCDF file cannot", path));
    }
  }

  // Defines a variable with the type and the label of an array.
  int variable(int group, const std::string& name, const Array& a, const Shape& shape, const Data* attributes,
               const std::string& path, std::vector<Dimension>& dimensions) {
    std::vector<int> ids;
    const auto own =
        std::find_if(dimensions.begin(), dimensions.end(), [&](const auto& d) { return d.name == name; });
    const int axes = shape.count();
    if (axes == 1 && own != dimensions.end() && own->length == shape[0]) ids.push_back(own->id);
    const auto names = axis_names(a);
    for (int k = static_cast<int>(ids.size()); k < axes; ++k)
      if (const auto at = static_cast<std::size_t>(k); at < names.size() && !names[at].empty())
        ids.push_back(named_dimension(group, names[at], shape[k], ids, dimensions));
      else
        ids.push_back(find_dimension(group, fmt::format("{}_{}", name, k + 1), shape[k], ids, dimensions));
    int id = 0;
    check(n_.nc_def_var(group, name.c_str(), type_of(a, path), axes, ids.data(), &id));
    if (std::any_of(ids.begin(), ids.end(), [&](int one) { return grown_ids_.contains(one); }))
      check(n_.nc_def_var_chunking(group, id, NC_CHUNKED, chunks_for(shape).data()));
    if (options_.compression > 0 && axes > 0 && a.type() != ElementType::text)
      check(n_.nc_def_var_deflate(group, id, 1, 1, options_.compression));
    if (holds_times(a)) {
      put_text(group, id, "units", fmt::format("{} 00:00:00", kTimeUnit));
      put_text(group, id, "calendar", "proleptic_gregorian");
    } else if (a.label && !a.label->unit.empty()) {
      put_text(group, id, "units", a.label->unit);
    }
    if (a.label && !a.label->name.empty() && a.label->name != name)
      put_text(group, id, "long_name", a.label->name);
    const bool is_real = a.type() == ElementType::float64 || a.type() == ElementType::float32;
    // Coordinates have no gaps.
    const bool is_coordinate = axes == 1 && a.axes() == 1 && own != dimensions.end() && ids[0] == own->id;
    const auto has_nan = [&] { return *quill::reduce(Reduction::count_nan, a).data<double>() > 0; };
    if (is_real && (!is_coordinate || has_nan())) {
      const double nan = std::numeric_limits<double>::quiet_NaN();
      check(n_.nc_put_att_double(group, id, "_FillValue",
                                 a.type() == ElementType::float64 ? NC_DOUBLE : NC_FLOAT, 1, &nan));
    }
    if (a.type() == ElementType::boolean) {
      const signed char values[] = {0, 1};
      check(n_.nc_put_att_schar(group, id, "flag_values", NC_BYTE, 2, values));
      put_text(group, id, "flag_meanings", "false true");
    }
    for (std::size_t k = 0; attributes && k < attributes->items.size(); ++k)
      put_attribute(group, id, attributes->names[k], attributes->items[k]);
    return id;
  }

  void put_elements(int group, int id, const Array& a, const std::vector<Index>& from) const {
    const LibraryLock lock;  // the next part may be read meanwhile
    const std::vector<std::size_t> start(from.begin(), from.end());
    const std::vector<std::size_t> count(a.shape().begin(), a.shape().end());
    const auto put = [&](auto function, auto* elements) {
      check(function(group, id, start.data(), count.data(), elements));
    };
    switch (a.type()) {
      case ElementType::float64: return put(n_.nc_put_vara_double, a.data<double>());
      case ElementType::float32: return put(n_.nc_put_vara_float, a.data<float>());
      case ElementType::int32: return put(n_.nc_put_vara_int, a.data<std::int32_t>());
      case ElementType::int64:
        return put(n_.nc_put_vara_longlong, reinterpret_cast<const long long*>(a.data<std::int64_t>()));
      case ElementType::uint8: return put(n_.nc_put_vara_uchar, a.data<std::uint8_t>());
      case ElementType::boolean: {
        const std::vector<signed char> values(a.data<bool>(), a.data<bool>() + a.size());
        return put(n_.nc_put_vara_schar, values.data());
      }
      default: {
        std::vector<const char*> texts;
        const auto* const all = a.data<std::string>();
        for (Index k = 0; k < a.size(); ++k) {
          if (all[k].find('\0') != std::string::npos)
            fail("a text with a NUL byte cannot be written to a NetCDF file");
          texts.push_back(all[k].c_str());
        }
        return put(n_.nc_put_vara_string, texts.data());
      }
    }
  }

  void put_attribute(int group, int variable, const std::string& name, const Data& value) const {
    if (value.kind != Data::Kind::array || value.array.axes() > 1 || value.array.type() == ElementType::any ||
        value.array.type() == ElementType::complex128)
      fail(fmt::format("the attribute {} must be a number, a text, or a vector of them", name));
    if (value.array.type() == ElementType::text) {
      const auto texts = value.array.to_vector<std::string>();
      if (texts.size() == 1) return put_text(group, variable, name.c_str(), texts[0]);
      std::vector<const char*> pointers;
      for (const auto& text : texts) pointers.push_back(text.c_str());
      return check(n_.nc_put_att_string(group, variable, name.c_str(), pointers.size(), pointers.data()));
    }
    const auto numbers = value.array.converted(ElementType::float64).to_vector<double>();
    check(n_.nc_put_att_double(group, variable, name.c_str(), NC_DOUBLE, numbers.size(), numbers.data()));
  }

  const NetcdfLibrary& n_;
  const SaveOptions& options_;
  std::set<std::string> has_grown_;  // dimensions without a limit
  std::set<int> grown_ids_;
  int file_ = -1;
};

}  // namespace

}  // namespace netcdf_writer

std::string write_netcdf(const Data& data, const SaveOptions& options) {
  std::string out;
  with_made_file(
      {bytes_of(data), false, [&](const std::string& path) { make_netcdf(data, options, path); }, {}},
      [&](std::string_view bytes) { out = bytes; });
  return out;
}

void make_netcdf(const Data& data, const SaveOptions& options, const std::string& path) {
  netcdf_writer::Writer(options, path, bytes_of(data)).write(data);
}

}  // namespace quill
