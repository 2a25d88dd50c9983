// Display list: drawing instructions in points from the top left corner of the page.
#pragma once

#include <array>
#include <string>
#include <variant>
#include <vector>

#include "figure/color.h"
#include "figure/model.h"
#include "figure/text.h"

namespace quill {

struct Point {
  double x = 0, y = 0;
};
struct Rect {
  double x = 0, y = 0, width = 0, height = 0;
  double right() const { return x + width; }
  double bottom() const { return y + height; }
  bool overlaps(const Rect& other) const {
    return x < other.right() && other.x < right() && y < other.bottom() && other.y < bottom();
  }
};

struct StrokePath {
  std::vector<std::vector<Point>> pieces;
  Color color;
  double width = 1;
  Dash dash = Dash::solid;
};
struct FillRect {
  Rect rect;
  Color color;
};
struct Markers {
  std::vector<Point> points;
  Marker shape = Marker::disc;
  double size = 4;
  Color color;
  Color paper;                // fill of rings
  std::vector<Color> colors;  // one for each point if they differ; else empty
};
// Filled areas with closed outlines, drawn together so that no seams are visible.
struct FillPath {
  std::vector<std::vector<Point>> pieces;
  Color color;
};
// Quadrilaterals drawn in order, each in its colour; outlined if `mesh` is positive.
struct Quads {
  std::vector<std::array<Point, 4>> corners;
  std::vector<Color> colors;
  double mesh = 0;
  Color mesh_color;
};
// A rectangle of equal cells, row by row from the top, drawn with sharp edges.
struct Picture {
  Rect rect;
  std::size_t columns = 0, rows = 0;
  std::vector<Color> cells;
};
// A line of text whose baseline starts at `at`, rotated counterclockwise.
struct DrawnText {
  Point at;
  TextLine line;
  Color color;
  double angle = 0;  // radians
  std::string source;
  std::string role;  // "title", "x tick", "legend", …; for tests
  // Axis-aligned bounding box.
  Rect box() const;
};
struct ClipTo {
  Rect rect;
};
struct Unclip {};

using Drawn =
    std::variant<StrokePath, FillRect, FillPath, Quads, Picture, Markers, DrawnText, ClipTo, Unclip>;

// The part of the figure that an item belongs to.
enum class Part : unsigned char { page, grid, data, guide, axis, note, title, color_bar, legend, ends };

// Panel and layer of an item; -1: none. `index` distinguishes notes and legend entries: number of the note or
// layer.
struct Owner {
  int panel = -1, layer = -1;
  Part part = Part::page;
  int index = -1;
};
struct Item : Drawn {
  Item(Drawn drawn, Owner o) : Drawn(std::move(drawn)), owner(o) {}
  Owner owner;
};

// Items in drawing order; new ones belong to `owner`.
class Items {
 public:
  template <class T>
  void emplace_back(T&& item) {
    items_.emplace_back(Drawn(std::forward<T>(item)), owner);
  }
  bool empty() const { return items_.empty(); }
  std::size_t size() const { return items_.size(); }
  Item& back() { return items_.back(); }
  auto begin() const { return items_.begin(); }
  auto end() const { return items_.end(); }
  const Item& operator[](std::size_t k) const { return items_[k]; }
  Owner owner;

 private:
  std::vector<Item> items_;
};

struct DisplayList {
  double width = 0, height = 0;  // points
  Color paper;
  Items items;
  std::string keywords;     // for PDF
  std::string description;  // alternative text
  std::vector<std::string> warnings;
  std::vector<std::string> hints;  // advice for readability
  // For each panel: plotting area and axes.
  struct PanelArea {
    Rect area, outer;  // without and with labels and titles
    Limits x, y;
    struct AxisInfo {
      Scale scale;
      std::string title;  // as given
      bool labels_shown = true, is_count = false;
      bool is_slanted = false;                    // labels are slanted, or
      std::vector<std::vector<TextLine>> broken;  // broken into lines
    } x_axis, y_axis, z_axis, right_axis;
    bool has_right = false;
    double right_labels = 0;               // width of its labels
    double room_left = 0, room_below = 0;  // for labels and titles
    Point middle{};                        // centre of the box in space, and
    double box_scale = 0;                  // half of its width in points
  };
  std::vector<PanelArea> panels;
};

// One item a line, numbers with two decimals; for tests.
std::string dump(const DisplayList& list);

}  // namespace quill
