// Perspective of panels in space.
#pragma once

#include <cmath>
#include <numbers>

#include "figure/display.h"
#include "figure/scale.h"

namespace quill {

// Coordinates in the box: -1 … 1 along x and y, less along z, the vertical axis.
struct Spot {
  double x = 0, y = 0, z = 0;
};

constexpr double kBoxHeight = 0.68;  // half height

struct Camera {
  double cos_turn, sin_turn, cos_tilt, sin_tilt;
  double scale = 1;
  Point middle{};
  Camera(double turn, double tilt)
      : cos_turn(std::cos(radians(turn))),
        sin_turn(std::sin(radians(turn))),
        cos_tilt(std::cos(radians(tilt))),
        sin_tilt(std::sin(radians(tilt))) {}
  static double radians(double degrees) { return std::remainder(degrees, 360) * std::numbers::pi / 180; }
  Point flat(const Spot& p) const {
    const double across = p.x * cos_turn - p.y * sin_turn, away = p.x * sin_turn + p.y * cos_turn;
    return {across, -(p.z * cos_tilt + away * sin_tilt)};
  }
  Point operator()(const Spot& p) const {
    const auto f = flat(p);
    return {middle.x + scale * f.x, middle.y + scale * f.y};
  }
  // Distance behind the centre.
  double depth(const Spot& p) const { return (p.x * sin_turn + p.y * cos_turn) * cos_tilt - p.z * sin_tilt; }
};

// Axes of the box and its camera.
struct SpaceView {
  Camera camera;
  Scale x, y, z;
  Spot spot(double at_x, double at_y, double at_z) const {
    return {2 * x.share(at_x) - 1, 2 * y.share(at_y) - 1, kBoxHeight * (2 * z.share(at_z) - 1)};
  }
};

}  // namespace quill
