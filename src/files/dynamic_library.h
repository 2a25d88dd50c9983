// Libraries that are loaded when they are first needed.
#pragma once

#include <string>

namespace quill {

// Error that names the package when the library is not installed; `what` needs it ("NetCDF files").
void* opened_library(const char* file, const char* what, const char* package);
// A function of a library. Error when the library has another version.
void* library_function(void* library, const char* name);

}  // namespace quill
