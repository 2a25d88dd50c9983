// Pieces of a panel in space, drawn from back to front.
#pragma once

#include <cstdint>

#include "figure/display.h"

namespace quill {

class Scene {
 public:
  struct Quad {
    std::array<Point, 4> corners;
    Color shade;
    double mesh = 0;  // width of the line around it
    Color mesh_color;
  };
  struct Segment {
    Point from, to;
    Color color;
    double width;
    Dash dash;
  };
  int layer = -1;  // layer of the pieces that follow
  // `depth`: distance behind the centre.
  void add(double depth, const Quad& quad);
  void add(double depth, const Segment& segment);
  void add(double depth, Markers marker);
  // Merges neighbours in depth of equal appearance into one item.
  void draw(DisplayList& out);

 private:
  struct Piece {
    double depth;
    enum class Kind : unsigned char { quad, segment, marker } kind;
    std::uint32_t index;
    int layer;
  };
  std::vector<Piece> pieces_;
  std::vector<Quad> quads_;
  std::vector<Segment> segments_;
  std::vector<Markers> markers_;
};

}  // namespace quill
