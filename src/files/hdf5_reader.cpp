#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <functional>
#include <limits>
#include <set>

#include "base/forked_probe.h"
#include "base/interrupt.h"
#include "base/text.h"
#include "files/conventions.h"
#include "files/formats.h"
#include "files/hdf5_file.h"
#include "files/hdf5_library.h"
#include "files/library_lock.h"
#include "files/parts.h"

namespace quill {

namespace {

constexpr int kDeepestGroup = 100;
constexpr const char *kFill = "_FillValue", *kMissing = "missing_value", *kScale = "scale_factor",
                     *kOffset = "add_offset", *kRange = "valid_range", *kLeast = "valid_min",
                     *kMost = "valid_max";

class Reader {
 public:
  using Warn = std::function<void(std::string message, std::string hint)>;
  explicit Reader(const Hdf5Source& source, Warn warn = {}, PartsDigest* digest = nullptr)
      : source_(source), h_(hdf5()), warn_(std::move(warn)), digest_(digest) {}

  Data values() {
    return with_root([this](hid_t root) {
      auto data = group(root, "", 0);
      if (text_attribute(root, "holds") == "value" && data.items.size() == 1) return std::move(data.items[0]);
      return data;
    });
  }

  // Goes through everything but the elements.
  void look_through() {
    is_probe_ = true;
    values();
    attributes();
  }

  Data attributes() {
    return with_root([this](hid_t root) { return attributes_of(root, 0); });
  }

 private:
  // Reads all elements as a type of the library.
  using Read = std::function<herr_t(hid_t as, void* to)>;

  template <class F>
  Data with_root(const F& read) {
    const LibraryLock lock;
    const Hdf5File file(source_);
    return read(file.root());
  }

  template <class T>
  T check(T result) const {
    if (result < 0) source_.failed();
    return result;
  }
  [[noreturn]] void fail_at(const std::string& path, const std::string& what) const {
    fail(fmt::format("{}: {} {}", source_.name, path.empty() ? "/" : path, what));
  }

  std::vector<std::string> links_of(hid_t group) const {
    H5G_info_t info;
    check(h_.H5Gget_info(group, &info));
    const Hdf5Id creation(check(h_.H5Gget_create_plist(group)), h_.H5Pclose);
    unsigned order = 0;
    const bool in_order =
        h_.H5Pget_link_creation_order(creation, &order) >= 0 && (order & H5P_CRT_ORDER_INDEXED);
    const auto index = in_order ? H5_INDEX_CRT_ORDER : H5_INDEX_NAME;
    std::vector<std::string> out;
    for (hsize_t k = 0; k < info.nlinks; ++k) {
      poll_interrupt();
      const auto size =
          check(h_.H5Lget_name_by_idx(group, ".", index, H5_ITER_INC, k, nullptr, 0, H5P_DEFAULT));
      std::string link(static_cast<std::size_t>(size) + 1, '\0');
      check(h_.H5Lget_name_by_idx(group, ".", index, H5_ITER_INC, k, link.data(), link.size(), H5P_DEFAULT));
      link.pop_back();
      out.push_back(std::move(link));
    }
    return out;
  }

  Data group(hid_t id, const std::string& path, int depth) {
    H5O_info_t info;
    check(h_.H5Oget_info2(id, &info, H5O_INFO_BASIC));
    // A group within itself would have no end.
    if (depth > kDeepestGroup || !open_.insert(info.addr).second)
      fail_at(path, "is a group inside itself, or nested too deeply");
    Data out;
    const auto holds = text_attribute(id, "holds");
    out.kind = holds == "nothing" ? Data::Kind::none
               : holds == "list"  ? Data::Kind::list
                                  : Data::Kind::record;
    for (const auto& link : links_of(id)) {
      const auto inner_path = fmt::format("{}/{}", path, link);
      const Hdf5Id inner(h_.H5Oopen(id, link.c_str(), H5P_DEFAULT), h_.H5Oclose);
      if (inner < 0) {
        h_.H5Eclear2(0);
        fail_at(inner_path, "is a broken link, or damaged");
      }
      auto data = object(inner, inner_path, link, depth);
      if (!data) continue;
      const auto field = text_attribute(inner, "field");
      if (out.kind == Data::Kind::list)
        out.items.push_back(std::move(*data));
      else if (out.kind == Data::Kind::record)
        out.add(printable(field.value_or(link)), std::move(*data));
    }
    open_.erase(info.addr);
    return out;
  }

  // Nothing for objects that are not values, such as named types.
  std::optional<Data> object(hid_t id, const std::string& path, const std::string& link, int depth) {
    switch (h_.H5Iget_type(id)) {
      case H5I_GROUP: return group(id, path, depth + 1);
      case H5I_DATASET: return dataset(id, path, link);
      default: return std::nullopt;
    }
  }

  Data dataset(hid_t id, const std::string& path, const std::string& link) {
    const Hdf5Id space(check(h_.H5Dget_space(id)), h_.H5Sclose);
    const Hdf5Id type(check(h_.H5Dget_type(id)), h_.H5Tclose);
    const auto note = note_of(id, link);
    if (is_probe_) return {};
    auto out = elements(path, type, space, [&](hid_t as, void* to) {
      return h_.H5Dread(id, as, H5S_ALL, H5S_ALL, H5P_DEFAULT, to);
    });
    if (source_.file != nullptr) source_.file->require_unchanged(source_.name);
    if (digest_ != nullptr) {
      digest_->add_all(path, out);
      digest_->add_once(fmt::format("{} {}", path, note.in_words()));
    }
    if (out.kind == Data::Kind::array) out.array = decoded(std::move(out.array), note, warn_);
    return out;
  }

  VariableNote note_of(hid_t id, const std::string& link) {
    VariableNote note;
    note.name = link;
    note.long_name = text_attribute(id, "long_name").value_or("");
    note.units = text_attribute(id, "units").value_or("");
    note.calendar = text_attribute(id, "calendar").value_or("");
    for (const char* name : {kFill, kMissing})
      for (const double value : number_attribute(id, name)) note.missing.push_back(value);
    note.take_limits(number_attribute(id, kRange), number_attribute(id, kLeast), number_attribute(id, kMost),
                     [](double x) { return x; });
    const auto scale = number_attribute(id, kScale), offset = number_attribute(id, kOffset);
    if (!scale.empty()) note.scale = scale[0];
    if (!offset.empty()) note.offset = offset[0];
    return note;
  }

  Shape shape_of(hid_t space, const std::string& path, std::size_t element_size) const {
    const int axes = check(h_.H5Sget_simple_extent_ndims(space));
    std::vector<hsize_t> extents(static_cast<std::size_t>(axes));
    check(h_.H5Sget_simple_extent_dims(space, extents.data(), nullptr));
    Shape shape;
    double size = static_cast<double>(element_size);
    for (int k = 0; k < axes; ++k) {
      const auto extent = extents[static_cast<std::size_t>(k)];
      size *= std::max(1.0, static_cast<double>(extent));
      if (k >= kMostAxes || size > 1e15) fail_at(path, "is too large");
      shape.insert(k, static_cast<Index>(extent));
    }
    return shape;
  }

  Data elements(const std::string& path, hid_t type, hid_t space, const Read& read) {
    const auto kind = h_.H5Sget_simple_extent_type(space);
    if (kind == H5S_NULL) return {};
    const auto shape = shape_of(space, path, std::max<std::size_t>(1, h_.H5Tget_size(type)));
    const auto numbers = [&](ElementType to, hid_t as) {
      Array out(to, shape);
      if (out.size() > 0)
        visit_numeric(to, [&]<class T>(Tag<T>) { check(read(as, out.template mutable_data<T>())); });
      return Data::of(std::move(out));
    };
    switch (h_.H5Tget_class(type)) {
      case H5T_FLOAT:
        return h_.H5Tget_size(type) <= 4 ? numbers(ElementType::float32, h_.H5T_NATIVE_FLOAT_g)
                                         : numbers(ElementType::float64, h_.H5T_NATIVE_DOUBLE_g);
      case H5T_INTEGER: return integers(path, type, shape, numbers, read);
      case H5T_ENUM:
        if (is_boolean(type)) return numbers(ElementType::boolean, hdf5_boolean_type());
        return enumerated(type, shape, read);
      case H5T_STRING: return texts(type, space, shape, read);
      case H5T_COMPOUND:
        if (is_complex(type)) return numbers(ElementType::complex128, hdf5_complex_type());
        return compound(path, type, space, read);
      default:
        fail_at(path,
                "contains elements of an unsupported type (references, bit fields, or variable-length "
                "sequences)");
    }
  }

  template <class Numbers>
  Data integers(const std::string& path, hid_t type, const Shape& shape, const Numbers& numbers,
                const Read& read) {
    const auto size = h_.H5Tget_size(type);
    const bool is_signed = h_.H5Tget_sign(type) == H5T_SGN_2;
    if (size == 1 && !is_signed) return numbers(ElementType::uint8, h_.H5T_NATIVE_UINT8_g);
    if (size < 4 || (size == 4 && is_signed)) return numbers(ElementType::int32, h_.H5T_NATIVE_INT32_g);
    if (size < 8 || is_signed) return numbers(ElementType::int64, h_.H5T_NATIVE_INT64_g);
    Array out(ElementType::int64, shape);
    if (out.size() > 0) {
      auto* to = out.mutable_data<std::int64_t>();
      check(read(h_.H5T_NATIVE_UINT64_g, to));
      if (std::any_of(to, to + out.size(), [](std::int64_t v) { return v < 0; }))
        fail_at(path, "contains an integer beyond 9223372036854775807, the largest int64");
    }
    return Data::of(std::move(out));
  }

  // Names of the numbers of an enumeration.
  Data enumerated(hid_t type, const Shape& shape, const Read& read) {
    Array names(ElementType::text, shape);
    if (names.size() == 0) return Data::of(std::move(names));
    const auto size = h_.H5Tget_size(type);
    const int members = check(h_.H5Tget_nmembers(type));
    std::string raw(size * static_cast<std::size_t>(names.size()), '\0');
    check(read(type, raw.data()));
    std::vector<std::pair<std::string, std::string>> known;
    for (int k = 0; k < members; ++k) {
      std::string value(size, '\0');
      check(h_.H5Tget_member_value(type, static_cast<unsigned>(k), value.data()));
      known.emplace_back(std::move(value), member_name(type, k));
    }
    auto* to = names.mutable_data<std::string>();
    for (std::size_t k = 0; k < static_cast<std::size_t>(names.size()); ++k) {
      const std::string_view value(raw.data() + k * size, size);
      const auto found =
          std::find_if(known.begin(), known.end(), [&](const auto& member) { return member.first == value; });
      to[k] = found == known.end() ? "unknown" : found->second;
    }
    return Data::of(std::move(names));
  }

  std::string member_name(hid_t type, int k) const {
    char* name = h_.H5Tget_member_name(type, static_cast<unsigned>(k));
    if (name == nullptr) source_.failed();
    std::string out = printable(name);
    h_.H5free_memory(name);
    return out;
  }

  bool is_boolean(hid_t type) const {
    return h_.H5Tget_nmembers(type) == 2 && member_name(type, 0) == "FALSE" && member_name(type, 1) == "TRUE";
  }
  bool is_complex(hid_t type) const {
    if (h_.H5Tget_nmembers(type) != 2 || member_name(type, 0) != "r" || member_name(type, 1) != "i")
      return false;
    const Hdf5Id part(h_.H5Tget_member_type(type, 0), h_.H5Tclose);
    return h_.H5Tget_class(part) == H5T_FLOAT;
  }

  Data texts(hid_t type, hid_t space, const Shape& shape, const Read& read) {
    Array out(ElementType::text, shape);
    if (out.size() == 0) return Data::of(std::move(out));
    auto* to = out.mutable_data<std::string>();
    const auto count = static_cast<std::size_t>(out.size());
    const Hdf5Id as(h_.H5Tcopy(h_.H5T_C_S1_g), h_.H5Tclose);
    check(h_.H5Tset_cset(as, h_.H5Tget_cset(type)));
    if (h_.H5Tis_variable_str(type) > 0) {
      check(h_.H5Tset_size(as, H5T_VARIABLE));
      std::vector<char*> pointers(count, nullptr);
      const bool fine = read(as, pointers.data()) >= 0;
      for (std::size_t k = 0; fine && k < count; ++k) to[k] = pointers[k] ? clean(pointers[k]) : "";
      h_.H5Dvlen_reclaim(as, space, H5P_DEFAULT, pointers.data());
      if (!fine) source_.failed();
    } else {
      const auto size = std::max<std::size_t>(1, h_.H5Tget_size(type));
      check(h_.H5Tset_size(as, size));
      check(h_.H5Tset_strpad(as, H5T_STR_NULLPAD));
      std::string padded(size * count, '\0');
      check(read(as, padded.data()));
      for (std::size_t k = 0; k < count; ++k) {
        const std::string_view text(padded.data() + k * size, size);
        to[k] = clean(text.substr(0, std::min(text.find('\0'), size)));
      }
    }
    return Data::of(std::move(out));
  }

  // Replaces bytes that are not UTF-8.
  static std::string clean(std::string_view text) {
    return find_malformed(text) == text.npos ? std::string(text) : printable(text);
  }

  // A table: a field for each member, of all elements.
  Data compound(const std::string& path, hid_t type, hid_t space, const Read& read) {
    Data out;
    out.kind = Data::Kind::record;
    const int members = check(h_.H5Tget_nmembers(type));
    for (int k = 0; k < members; ++k) {
      const auto name = member_name(type, k);
      const Hdf5Id member(check(h_.H5Tget_member_type(type, static_cast<unsigned>(k))), h_.H5Tclose);
      const auto inner_path = fmt::format("{}.{}", path, name);
      if (h_.H5Tget_class(member) == H5T_COMPOUND && !is_complex(member))
        fail_at(inner_path, "is a table inside a table");
      out.add(name, elements(inner_path, member, space, [&](hid_t as, void* to) -> herr_t {
                const Hdf5Id part(h_.H5Tcreate(H5T_COMPOUND, h_.H5Tget_size(as)), h_.H5Tclose);
                if (part < 0 || h_.H5Tinsert(part, name.c_str(), 0, as) < 0) return -1;
                return read(part, to);
              }));
    }
    return out;
  }

  // The attributes of an object, by name; those that this program has for itself are left out.
  Data attributes_of(hid_t id, int depth) {
    Data out;
    out.kind = Data::Kind::record;
    H5O_info_t info;
    check(h_.H5Oget_info2(id, &info, H5O_INFO_BASIC | H5O_INFO_NUM_ATTRS));
    if (depth > kDeepestGroup) fail(fmt::format("{} is nested too deeply", source_.name));
    for (hsize_t k = 0; k < info.num_attrs; ++k) {
      const Hdf5Id attribute(
          check(h_.H5Aopen_by_idx(id, ".", H5_INDEX_NAME, H5_ITER_INC, k, H5P_DEFAULT, H5P_DEFAULT)),
          h_.H5Aclose);
      const auto size = check(h_.H5Aget_name(attribute, 0, nullptr));
      std::string name(static_cast<std::size_t>(size) + 1, '\0');
      check(h_.H5Aget_name(attribute, name.size(), name.data()));
      name.pop_back();
      static const std::set<std::string> own = {"holds", "field", "units", "long_name", kFill, kMissing,
                                                kScale,  kOffset, kRange,  kLeast,      kMost};
      if (own.contains(name)) continue;
      if (auto value = attribute_value(attribute, name)) out.add(printable(name), std::move(*value));
    }
    if (h_.H5Iget_type(id) != H5I_GROUP || !open_.insert(info.addr).second) return out;
    for (const auto& link : links_of(id)) {
      const Hdf5Id inner(h_.H5Oopen(id, link.c_str(), H5P_DEFAULT), h_.H5Oclose);
      if (inner < 0) {
        h_.H5Eclear2(0);
        continue;
      }
      auto data = attributes_of(inner, depth + 1);
      if (!data.items.empty()) out.add(printable(link), std::move(data));
    }
    open_.erase(info.addr);
    return out;
  }

  std::optional<Data> attribute_value(hid_t attribute, const std::string& name) {
    const Hdf5Id space(check(h_.H5Aget_space(attribute)), h_.H5Sclose);
    const Hdf5Id type(check(h_.H5Aget_type(attribute)), h_.H5Tclose);
    const auto kind = h_.H5Tget_class(type);
    if (kind == H5T_REFERENCE || kind == H5T_VLEN || kind == H5T_OPAQUE || kind == H5T_ARRAY ||
        kind == H5T_BITFIELD)
      return std::nullopt;  // links between objects, mostly
    return elements("the attribute " + name, type, space,
                    [&](hid_t as, void* to) { return h_.H5Aread(attribute, as, to); });
  }

  // The value of an attribute; nothing when there is none of that name.
  std::optional<Data> attribute_of(hid_t id, const char* name) {
    H5O_info_t info;
    check(h_.H5Oget_info2(id, &info, H5O_INFO_NUM_ATTRS));
    for (hsize_t k = 0; k < info.num_attrs; ++k) {
      const Hdf5Id attribute(
          check(h_.H5Aopen_by_idx(id, ".", H5_INDEX_NAME, H5_ITER_INC, k, H5P_DEFAULT, H5P_DEFAULT)),
          h_.H5Aclose);
      char found[32] = {};
      if (h_.H5Aget_name(attribute, sizeof found, found) >= 0 && std::strcmp(found, name) == 0)
        return attribute_value(attribute, name);
    }
    return std::nullopt;
  }

  std::optional<std::string> text_attribute(hid_t id, const char* name) {
    const auto value = attribute_of(id, name);
    if (value && value->kind == Data::Kind::array && value->array.type() == ElementType::text &&
        value->array.size() == 1)
      return value->array.to_vector<std::string>()[0];
    return std::nullopt;
  }

  // The numbers of an attribute; none when it is not there or of another type.
  std::vector<double> number_attribute(hid_t id, const char* name) {
    const auto value = attribute_of(id, name);
    if (!value || value->kind != Data::Kind::array || !is_numeric(value->array.type()) ||
        value->array.type() == ElementType::complex128)
      return {};
    return value->array.converted(ElementType::float64).to_vector<double>();
  }

  Hdf5Source source_;
  const Hdf5Library& h_;
  Warn warn_;
  PartsDigest* digest_;
  bool is_probe_ = false;
  std::set<haddr_t> open_;  // groups that are being read
};

// The older forms of the file carry no checksums, and the library may trip over damage in them: they are read
// on trial first; of large files, which are read in parts, everything but the elements.
void try_old_form(const Hdf5Source& source) {
  constexpr std::size_t version_at = 8;
  constexpr char first_with_checksums = 2;
  const auto first = source.first(version_at + 1);
  if (first.size() <= version_at || first[version_at] >= first_with_checksums) return;
  hdf5();  // loaded here, once
  const LibraryLock lock;
  const auto read = [&] {
    Reader reader(source);
    if (source.file != nullptr) return reader.look_through();
    reader.values();
    reader.attributes();
  };
  constexpr unsigned least_seconds = 10;
  constexpr std::size_t bytes_a_second = 20000000;
  const auto seconds = least_seconds + static_cast<unsigned>(source.bytes.size() / bytes_a_second);
  if (!passes_forked_probe(read, seconds))
    fail(fmt::format("{} is damaged: the HDF5 library cannot read it", source.name));
}

// Files written by the NetCDF library have axis names, whatever their extension.
bool is_of_netcdf(const Hdf5Source& source) {
  constexpr std::size_t head = std::size_t{1} << 16;
  return source.first(head).find("_NCProperties") != std::string::npos;
}

}  // namespace

bool is_hdf5(std::string_view bytes) { return bytes.starts_with("\x89HDF\r\n\x1a\n"); }

Data read_hdf5(std::string_view bytes, const std::string& name, const CsvOptions& options) {
  const Hdf5Source source{bytes, nullptr, name};
  if (is_of_netcdf(source)) return read_netcdf(bytes, name, options);
  try_old_form(source);
  return Reader(source, options.warn).values();
}

std::optional<Data> read_hdf5_file(const OpenFile& file, const std::string& name, PartsDigest& digest,
                                   const CsvOptions& options) {
  const Hdf5Source source{{}, &file, name};
  if (!is_hdf5(source.first(8)) || is_of_netcdf(source)) return std::nullopt;
  try_old_form(source);
  return Reader(source, options.warn, &digest).values();
}

Data read_hdf5_attributes(std::string_view bytes, const std::string& name) {
  const Hdf5Source source{bytes, nullptr, name};
  try_old_form(source);
  return Reader(source).attributes();
}

}  // namespace quill
