// The HDF5 library, loaded on first use: linking it with its dependencies would triple the start-up time.
#pragma once

#include <hdf5.h>

#include <string>
#include <utility>

// Replaces what the library's macros call before they evaluate an identifier: it is loaded explicitly.
#undef H5CHECK
#define H5CHECK
#undef H5OPEN
#define H5OPEN

namespace quill {

// The formatter never converges on such lists.
// clang-format off
#define QUILL_HDF5_FUNCTIONS(X) \
  X(H5open) X(H5dont_atexit) X(H5Eset_auto2) X(H5Eclear2) X(H5Ewalk2) X(H5Fcreate) X(H5Fopen) X(H5Fclose) X(H5Fflush) \
  X(H5Pcreate) X(H5Pclose) X(H5Pset_fapl_core) X(H5Pset_file_image) X(H5Pset_file_image_callbacks) \
  X(H5Pset_libver_bounds) X(H5Pset_link_creation_order) X(H5Pget_link_creation_order) \
  X(H5Pset_attr_creation_order) X(H5Pset_chunk) X(H5Pset_deflate) X(H5Pset_shuffle) \
  X(H5Pset_obj_track_times) X(H5Pget_layout) X(H5Pget_external_count) X(H5Gcreate2) \
  X(H5Gget_create_plist) X(H5Gget_info) X(H5Lget_name_by_idx) X(H5Lregister) X(H5Lvisit) X(H5Ovisit2) X(H5Oopen) \
  X(H5Oclose) X(H5Oget_info2) X(H5Iget_type) X(H5Screate) X(H5Screate_simple) X(H5Sclose) \
  X(H5Sselect_hyperslab) \
  X(H5Sget_simple_extent_type) X(H5Sget_simple_extent_ndims) X(H5Sget_simple_extent_dims) X(H5Tcopy) \
  X(H5Tcreate) X(H5Tinsert) X(H5Tenum_create) X(H5Tenum_insert) X(H5Tclose) X(H5Tset_size) \
  X(H5Tset_cset) X(H5Tset_strpad) X(H5Tget_class) X(H5Tget_size) X(H5Tget_sign) X(H5Tget_nmembers) \
  X(H5Tget_member_name) X(H5Tget_member_type) X(H5Tget_member_value) X(H5Tget_super) \
  X(H5Tis_variable_str) X(H5Tget_cset) X(H5Dcreate2) X(H5Dwrite) X(H5Dread) X(H5Dget_space) \
  X(H5Dget_type) X(H5Dget_create_plist) X(H5Dvlen_reclaim) X(H5Dget_storage_size) X(H5Acreate2) \
  X(H5Awrite) X(H5Aread) X(H5Aopen_by_idx) X(H5Aget_name) X(H5Aget_space) X(H5Aget_type) X(H5Aclose) \
  X(H5free_memory) X(H5get_libversion)
// clang-format on
// Identifiers that the library makes when it is opened.
// clang-format off
#define QUILL_HDF5_IDENTIFIERS(X) \
  X(H5P_CLS_FILE_ACCESS_ID_g) X(H5P_CLS_GROUP_CREATE_ID_g) X(H5P_CLS_FILE_CREATE_ID_g) \
  X(H5P_CLS_DATASET_CREATE_ID_g) X(H5T_NATIVE_DOUBLE_g) X(H5T_NATIVE_FLOAT_g) X(H5T_NATIVE_INT32_g) \
  X(H5T_NATIVE_INT64_g) X(H5T_NATIVE_UINT8_g) X(H5T_NATIVE_INT8_g) X(H5T_NATIVE_UINT64_g) X(H5T_C_S1_g) \
  X(H5T_IEEE_F64LE_g) X(H5T_IEEE_F32LE_g) X(H5T_STD_I32LE_g) X(H5T_STD_I64LE_g) X(H5T_STD_U8LE_g) \
  X(H5T_STD_I8LE_g)
// clang-format on

struct Hdf5Library {
#define X(name) decltype(&::name) name = nullptr;
  QUILL_HDF5_FUNCTIONS(X)
#undef X
#define X(name) hid_t name = -1;
  QUILL_HDF5_IDENTIFIERS(X)
#undef X
};

// Throws Error if the library is not installed.
const Hdf5Library& hdf5();

// Any other function of it, by name.
void* hdf5_function(const char* name);

// An identifier of the library, closed by its destructor.
class Hdf5Id {
 public:
  Hdf5Id(hid_t id, herr_t (*close)(hid_t)) : id_(id), close_(close) {}
  ~Hdf5Id() {
    if (id_ >= 0) close_(id_);
  }
  Hdf5Id(Hdf5Id&& other) noexcept : id_(std::exchange(other.id_, -1)), close_(other.close_) {}
  Hdf5Id(const Hdf5Id&) = delete;
  Hdf5Id& operator=(const Hdf5Id&) = delete;
  hid_t get() const { return id_; }
  operator hid_t() const { return id_; }  // NOLINT: taken by every function of the library

 private:
  hid_t id_;
  herr_t (*close_)(hid_t);
};

// The library's last error message, innermost first.
std::string hdf5_mistake();

// Types of booleans and complex numbers, by conventions that several programs share.
Hdf5Id hdf5_boolean_type();
Hdf5Id hdf5_complex_type();

}  // namespace quill
