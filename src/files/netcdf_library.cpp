#include "files/netcdf_library.h"

#include "base/error.h"
#include "files/dynamic_library.h"
#include "files/hdf5_library.h"

namespace quill {

const NetcdfLibrary& netcdf() {
  static const NetcdfLibrary library = [] {
    hdf5();  // which it uses; its exit handler has to be disabled before
    void* const from = opened_library("libnetcdf.so.19", "NetCDF files", "libnetcdf19");
    NetcdfLibrary out;
    QUILL_NETCDF_FUNCTIONS(QUILL_FIND)
    return out;
  }();
  return library;
}

const UdunitsLibrary& udunits() {
  static const UdunitsLibrary library = [] {
    void* const from = opened_library("libudunits2.so.0", "times in NetCDF files", "libudunits2-0");
    UdunitsLibrary out;
    QUILL_UDUNITS_FUNCTIONS(QUILL_FIND)
    out.ut_set_error_message_handler(out.ut_ignore);
    out.units = out.ut_read_xml(nullptr);
    if (out.units == nullptr)
      fail("the units of UDUNITS-2 are not installed", "apt-get install libudunits2-data");
    return out;
  }();
  return library;
}

}  // namespace quill
