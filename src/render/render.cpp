#include "render/render.h"

#include <cairo-pdf.h>
#include <cairo-svg.h>
#include <cairo.h>
#include <fmt/format.h>
#include <pango/pangocairo.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <numbers>

#include "base/error.h"
#include "base/text.h"

namespace quill {

namespace {

template <class T, void (*release)(T*)>
struct Release {
  void operator()(T* p) const { release(p); }
};
using Surface = std::unique_ptr<cairo_surface_t, Release<cairo_surface_t, cairo_surface_destroy>>;
using Cairo = std::unique_ptr<cairo_t, Release<cairo_t, cairo_destroy>>;
struct Unref {
  void operator()(void* p) const { g_object_unref(p); }
};

// Text is laid out at a large size and scaled, so that widths do not depend on the resolution.
constexpr double kLayoutScale = 16;

class PangoText : public TextMeasurer {
 public:
  PangoText()
      : map_(pango_cairo_font_map_new()),
        context_(pango_font_map_create_context(map_.get())),
        layout_(pango_layout_new(context_.get())) {
    auto* options = cairo_font_options_create();
    cairo_font_options_set_hint_style(options, CAIRO_HINT_STYLE_NONE);
    cairo_font_options_set_hint_metrics(options, CAIRO_HINT_METRICS_OFF);
    cairo_font_options_set_antialias(options, CAIRO_ANTIALIAS_GRAY);
    pango_cairo_context_set_font_options(context_.get(), options);
    pango_cairo_context_set_resolution(context_.get(), 72);
    cairo_font_options_destroy(options);
    description_ = pango_font_description_from_string("Inter, DejaVu Sans, sans-serif");
    // Figures of equal width keep columns of tick labels straight.
    auto* attributes = pango_attr_list_new();
    pango_attr_list_insert(attributes, pango_attr_font_features_new("tnum=1, calt=0"));
    pango_layout_set_attributes(layout_.get(), attributes);
    pango_attr_list_unref(attributes);
  }
  ~PangoText() override { pango_font_description_free(description_); }
  PangoText(const PangoText&) = delete;
  PangoText& operator=(const PangoText&) = delete;

  TextExtent measure(const std::string& text, const Font& font) override {
    set(text, font);
    int width = 0, height = 0;
    pango_layout_get_size(layout_.get(), &width, &height);
    const double unit = 1.0 / (PANGO_SCALE * kLayoutScale);
    const double baseline = pango_layout_get_baseline(layout_.get()) * unit;
    return {width * unit, baseline, height * unit - baseline};
  }

  void draw(cairo_t* cr, const std::string& text, const Font& font) {
    set(text, font);
    cairo_save(cr);
    cairo_scale(cr, 1 / kLayoutScale, 1 / kLayoutScale);
    pango_cairo_show_layout_line(cr, pango_layout_get_line_readonly(layout_.get(), 0));
    cairo_restore(cr);
  }

 private:
  void set(const std::string& text, const Font& font) {
    pango_font_description_set_absolute_size(description_, font.size * kLayoutScale * PANGO_SCALE);
    pango_font_description_set_weight(description_, font.bold ? PANGO_WEIGHT_SEMIBOLD : PANGO_WEIGHT_NORMAL);
    pango_font_description_set_style(description_, font.italic ? PANGO_STYLE_ITALIC : PANGO_STYLE_NORMAL);
    pango_layout_set_font_description(layout_.get(), description_);
    // Control characters and what is no character are shown by their codes.
    const auto shown = printable(text);
    pango_layout_set_text(layout_.get(), shown.data(), static_cast<int>(shown.size()));
  }

  std::unique_ptr<PangoFontMap, Unref> map_;
  std::unique_ptr<PangoContext, Unref> context_;
  std::unique_ptr<PangoLayout, Unref> layout_;
  PangoFontDescription* description_ = nullptr;
};

class Painter {
 public:
  Painter(cairo_t* cr, PangoText& text) : cr_(cr), text_(text) {}

  void paint(const DisplayList& list) {
    set_color(list.paper);
    cairo_paint(cr_);
    for (const auto& item : list.items) std::visit([this](const auto& i) { draw(i); }, item);
  }

 private:
  void set_color(const Color& c) { cairo_set_source_rgba(cr_, c.red, c.green, c.blue, c.alpha); }

  void set_dash(Dash dash, double width) {
    const double w = std::max(width, 0.6);
    const double dashed[] = {4.5 * w, 2.6 * w}, dotted[] = {0.01, 2.3 * w},
                 both[] = {5 * w, 2.4 * w, 0.01, 2.4 * w};
    switch (dash) {
      case Dash::dashed: cairo_set_dash(cr_, dashed, 2, 0); break;
      case Dash::dotted: cairo_set_dash(cr_, dotted, 2, 0); break;
      case Dash::dash_dot: cairo_set_dash(cr_, both, 4, 0); break;
      default: cairo_set_dash(cr_, nullptr, 0, 0);
    }
    const bool round = dash == Dash::dotted || dash == Dash::dash_dot;
    cairo_set_line_cap(cr_, round ? CAIRO_LINE_CAP_ROUND : CAIRO_LINE_CAP_BUTT);
  }

  void draw(const StrokePath& s) {
    set_color(s.color);
    cairo_set_line_width(cr_, s.width);
    cairo_set_line_join(cr_, CAIRO_LINE_JOIN_ROUND);
    set_dash(s.dash, s.width);
    // The cost of a stroke grows with the square of its crossings: opaque long lines are drawn in short
    // parts, which looks the same.
    constexpr std::size_t part = 64;
    const bool in_parts = s.color.alpha == 1 && s.dash == Dash::solid;
    cairo_new_path(cr_);
    for (const auto& piece : s.pieces)
      for (std::size_t k = 0; k < piece.size(); ++k) {
        k == 0 ? cairo_move_to(cr_, piece[k].x, piece[k].y) : cairo_line_to(cr_, piece[k].x, piece[k].y);
        if (in_parts && k > 0 && k % part == 0 && k + 1 < piece.size() && piece.size() > 8 * part) {
          cairo_stroke(cr_);
          cairo_move_to(cr_, piece[k].x, piece[k].y);
        }
      }
    cairo_stroke(cr_);
  }

  void draw(const FillRect& f) {
    set_color(f.color);
    cairo_rectangle(cr_, f.rect.x, f.rect.y, f.rect.width, f.rect.height);
    cairo_fill(cr_);
  }

  void trace(const std::vector<Point>& piece) {
    for (std::size_t k = 0; k < piece.size(); ++k)
      k == 0 ? cairo_move_to(cr_, piece[k].x, piece[k].y) : cairo_line_to(cr_, piece[k].x, piece[k].y);
    cairo_close_path(cr_);
  }

  void draw(const FillPath& f) {
    set_color(f.color);
    cairo_new_path(cr_);
    for (const auto& piece : f.pieces) trace(piece);
    cairo_fill(cr_);
  }

  void draw(const Quads& q) {
    if (fill_directly(q)) return;
    cairo_save(cr_);
    // Pieces that touch would show seams of the paper if their edges were smoothed.
    cairo_set_antialias(cr_, CAIRO_ANTIALIAS_NONE);
    cairo_set_line_join(cr_, CAIRO_LINE_JOIN_ROUND);
    cairo_set_dash(cr_, nullptr, 0, 0);
    for (std::size_t k = 0; k < q.corners.size(); ++k) {
      cairo_new_path(cr_);
      trace({q.corners[k].begin(), q.corners[k].end()});
      set_color(q.colors[k]);
      if (q.mesh > 0) {
        cairo_fill_preserve(cr_);
        cairo_set_antialias(cr_, CAIRO_ANTIALIAS_GRAY);
        set_color(q.mesh_color);
        cairo_set_line_width(cr_, q.mesh);
        cairo_stroke(cr_);
        cairo_set_antialias(cr_, CAIRO_ANTIALIAS_NONE);
      } else
        cairo_fill(cr_);
    }
    cairo_restore(cr_);
  }

  // Very many small opaque pieces on a picture of pixels: each pixel takes the piece that covers its middle.
  // Drawing them one by one as paths would take seconds.
  bool fill_directly(const Quads& q) {
    constexpr std::size_t many = 2000;
    auto* surface = cairo_get_target(cr_);
    if (q.mesh > 0 || q.corners.size() < many ||
        cairo_surface_get_type(surface) != CAIRO_SURFACE_TYPE_IMAGE ||
        std::any_of(q.colors.begin(), q.colors.end(), [](const Color& c) { return c.alpha < 1; }))
      return false;
    double left = 0, top = 0, right = 0, bottom = 0;
    cairo_clip_extents(cr_, &left, &top, &right, &bottom);
    cairo_user_to_device(cr_, &left, &top);
    cairo_user_to_device(cr_, &right, &bottom);
    cairo_surface_flush(surface);
    auto* bytes = cairo_image_surface_get_data(surface);
    const int stride = cairo_image_surface_get_stride(surface);
    const int last_x =
                  std::min(cairo_image_surface_get_width(surface), static_cast<int>(std::ceil(right))) - 1,
              last_y =
                  std::min(cairo_image_surface_get_height(surface), static_cast<int>(std::ceil(bottom))) - 1;
    const int first_x = std::max(0, static_cast<int>(left)), first_y = std::max(0, static_cast<int>(top));
    for (std::size_t k = 0; k < q.corners.size(); ++k) {
      const auto part = [](double v) {
        return static_cast<std::uint32_t>(std::lround(std::clamp(v, 0.0, 1.0) * 255));
      };
      const std::uint32_t pixel =
          0xff000000U | part(q.colors[k].red) << 16 | part(q.colors[k].green) << 8 | part(q.colors[k].blue);
      auto corner = q.corners[k];
      for (auto& p : corner) cairo_user_to_device(cr_, &p.x, &p.y);
      for (const int second : {1, 2}) {
        const Point triangle[] = {corner[0], corner[static_cast<std::size_t>(second)],
                                  corner[static_cast<std::size_t>(second) + 1]};
        const auto [low, high] = std::minmax({triangle[0].y, triangle[1].y, triangle[2].y});
        const int from = std::max(first_y, static_cast<int>(std::ceil(low - 0.5))),
                  to = std::min(last_y, static_cast<int>(std::floor(high - 0.5)));
        for (int y = from; y <= to; ++y) {
          const double at = y + 0.5;
          double a = INFINITY, b = -INFINITY;
          for (int e = 0; e < 3; ++e) {
            const auto &p = triangle[e], &r = triangle[(e + 1) % 3];
            if ((p.y < at && r.y < at) || (p.y > at && r.y > at)) continue;
            const double x = p.y == r.y ? p.x : p.x + (at - p.y) / (r.y - p.y) * (r.x - p.x);
            a = std::min({a, x, p.y == r.y ? r.x : x});
            b = std::max({b, x, p.y == r.y ? r.x : x});
          }
          if (!(a <= b)) continue;
          const int x_from = std::max(first_x, static_cast<int>(std::ceil(std::max(a, -1.0) - 0.5))),
                    x_to = std::min(last_x, static_cast<int>(std::floor(std::min(b, 1e6) - 0.5)));
          for (int x = x_from; x <= x_to; ++x)
            std::memcpy(bytes + static_cast<std::ptrdiff_t>(y) * stride + static_cast<std::ptrdiff_t>(x) * 4,
                        &pixel, sizeof pixel);
        }
      }
    }
    cairo_surface_mark_dirty(surface);
    return true;
  }

  void draw(const Picture& p) {
    const int width = static_cast<int>(p.columns), height = static_cast<int>(p.rows);
    const Surface image(cairo_image_surface_create(CAIRO_FORMAT_ARGB32, width, height));
    if (cairo_surface_status(image.get()) != CAIRO_STATUS_SUCCESS)
      fail(fmt::format("a picture of {}×{} cells cannot be drawn", p.columns, p.rows));
    auto* bytes = cairo_image_surface_get_data(image.get());
    const int stride = cairo_image_surface_get_stride(image.get());
    for (std::size_t r = 0; r < p.rows; ++r)
      for (std::size_t c = 0; c < p.columns; ++c) {
        const auto& color = p.cells[r * p.columns + c];
        const auto part = [&](double v) {
          return static_cast<std::uint32_t>(std::lround(std::clamp(v, 0.0, 1.0) * color.alpha * 255));
        };
        const auto alpha = static_cast<std::uint32_t>(std::lround(color.alpha * 255));
        const std::uint32_t pixel =
            alpha << 24 | part(color.red) << 16 | part(color.green) << 8 | part(color.blue);
        std::memcpy(bytes + static_cast<std::ptrdiff_t>(r) * stride + static_cast<std::ptrdiff_t>(c) * 4,
                    &pixel, sizeof pixel);
      }
    cairo_surface_mark_dirty(image.get());
    cairo_save(cr_);
    cairo_translate(cr_, p.rect.x, p.rect.y);
    cairo_scale(cr_, p.rect.width / width, p.rect.height / height);
    cairo_set_source_surface(cr_, image.get(), 0, 0);
    cairo_pattern_set_filter(cairo_get_source(cr_), CAIRO_FILTER_NEAREST);
    cairo_paint(cr_);
    cairo_restore(cr_);
  }

  void outline(Marker shape, Point p, double size) {
    const double r = size / 2;
    cairo_new_sub_path(cr_);
    switch (shape) {
      case Marker::square: cairo_rectangle(cr_, p.x - r * 0.88, p.y - r * 0.88, r * 1.76, r * 1.76); return;
      case Marker::diamond:
        cairo_move_to(cr_, p.x, p.y - r * 1.2);
        cairo_line_to(cr_, p.x + r * 1.2, p.y);
        cairo_line_to(cr_, p.x, p.y + r * 1.2);
        cairo_line_to(cr_, p.x - r * 1.2, p.y);
        cairo_close_path(cr_);
        return;
      case Marker::triangle:
        cairo_move_to(cr_, p.x, p.y - r * 1.2);
        cairo_line_to(cr_, p.x + r * 1.1, p.y + r * 0.75);
        cairo_line_to(cr_, p.x - r * 1.1, p.y + r * 0.75);
        cairo_close_path(cr_);
        return;
      case Marker::cross:
      case Marker::plus: {
        const double d = shape == Marker::cross ? r * 0.8 : r * 1.1;
        const double e = shape == Marker::cross ? d : 0;
        cairo_move_to(cr_, p.x - d, p.y - e);
        cairo_line_to(cr_, p.x + d, p.y + e);
        cairo_move_to(cr_, p.x + e, p.y - d);
        cairo_line_to(cr_, p.x - e, p.y + d);
        return;
      }
      default: cairo_arc(cr_, p.x, p.y, r, 0, 2 * std::numbers::pi);
    }
  }

  void draw(const Markers& m) {
    cairo_set_dash(cr_, nullptr, 0, 0);
    cairo_set_line_cap(cr_, CAIRO_LINE_CAP_BUTT);
    for (const auto& p : m.points) {
      cairo_new_path(cr_);
      const bool stroked = m.shape == Marker::ring || m.shape == Marker::cross || m.shape == Marker::plus;
      const double width = std::max(0.9, m.size * 0.2);
      outline(m.shape, p, m.shape == Marker::ring ? m.size - width : m.size);
      if (m.shape == Marker::ring) {
        auto inside = m.paper;
        inside.alpha = m.color.alpha;
        set_color(inside);
        cairo_fill_preserve(cr_);
      }
      set_color(m.color);
      cairo_set_line_width(cr_, width);
      stroked ? cairo_stroke(cr_) : cairo_fill(cr_);
    }
  }

  void draw(const DrawnText& t) {
    set_color(t.color);
    cairo_save(cr_);
    cairo_translate(cr_, t.at.x, t.at.y);
    cairo_rotate(cr_, -t.angle);
    for (const auto& run : t.line.runs) {
      cairo_move_to(cr_, run.x, -run.rise);
      text_.draw(cr_, run.text, run.font);
    }
    cairo_set_dash(cr_, nullptr, 0, 0);
    cairo_set_line_cap(cr_, CAIRO_LINE_CAP_BUTT);
    cairo_set_line_join(cr_, CAIRO_LINE_JOIN_MITER);
    for (const auto& stroke : t.line.strokes) {
      cairo_set_line_width(cr_, stroke.width);
      cairo_new_path(cr_);
      for (const auto& [x, rise] : stroke.points) cairo_line_to(cr_, x, -rise);
      cairo_stroke(cr_);
    }
    cairo_restore(cr_);
  }

  void draw(const ClipTo& c) {
    cairo_save(cr_);
    cairo_rectangle(cr_, c.rect.x, c.rect.y, c.rect.width, c.rect.height);
    cairo_clip(cr_);
  }
  void draw(const Unclip&) { cairo_restore(cr_); }

  cairo_t* cr_;
  PangoText& text_;
};

cairo_status_t append(void* to, const unsigned char* data, unsigned int length) {
  static_cast<std::string*>(to)->append(reinterpret_cast<const char*>(data), length);
  return CAIRO_STATUS_SUCCESS;
}

}  // namespace

namespace {

// Cairo numbers its surfaces through the whole run; equal figures are to be equal files.
void drop_surface_numbers(std::string& svg) {
  constexpr std::string_view mark = "\"surface";
  for (auto at = svg.find(mark); at != std::string::npos; at = svg.find(mark, at + 1)) {
    auto end = at + mark.size();
    while (end < svg.size() && svg[end] >= '0' && svg[end] <= '9') ++end;
    svg.erase(at + mark.size(), end - at - mark.size());
  }
}

}  // namespace

std::unique_ptr<TextMeasurer> make_text_measurer() { return std::make_unique<PangoText>(); }

std::string render(const DisplayList& list, const std::string& format, double dpi) {
  std::string bytes;
  Surface surface;
  const double scale = format == "png" ? dpi / 72 : 1;
  if (format == "png") {
    const double width = std::round(list.width * scale), height = std::round(list.height * scale);
    if (width < 1 || height < 1 || width > 30000 || height > 30000)
      fail(fmt::format("a picture of {:.0f}×{:.0f} pixels cannot be drawn", width, height),
           "a smaller dpi, width or height");
    surface.reset(
        cairo_image_surface_create(CAIRO_FORMAT_RGB24, static_cast<int>(width), static_cast<int>(height)));
  } else if (format == "svg") {
    surface.reset(cairo_svg_surface_create_for_stream(append, &bytes, list.width, list.height));
  } else {
    surface.reset(cairo_pdf_surface_create_for_stream(append, &bytes, list.width, list.height));
    // A file says nothing about when it was made, so that equal figures are equal files.
    cairo_pdf_surface_set_metadata(surface.get(), CAIRO_PDF_METADATA_CREATE_DATE, "2000-01-01T00:00:00Z");
    cairo_pdf_surface_set_metadata(surface.get(), CAIRO_PDF_METADATA_CREATOR, "Eager Quill");
  }
  {
    Cairo cr(cairo_create(surface.get()));
    cairo_scale(cr.get(), scale, scale);
    PangoText text;
    Painter(cr.get(), text).paint(list);
    cairo_show_page(cr.get());
    if (cairo_status(cr.get()) != CAIRO_STATUS_SUCCESS)
      fail(fmt::format("the figure could not be drawn: {}", cairo_status_to_string(cairo_status(cr.get()))));
  }
  if (format == "png") cairo_surface_write_to_png_stream(surface.get(), append, &bytes);
  cairo_surface_finish(surface.get());
  if (cairo_surface_status(surface.get()) != CAIRO_STATUS_SUCCESS)
    fail(fmt::format("the figure could not be drawn: {}",
                     cairo_status_to_string(cairo_surface_status(surface.get()))));
  if (format == "svg") drop_surface_numbers(bytes);
  return bytes;
}

}  // namespace quill
