#include "blocks/stored_source.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/mman.h>
#include <unistd.h>

#include <algorithm>
#include <cstring>
#include <utility>

#include "array/strided.h"
#include "base/number.h"
#include "base/temporary_file.h"

namespace quill {

namespace stored_source {
namespace {

// Copies elements of one shape from strides to strides.
template <class T>
void copy_elements(const T* from, const Strides& from_strides, T* to, const Strides& to_strides,
                   const Shape& shape) {
  for_each_run<2>(shape, {from_strides, to_strides}, [&](const auto& at, const auto& step, Index n) {
    const T* const first = from + at[0];
    T* const target = to + at[1];
    if (step[0] == 1 && step[1] == 1)
      std::copy_n(first, n, target);
    else
      for (Index i = 0; i < n; ++i) target[i * step[1]] = first[i * step[0]];
  });
}

// The place of a part within all elements in row order, and its strides.
std::pair<Index, Strides> place_of(const Shape& shape, const BlockPart& part) {
  auto strides = row_major_strides(shape);
  Index offset = 0;
  for (int axis = 0; axis < shape.count(); ++axis) {
    const auto k = static_cast<std::size_t>(axis);
    offset += part.start[k] * strides[axis];
    strides[axis] *= part.step[k];
  }
  return {offset, strides};
}

}  // namespace
}  // namespace stored_source

using namespace stored_source;

StoredSource::StoredSource(ElementType type, const Shape& shape, std::string origin)
    : BlockSource(type, shape), origin_(std::move(origin)), bytes_(static_cast<std::size_t>(bytes())) {
  const auto made = temporary_file(static_cast<std::int64_t>(bytes_), true);
  ::unlink(made.path.c_str());
  const int fault = ::posix_fallocate(made.file.get(), 0, static_cast<off_t>(bytes_));
  if (fault == 0) elements_ = ::mmap(nullptr, bytes_, PROT_READ | PROT_WRITE, MAP_SHARED, made.file.get(), 0);
  if (fault == 0 && elements_ != MAP_FAILED) return;
  fail_hindered(
      fmt::format(
          "{} ({} {}) takes {}, more than may be used in memory, and it cannot be stored on the disk: {}",
          origin_, name_of(type), text_of(shape), bytes_in_prose(bytes()),
          fault != 0 ? std::strerror(fault) : system_reason()),
      "select a part of it, or reduce it along an axis");
}

StoredSource::~StoredSource() { ::munmap(elements_, bytes_); }

void StoredSource::write(const std::vector<Index>& start, const Array& elements) {
  BlockPart part{
      start, {elements.shape().begin(), elements.shape().end()}, std::vector<Index>(start.size(), 1)};
  const auto [offset, strides] = place_of(shape(), part);
  visit_numeric(type(), [&, offset = offset, &strides = strides]<class T>(Tag<T>) {
    copy_elements(elements.data<T>(), elements.strides(), static_cast<T*>(elements_) + offset, strides,
                  elements.shape());
  });
  let_go();
}

void StoredSource::let_go() const { ::madvise(elements_, bytes_, MADV_DONTNEED); }

Array StoredSource::read(const BlockPart& part, BlockFindings&) const {
  Array out(type(), part.shape());
  const auto [offset, strides] = place_of(shape(), part);
  visit_numeric(type(), [&, offset = offset, &strides = strides]<class T>(Tag<T>) {
    copy_elements(static_cast<const T*>(elements_) + offset, strides, out.mutable_data<T>(), out.strides(),
                  out.shape());
  });
  let_go();
  return out;
}

}  // namespace quill
