#include "figure/display.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace quill {

Rect DrawnText::box() const {
  const double c = std::cos(angle), d = std::sin(angle);
  Rect out{at.x, at.y, 0, 0};
  double right = -INFINITY, bottom = -INFINITY;
  out.x = out.y = INFINITY;
  for (const double along : {0.0, line.width})
    for (const double up : {line.ascent, -line.descent}) {
      const Point p{at.x + along * c - up * d, at.y - along * d - up * c};
      out.x = std::min(out.x, p.x);
      out.y = std::min(out.y, p.y);
      right = std::max(right, p.x);
      bottom = std::max(bottom, p.y);
    }
  out.width = right - out.x;
  out.height = bottom - out.y;
  return out;
}

std::string dump(const DisplayList& list) {
  std::string out = fmt::format("page {:.2f} {:.2f}\n", list.width, list.height);
  for (const auto& item : list.items) {
    if (item.owner.panel >= 0)
      out += fmt::format("{}{} ", item.owner.panel + 1,
                         item.owner.layer < 0 ? "" : fmt::format(".{}", item.owner.layer + 1));
    if (const auto* s = std::get_if<StrokePath>(&item)) {
      out += fmt::format("stroke {} {:.2f}\n", hex_of(s->color), s->width);
      for (const auto& piece : s->pieces) {
        out += " ";
        for (const auto& p : piece) out += fmt::format(" {:.2f},{:.2f}", p.x, p.y);
        out += '\n';
      }
    } else if (const auto* f = std::get_if<FillRect>(&item)) {
      out += fmt::format("fill {} {:.2f} {:.2f} {:.2f} {:.2f}\n", hex_of(f->color), f->rect.x, f->rect.y,
                         f->rect.width, f->rect.height);
    } else if (const auto* a = std::get_if<FillPath>(&item)) {
      out += fmt::format("area {} {}\n", hex_of(a->color), a->pieces.size());
    } else if (const auto* q = std::get_if<Quads>(&item)) {
      out += fmt::format("quads {}\n", q->corners.size());
    } else if (const auto* cells = std::get_if<Picture>(&item)) {
      out += fmt::format("picture {}x{}\n", cells->columns, cells->rows);
    } else if (const auto* m = std::get_if<Markers>(&item)) {
      out += fmt::format("markers {} {}\n", hex_of(m->color), m->points.size());
    } else if (const auto* t = std::get_if<DrawnText>(&item)) {
      out += fmt::format("text {:.2f},{:.2f} {} {}\n", t->at.x, t->at.y, t->role, t->source);
    } else if (const auto* c = std::get_if<ClipTo>(&item)) {
      out += fmt::format("clip {:.2f} {:.2f} {:.2f} {:.2f}\n", c->rect.x, c->rect.y, c->rect.width,
                         c->rect.height);
    } else
      out += "unclip\n";
  }
  return out;
}

}  // namespace quill
