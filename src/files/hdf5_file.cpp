#include "files/hdf5_file.h"

#include <fmt/format.h>

#include <cstring>

#include "base/error.h"
#include "base/interrupt.h"
#include "base/text.h"
#include "files/formats.h"
#include "files/library_lock.h"

namespace quill {

namespace hdf5_file {

namespace {

// What a visit of a file found first, and why.
struct Finding {
  const Hdf5Library& h;
  std::string path{}, what{};
  herr_t found(const char* at, const char* why) {
    path = at;
    what = why;
    return 1;
  }
};

herr_t look_at_link(hid_t, const char* path, const H5L_info_t* link, void* into) {
  if (stop_requested()) return 1;
  if (link->type < H5L_TYPE_UD_MIN) return 0;
  return static_cast<Finding*>(into)->found(path, "links to another file");
}

herr_t look_at_object(hid_t root, const char* path, const H5O_info_t* object, void* into) {
  if (stop_requested()) return 1;
  if (object->type != H5O_TYPE_DATASET) return 0;
  auto& finding = *static_cast<Finding*>(into);
  const auto& h = finding.h;
  const Hdf5Id dataset(h.H5Oopen(root, path, H5P_DEFAULT), h.H5Oclose);
  if (dataset < 0) return -1;
  const Hdf5Id creation(h.H5Dget_create_plist(dataset), h.H5Pclose);
  if (creation < 0) return -1;
  const int files = h.H5Pget_external_count(creation);
  const auto layout = h.H5Pget_layout(creation);
  if (files < 0 || layout < 0) return -1;
  return files > 0 || layout == H5D_VIRTUAL ? finding.found(path, "stores its elements in another file") : 0;
}

}  // namespace

}  // namespace hdf5_file

using namespace hdf5_file;

H5FD_file_image_callbacks_t Hdf5File::callbacks_for(Image& image) {
  H5FD_file_image_callbacks_t out{};
  out.image_malloc = [](std::size_t size, H5FD_file_image_op_t, void* data) -> void* {
    const auto& held = *static_cast<Image*>(data);
    return size == held.size ? const_cast<void*>(held.bytes) : nullptr;
  };
  out.image_memcpy = [](void* to, const void* from, std::size_t size, H5FD_file_image_op_t, void*) -> void* {
    return to == from ? to : std::memcpy(to, from, size);
  };
  out.image_realloc = [](void*, std::size_t, H5FD_file_image_op_t, void*) -> void* { return nullptr; };
  out.image_free = [](void*, H5FD_file_image_op_t, void*) -> herr_t { return 0; };
  out.udata_copy = [](void* data) -> void* { return data; };
  out.udata_free = [](void*) -> herr_t { return 0; };
  out.udata = &image;
  return out;
}

template <class T>
T Hdf5File::check(T result) const {
  if (result < 0) fail(fmt::format("{} is damaged or not an HDF5 file: {}", name_, hdf5_mistake()));
  return result;
}

Hdf5File::Hdf5File(const Hdf5Source& source)
    : name_(source.name),
      h_(hdf5()),
      image_{source.bytes.data(), source.bytes.size()},
      file_(opened(source)),
      root_(check(h_.H5Oopen(file_, "/", H5P_DEFAULT)), h_.H5Oclose) {
  refuse_other_files();
}

Hdf5Id Hdf5File::opened(const Hdf5Source& source) {
  if (source.file != nullptr)
    return {check(h_.H5Fopen(source.file->path().c_str(), H5F_ACC_RDONLY, H5P_DEFAULT)), h_.H5Fclose};
  const Hdf5Id access(h_.H5Pcreate(h_.H5P_CLS_FILE_ACCESS_ID_g), h_.H5Pclose);
  auto callbacks = callbacks_for(image_);
  check(h_.H5Pset_fapl_core(access, 1 << 16, false));
  check(h_.H5Pset_file_image_callbacks(access, &callbacks));
  check(h_.H5Pset_file_image(access, const_cast<void*>(image_.bytes), image_.size));
  return {check(h_.H5Fopen("file", H5F_ACC_RDONLY, access)), h_.H5Fclose};
}

void Hdf5File::refuse_other_files() const {
  Finding finding{h_};
  check(h_.H5Lvisit(root_, H5_INDEX_NAME, H5_ITER_NATIVE, look_at_link, &finding));
  if (finding.what.empty())
    check(h_.H5Ovisit2(root_, H5_INDEX_NAME, H5_ITER_NATIVE, look_at_object, &finding, H5O_INFO_BASIC));
  poll_interrupt();
  if (!finding.what.empty())
    fail(fmt::format("{}: /{} {}; scripts can only read files that they name", name_, printable(finding.path),
                     finding.what));
}

void refuse_other_files(const Hdf5Source& source) {
  if (!is_hdf5(source.first(8))) return;
  const LibraryLock lock;
  const Hdf5File look(source);
}

}  // namespace quill
