#include "render/outlines.h"

#include <algorithm>

namespace quill {

MarkerOutline marker_outline(Marker shape, double size) {
  MarkerOutline out;
  const double r = size / 2;
  const bool lines = shape == Marker::cross || shape == Marker::plus;
  if (lines || shape == Marker::ring) out.stroke = std::max(0.9, size * 0.2);
  switch (shape) {
    case Marker::square: {
      const double d = r * 0.88;
      out.pieces = {{{-d, -d}, {d, -d}, {d, d}, {-d, d}}};
      break;
    }
    case Marker::diamond: out.pieces = {{{0, -1.2 * r}, {1.2 * r, 0}, {0, 1.2 * r}, {-1.2 * r, 0}}}; break;
    case Marker::triangle: out.pieces = {{{0, -1.2 * r}, {1.1 * r, 0.75 * r}, {-1.1 * r, 0.75 * r}}}; break;
    case Marker::cross:
    case Marker::plus: {
      const double d = shape == Marker::cross ? r * 0.8 : r * 1.1, e = shape == Marker::cross ? d : 0;
      out.pieces = {{{-d, -e}, {d, e}}, {{e, -d}, {-e, d}}};
      out.closed = false;
      break;
    }
    case Marker::ring:
      out.filled = true;
      out.radius = r - out.stroke / 2;
      break;
    default: out.radius = r;
  }
  return out;
}

DashPattern dash_pattern(Dash dash, double width) {
  const double w = std::max(width, 0.6);
  switch (dash) {
    case Dash::dashed: return {{4.5 * w, 2.6 * w}, false};
    case Dash::dotted: return {{0.01, 2.3 * w}, true};
    case Dash::dash_dot: return {{5 * w, 2.4 * w, 0.01, 2.4 * w}, true};
    default: return {};
  }
}

}  // namespace quill
