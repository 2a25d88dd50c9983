// An open HDF5 file, for reading.
#pragma once

#include <string>
#include <string_view>

#include "base/open_file.h"
#include "files/hdf5_library.h"

namespace quill {

// The contents of a file, in memory or as an open file, with the name for errors.
struct Hdf5Source {
  std::string_view bytes{};  // used if there is no file
  const OpenFile* file = nullptr;
  std::string name;
  // The first bytes; fewer of a smaller file.
  std::string first(std::size_t count) const {
    return file != nullptr ? file->read(0, count) : std::string(bytes.substr(0, count));
  }
  // Throws Error: the file has changed, another program is writing it, or else the library's last error.
  [[noreturn]] void failed() const;
};

class Hdf5File {
 public:
  // Throws Error if the file is damaged, or if something in it lies in another file: links to other files,
  // elements stored in other files, virtual datasets. Scripts can only read files that they name.
  explicit Hdf5File(Hdf5Source source);
  Hdf5File(const Hdf5File&) = delete;
  Hdf5File& operator=(const Hdf5File&) = delete;
  // The root group.
  hid_t root() const { return root_; }

 private:
  // For the bytes of a file, which the library takes as they are and only reads.
  static H5FD_file_image_callbacks_t callbacks_for(std::string_view& bytes);
  Hdf5Id opened();
  void refuse_other_files() const;
  template <class T>
  T check(T result) const;

  Hdf5Source source_;
  const Hdf5Library& h_;
  Hdf5Id file_, root_;
};

// Throws Error as above; does nothing if the contents are not of an HDF5 file.
void refuse_other_files(const Hdf5Source& source);

}  // namespace quill
