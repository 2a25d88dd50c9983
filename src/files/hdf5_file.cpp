#include "files/hdf5_file.h"

#include <fmt/format.h>

#include <cerrno>
#include <cstring>
#include <utility>

#include "base/error.h"
#include "base/interrupt.h"
#include "base/text.h"
#include "files/formats.h"
#include "files/library_lock.h"

namespace quill {

namespace hdf5_file {

namespace {

// The first reference to another file.
struct Finding {
  const Hdf5Library& h;
  std::string path{}, what{};
  // Ends the visit.
  herr_t found(const char* at, const char* message) {
    path = at;
    what = message;
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

void Hdf5Source::failed() const {
  const auto mistake = hdf5_mistake();
  if (file != nullptr) file->require_unchanged(name);
  // The library locks the files that it opens.
  if (mistake == std::strerror(EAGAIN))
    fail(fmt::format("cannot read {} while another program has it open for writing", name));
  fail(fmt::format("{} is damaged or not an HDF5 file: {}", name, mistake));
}

H5FD_file_image_callbacks_t Hdf5File::callbacks_for(std::string_view& bytes) {
  H5FD_file_image_callbacks_t out{};
  out.image_malloc = [](std::size_t size, H5FD_file_image_op_t, void* data) -> void* {
    const auto& held = *static_cast<std::string_view*>(data);
    return size == held.size() ? const_cast<char*>(held.data()) : nullptr;
  };
  out.image_memcpy = [](void* to, const void* from, std::size_t size, H5FD_file_image_op_t, void*) -> void* {
    return to == from ? to : std::memcpy(to, from, size);
  };
  out.image_realloc = [](void*, std::size_t, H5FD_file_image_op_t, void*) -> void* { return nullptr; };
  out.image_free = [](void*, H5FD_file_image_op_t, void*) -> herr_t { return 0; };
  out.udata_copy = [](void* data) -> void* { return data; };
  out.udata_free = [](void*) -> herr_t { return 0; };
  out.udata = &bytes;
  return out;
}

template <class T>
T Hdf5File::check(T result) const {
  if (result < 0) source_.failed();
  return result;
}

Hdf5File::Hdf5File(Hdf5Source source)
    : source_(std::move(source)),
      h_(hdf5()),
      file_(opened()),
      root_(check(h_.H5Oopen(file_, "/", H5P_DEFAULT)), h_.H5Oclose) {
  refuse_other_files();
}

Hdf5Id Hdf5File::opened() {
  if (source_.file != nullptr)
    return {check(h_.H5Fopen(source_.file->path().c_str(), H5F_ACC_RDONLY, H5P_DEFAULT)), h_.H5Fclose};
  auto& bytes = source_.bytes;
  const Hdf5Id access(h_.H5Pcreate(h_.H5P_CLS_FILE_ACCESS_ID_g), h_.H5Pclose);
  auto callbacks = callbacks_for(bytes);
  check(h_.H5Pset_fapl_core(access, 1 << 16, false));
  check(h_.H5Pset_file_image_callbacks(access, &callbacks));
  check(h_.H5Pset_file_image(access, const_cast<char*>(bytes.data()), bytes.size()));
  return {check(h_.H5Fopen("file", H5F_ACC_RDONLY, access)), h_.H5Fclose};
}

void Hdf5File::refuse_other_files() const {
  Finding finding{h_};
  check(h_.H5Lvisit(root_, H5_INDEX_NAME, H5_ITER_NATIVE, look_at_link, &finding));
  if (finding.what.empty())
    check(h_.H5Ovisit2(root_, H5_INDEX_NAME, H5_ITER_NATIVE, look_at_object, &finding, H5O_INFO_BASIC));
  poll_interrupt();
  if (!finding.what.empty())
    fail(fmt::format("{}: /{} {}; scripts can only read files that they name", source_.name,
                     printable(finding.path), finding.what));
}

void refuse_other_files(const Hdf5Source& source) {
  if (!is_hdf5(source.first(8))) return;
  const LibraryLock lock;
  const Hdf5File look(source);
}

}  // namespace quill
