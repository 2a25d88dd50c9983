// The NetCDF and UDUNITS-2 libraries, loaded on first use.
#pragma once

#include <netcdf.h>
#include <netcdf_mem.h>
#include <udunits2.h>

#include <string>

namespace quill {

// The formatter never converges on such lists.
// clang-format off
#define QUILL_NETCDF_FUNCTIONS(X) \
  X(nc_strerror) X(nc_inq_libvers) X(nc_open) X(nc_open_mem) X(nc_close) X(nc_inq_varids) X(nc_inq_var) X(nc_inq_dim) \
  X(nc_inq_grps) X(nc_inq_grpname) X(nc_inq_natts) X(nc_inq_attname) X(nc_inq_att) X(nc_inq_var_chunking) \
  X(nc_get_att_text) X(nc_get_att_string) X(nc_get_att_double) X(nc_get_att_longlong) X(nc_free_string) \
  X(nc_inq_var_fill) X(nc_get_vars_int) X(nc_get_vars_longlong) X(nc_get_vars_ulonglong) X(nc_get_vars_uchar) \
  X(nc_get_vars_float) X(nc_get_vars_double) X(nc_get_vars_text) X(nc_get_vars_string) X(nc_create) X(nc_def_dim) X(nc_def_var) X(nc_def_grp) X(nc_def_var_deflate) X(nc_def_var_chunking) X(nc_put_att_text) \
  X(nc_put_att_string) X(nc_put_att_double) X(nc_put_att_longlong) X(nc_put_att_schar) X(nc_put_vara_int) \
  X(nc_put_vara_longlong) X(nc_put_vara_uchar) X(nc_put_vara_schar) X(nc_put_vara_float) X(nc_put_vara_double) \
  X(nc_put_vara_string)
#define QUILL_UDUNITS_FUNCTIONS(X) \
  X(ut_set_error_message_handler) X(ut_ignore) X(ut_read_xml) X(ut_parse) X(ut_get_converter) X(ut_free) \
  X(cv_convert_doubles) X(cv_free)
// clang-format on

struct NetcdfLibrary {
#define X(name) decltype(&::name) name = nullptr;
  QUILL_NETCDF_FUNCTIONS(X)
#undef X
};
struct UdunitsLibrary {
#define X(name) decltype(&::name) name = nullptr;
  QUILL_UDUNITS_FUNCTIONS(X)
#undef X
  ut_system* units = nullptr;
};

// Throws Error if the library is not installed.
const NetcdfLibrary& netcdf();
const UdunitsLibrary& udunits();

}  // namespace quill
