#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <set>

#include "base/forked_probe.h"
#include "base/interrupt.h"
#include "base/text.h"
#include "files/conventions.h"
#include "files/formats.h"
#include "files/netcdf_library.h"

namespace quill {

namespace netcdf_reader {

namespace {

constexpr int kDeepestGroup = 100;

class Reader {
 public:
  using Warn = std::function<void(std::string message, std::string hint)>;
  Reader(std::string_view bytes, std::string name, Warn warn)
      : name_(std::move(name)),
        n_(netcdf()),
        warn_(std::move(warn)),
        file_size_(bytes.size()),
        is_classic_(bytes.starts_with("CDF")) {
    const int status =
        n_.nc_open_mem("file", NC_NOWRITE, bytes.size(), const_cast<char*>(bytes.data()), &file_);
    if (status != NC_NOERR) failed(status);
  }
  ~Reader() { n_.nc_close(file_); }
  Reader(const Reader&) = delete;
  Reader& operator=(const Reader&) = delete;

  Data values() { return group(file_, 0); }
  Data attributes() { return attributes_of(file_, 0); }
  // Goes through everything but the numbers.
  void look_through() {
    is_probe_ = true;
    values();
    attributes();
  }

 private:
  struct Variable {
    int id = 0;
    std::string name;
    nc_type type = NC_NAT;
    std::vector<int> dimensions;
    int attributes = 0;
    Shape shape;
    Index size = 1;
  };

  [[noreturn]] void failed(int status) const {
    fail(fmt::format("{} is damaged or not a NetCDF file: {}", name_, n_.nc_strerror(status)));
  }
  void check(int status) const {
    if (status != NC_NOERR) failed(status);
  }
  [[noreturn]] void fail_at(const std::string& variable, const std::string& what) const {
    fail(fmt::format("{}: {} {}", name_, printable(variable), what));
  }

  std::vector<int> variables_of(int group) const {
    int count = 0;
    check(n_.nc_inq_varids(group, &count, nullptr));
    std::vector<int> out(static_cast<std::size_t>(count));
    check(n_.nc_inq_varids(group, &count, out.data()));
    return out;
  }
  std::vector<std::pair<std::string, int>> groups_of(int group) const {
    int count = 0;
    check(n_.nc_inq_grps(group, &count, nullptr));
    std::vector<int> ids(static_cast<std::size_t>(count));
    check(n_.nc_inq_grps(group, &count, ids.data()));
    std::vector<std::pair<std::string, int>> out;
    for (const int id : ids) {
      char name[NC_MAX_NAME + 1] = "";
      check(n_.nc_inq_grpname(id, name));
      out.emplace_back(name, id);
    }
    return out;
  }

  Variable variable(int group, int id) const {
    Variable out;
    out.id = id;
    char name[NC_MAX_NAME + 1] = "";
    int axes = 0;
    int dimensions[NC_MAX_VAR_DIMS];
    check(n_.nc_inq_var(group, id, name, &out.type, &axes, dimensions, &out.attributes));
    out.name = name;
    out.dimensions.assign(dimensions, dimensions + axes);
    // The last dimension of characters is the length of texts.
    const int kept = out.type == NC_CHAR && axes > 0 ? axes - 1 : axes;
    for (int k = 0; k < axes; ++k) {
      std::size_t extent = 0;
      check(n_.nc_inq_dim(group, dimensions[k], nullptr, &extent));
      const auto size = checked_product(out.size, static_cast<Index>(extent));
      // The classic form stores each element by itself.
      const bool is_beyond_file = is_classic_ && size && *size > static_cast<Index>(file_size_);
      if (k >= kMostAxes || !size || *size > (Index{1} << 46) || is_beyond_file)
        fail_at(out.name, is_beyond_file ? "is larger than the file, which is damaged" : "is too large");
      out.size = *size;
      if (k < kept) out.shape.insert(k, static_cast<Index>(extent));
    }
    return out;
  }

  std::string dimension_name(int group, int dimension) const {
    char name[NC_MAX_NAME + 1] = "";
    check(n_.nc_inq_dim(group, dimension, name, nullptr));
    return printable(name);
  }

  Data group(int id, int depth) {
    if (depth > kDeepestGroup) fail(fmt::format("{} has groups nested too deeply", name_));
    Data out;
    out.kind = Data::Kind::record;
    for (const int k : variables_of(id)) {
      poll_interrupt();
      const auto v = variable(id, k);
      if (auto elements = elements_of(id, v)) out.add(printable(v.name), std::move(*elements));
    }
    for (const auto& [name, inner] : groups_of(id)) out.add(printable(name), group(inner, depth + 1));
    return out;
  }

  // Nothing for types that the language has not, with a warning.
  std::optional<Data> elements_of(int group, const Variable& v) {
    if (v.type == NC_CHAR) return Data::of(characters(group, v));
    if (v.type == NC_STRING) return Data::of(texts(group, v));
    if (v.type > NC_MAX_ATOMIC_TYPE) {
      if (warn_ && !is_probe_)
        warn_(fmt::format("{}: the variable {} is left out: its type is defined in the file", name_,
                          printable(v.name)),
              "");
      return std::nullopt;
    }
    auto numbers = numbers_of(group, v);
    if (text_attribute(group, v.id, "flag_meanings") == "false true" && v.type == NC_BYTE)
      return Data::of(numbers.converted(ElementType::boolean));
    return Data::of(decoded(std::move(numbers), note_of(group, v), is_probe_ ? Warn() : warn_));
  }

  template <class T>
  Array read(int group, const Variable& v, int (*get)(int, int, T*), ElementType type) const {
    Array out(type, is_probe_ ? Shape{0} : v.shape);
    if (out.size() > 0) {
      // The types of the library for 64 bits have another name.
      auto* const to = reinterpret_cast<T*>(visit_numeric(
          type, [&]<class U>(Tag<U>) { return static_cast<void*>(out.template mutable_data<U>()); }));
      check(get(group, v.id, to));
    }
    return out;
  }

  bool is_unsigned(int group, const Variable& v) const {
    return to_lower(text_attribute(group, v.id, "_Unsigned").value_or("")) == "true";
  }

  // An integer with the sign bit set as the one without sign that has the same bits.
  static std::int64_t without_sign(std::int64_t x, nc_type type) {
    const int bits = type == NC_BYTE ? 8 : type == NC_SHORT ? 16 : 32;
    return x < 0 ? x + (std::int64_t{1} << bits) : x;
  }

  Array numbers_of(int group, const Variable& v) const {
    switch (v.type) {
      case NC_UBYTE: return read<unsigned char>(group, v, n_.nc_get_var_uchar, ElementType::uint8);
      case NC_FLOAT: return read<float>(group, v, n_.nc_get_var_float, ElementType::float32);
      case NC_DOUBLE: return read<double>(group, v, n_.nc_get_var_double, ElementType::float64);
      case NC_BYTE:
      case NC_SHORT:
      case NC_USHORT: {
        auto out = read<int>(group, v, n_.nc_get_var_int, ElementType::int32);
        if (v.type != NC_USHORT && is_unsigned(group, v) && out.size() > 0)
          for (auto *x = out.mutable_data<std::int32_t>(), *end = x + out.size(); x != end; ++x)
            *x = static_cast<std::int32_t>(without_sign(*x, v.type));
        return out;
      }
      case NC_INT:
        if (!is_unsigned(group, v)) return read<int>(group, v, n_.nc_get_var_int, ElementType::int32);
        break;
      case NC_UINT64: {
        auto out = read<unsigned long long>(group, v, n_.nc_get_var_ulonglong, ElementType::int64);
        const auto* const from = out.data<std::int64_t>();
        if (std::any_of(from, from + out.size(), [](std::int64_t x) { return x < 0; }))
          fail_at(v.name, "contains an integer beyond 9223372036854775807, the largest int64");
        return out;
      }
      default: break;
    }
    auto out = read<long long>(group, v, n_.nc_get_var_longlong, ElementType::int64);
    if (v.type == NC_INT && out.size() > 0)
      for (auto *x = out.mutable_data<std::int64_t>(), *end = x + out.size(); x != end; ++x)
        *x = without_sign(*x, v.type);
    return out;
  }

  static std::string clean(std::string_view text) {
    return find_malformed(text) == text.npos ? std::string(text) : printable(text);
  }

  Array characters(int group, const Variable& v) const {
    Array out(ElementType::text, v.shape);
    if (out.size() == 0) return out;
    std::string all(static_cast<std::size_t>(v.size), '\0');
    if (!all.empty()) check(n_.nc_get_var_text(group, v.id, all.data()));
    const auto length = all.size() / static_cast<std::size_t>(out.size());
    auto* const to = out.mutable_data<std::string>();
    for (std::size_t k = 0; k < static_cast<std::size_t>(out.size()); ++k) {
      auto text = std::string_view(all).substr(k * length, length);
      text = text.substr(0, std::min(text.find('\0'), text.size()));
      while (!text.empty() && text.back() == ' ') text.remove_suffix(1);
      to[k] = clean(text);
    }
    return out;
  }

  Array texts(int group, const Variable& v) const {
    Array out(ElementType::text, v.shape);
    if (out.size() == 0) return out;
    std::vector<char*> pointers(static_cast<std::size_t>(out.size()), nullptr);
    check(n_.nc_get_var_string(group, v.id, pointers.data()));
    auto* const to = out.mutable_data<std::string>();
    for (std::size_t k = 0; k < pointers.size(); ++k) to[k] = pointers[k] ? clean(pointers[k]) : "";
    n_.nc_free_string(pointers.size(), pointers.data());
    return out;
  }

  VariableNote note_of(int group, const Variable& v) const {
    VariableNote note;
    note.name = printable(v.name);
    note.long_name = text_attribute(group, v.id, "long_name").value_or("");
    note.units = text_attribute(group, v.id, "units").value_or("");
    note.calendar = text_attribute(group, v.id, "calendar").value_or("");
    const bool is_whole = v.type != NC_FLOAT && v.type != NC_DOUBLE;
    const bool loses_sign = is_whole && is_unsigned(group, v);
    const auto packed = [&](double x) {
      return loses_sign ? static_cast<double>(without_sign(static_cast<std::int64_t>(x), v.type)) : x;
    };
    for (const char* name : {"_FillValue", "missing_value"})
      for (const double x : numbers(group, v.id, name)) note.missing.push_back(packed(x));
    if (numbers(group, v.id, "_FillValue").empty() && v.type != NC_BYTE && v.type != NC_UBYTE)
      add_usual_fill(group, v, note);
    const auto range = numbers(group, v.id, "valid_range"), least = numbers(group, v.id, "valid_min"),
               most = numbers(group, v.id, "valid_max"), scale = numbers(group, v.id, "scale_factor"),
               offset = numbers(group, v.id, "add_offset");
    if (range.size() == 2) {
      note.least = packed(range[0]);
      note.most = packed(range[1]);
    }
    if (!least.empty()) note.least = packed(least[0]);
    if (!most.empty()) note.most = packed(most[0]);
    if (!scale.empty()) note.scale = scale[0];
    if (!offset.empty()) note.offset = offset[0];
    return note;
  }

  // What elements that were never written have.
  void add_usual_fill(int group, const Variable& v, VariableNote& note) const {
    int is_off = 0;
    std::int64_t bytes = 0;
    if (n_.nc_inq_var_fill(group, v.id, &is_off, &bytes) != NC_NOERR || is_off) return;
    const auto value = [&]<class T>(T x) {
      std::memcpy(&x, &bytes, sizeof x);
      note.missing.push_back(static_cast<double>(x));
    };
    switch (v.type) {
      case NC_SHORT: return value(std::int16_t{});
      case NC_USHORT: return value(std::uint16_t{});
      case NC_INT: return value(std::int32_t{});
      case NC_UINT: return value(std::uint32_t{});
      case NC_FLOAT: return value(float{});
      case NC_DOUBLE: return value(double{});
      default: return;  // of 64 bits, float64 holds none
    }
  }

  std::optional<Data> attribute(int group, int variable, const char* name) const {
    nc_type type = NC_NAT;
    std::size_t length = 0;
    if (n_.nc_inq_att(group, variable, name, &type, &length) != NC_NOERR) return std::nullopt;
    if (length > (std::size_t{1} << 28)) fail_at(name, "is too large for an attribute");
    if (type == NC_CHAR) {
      std::string text(length, '\0');
      check(n_.nc_get_att_text(group, variable, name, text.data()));
      return Data::of(Array::filled<std::string>({}, clean(text.substr(0, text.find('\0')))));
    }
    if (type == NC_STRING) {
      std::vector<char*> pointers(length, nullptr);
      check(n_.nc_get_att_string(group, variable, name, pointers.data()));
      std::vector<std::string> texts;
      for (const auto* text : pointers) texts.push_back(text ? clean(text) : "");
      n_.nc_free_string(length, pointers.data());
      if (length == 1) return Data::of(Array::filled<std::string>({}, texts[0]));
      return Data::of(Array::vector(texts));
    }
    if (type > NC_MAX_ATOMIC_TYPE) return std::nullopt;
    std::vector<double> numbers(length);
    if (const int status = n_.nc_get_att_double(group, variable, name, numbers.data()); status != NC_ERANGE)
      check(status);
    auto out = Array::vector(numbers);
    return Data::of(length == 1 ? out.with_shape({}) : out);
  }

  std::optional<std::string> text_attribute(int group, int variable, const char* name) const {
    const auto value = attribute(group, variable, name);
    if (!value || value->array.type() != ElementType::text || value->array.size() != 1) return std::nullopt;
    return value->array.to_vector<std::string>()[0];
  }
  std::vector<double> numbers(int group, int variable, const char* name) const {
    const auto value = attribute(group, variable, name);
    if (!value || value->array.type() != ElementType::float64) return {};
    return value->array.to_vector<double>();
  }

  void add_attributes(int group, int variable, int count, Data& to) const {
    static const std::set<std::string> used = {"units",        "long_name",  "_FillValue",  "missing_value",
                                               "scale_factor", "add_offset", "valid_range", "valid_min",
                                               "valid_max",    "_Unsigned"};
    for (int k = 0; k < count; ++k) {
      char name[NC_MAX_NAME + 1] = "";
      check(n_.nc_inq_attname(group, variable, k, name));
      if (used.contains(name)) continue;
      if (auto value = attribute(group, variable, name)) to.add(printable(name), std::move(*value));
    }
  }

  // The attributes of a group, and below their names those of its variables, with the names of their
  // dimensions.
  Data attributes_of(int id, int depth) {
    if (depth > kDeepestGroup) fail(fmt::format("{} has groups nested too deeply", name_));
    Data out;
    out.kind = Data::Kind::record;
    int count = 0;
    check(n_.nc_inq_natts(id, &count));
    add_attributes(id, NC_GLOBAL, count, out);
    for (const int k : variables_of(id)) {
      const auto v = variable(id, k);
      Data inner;
      inner.kind = Data::Kind::record;
      std::vector<std::string> dimensions;
      for (const int dimension : v.dimensions) dimensions.push_back(dimension_name(id, dimension));
      if (!dimensions.empty()) inner.add("dimensions", Data::of(Array::vector(dimensions)));
      add_attributes(id, k, v.attributes, inner);
      if (!inner.items.empty()) out.add(printable(v.name), std::move(inner));
    }
    for (const auto& [name, inner] : groups_of(id)) {
      auto data = attributes_of(inner, depth + 1);
      if (!data.items.empty()) out.add(printable(name), std::move(data));
    }
    return out;
  }

  std::string name_;
  const NetcdfLibrary& n_;
  Warn warn_;
  std::size_t file_size_;
  bool is_classic_;
  int file_ = -1;
  bool is_probe_ = false;
};

// The library may trip over damage: files are read on trial first. Of the classic form, whose numbers lie
// where the heading says, all but the numbers will do, and of files so large that reading them twice takes
// time.
void try_reading(std::string_view bytes, const std::string& name) {
  constexpr std::size_t large = std::size_t{1} << 27;
  const bool is_heading_enough = bytes.starts_with("CDF") || bytes.size() > large;
  netcdf();  // loaded here, once
  constexpr unsigned least_seconds = 10;
  constexpr std::size_t bytes_a_second = 20000000;
  const auto seconds = least_seconds + static_cast<unsigned>(bytes.size() / bytes_a_second);
  const auto read = [&] {
    Reader reader(bytes, name, {});
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
  return netcdf_reader::Reader(bytes, name, options.warn).values();
}

Data read_netcdf_attributes(std::string_view bytes, const std::string& name) {
  return netcdf_reader::Reader(bytes, name, {}).attributes();
}

}  // namespace quill
