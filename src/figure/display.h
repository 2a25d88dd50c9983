// What is drawn, in points from the top left corner of the page.
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
  Color paper;                // inside of rings
  std::vector<Color> colors;  // one for each point, when they differ
};
// Areas between closed outlines, as one: where they touch no seam is seen.
struct FillPath {
  std::vector<std::vector<Point>> pieces;
  Color color;
};
// Four-cornered pieces, drawn in order, each in its colour; with lines around them when `mesh` is wider than
// 0.
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
// A line of text whose baseline starts at `at`, turned to the left by an angle.
struct DrawnText {
  Point at;
  TextLine line;
  Color color;
  double angle = 0;  // radians
  std::string source;
  std::string role;  // "title", "x tick", "legend", … for tests
  // The upright box around it.
  Rect box() const;
};
struct ClipTo {
  Rect rect;
};
struct Unclip {};

using Drawn =
    std::variant<StrokePath, FillRect, FillPath, Quads, Picture, Markers, DrawnText, ClipTo, Unclip>;

// What an item is a part of.
enum class Part : unsigned char { page, grid, data, guide, axis, note, title, color_bar, legend, ends };

// An item of the page, with the panel and the layer it belongs to; -1: none. `index` reports notes and the
// entries of a legend apart: the place of the note, of the layer.
struct Owner {
  int panel = -1, layer = -1;
  Part part = Part::page;
  int index = -1;
};
struct Item : Drawn {
  Item(Drawn drawn, Owner o) : Drawn(std::move(drawn)), owner(o) {}
  Owner owner;
};

// The items in the order of drawing; new ones belong to `owner`.
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
  std::string keywords;     // of a PDF
  std::string description;  // in words
  std::vector<std::string> warnings;
  std::vector<std::string> hints;  // what would make the figure easier to read
  // For each panel, in order: the plotting area and its axes.
  struct PanelArea {
    Rect area, outer;  // without and with what stands around it
    Limits x, y;
    struct AxisInfo {
      Scale scale;
      std::string title;  // without what is added to it
      bool labels_shown = true, is_count = false;
      bool is_slanted = false;                    // the labels, or
      std::vector<std::vector<TextLine>> broken;  // they stand in lines
    } x_axis, y_axis, z_axis, right_axis;
    bool has_right = false;
    double right_labels = 0;               // the width of its labels
    double room_left = 0, room_below = 0;  // for labels and titles
    Point middle{};                        // of the box in space, and
    double box_scale = 0;                  // points for half of its width
  };
  std::vector<PanelArea> panels;
};

// One item a line, numbers with two decimals, for tests.
std::string dump(const DisplayList& list);

}  // namespace quill
