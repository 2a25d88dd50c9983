// The libraries of HDF5 and NetCDF serve one thread at a time.
#pragma once

#include <unistd.h>

#include <mutex>

namespace quill {

// Held by whoever calls one of them, while files may be read on another thread too. A forked process, in
// which one thread goes on alone, has nothing to wait for.
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
