#include "render/render.h"

#include <cairo-pdf.h>
#include <fmt/format.h>
#include <png.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <new>
#include <variant>

#include "base/error.h"
#include "base/interrupt.h"
#include "base/png_chunk.h"
#include "render/page.h"
#include "render/painter.h"
#include "render/picture.h"
#include "render/raster.h"
#include "render/svg.h"

namespace quill {

namespace {

cairo_status_t append(void* to, const unsigned char* data, unsigned int length) {
  // The library is reported to stop, and check() finds out why.
  if (stop_requested()) return CAIRO_STATUS_WRITE_ERROR;
  try {
    static_cast<std::string*>(to)->append(reinterpret_cast<const char*>(data), length);
  } catch (const std::bad_alloc&) { return CAIRO_STATUS_NO_MEMORY; }  // nothing is thrown through the library
  return CAIRO_STATUS_SUCCESS;
}

void check(cairo_status_t status) {
  poll_interrupt();
  if (status != CAIRO_STATUS_SUCCESS)
    fail(fmt::format("the figure cannot be drawn: {}", cairo_status_to_string(status)));
}

// The size that the picture is meant to have, as the chunk pHYs of the PNG standard after the header.
void set_resolution(std::string& png, double dpi) {
  const auto dots = static_cast<std::uint32_t>(std::lround(dpi / 0.0254));
  std::string per_metre;
  for (int shift = 24; shift >= 0; shift -= 8) per_metre += static_cast<char>(dots >> shift & 0xff);
  insert_png_chunk(png, "pHYs", per_metre + per_metre + std::string(1, 1));
}

// Pages of very many markers repeat little from row to row: the library's quick way takes a quarter of the
// time for them, and its files are smaller. A very large page is written by the way that can be stopped.
bool is_quick(const DisplayList& list, double scale, double pixels) {
  const auto many = [&](const auto& item) {
    const auto* markers = std::get_if<Markers>(&item);
    return markers != nullptr && are_many(*markers, scale, true);
  };
  return pixels < 2e7 && std::any_of(list.items.begin(), list.items.end(), many);
}

std::string quick_png(cairo_surface_t* surface) {
  const auto pixels = colors_of(surface);
  png_image image;
  std::memset(&image, 0, sizeof image);
  image.version = PNG_IMAGE_VERSION;
  image.width = static_cast<png_uint_32>(cairo_image_surface_get_width(surface));
  image.height = static_cast<png_uint_32>(cairo_image_surface_get_height(surface));
  image.format = PNG_FORMAT_RGB;
  image.flags = PNG_IMAGE_FLAG_FAST;
  png_alloc_size_t size = PNG_IMAGE_PNG_SIZE_MAX(image);
  std::string bytes(size, '\0');
  if (png_image_write_to_memory(&image, bytes.data(), &size, 0, pixels.data(), 0, nullptr) == 0)
    fail(fmt::format("the figure cannot be drawn: {}", image.message));
  bytes.resize(size);
  return bytes;
}

Surface painted_by(const DisplayList& list, PangoText& text, double dpi) {
  const double scale = dpi / 72;
  const double width = std::round(list.width * scale), height = std::round(list.height * scale);
  if (width < 1 || height < 1 || width > 30000 || height > 30000)
    fail(fmt::format("an image of {:.0f}×{:.0f} pixels cannot be drawn", width, height),
         "use a smaller dpi, width or height");
  Surface surface(
      cairo_image_surface_create(CAIRO_FORMAT_RGB24, static_cast<int>(width), static_cast<int>(height)));
  check(cairo_surface_status(surface.get()));
  const Cairo cr(cairo_create(surface.get()));
  paint(cr.get(), list, text, scale);
  check(cairo_status(cr.get()));
  return surface;
}

}  // namespace

std::string png_of(cairo_surface_t* surface, const DisplayList& list, double dpi) {
  std::string bytes;
  const double width = cairo_image_surface_get_width(surface),
               height = cairo_image_surface_get_height(surface);
  if (is_quick(list, dpi / 72, width * height))
    bytes = quick_png(surface);
  else
    check(cairo_surface_write_to_png_stream(surface, append, &bytes));
  if (!list.description.empty()) insert_png_text(bytes, "Description", list.description);
  set_resolution(bytes, dpi);
  return bytes;
}

namespace {

std::string render_png(const DisplayList& list, PangoText& text, double dpi) {
  const auto surface = painted_by(list, text, dpi);
  return png_of(surface.get(), list, dpi);
}

std::string render_pdf(const DisplayList& list, PangoText& text) {
  std::string bytes;
  const Surface surface(cairo_pdf_surface_create_for_stream(append, &bytes, list.width, list.height));
  cairo_pdf_surface_restrict_to_version(surface.get(), CAIRO_PDF_VERSION_1_5);
  // No creation date, so that equal figures give equal files.
  cairo_pdf_surface_set_metadata(surface.get(), CAIRO_PDF_METADATA_CREATE_DATE, "2000-01-01T00:00:00Z");
  cairo_pdf_surface_set_metadata(surface.get(), CAIRO_PDF_METADATA_CREATOR, "Eager Quill");
  if (!list.description.empty())
    cairo_pdf_surface_set_metadata(surface.get(), CAIRO_PDF_METADATA_SUBJECT, list.description.c_str());
  if (!list.keywords.empty())
    cairo_pdf_surface_set_metadata(surface.get(), CAIRO_PDF_METADATA_KEYWORDS, list.keywords.c_str());
  {
    const Cairo cr(cairo_create(surface.get()));
    paint(cr.get(), list, text, 1);
    cairo_show_page(cr.get());
    check(cairo_status(cr.get()));
  }
  cairo_surface_finish(surface.get());
  check(cairo_surface_status(surface.get()));
  return bytes;
}

}  // namespace

Surface painted(const DisplayList& list, double dpi) {
  PangoText text;
  return painted_by(list, text, dpi);
}

std::unique_ptr<TextMeasurer> make_text_measurer() { return std::make_unique<PangoText>(); }

namespace {

// One row a format of pictures, in the order of figure_formats().
struct FormatRow {
  std::string_view name;
  std::string (*render)(const DisplayList& list, PangoText& text, double dpi);
};
constexpr FormatRow kFormats[] = {
    {"png", render_png},
    {"svg", [](const DisplayList& list, PangoText& text, double) { return write_svg(list, text); }},
    {"pdf", [](const DisplayList& list, PangoText& text, double) { return render_pdf(list, text); }}};

}  // namespace

std::string render(const DisplayList& list, const std::string& format, double dpi) {
  PangoText text;
  for (const auto& row : kFormats)
    if (row.name == format) return row.render(list, text, dpi);
  fail(fmt::format("unknown figure format \"{}\"", format));
}

std::string render(const Figure& figure, const DisplayList& list, const std::string& format) {
  return format == "html" ? render_page(figure, list) : render(list, format, figure.dpi);
}

}  // namespace quill
