#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <functional>
#include <limits>
#include <set>

#include "base/descriptor.h"
#include "base/text.h"
#include "base/time_text.h"
#include "files/formats.h"
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

// A file of version 4. Where there are arrays of several axes, coordinates for an axis of theirs define a
// dimension each. Other vectors of one length share a dimension, and an axis has the first one of its length.
class Writer {
 public:
  explicit Writer(const SaveOptions& options) : n_(netcdf()), options_(options) {
    // What the library writes to memory by itself forgets the order of variables.
    for (const std::string folder : {"/dev/shm", "/tmp"}) {
      path_ = folder + "/eager-quill-XXXXXX";
      memory_ = Descriptor(::mkostemp(path_.data(), O_CLOEXEC));
      if (memory_.is_open()) break;
    }
    if (!memory_.is_open())
      fail_hindered(fmt::format("the NetCDF file cannot be written: {}", system_reason()));
    const int status = n_.nc_create(path_.c_str(), NC_NETCDF4 | NC_CLOBBER, &file_);
    ::unlink(path_.c_str());
    check(status);
  }
  ~Writer() {
    if (file_ >= 0) n_.nc_close(file_);
  }
  Writer(const Writer&) = delete;
  Writer& operator=(const Writer&) = delete;

  std::string write(const Data& data) {
    put_text(file_, NC_GLOBAL, "Conventions", "CF-1.10");
    if (!options_.provenance.empty()) put_text(file_, NC_GLOBAL, kProvenanceKey, options_.provenance);
    group(file_, data, options_.attributes, "");
    check(n_.nc_close(std::exchange(file_, -1)));
    std::string out;
    out.resize(static_cast<std::size_t>(std::max<off_t>(0, ::lseek(memory_.get(), 0, SEEK_END))));
    for (std::size_t done = 0; done < out.size();) {
      const auto n = ::pread(memory_.get(), out.data() + done, out.size() - done, static_cast<off_t>(done));
      if (n <= 0 && errno != EINTR)
        fail_hindered(fmt::format("the NetCDF file cannot be written: {}", system_reason()));
      if (n > 0) done += static_cast<std::size_t>(n);
    }
    return out;
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
        variable(id, name, data.items[k].array, own, path + name, dimensions);
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
    for (const auto& item : data.items)
      for (int k = 0; item.kind == Data::Kind::array && item.array.axes() > 1 && k < item.array.axes(); ++k)
        lengths.insert(item.array.extent(k));
    std::vector<Dimension> out;
    for (const bool is_for_coordinates : {true, false})
      for (std::size_t k = 0; k < data.items.size(); ++k) {
        const auto& item = data.items[k];
        if (item.kind != Data::Kind::array || item.array.axes() != 1) continue;
        const auto length = item.array.extent(0);
        const bool has_own = lengths.contains(length) && is_coordinate(item.array);
        if (has_own != is_for_coordinates) continue;
        if (has_own)
          add_dimension(group, data.names[k], length, out);
        else
          find_dimension(group, data.names[k], length, {}, out);
      }
    return out;
  }

  static const Data* attributes_of(const Data* all, const std::string& name) {
    if (all == nullptr) return nullptr;
    for (std::size_t k = 0; k < all->items.size(); ++k)
      if (all->names[k] == name && all->items[k].kind == Data::Kind::record) return &all->items[k];
    return nullptr;
  }

  // The dimension for an axis of this length that is not among `taken`; a new one when there is none.
  int find_dimension(int group, const std::string& name, Index length, const std::vector<int>& taken,
                     std::vector<Dimension>& dimensions) const {
    for (const auto& d : dimensions)
      if (d.length == length && std::find(taken.begin(), taken.end(), d.id) == taken.end()) return d.id;
    return add_dimension(group, name, length, dimensions);
  }

  int add_dimension(int group, const std::string& name, Index length,
                    std::vector<Dimension>& dimensions) const {
    auto unused = name;
    const auto is_used = [&](const auto& d) { return d.name == unused; };
    for (int k = 2; std::any_of(dimensions.begin(), dimensions.end(), is_used); ++k)
      unused = fmt::format("{}_{}", name, k);
    Dimension made{unused, length, 0};
    // The length 0 makes it unlimited, and nothing is written along it.
    check(n_.nc_def_dim(group, unused.c_str(), static_cast<std::size_t>(length), &made.id));
    dimensions.push_back(made);
    return made.id;
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

  void variable(int group, const std::string& name, const Array& given, const Data* attributes,
                const std::string& path, std::vector<Dimension>& dimensions) {
    const auto a = given.compact();
    std::vector<int> ids;
    const auto own =
        std::find_if(dimensions.begin(), dimensions.end(), [&](const auto& d) { return d.name == name; });
    if (a.axes() == 1 && own != dimensions.end() && own->length == a.extent(0)) ids.push_back(own->id);
    for (int k = static_cast<int>(ids.size()); k < a.axes(); ++k)
      ids.push_back(find_dimension(group, fmt::format("{}_{}", name, k + 1), a.extent(k), ids, dimensions));
    int id = 0;
    check(n_.nc_def_var(group, name.c_str(), type_of(a, path), a.axes(), ids.data(), &id));
    if (options_.compression > 0 && a.axes() > 0 && a.type() != ElementType::text)
      check(n_.nc_def_var_deflate(group, id, 1, 1, options_.compression));
    if (holds_times(a)) {
      put_text(group, id, "units", std::string(kTimeUnit) + " 00:00:00");
      put_text(group, id, "calendar", "proleptic_gregorian");
    } else if (a.label && !a.label->unit.empty()) {
      put_text(group, id, "units", a.label->unit);
    }
    if (a.label && !a.label->name.empty() && a.label->name != name)
      put_text(group, id, "long_name", a.label->name);
    if (a.type() == ElementType::float64 || a.type() == ElementType::float32) {
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
    if (a.size() > 0) put_elements(group, id, a);
  }

  void put_elements(int group, int id, const Array& a) const {
    switch (a.type()) {
      case ElementType::float64: return check(n_.nc_put_var_double(group, id, a.data<double>()));
      case ElementType::float32: return check(n_.nc_put_var_float(group, id, a.data<float>()));
      case ElementType::int32: return check(n_.nc_put_var_int(group, id, a.data<std::int32_t>()));
      case ElementType::int64: {
        const std::vector<long long> values(a.data<std::int64_t>(), a.data<std::int64_t>() + a.size());
        return check(n_.nc_put_var_longlong(group, id, values.data()));
      }
      case ElementType::uint8: return check(n_.nc_put_var_uchar(group, id, a.data<std::uint8_t>()));
      case ElementType::boolean: {
        const std::vector<signed char> values(a.data<bool>(), a.data<bool>() + a.size());
        return check(n_.nc_put_var_schar(group, id, values.data()));
      }
      default: {
        std::vector<const char*> texts;
        const auto* const from = a.data<std::string>();
        for (Index k = 0; k < a.size(); ++k) {
          if (from[k].find('\0') != std::string::npos)
            fail("a text with a NUL byte cannot be written to a NetCDF file");
          texts.push_back(from[k].c_str());
        }
        return check(n_.nc_put_var_string(group, id, texts.data()));
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
  std::string path_;
  Descriptor memory_;  // the file, which has no name any more
  int file_ = -1;
};

}  // namespace

}  // namespace netcdf_writer

std::string write_netcdf(const Data& data, const SaveOptions& options) {
  return netcdf_writer::Writer(options).write(data);
}

}  // namespace quill
