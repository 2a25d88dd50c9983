#include "files/netcdf_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "base/text.h"
#include "files/hdf5_file.h"
#include "files/library_lock.h"

namespace quill {

namespace netcdf_file {

namespace {

// An integer with the sign bit set as the one without sign that has the same bits.
std::int64_t without_sign(std::int64_t x, nc_type type) {
  const int bits = type == NC_BYTE ? 8 : type == NC_SHORT ? 16 : 32;
  return x < 0 ? x + (std::int64_t{1} << bits) : x;
}

std::string clean(std::string_view text) {
  return find_malformed(text) == text.npos ? std::string(text) : printable(text);
}

// The library's identifiers of groups also number the files that are open.
int group_in_file(int id) { return id & 0xffff; }

// As the library takes them.
struct Hyperslab {
  explicit Hyperslab(const BlockPart& part)
      : start(part.start.begin(), part.start.end()),
        count(part.count.begin(), part.count.end()),
        step(part.step.begin(), part.step.end()) {}
  std::vector<std::size_t> start, count;
  std::vector<std::ptrdiff_t> step;
};

}  // namespace

}  // namespace netcdf_file

using namespace netcdf_file;

BlockPart BlockPart::whole(const Shape& shape) {
  BlockPart out;
  for (int k = 0; k < shape.count(); ++k) {
    out.start.push_back(0);
    out.count.push_back(shape[k]);
    out.step.push_back(1);
  }
  return out;
}

Shape BlockPart::shape() const {
  Shape out;
  for (const auto n : count) out.push_back(n);
  return out;
}

NetcdfFile::NetcdfFile(std::string_view bytes, std::string name) : name_(std::move(name)), n_(netcdf()) {
  refuse_other_files({bytes, nullptr, name_});
  begin(n_.nc_open_mem("file", NC_NOWRITE, bytes.size(), const_cast<char*>(bytes.data()), &root_), bytes,
        bytes.size());
}

NetcdfFile::NetcdfFile(OpenFilePtr file, std::string name, std::shared_ptr<PartsDigest> digest)
    : name_(std::move(name)), n_(netcdf()), file_(std::move(file)), digest_(std::move(digest)) {
  refuse_other_files({{}, file_.get(), name_});
  begin(n_.nc_open(file_->path().c_str(), NC_NOWRITE, &root_), file_->read(0, 3), file_->size());
}

void NetcdfFile::begin(int status, std::string_view first, std::uint64_t size) {
  check(status);
  size_ = size;
  is_classic_ = first.starts_with("CDF");
}

void NetcdfFile::failed(int status) const {
  if (file_) file_->require_unchanged(name_);
  fail(fmt::format("{} is damaged or not a NetCDF file: {}", name_, n_.nc_strerror(status)));
}

void NetcdfFile::fail_at(const std::string& variable, const std::string& what) const {
  fail(fmt::format("{}: {} {}", name_, printable(variable), what));
}

std::vector<int> NetcdfFile::variables_of(int group) const {
  int count = 0;
  check(n_.nc_inq_varids(group, &count, nullptr));
  std::vector<int> out(static_cast<std::size_t>(count));
  check(n_.nc_inq_varids(group, &count, out.data()));
  return out;
}

std::vector<std::pair<std::string, int>> NetcdfFile::groups_of(int group) const {
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

NetcdfFile::Variable NetcdfFile::variable(int group, int id) const {
  Variable out;
  out.group = group;
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
    const bool is_beyond_file = is_classic_ && size && *size > static_cast<Index>(size_);
    if (k >= kMostAxes || !size || *size > (Index{1} << 46) || is_beyond_file)
      fail_at(out.name, is_beyond_file ? "is larger than the file, which is damaged" : "is too large");
    out.size = *size;
    if (k < kept) out.shape.insert(k, static_cast<Index>(extent));
  }
  if (digest_)
    digest_->add_once(
        fmt::format("{} {} {} {}", group_in_file(group), out.name, out.type, text_of(out.shape)));
  return out;
}

std::string NetcdfFile::dimension_name(int group, int dimension) const {
  char name[NC_MAX_NAME + 1] = "";
  check(n_.nc_inq_dim(group, dimension, name, nullptr));
  // What the library calls a dimension of an HDF5 file without a scale.
  if (!is_classic_ && std::string_view(name).starts_with("phony_dim_")) return "";
  return printable(name);
}

std::vector<std::string> NetcdfFile::dimension_names(const Variable& v) const {
  std::vector<std::string> out;
  for (int k = 0; k < v.shape.count(); ++k)
    out.push_back(dimension_name(v.group, v.dimensions[static_cast<std::size_t>(k)]));
  return out;
}

std::vector<Index> NetcdfFile::chunks_of(const Variable& v) const {
  int storage = NC_CONTIGUOUS;
  std::vector<std::size_t> sizes(v.dimensions.size() + 1);
  if (n_.nc_inq_var_chunking(v.group, v.id, &storage, sizes.data()) != NC_NOERR || storage != NC_CHUNKED)
    return {};
  sizes.pop_back();
  return {sizes.begin(), sizes.end()};
}

bool NetcdfFile::is_unsigned(const Variable& v) const {
  return to_lower(text_attribute(v.group, v.id, "_Unsigned").value_or("")) == "true";
}

bool NetcdfFile::is_boolean(const Variable& v) const {
  return v.type == NC_BYTE && text_attribute(v.group, v.id, "flag_meanings") == "false true";
}

ElementType NetcdfFile::stored_type(const Variable& v) const {
  switch (v.type) {
    case NC_UBYTE: return ElementType::uint8;
    case NC_FLOAT: return ElementType::float32;
    case NC_DOUBLE: return ElementType::float64;
    case NC_BYTE:
    case NC_SHORT:
    case NC_USHORT: return ElementType::int32;
    case NC_INT: return is_unsigned(v) ? ElementType::int64 : ElementType::int32;
    default: return v.is_numeric() ? ElementType::int64 : ElementType::text;
  }
}

void* NetcdfFile::storage_of(Array& array) {
  return visit_numeric(array.type(), [&]<class T>(Tag<T>) -> void* { return array.mutable_data<T>(); });
}

void NetcdfFile::read_into(const Variable& v, const BlockPart& part, void* to) const {
  if (std::find(part.count.begin(), part.count.end(), 0) != part.count.end()) return;
  call_library(v, part, to);
  if (file_) file_->require_unchanged(name_);
  if (digest_)
    digest_->add_numbers(v.name, part.start, part.count, part.step, size_of(stored_type(v)),
                         static_cast<const char*>(to));
}

void NetcdfFile::call_library(const Variable& v, const BlockPart& part, void* to) const {
  const Hyperslab slab(part);
  const LibraryLock lock;
  const auto read = [&]<class T>(int (*get)(int, int, const std::size_t*, const std::size_t*,
                                            const std::ptrdiff_t*, T*)) {
    check(get(v.group, v.id, slab.start.data(), slab.count.data(), slab.step.data(), static_cast<T*>(to)));
  };
  switch (v.type) {
    case NC_UBYTE: read(n_.nc_get_vars_uchar); break;
    case NC_FLOAT: read(n_.nc_get_vars_float); break;
    case NC_DOUBLE: read(n_.nc_get_vars_double); break;
    case NC_BYTE:
    case NC_SHORT:
    case NC_USHORT: read(n_.nc_get_vars_int); break;
    case NC_UINT64: read(n_.nc_get_vars_ulonglong); break;
    default:
      if (stored_type(v) == ElementType::int32)
        read(n_.nc_get_vars_int);
      else
        read(n_.nc_get_vars_longlong);
  }
}

Array NetcdfFile::finished(const Variable& v, Array stored) const {
  if (stored.size() == 0) return stored;
  if (v.type == NC_UINT64) {
    const auto* const from = stored.data<std::int64_t>();
    if (std::any_of(from, from + stored.size(), [](std::int64_t x) { return x < 0; }))
      fail_at(v.name, "contains an integer beyond 9223372036854775807, the largest int64");
  }
  if ((v.type == NC_BYTE || v.type == NC_SHORT || v.type == NC_INT) && is_unsigned(v))
    visit_numeric(stored.type(), [&]<class T>(Tag<T>) {
      if constexpr (std::is_same_v<T, std::int32_t> || std::is_same_v<T, std::int64_t>)
        for (auto *x = stored.mutable_data<T>(), *end = x + stored.size(); x != end; ++x)
          *x = static_cast<T>(without_sign(*x, v.type));
    });
  return stored;
}

Array NetcdfFile::numbers(const Variable& v, const BlockPart& part) const {
  Array out(stored_type(v), part.shape());
  read_into(v, part, storage_of(out));
  return finished(v, std::move(out));
}

Array NetcdfFile::characters(const Variable& v, const BlockPart& part) const {
  Array out(ElementType::text, part.shape());
  if (out.size() == 0) return out;
  auto all_of_each = part;
  if (!v.dimensions.empty()) {
    std::size_t length = 0;
    check(n_.nc_inq_dim(v.group, v.dimensions.back(), nullptr, &length));
    all_of_each.start.push_back(0);
    all_of_each.count.push_back(static_cast<Index>(length));
    all_of_each.step.push_back(1);
  }
  const auto length =
      v.dimensions.empty() ? std::size_t{1} : static_cast<std::size_t>(all_of_each.count.back());
  std::string all(length * static_cast<std::size_t>(out.size()), '\0');
  const Hyperslab slab(all_of_each);
  if (!all.empty())
    check(n_.nc_get_vars_text(v.group, v.id, slab.start.data(), slab.count.data(), slab.step.data(),
                              all.data()));
  auto* const to = out.mutable_data<std::string>();
  for (std::size_t k = 0; k < static_cast<std::size_t>(out.size()); ++k) {
    auto text = std::string_view(all).substr(k * length, length);
    text = text.substr(0, std::min(text.find('\0'), text.size()));
    while (!text.empty() && text.back() == ' ') text.remove_suffix(1);
    to[k] = clean(text);
  }
  add_texts(v, part, out);
  return out;
}

Array NetcdfFile::texts(const Variable& v, const BlockPart& part) const {
  if (v.type == NC_CHAR) return characters(v, part);
  Array out(ElementType::text, part.shape());
  if (out.size() == 0) return out;
  std::vector<char*> pointers(static_cast<std::size_t>(out.size()), nullptr);
  const Hyperslab slab(part);
  check(n_.nc_get_vars_string(v.group, v.id, slab.start.data(), slab.count.data(), slab.step.data(),
                              pointers.data()));
  auto* const to = out.mutable_data<std::string>();
  for (std::size_t k = 0; k < pointers.size(); ++k) to[k] = pointers[k] ? clean(pointers[k]) : "";
  n_.nc_free_string(pointers.size(), pointers.data());
  add_texts(v, part, out);
  return out;
}

// Adds texts to the digest.
void NetcdfFile::add_texts(const Variable& v, const BlockPart& part, const Array& texts) const {
  if (!digest_) return;
  std::string all;
  for (const auto& text : texts.to_vector<std::string>()) all += text + '\0';
  digest_->add(v.name, part.start, part.count, part.step, all);
}

VariableNote NetcdfFile::note_of(const Variable& v) const {
  const auto text = [&](const char* name) { return text_attribute(v.group, v.id, name).value_or(""); };
  const auto numbers = [&](const char* name) { return number_attribute(v.group, v.id, name); };
  VariableNote note;
  note.name = printable(v.name);
  note.long_name = text("long_name");
  note.units = text("units");
  note.calendar = text("calendar");
  const bool is_whole = v.type != NC_FLOAT && v.type != NC_DOUBLE;
  const bool loses_sign = is_whole && is_unsigned(v);
  const auto packed = [&](double x) {
    return loses_sign ? static_cast<double>(without_sign(static_cast<std::int64_t>(x), v.type)) : x;
  };
  for (const char* name : {"_FillValue", "missing_value"})
    for (const double x : numbers(name)) note.missing.push_back(packed(x));
  if (numbers("_FillValue").empty() && v.type != NC_BYTE && v.type != NC_UBYTE) add_usual_fill(v, note);
  note.take_limits(numbers("valid_range"), numbers("valid_min"), numbers("valid_max"), packed);
  const auto scale = numbers("scale_factor"), offset = numbers("add_offset");
  if (!scale.empty()) note.scale = scale[0];
  if (!offset.empty()) note.offset = offset[0];
  if (digest_) digest_->add_once(fmt::format("{} {}", group_in_file(v.group), note.in_words()));
  return note;
}

// The default fill value of elements that were never written.
void NetcdfFile::add_usual_fill(const Variable& v, VariableNote& note) const {
  int is_off = 0;
  std::int64_t bytes = 0;
  if (n_.nc_inq_var_fill(v.group, v.id, &is_off, &bytes) != NC_NOERR || is_off) return;
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

int NetcdfFile::attribute_count(int group) const {
  int count = 0;
  check(n_.nc_inq_natts(group, &count));
  return count;
}

std::string NetcdfFile::attribute_name(int group, int variable, int k) const {
  char name[NC_MAX_NAME + 1] = "";
  check(n_.nc_inq_attname(group, variable, k, name));
  return name;
}

std::optional<Data> NetcdfFile::attribute(int group, int variable, const char* name) const {
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

std::optional<std::string> NetcdfFile::text_attribute(int group, int variable, const char* name) const {
  const auto value = attribute(group, variable, name);
  if (!value || value->array.type() != ElementType::text || value->array.size() != 1) return std::nullopt;
  return value->array.to_vector<std::string>()[0];
}

std::vector<double> NetcdfFile::number_attribute(int group, int variable, const char* name) const {
  const auto value = attribute(group, variable, name);
  if (!value || value->array.type() != ElementType::float64) return {};
  return value->array.to_vector<double>();
}

}  // namespace quill
