// Images as arrays.
#include <fmt/format.h>
#include <png.h>

#include <cstring>

#include "base/interrupt.h"
#include "files/formats.h"
#include "files/provenance.h"

namespace quill {

namespace {

// The library's simple interface: no jumps over destructors, and its message where something is wrong.
class PngImage {
 public:
  PngImage() {
    std::memset(&image, 0, sizeof(image));
    image.version = PNG_IMAGE_VERSION;
  }
  ~PngImage() { png_image_free(&image); }
  PngImage(const PngImage&) = delete;
  PngImage& operator=(const PngImage&) = delete;
  png_image image;
};

}  // namespace

Data read_png(std::string_view bytes, const std::string& name, const CsvOptions&) {
  PngImage holder;
  auto& image = holder.image;
  const auto check = [&](int fine) {
    if (fine == 0) fail(fmt::format("{} is not an image that can be read: {}", name, image.message));
  };
  check(png_image_begin_read_from_memory(&image, bytes.data(), bytes.size()));
  const bool has_color = image.format & PNG_FORMAT_FLAG_COLOR,
             has_alpha = image.format & PNG_FORMAT_FLAG_ALPHA;
  image.format = has_color ? (has_alpha ? PNG_FORMAT_RGBA : PNG_FORMAT_RGB)
                           : (has_alpha ? PNG_FORMAT_GA : PNG_FORMAT_GRAY);
  const auto channels = static_cast<Index>(PNG_IMAGE_PIXEL_CHANNELS(image.format));
  const Index rows = image.height, columns = image.width;
  constexpr Index most = Index{1} << 32;
  if (rows * columns > most) fail(fmt::format("{} has {}×{} pixels, which is too many", name, rows, columns));
  Array out(ElementType::uint8, channels == 1 ? Shape{rows, columns} : Shape{rows, columns, channels});
  check(png_image_finish_read(&image, nullptr, out.mutable_data<std::uint8_t>(), 0, nullptr));
  return Data::of(std::move(out));
}

std::string write_png(const Data& data, const SaveOptions& options) {
  const auto wanted = [] {
    fail("an image must be uint8 numbers, rows × columns for grey, × 3 for colour, × 4 with opacity",
         "uint8(round(255 * fractions))");
  };
  if (data.kind != Data::Kind::array) wanted();
  const auto a = data.array.compact();
  const auto channels = a.axes() == 3 ? a.extent(2) : 1;
  if (a.type() != ElementType::uint8 || a.axes() < 2 || a.axes() > 3 || channels < 1 || channels > 4 ||
      a.size() == 0)
    wanted();
  PngImage holder;
  auto& image = holder.image;
  image.width = static_cast<png_uint_32>(a.extent(1));
  image.height = static_cast<png_uint_32>(a.extent(0));
  constexpr png_uint_32 forms[] = {PNG_FORMAT_GRAY, PNG_FORMAT_GA, PNG_FORMAT_RGB, PNG_FORMAT_RGBA};
  image.format = forms[channels - 1];
  png_alloc_size_t size = 0;
  if (png_image_write_to_memory(&image, nullptr, &size, 0, a.data<std::uint8_t>(), 0, nullptr) == 0)
    fail(fmt::format("cannot write the image: {}", image.message));
  std::string out(size, '\0');
  if (png_image_write_to_memory(&image, out.data(), &size, 0, a.data<std::uint8_t>(), 0, nullptr) == 0)
    fail(fmt::format("cannot write the image: {}", image.message));
  out.resize(size);
  return options.provenance.empty() ? out : with_provenance(std::move(out), "png", options.provenance);
}

}  // namespace quill
