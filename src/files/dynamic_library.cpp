#include "files/dynamic_library.h"

#include <dlfcn.h>
#include <fmt/format.h>

#include "base/error.h"

namespace quill {

void* opened_library(const char* file, const char* what, const char* package) {
  void* const library = dlopen(file, RTLD_NOW | RTLD_LOCAL);
  if (library == nullptr)
    fail(fmt::format("{} require the library {}, which is not installed", what, file),
         fmt::format("apt-get install {}", package));
  return library;
}

void* library_function(void* library, const char* name) {
  void* const function = dlsym(library, name);
  if (function == nullptr)
    fail(fmt::format("the installed library of {} has another version than this program requires", name));
  return function;
}

}  // namespace quill
