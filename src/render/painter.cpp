#include "render/painter.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/interrupt.h"
#include "render/outlines.h"
#include "render/pieces.h"
#include "render/raster.h"

namespace quill {

namespace {

class Painter {
 public:
  Painter(cairo_t* cr, PangoText& text, double scale)
      : cr_(cr),
        text_(text),
        scale_(scale),
        on_pixels_(cairo_surface_get_type(cairo_get_target(cr)) == CAIRO_SURFACE_TYPE_IMAGE) {}

  void paint(const DisplayList& list) {
    page_ = {list.width, list.height};
    set_color(list.paper);
    cairo_paint(cr_);
    for (const auto& item : list.items) {
      poll_interrupt();
      std::visit([this](const auto& i) { draw(i); }, item);
    }
  }

 private:
  void set_color(const Color& c) { cairo_set_source_rgba(cr_, c.red, c.green, c.blue, c.alpha); }

  void set_dash(Dash dash, double width) {
    const auto pattern = dash_pattern(dash, width);
    cairo_set_dash(cr_, pattern.lengths.data(), static_cast<int>(pattern.lengths.size()), 0);
    cairo_set_line_cap(cr_, pattern.round ? CAIRO_LINE_CAP_ROUND : CAIRO_LINE_CAP_BUTT);
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
          poll_interrupt();
          cairo_stroke(cr_);
          // Parts overlap by a segment, so that no seam is seen.
          cairo_move_to(cr_, piece[k - 1].x, piece[k - 1].y);
          cairo_line_to(cr_, piece[k].x, piece[k].y);
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
    if (on_pixels_ || q.corners.size() > kManyPieces) return draw_pieces(q);
    cairo_save(cr_);
    // Pieces that touch would show seams of the paper if their edges were smoothed; viewers of files smooth
    // them all the same, and opaque pieces reach a little under their neighbours there.
    cairo_set_antialias(cr_, CAIRO_ANTIALIAS_NONE);
    cairo_set_line_join(cr_, CAIRO_LINE_JOIN_ROUND);
    cairo_set_dash(cr_, nullptr, 0, 0);
    const bool overlaps = is_opaque(q);
    for (std::size_t k = 0; k < q.corners.size(); ++k) {
      poll_interrupt_at(k);
      cairo_new_path(cr_);
      trace({q.corners[k].begin(), q.corners[k].end()});
      set_color(q.colors[k]);
      if (q.mesh > 0 || overlaps)
        cairo_fill_preserve(cr_);
      else
        cairo_fill(cr_);
      if (overlaps && q.mesh == 0) {
        cairo_set_line_width(cr_, 0.3);
        cairo_stroke(cr_);
      }
      if (q.mesh > 0) {
        cairo_set_antialias(cr_, CAIRO_ANTIALIAS_GRAY);
        set_color(q.mesh_color);
        cairo_set_line_width(cr_, q.mesh);
        cairo_stroke(cr_);
        cairo_set_antialias(cr_, CAIRO_ANTIALIAS_NONE);
      }
    }
    cairo_restore(cr_);
  }

  void draw_pieces(const Quads& q) {
    if (on_pixels_) {
      canvas_.stamp(cairo_get_target(cr_), q, scale_, clip_pixels());
      return;
    }
    const auto image = paint_pieces(q, kFileScale, {0, 0, page_.x, page_.y});
    if (image.surface)
      paint(image.surface.get(), {image.origin.x, image.origin.y, image.width, image.height});
  }

  void paint(cairo_surface_t* image, const Rect& at) {
    cairo_save(cr_);
    cairo_translate(cr_, at.x, at.y);
    cairo_scale(cr_, at.width / cairo_image_surface_get_width(image),
                at.height / cairo_image_surface_get_height(image));
    cairo_set_source_surface(cr_, image, 0, 0);
    cairo_pattern_set_filter(cairo_get_source(cr_), CAIRO_FILTER_NEAREST);
    cairo_paint(cr_);
    cairo_restore(cr_);
  }

  void draw(const Picture& p) { paint(picture_surface(p).get(), p.rect); }

  void draw(const Markers& m) {
    if (are_many(m, on_pixels_ ? scale_ : kFileScale, on_pixels_)) return draw_many(m);
    cairo_set_dash(cr_, nullptr, 0, 0);
    cairo_set_line_cap(cr_, CAIRO_LINE_CAP_BUTT);
    const auto look = marker_outline(m.shape, m.size);
    cairo_set_line_width(cr_, look.stroke);
    for (std::size_t k = 0; k < m.points.size(); ++k) {
      poll_interrupt_at(k);
      const auto& p = m.points[k];
      const auto& color = m.colors.empty() ? m.color : m.colors[k];
      trace_marker(cr_, look, p);
      if (look.filled) {
        auto inside = m.paper;
        inside.alpha = color.alpha;
        set_color(inside);
        cairo_fill_preserve(cr_);
      }
      set_color(color);
      look.stroke > 0 ? cairo_stroke(cr_) : cairo_fill(cr_);
    }
  }

  void draw_many(const Markers& m) {
    if (!on_pixels_) {
      const auto image = paint_markers(m, kFileScale, {0, 0, page_.x, page_.y});
      return paint(image.surface.get(), {0, 0, image.width, image.height});
    }
    stamp_markers(cairo_get_target(cr_), m, scale_, clip_pixels());
  }

  // The clipping area in whole pixels.
  Rect clip_pixels() {
    double left = 0, top = 0, right = 0, bottom = 0;
    cairo_clip_extents(cr_, &left, &top, &right, &bottom);
    auto* surface = cairo_get_target(cr_);
    const double x = std::max(0.0, std::floor(left * scale_)), y = std::max(0.0, std::floor(top * scale_));
    return {x, y, std::min<double>(cairo_image_surface_get_width(surface), std::ceil(right * scale_)) - x,
            std::min<double>(cairo_image_surface_get_height(surface), std::ceil(bottom * scale_)) - y};
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
  double scale_;  // pixels for a point
  bool on_pixels_;
  Point page_;
  PieceCanvas canvas_;
};

}  // namespace

void trace_marker(cairo_t* cr, const MarkerOutline& look, Point at) {
  cairo_new_path(cr);
  if (look.radius > 0) cairo_arc(cr, at.x, at.y, look.radius, 0, 2 * std::numbers::pi);
  for (const auto& piece : look.pieces) {
    cairo_new_sub_path(cr);
    for (const auto& p : piece) cairo_line_to(cr, at.x + p.x, at.y + p.y);
    if (look.closed) cairo_close_path(cr);
  }
}

void paint(cairo_t* cr, const DisplayList& list, PangoText& text, double scale) {
  cairo_scale(cr, scale, scale);
  Painter(cr, text, scale).paint(list);
}

}  // namespace quill
