// Libraries that are loaded on first use.
#pragma once

#include <string>

namespace quill {

// Loads a library. If it is not installed, throws an Error naming its package; `what` needs it ("NetCDF
// files").
void* opened_library(const char* file, const char* what, const char* package);
// Function of a library; throws Error if the library lacks it, since it has another version.
void* library_function(void* library, const char* name);

// For lists of library functions: sets the member of that name in `out`, from the library `from`.
#define QUILL_FIND(name) \
  out.name = reinterpret_cast<decltype(out.name)>(::quill::library_function(from, #name));

}  // namespace quill
