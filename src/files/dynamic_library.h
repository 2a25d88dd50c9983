// Libraries that are loaded when they are first needed.
#pragma once

#include <string>

namespace quill {

// Error that names the package when the library is not installed; `what` needs it ("NetCDF files").
void* opened_library(const char* file, const char* what, const char* package);
// A function of a library. Error when the library has another version.
void* library_function(void* library, const char* name);

// For lists of the functions of a library: sets the member of that name in `out`, from the library `from`.
#define QUILL_FIND(name) \
  out.name = reinterpret_cast<decltype(out.name)>(::quill::library_function(from, #name));

}  // namespace quill
