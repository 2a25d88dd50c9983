#include "figure/scene.h"

#include <algorithm>

#include "base/interrupt.h"

namespace quill {

void Scene::add(double depth, const Quad& quad) {
  pieces_.push_back({depth, Piece::Kind::quad, static_cast<std::uint32_t>(quads_.size()), layer});
  quads_.push_back(quad);
}

void Scene::add(double depth, const Segment& segment) {
  pieces_.push_back({depth, Piece::Kind::segment, static_cast<std::uint32_t>(segments_.size()), layer});
  segments_.push_back(segment);
}

void Scene::add(double depth, Markers marker) {
  pieces_.push_back({depth, Piece::Kind::marker, static_cast<std::uint32_t>(markers_.size()), layer});
  markers_.push_back(std::move(marker));
}

namespace {

// Continues the previous stroke if this segment is a part of it.
void draw_segment(const Scene::Segment& s, DisplayList& out) {
  auto* last = out.items.empty() ? nullptr : std::get_if<StrokePath>(&out.items.back());
  if (!last || !(last->color == s.color) || last->width != s.width || last->dash != s.dash ||
      last->pieces.empty()) {
    out.items.emplace_back(StrokePath{{{s.from, s.to}}, s.color, s.width, s.dash});
    return;
  }
  auto& end = last->pieces.back();
  if (end.back().x == s.from.x && end.back().y == s.from.y)
    end.push_back(s.to);
  else if (end.front().x == s.to.x && end.front().y == s.to.y)
    end.insert(end.begin(), s.from);
  else
    last->pieces.push_back({s.from, s.to});
}

}  // namespace

void Scene::draw(DisplayList& out) {
  std::stable_sort(pieces_.begin(), pieces_.end(),
                   [](const Piece& a, const Piece& b) { return a.depth > b.depth; });
  Quads quads;
  const auto flush = [&] {
    if (quads.corners.empty()) return;
    out.items.emplace_back(std::move(quads));
    quads = {};
  };
  std::size_t done = 0;
  for (const auto& piece : pieces_) {
    poll_interrupt_at(done++);
    if (piece.layer != out.items.owner.layer) {
      flush();
      out.items.owner.layer = piece.layer;
    }
    if (piece.kind == Piece::Kind::quad) {
      const auto& quad = quads_[piece.index];
      if (!quads.corners.empty() && (quads.mesh != quad.mesh || !(quads.mesh_color == quad.mesh_color)))
        flush();
      quads.mesh = quad.mesh;
      quads.mesh_color = quad.mesh_color;
      quads.corners.push_back(quad.corners);
      quads.colors.push_back(quad.shade);
      continue;
    }
    flush();
    if (piece.kind == Piece::Kind::segment)
      draw_segment(segments_[piece.index], out);
    else
      out.items.emplace_back(markers_[piece.index]);
  }
  flush();
  out.items.owner.layer = -1;
}

}  // namespace quill
