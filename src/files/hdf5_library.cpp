#include "files/hdf5_library.h"

#include <dlfcn.h>

#include <fmt/format.h>

#include <complex>

#include "base/error.h"

namespace quill {

namespace {

void* opened() {
  static void* const library = [] {
    void* found = dlopen("libhdf5_serial.so.103", RTLD_NOW | RTLD_LOCAL);
    return found != nullptr ? found : dlopen("libhdf5.so", RTLD_NOW | RTLD_LOCAL);
  }();
  if (library == nullptr)
    fail("HDF5 files require the library libhdf5, which is not installed", "apt-get install libhdf5-103-1");
  return library;
}

// Makes it an error to follow a link to another file, also in the NetCDF library, which uses this library:
// scripts can only read files that they name.
void refuse_links_to_files(const Hdf5Library& h) {
  H5L_class_t links{};
  links.version = H5L_LINK_CLASS_T_VERS;
  links.id = H5L_TYPE_EXTERNAL;
  links.trav_func = [](const char*, hid_t, const void*, std::size_t, hid_t, hid_t) -> hid_t { return -1; };
  if (h.H5Lregister(&links) < 0) fail("the library libhdf5 cannot be initialized");
}

Hdf5Library loaded() {
  Hdf5Library out;
  const auto find = hdf5_function;
#define X(name) out.name = reinterpret_cast<decltype(out.name)>(find(#name));
  QUILL_HDF5_FUNCTIONS(X)
#undef X
  unsigned major = 0, minor = 0, release = 0;
  // Without the library's exit handler, which crashes when closing a file has failed: all files are closed
  // explicitly.
  out.H5dont_atexit();
  if (out.H5open() < 0 || out.H5get_libversion(&major, &minor, &release) < 0)
    fail("the library libhdf5 cannot be initialized");
  if (major != H5_VERS_MAJOR || minor != H5_VERS_MINOR)
    fail(fmt::format("the library libhdf5 has version {}.{}, and this program requires {}.{}", major, minor,
                     H5_VERS_MAJOR, H5_VERS_MINOR));
#define X(name) out.name = *static_cast<const hid_t*>(find(#name));
  QUILL_HDF5_IDENTIFIERS(X)
#undef X
  out.H5Eset_auto2(0, nullptr, nullptr);  // errors are queried, not printed
  refuse_links_to_files(out);
  return out;
}

}  // namespace

void* hdf5_function(const char* name) {
  void* found = dlsym(opened(), name);
  if (found == nullptr) fail("the installed library libhdf5 has another version than this program requires");
  return found;
}

const Hdf5Library& hdf5() {
  static const Hdf5Library library = loaded();
  return library;
}

std::string hdf5_mistake() {
  std::string out;
  const auto take = [](unsigned, const H5E_error2_t* error, void* into) -> herr_t {
    if (error->desc != nullptr) *static_cast<std::string*>(into) = error->desc;
    return 0;
  };
  hdf5().H5Ewalk2(0, H5E_WALK_DOWNWARD, take, &out);
  hdf5().H5Eclear2(0);
  // Of a system call that failed, the reason alone.
  constexpr std::string_view before = "error message = '";
  if (const auto at = out.find(before); at != out.npos) {
    const auto begin = at + before.size();
    return out.substr(begin, out.find('\'', begin) - begin);
  }
  return out.empty() ? "unknown" : out;
}

Hdf5Id hdf5_boolean_type() {
  const auto& h = hdf5();
  Hdf5Id type(h.H5Tenum_create(h.H5T_NATIVE_INT8_g), h.H5Tclose);
  constexpr signed char no = 0, yes = 1;
  h.H5Tenum_insert(type, "FALSE", &no);
  h.H5Tenum_insert(type, "TRUE", &yes);
  return type;
}

Hdf5Id hdf5_complex_type() {
  const auto& h = hdf5();
  Hdf5Id type(h.H5Tcreate(H5T_COMPOUND, sizeof(std::complex<double>)), h.H5Tclose);
  h.H5Tinsert(type, "r", 0, h.H5T_NATIVE_DOUBLE_g);
  h.H5Tinsert(type, "i", sizeof(double), h.H5T_NATIVE_DOUBLE_g);
  return type;
}

}  // namespace quill
