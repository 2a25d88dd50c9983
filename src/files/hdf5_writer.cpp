#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <optional>

#include "base/interrupt.h"
#include "base/temporary_file.h"
#include "base/time_text.h"
#include "files/formats.h"
#include "files/hdf5_library.h"
#include "files/library_lock.h"
#include "files/provenance.h"

namespace quill {

namespace {

constexpr const char* kTimesSince = "seconds since 1970-01-01T00:00:00Z";

// The library's file is a text of ours, which is there when it has closed it.
H5FD_file_image_callbacks_t callbacks_for(std::string& bytes) {
  H5FD_file_image_callbacks_t out{};
  out.image_malloc = [](std::size_t size, H5FD_file_image_op_t, void* data) -> void* {
    static_cast<std::string*>(data)->resize(size);
    return static_cast<std::string*>(data)->data();
  };
  out.image_memcpy = [](void* to, const void* from, std::size_t size, H5FD_file_image_op_t, void*) -> void* {
    return std::memcpy(to, from, size);
  };
  out.image_realloc = [](void*, std::size_t size, H5FD_file_image_op_t, void* data) -> void* {
    try {
      static_cast<std::string*>(data)->resize(size);
    } catch (const std::bad_alloc&) { return nullptr; }  // nothing is thrown through the library
    return static_cast<std::string*>(data)->data();
  };
  out.image_free = [](void*, H5FD_file_image_op_t, void*) -> herr_t { return 0; };
  out.udata_copy = [](void* data) -> void* { return data; };
  out.udata_free = [](void*) -> herr_t { return 0; };
  out.udata = &bytes;
  return out;
}

class Writer {
 public:
  explicit Writer(const SaveOptions& options) : options_(options), h_(hdf5()) {}

  std::string run(const Data& data) {
    const auto access = file_access();
    check(h_.H5Pset_fapl_core(access, std::size_t{1} << 16, false));
    std::string bytes;
    // Growing would copy all that is there.
    bytes.reserve(static_cast<std::size_t>(bytes_of(data)) + (std::size_t{1} << 16));
    auto callbacks = callbacks_for(bytes);
    check(h_.H5Pset_file_image_callbacks(access, &callbacks));
    make_file("file", access, data, 0);
    // Closing has written all data: the end of the file is stored in the superblock (version 2, byte 28); the
    // library's buffer continues after it.
    std::uint64_t end = 0;
    if (bytes.size() < 48 || bytes[8] != 2) failed();
    std::memcpy(&end, bytes.data() + 28, sizeof end);
    if (end > bytes.size()) failed();
    bytes.resize(end);
    return bytes;
  }

  void run(const Data& data, const std::string& path) {
    make_file(path, file_access(), data, bytes_of(data));
  }

 private:
  Hdf5Id file_access() const {
    Hdf5Id access(h_.H5Pcreate(h_.H5P_CLS_FILE_ACCESS_ID_g), h_.H5Pclose);
    // A newer format, whose metadata has checksums.
    check(h_.H5Pset_libver_bounds(access, H5F_LIBVER_V18, H5F_LIBVER_V18));
    return access;
  }

  // With room for so many bytes of the file, unless it is in memory.
  void make_file(const std::string& path, const Hdf5Id& access, const Data& data, std::int64_t room) {
    const Hdf5Id creation(h_.H5Pcreate(h_.H5P_CLS_FILE_CREATE_ID_g), h_.H5Pclose);
    in_order(creation);
    const Hdf5Id file(check(h_.H5Fcreate(path.c_str(), H5F_ACC_TRUNC, creation, access)), h_.H5Fclose);
    if (room > 0)
      if (const auto why = reserve_room(path, room); !why.empty())
        fail_hindered("cannot create the HDF5 file: " + why);
    const Hdf5Id root(check(h_.H5Oopen(file, "/", H5P_DEFAULT)), h_.H5Oclose);
    if (data.kind == Data::Kind::record) {
      fields(root, data);
    } else {
      put(root, "value", data);
      mark(root, "value");
    }
    if (!options_.provenance.empty()) attribute(root, kProvenanceKey, options_.provenance);
    if (options_.attributes) attributes(root, file, *options_.attributes);
    check(h_.H5Fflush(file, H5F_SCOPE_GLOBAL));
  }

  [[noreturn]] static void failed() { fail(fmt::format("cannot create the HDF5 file: {}", hdf5_mistake())); }
  template <class T>
  static T check(T result) {
    if (result < 0) failed();
    return result;
  }

  void in_order(hid_t creation) const {
    check(h_.H5Pset_link_creation_order(creation, H5P_CRT_ORDER_TRACKED | H5P_CRT_ORDER_INDEXED));
    check(h_.H5Pset_attr_creation_order(creation, H5P_CRT_ORDER_TRACKED | H5P_CRT_ORDER_INDEXED));
    check(h_.H5Pset_obj_track_times(creation, false));  // the same values are the same bytes
  }

  // A kind that groups of the standard do not have: a list, nothing, a single value.
  void mark(hid_t object, const std::string& kind) const { attribute(object, "holds", kind); }

  void fields(hid_t group, const Data& data) {
    for (std::size_t k = 0; k < data.items.size(); ++k) put(group, data.names[k], data.items[k]);
  }

  // A link is called like the field, unless it cannot be.
  static std::string link_name(const std::string& name) {
    auto out = name;
    for (auto& c : out)
      if (c == '/' || c == '\0') c = '_';
    return out.empty() || out == "." || out == ".." ? "field " + out : out;
  }

  void put(hid_t group, const std::string& name, const Data& data) {
    poll_interrupt();
    const auto link = link_name(name);
    if (data.kind == Data::Kind::array) return dataset(group, link, name, data.array);
    if (data.kind == Data::Kind::parts) return dataset_in_parts(group, link, name, *data.parts);
    const Hdf5Id creation(h_.H5Pcreate(h_.H5P_CLS_GROUP_CREATE_ID_g), h_.H5Pclose);
    in_order(creation);
    const Hdf5Id inner(h_.H5Gcreate2(group, link.c_str(), H5P_DEFAULT, creation, H5P_DEFAULT), h_.H5Oclose);
    if (inner < 0) fail(fmt::format("two fields would have the same name {} in the HDF5 file", link));
    if (link != name) attribute(inner, "field", name);
    if (data.kind == Data::Kind::record) return fields(inner, data);
    mark(inner, data.kind == Data::Kind::none ? "nothing" : "list");
    for (std::size_t k = 0; k < data.items.size(); ++k) put(inner, fmt::format("{}", k + 1), data.items[k]);
  }

  Hdf5Id space_of(const Shape& shape) const {
    const std::vector<hsize_t> extents(shape.begin(), shape.end());
    return {check(extents.empty()
                      ? h_.H5Screate(H5S_SCALAR)
                      : h_.H5Screate_simple(static_cast<int>(extents.size()), extents.data(), nullptr)),
            h_.H5Sclose};
  }

  // Type of elements in memory; texts have separate types.
  Hdf5Id type_of_elements(ElementType type) const {
    switch (type) {
      case ElementType::float64: return {h_.H5Tcopy(h_.H5T_NATIVE_DOUBLE_g), h_.H5Tclose};
      case ElementType::float32: return {h_.H5Tcopy(h_.H5T_NATIVE_FLOAT_g), h_.H5Tclose};
      case ElementType::int32: return {h_.H5Tcopy(h_.H5T_NATIVE_INT32_g), h_.H5Tclose};
      case ElementType::int64: return {h_.H5Tcopy(h_.H5T_NATIVE_INT64_g), h_.H5Tclose};
      case ElementType::uint8: return {h_.H5Tcopy(h_.H5T_NATIVE_UINT8_g), h_.H5Tclose};
      case ElementType::boolean: return hdf5_boolean_type();
      default: return hdf5_complex_type();
    }
  }

  // Fixed in size, unless one text is much longer than the others.
  Hdf5Id text_type(const std::vector<std::string>& texts, bool& is_variable) const {
    std::size_t longest = 1, total = 0;
    for (const auto& t : texts) {
      if (t.find('\0') != std::string::npos) fail("HDF5 cannot store a text with a zero byte");
      longest = std::max(longest, t.size());
      total += t.size();
    }
    is_variable = longest * texts.size() > 4 * total + (std::size_t{1} << 20);
    Hdf5Id type(h_.H5Tcopy(h_.H5T_C_S1_g), h_.H5Tclose);
    check(h_.H5Tset_size(type, is_variable ? H5T_VARIABLE : longest));
    check(h_.H5Tset_cset(type, H5T_CSET_UTF8));
    if (!is_variable) check(h_.H5Tset_strpad(type, H5T_STR_NULLPAD));
    return type;
  }

  // Makes a dataset or an attribute by `make(type, space)` and fills it by `write(id, type, elements)`.
  template <class Make, class Write>
  void elements(const Array& a, const Make& make, const Write& write) const {
    const auto space = space_of(a.shape());
    if (a.type() == ElementType::text) {
      const auto texts = a.to_vector<std::string>();
      bool is_variable = false;
      const auto type = text_type(texts, is_variable);
      std::vector<const char*> pointers;
      std::string padded;
      if (is_variable) {
        for (const auto& t : texts) pointers.push_back(t.c_str());
      } else {
        const auto size = h_.H5Tget_size(type);
        padded.resize(size * texts.size(), '\0');
        for (std::size_t k = 0; k < texts.size(); ++k) texts[k].copy(padded.data() + k * size, size);
      }
      const auto id = make(type, space);
      if (!texts.empty())
        check(write(id, type, is_variable ? static_cast<const void*>(pointers.data()) : padded.data()));
      return;
    }
    const auto compact = a.compact();
    const auto type = type_of_elements(a.type());
    const auto id = make(type, space);
    if (a.size() > 0) check(write(id, type, compact.raw_data()));
  }

  // How the elements of a dataset are stored.
  Hdf5Id layout(ElementType type, const Shape& shape) const {
    Hdf5Id creation(h_.H5Pcreate(h_.H5P_CLS_DATASET_CREATE_ID_g), h_.H5Pclose);
    check(h_.H5Pset_obj_track_times(creation, false));
    if (options_.compression > 0 && size_of(shape) > 64) {
      // Pieces of about a MiB, whole rows where they fit.
      std::vector<hsize_t> piece(shape.begin(), shape.end());
      auto size = static_cast<hsize_t>(size_of(shape));
      constexpr hsize_t most = hsize_t{1} << 17;
      for (std::size_t axis = 0; axis < piece.size() && size > most; ++axis) {
        const auto kept = std::max<hsize_t>(1, piece[axis] * most / size);
        size = size / piece[axis] * kept;
        piece[axis] = kept;
      }
      check(h_.H5Pset_chunk(creation, static_cast<int>(piece.size()), piece.data()));
      if (type != ElementType::text) check(h_.H5Pset_shuffle(creation));
      check(h_.H5Pset_deflate(creation, static_cast<unsigned>(options_.compression)));
    }
    return creation;
  }

  // A dataset with the label of an array, without elements.
  Hdf5Id make_dataset(hid_t group, const std::string& link, const std::string& name, const Array& a,
                      hid_t type, hid_t space, hid_t creation) const {
    Hdf5Id set(h_.H5Dcreate2(group, link.c_str(), type, space, H5P_DEFAULT, creation, H5P_DEFAULT),
               h_.H5Oclose);
    if (set < 0) fail(fmt::format("two fields would have the same name {} in the HDF5 file", link));
    if (link != name) attribute(set, "field", name);
    if (a.label && holds_times(a)) {
      attribute(set, "units", kTimesSince);
    } else if (a.label && !a.label->unit.empty()) {
      attribute(set, "units", a.label->unit);
    }
    if (a.label && !a.label->name.empty() && a.label->name != name)
      attribute(set, "long_name", a.label->name);
    return set;
  }

  void dataset(hid_t group, const std::string& link, const std::string& name, const Array& a) const {
    const auto creation = layout(a.type(), a.shape());
    elements(
        a, [&](hid_t type, hid_t space) { return make_dataset(group, link, name, a, type, space, creation); },
        [&](hid_t id, hid_t type, const void* from) {
          return h_.H5Dwrite(id, type, H5S_ALL, H5S_ALL, H5P_DEFAULT, from);
        });
  }

  // Numbers and booleans that come part by part. The lock is let go meanwhile, as another thread reads them.
  void dataset_in_parts(hid_t group, const std::string& link, const std::string& name,
                        const DataInParts& parts) {
    const auto sample = parts.sample();
    const auto creation = layout(sample.type(), parts.shape());
    const auto type = type_of_elements(sample.type());
    const auto space = space_of(parts.shape());
    const auto set = make_dataset(group, link, name, sample, type, space, creation);
    struct Unlocked {
      std::optional<LibraryLock>& lock;
      explicit Unlocked(std::optional<LibraryLock>& held) : lock(held) { lock.reset(); }
      ~Unlocked() { lock.emplace(); }
      Unlocked(const Unlocked&) = delete;
      Unlocked& operator=(const Unlocked&) = delete;
    };
    const Unlocked unlocked(lock_);
    parts.for_each_part([&](const std::vector<Index>& from, const Array& given) {
      const LibraryLock lock;
      const auto a = given.compact();
      const std::vector<hsize_t> start(from.begin(), from.end()), count(a.shape().begin(), a.shape().end());
      const auto there = space_of(a.shape());
      check(h_.H5Sselect_hyperslab(space, H5S_SELECT_SET, start.data(), nullptr, count.data(), nullptr));
      check(h_.H5Dwrite(set, type, there, space, H5P_DEFAULT, a.raw_data()));
    });
  }

  void attribute(hid_t object, const std::string& name, const std::string& text) const {
    attribute(object, name, Array::filled<std::string>({}, text));
  }
  void attribute(hid_t object, const std::string& name, const Array& a) const {
    elements(
        a,
        [&](hid_t type, hid_t space) {
          Hdf5Id id(h_.H5Acreate2(object, name.c_str(), type, space, H5P_DEFAULT, H5P_DEFAULT), h_.H5Aclose);
          if (id < 0) fail(fmt::format("the attribute {} cannot be written: {}", name, hdf5_mistake()));
          return id;
        },
        [&](hid_t id, hid_t type, const void* from) { return h_.H5Awrite(id, type, from); });
  }

  // Of the object itself, and, in records, of those in it.
  void attributes(hid_t object, hid_t file, const Data& given) const {
    if (given.kind != Data::Kind::record) fail("attributes must be a record of names and values");
    for (std::size_t k = 0; k < given.items.size(); ++k) {
      const auto& item = given.items[k];
      const auto& name = given.names[k];
      if (item.kind == Data::Kind::array) {
        attribute(object, name, item.array);
      } else if (item.kind == Data::Kind::record) {
        const Hdf5Id inner(h_.H5Oopen(object, link_name(name).c_str(), H5P_DEFAULT), h_.H5Oclose);
        if (inner < 0) {
          h_.H5Eclear2(0);
          fail(fmt::format("there are attributes for {}, but nothing with that name is saved", name));
        }
        attributes(inner, file, item);
      } else {
        fail(fmt::format("the attribute {} must be a number, a text or an array of them", name));
      }
    }
  }

  const SaveOptions& options_;
  const Hdf5Library& h_;
  std::optional<LibraryLock> lock_{std::in_place};
};

}  // namespace

std::string write_hdf5(const Data& data, const SaveOptions& options) { return Writer(options).run(data); }

void make_hdf5(const Data& data, const SaveOptions& options, const std::string& path) {
  Writer(options).run(data, path);
}

}  // namespace quill
