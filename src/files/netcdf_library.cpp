#include "files/netcdf_library.h"

#include <dlfcn.h>
#include <fmt/format.h>

#include "base/error.h"

namespace quill {

namespace netcdf_library {

namespace {

void* opened(const char* file, const char* what, const char* package) {
  void* const library = dlopen(file, RTLD_NOW | RTLD_LOCAL);
  if (library == nullptr)
    fail(fmt::format("{} require the library {}, which is not installed", what, file),
         fmt::format("apt-get install {}", package));
  return library;
}

void* found(void* library, const char* name) {
  void* const function = dlsym(library, name);
  if (function == nullptr)
    fail(fmt::format("the installed library of {} has another version than this program requires", name));
  return function;
}

}  // namespace

}  // namespace netcdf_library

const NetcdfLibrary& netcdf() {
  static const NetcdfLibrary library = [] {
    using namespace netcdf_library;
    void* const from = opened("libnetcdf.so.19", "NetCDF files", "libnetcdf19");
    NetcdfLibrary out;
#define X(name) out.name = reinterpret_cast<decltype(out.name)>(found(from, #name));
    QUILL_NETCDF_FUNCTIONS(X)
#undef X
    return out;
  }();
  return library;
}

const UdunitsLibrary& udunits() {
  static const UdunitsLibrary library = [] {
    using namespace netcdf_library;
    void* const from = opened("libudunits2.so.0", "times in NetCDF files", "libudunits2-0");
    UdunitsLibrary out;
#define X(name) out.name = reinterpret_cast<decltype(out.name)>(found(from, #name));
    QUILL_UDUNITS_FUNCTIONS(X)
#undef X
    out.ut_set_error_message_handler(out.ut_ignore);
    out.units = out.ut_read_xml(nullptr);
    if (out.units == nullptr)
      fail("the units of UDUNITS-2 are not installed", "apt-get install libudunits2-data");
    return out;
  }();
  return library;
}

}  // namespace quill
