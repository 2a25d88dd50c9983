// Table of layer kinds: extent, legend sample and drawing of each. One file for each kind in this folder.
#pragma once

#include <cmath>
#include <string_view>
#include <vector>

#include "base/interrupt.h"
#include "figure/camera.h"
#include "figure/draw.h"
#include "figure/pattern.h"
#include "figure/scene.h"

namespace quill {

// Accumulates the extent of a layer; ignores points that cannot be placed on the axes.
class Cover {
 public:
  Cover(ScaleKind x, ScaleKind y) : x_(x), y_(y) {}
  void x(double v) { widen(extent.x, v, x_); }
  void y(double v) { widen(extent.y, v, y_); }
  void point(double at_x, double at_y) {
    if (!has_place(at_x, x_) || !has_place(at_y, y_)) return;
    x(at_x);
    y(at_y);
  }
  // Adds all points (x, y) of a layer.
  void points(const Layer& layer);
  bool is_log_x() const { return x_ == ScaleKind::log; }
  bool is_log_y() const { return y_ == ScaleKind::log; }
  Extent extent;

 private:
  static bool has_place(double v, ScaleKind scale) {
    return std::isfinite(v) && (scale != ScaleKind::log || v > 0);
  }
  static void widen(Limits& l, double v, ScaleKind scale) {
    if (has_place(v, scale)) l = {std::min(l.low, v), std::max(l.high, v)};
  }
  ScaleKind x_, y_;
};

// A layer drawn in the plane.
class Plane {
 public:
  Plane(const LayerDrawing& drawing, const Mapping& map)
      : layer(drawing.layer),
        look(drawing.look),
        panel(drawing.panel),
        theme(drawing.theme),
        measurer(drawing.measurer),
        out(drawing.out),
        map(map),
        width(drawing.layer.width * drawing.theme.line_factor) {}

  template <class Item>
  void clipped(Item item) {
    out.items.emplace_back(ClipTo{map.area});
    out.items.emplace_back(std::move(item));
    out.items.emplace_back(Unclip{});
  }
  // Fills areas in the layer's colour and pattern.
  void fill(std::vector<std::vector<Point>> pieces) {
    out.items.emplace_back(ClipTo{map.area});
    fill_area(std::move(pieces), look.color, look.pattern, map.area, theme.line_factor, out);
    out.items.emplace_back(Unclip{});
  }
  void stroke(std::vector<std::vector<Point>> pieces, double line_width, Dash dash) {
    if (!pieces.empty()) clipped(StrokePath{std::move(pieces), look.color, line_width, dash});
  }
  // Vertical position of a value, clamped near the area where the axis has none for it.
  double down(double y) const;
  double across(double x) const;  // the same along x
  std::vector<std::vector<Point>> on_page(std::vector<std::vector<Point>> pieces) const;
  // Markers at the points of the layer; none if neither the layer nor its kind has a shape.
  void markers();

  const Layer& layer;
  const Look& look;
  const Panel& panel;
  const Theme& theme;
  TextMeasurer& measurer;
  DisplayList& out;
  const Mapping& map;
  double width;  // line width
};

// A layer drawn in space: adds its pieces to the scene, which sorts them by depth.
struct InSpace {
  const Layer& layer;
  const Look& look;
  const Panel& panel;
  const Theme& theme;
  const SpaceView& view;
  Scene& scene;
};

// Sample of a layer in a legend, around (x, middle) with a width.
struct Sample {
  const Layer& layer;
  const Look& look;
  const Panel& panel;
  const Theme& theme;
  double x, middle, width;
  DisplayList& out;

  Rect box() const { return {x, middle - 4, width, 8}; }
  void line() const;
  void area() const;      // filled, in its colour and pattern
  void gradient() const;  // across the whole palette
};

struct LayerKind {
  std::string_view name;  // in messages
  bool is_grid = false;   // values over a grid of x and y
  bool is_joined = false;
  Marker marker = Marker::none;  // default for points
  bool (*has_ink)(const Layer& layer) = [](const Layer&) { return true; };
  void (*cover)(const Layer& layer, Cover& cover) = [](const Layer& layer, Cover& cover) {
    cover.points(layer);
  };
  void (*draw)(Plane& plane) = nullptr;             // null: only in space
  void (*draw_in_space)(InSpace& space) = nullptr;  // null: only in the plane
  void (*sample)(const Sample& sample) = [](const Sample& sample) { sample.line(); };
};
const LayerKind& row_of(Layer::Kind kind);

// Shape of the layer's markers: its own, or that of its kind.
Marker marker_of(const Layer& layer);
// Extent of a grid, which fills its panel.
void cover_grid(const Layer& layer, Cover& cover);
void draw_curve_in_space(InSpace& space);
void draw_grid_in_space(InSpace& space, bool is_wire);

extern const LayerKind kLineLayer, kScatterLayer, kStemsLayer, kBoxesLayer, kRegionLayer, kErrorBarsLayer,
    kHeatmapLayer, kContoursLayer, kFilledContoursLayer, kArrowsLayer, kSurfaceLayer, kWireframeLayer;

}  // namespace quill
