// Draws many markers by stamping: each shape is rasterized once for several subpixel offsets.
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>

#include "base/interrupt.h"
#include "base/parallel.h"
#include "render/outlines.h"
#include "render/painter.h"
#include "render/raster.h"

namespace quill {

namespace {

constexpr int kPlaces = 4;  // of a stamp within a pixel, along each axis
constexpr int kGroup = 4;   // pixels of a row that are done at once

// Coverage of a marker's shape, 0 to 255, for one subpixel offset; one value for each of the four components
// of a pixel.
struct Stamp {
  int side = 0;
  int first = 0, end = 0;  // the rows and columns that hold any of it
  // Columns are padded to whole groups of pixels; empty pixels change nothing.
  int groups_end() const { return first + (end - first + kGroup - 1) / kGroup * kGroup; }
  std::vector<unsigned char> shape, inside;  // of the line or whole marker; of the area inside the line
};

std::vector<unsigned char> coverage(const MarkerOutline& look, double scale, int side, double x, double y,
                                    bool inner) {
  Surface mask(cairo_image_surface_create(CAIRO_FORMAT_A8, side, side));
  {
    const Cairo cr(cairo_create(mask.get()));
    cairo_translate(cr.get(), side / 2 + x, side / 2 + y);
    cairo_scale(cr.get(), scale, scale);
    trace_marker(cr.get(), look, {0, 0});
    cairo_set_line_width(cr.get(), look.stroke);
    inner || look.stroke == 0 ? cairo_fill(cr.get()) : cairo_stroke(cr.get());
  }
  cairo_surface_flush(mask.get());
  std::vector<unsigned char> out;
  for (int row = 0; row < side; ++row) {
    const auto* from = row_of(mask.get(), static_cast<std::size_t>(row));
    for (int k = 0; k < side; ++k) out.insert(out.end(), 4, from[k]);
  }
  return out;
}

std::vector<Stamp> make_stamps(const Markers& markers, double scale) {
  const auto look = marker_outline(markers.shape, markers.size);
  std::vector<Stamp> out;
  for (int y = 0; y < kPlaces; ++y)
    for (int x = 0; x < kPlaces; ++x) {
      Stamp stamp;
      stamp.side = 2 * (static_cast<int>(std::ceil(markers.size * 0.75 * scale)) + kGroup);
      const double dx = (x + 0.5) / kPlaces, dy = (y + 0.5) / kPlaces;
      stamp.shape = coverage(look, scale, stamp.side, dx, dy, false);
      if (look.filled) stamp.inside = coverage(look, scale, stamp.side, dx, dy, true);
      stamp.first = stamp.side;
      for (int j = 0; j < stamp.side; ++j)
        for (int i = 0; i < stamp.side; ++i) {
          if (stamp.shape[static_cast<std::size_t>(j * stamp.side + i) * 4] == 0) continue;
          stamp.first = std::min({stamp.first, i, j});
          stamp.end = std::max({stamp.end, i + 1, j + 1});
        }
      out.push_back(std::move(stamp));
    }
  return out;
}

// x / 255 of x below 65535, without a division.
inline std::uint16_t by_255(std::uint16_t x) {
  return static_cast<std::uint16_t>(static_cast<std::uint32_t>(static_cast<std::uint16_t>(x + 1)) * 257U >>
                                    16);
}

// A colour that is put over pixels, where a stamp covers them. No sum is more than 255, since the parts of
// premultiplied colours are not more than their opacity.
class Ink {
 public:
  explicit Ink(const Color& color) {
    const auto pixel = pixel_of(color);
    alpha_ = static_cast<std::uint16_t>(pixel >> 24);
    for (std::size_t k = 0; k < sizeof parts_; k += sizeof pixel)
      std::memcpy(parts_ + k, &pixel, sizeof pixel);
  }

  // Whole groups have a length that the compiler knows.
  void put(unsigned char* to, const unsigned char* coverage, std::size_t pixels) const {
    std::size_t bytes = 4 * pixels;
    for (; bytes >= sizeof parts_; bytes -= sizeof parts_, to += sizeof parts_, coverage += sizeof parts_)
      put_bytes(to, coverage, sizeof parts_);
    put_bytes(to, coverage, bytes);
  }

 private:
  void put_bytes(unsigned char* __restrict to, const unsigned char* __restrict coverage,
                 std::size_t bytes) const {
    const auto times = [](int a, int b) { return by_255(static_cast<std::uint16_t>(a * b)); };
    for (std::size_t k = 0; k < bytes; ++k) {
      const auto stays = static_cast<std::uint16_t>(255 - times(alpha_, coverage[k]));
      const auto below = by_255(static_cast<std::uint16_t>(to[k] * stays + 127));
      to[k] = static_cast<unsigned char>(times(parts_[k], coverage[k]) + below);
    }
  }

  unsigned char parts_[4 * kGroup];
  std::uint16_t alpha_;
};

// Colours of a marker: of the area inside the line, if filled, and of the line or whole marker.
struct Inks {
  Ink inside, shape;
  Inks(const Color& color, Color paper) : inside((paper.alpha = color.alpha, paper)), shape(color) {}
};

class Stamper {
 public:
  Stamper(cairo_surface_t* surface, const Markers& markers, double scale, const Rect& pixels)
      : first_row_(cairo_image_surface_get_data(surface)),
        stride_(cairo_image_surface_get_stride(surface)),
        markers_(markers),
        scale_(scale),
        first_x_(static_cast<int>(pixels.x)),
        first_y_(static_cast<int>(pixels.y)),
        end_x_(static_cast<int>(pixels.right())),
        end_y_(static_cast<int>(pixels.bottom())),
        width_(cairo_image_surface_get_width(surface)),
        stamps_(make_stamps(markers, scale)) {}

  // Bands of rows do not meet, so they are drawn at the same time; in each the markers come in their order.
  void run() {
    constexpr int bands = 8;
    const int height = std::max(0, end_y_ - first_y_);
    in_parallel(bands, [&](Index band) {
      const auto k = static_cast<int>(band);
      draw(first_y_ + height * k / bands, first_y_ + height * (k + 1) / bands);
    });
  }

 private:
  void draw(int from_y, int end_y) const {
    Inks inks(markers_.color, markers_.paper);
    for (std::size_t k = 0; k < markers_.points.size(); ++k) {
      poll_interrupt_at(k);
      const double x = markers_.points[k].x * scale_, y = markers_.points[k].y * scale_;
      const int column = static_cast<int>(std::floor(x)), row = static_cast<int>(std::floor(y));
      const int half = stamps_[0].side / 2;
      if (row + half < from_y || row - half >= end_y) continue;
      const auto place = static_cast<std::size_t>(std::floor((y - row) * kPlaces)) * kPlaces +
                         static_cast<std::size_t>(std::floor((x - column) * kPlaces));
      const auto at = std::min(place, stamps_.size() - 1);
      if (!markers_.colors.empty()) inks = Inks(markers_.colors[k], markers_.paper);
      put(stamps_[at], inks, column - half, row - half, from_y, end_y);
    }
  }

  void put(const Stamp& stamp, const Inks& inks, int left, int top, int from_y, int end_y) const {
    const int from = std::max(stamp.first, first_x_ - left);
    const bool whole = left + stamp.end <= end_x_ && left + stamp.groups_end() <= width_;
    const int end = whole ? stamp.groups_end() : std::min(stamp.end, end_x_ - left);
    if (from >= end) return;
    const auto count = static_cast<std::size_t>(end - from);
    for (int j = std::max(stamp.first, from_y - top); j < stamp.end && top + j < end_y; ++j) {
      auto* to = first_row_ + (top + j) * stride_ + static_cast<std::ptrdiff_t>(left + from) * 4;
      const auto start = static_cast<std::size_t>(j * stamp.side + from) * 4;
      if (!stamp.inside.empty()) inks.inside.put(to, stamp.inside.data() + start, count);
      inks.shape.put(to, stamp.shape.data() + start, count);
    }
  }

  unsigned char* first_row_;
  std::ptrdiff_t stride_;
  const Markers& markers_;
  double scale_;
  int first_x_, first_y_, end_x_, end_y_, width_;
  std::vector<Stamp> stamps_;
};

}  // namespace

bool are_many(const Markers& markers, double scale, bool on_pixels) {
  constexpr double largest = 48;  // pixels
  return markers.points.size() > (on_pixels ? 3000U : 30000U) && markers.size * scale < largest;
}

void stamp_markers(cairo_surface_t* surface, const Markers& markers, double scale, const Rect& pixels) {
  cairo_surface_flush(surface);
  Stamper(surface, markers, scale, pixels).run();
  cairo_surface_mark_dirty(surface);
}

PiecesPicture paint_markers(const Markers& markers, double scale, const Rect& page) {
  const auto width = static_cast<std::size_t>(std::ceil(page.width * scale)),
             height = static_cast<std::size_t>(std::ceil(page.height * scale));
  auto image = make_surface(width, height);
  stamp_markers(image.get(), markers, scale, {0, 0, static_cast<double>(width), static_cast<double>(height)});
  return {std::move(image),
          {page.x, page.y},
          static_cast<double>(width) / scale,
          static_cast<double>(height) / scale};
}

}  // namespace quill
