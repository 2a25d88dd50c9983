// Serialises calls of the HDF5 and NetCDF libraries.
#pragma once

#include <unistd.h>

#include <mutex>

namespace quill {

// Held during every call of these libraries, since files may be read on another thread. A forked process,
// which has one thread, must not wait for it.
class LibraryLock {
 public:
  LibraryLock() : lock_(mutex(), std::defer_lock) {
    static const pid_t process = ::getpid();
    if (::getpid() == process) lock_.lock();
  }

 private:
  static std::recursive_mutex& mutex() {
    static std::recursive_mutex one;
    return one;
  }
  std::unique_lock<std::recursive_mutex> lock_;
};

}  // namespace quill
