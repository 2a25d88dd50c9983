// A figure as data: what was asked for, before any layout.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "figure/color.h"
#include "figure/scale.h"

namespace quill {

enum class Dash : unsigned char { solid, dashed, dotted, dash_dot };
enum class Marker : unsigned char { none, disc, ring, square, diamond, triangle, cross, plus };
std::optional<Dash> parse_dash(std::string_view name);
std::optional<Marker> parse_marker(std::string_view name);
std::vector<std::string> dash_names();
std::vector<std::string> marker_names();

// What is drawn in a panel. Which of the vectors are used depends on the kind; NaN breaks a line and drops a
// point or a box.
struct Layer {
  enum class Kind : unsigned char {
    line,             // through (x, y), or (x, y, z) in space
    scatter,          // markers there
    stems,            // markers with a stroke down to `base`
    boxes,            // left … right, low … high: bars and histograms
    region,           // between low and high over x: bands and areas
    error_bars,       // from low to high, and from left to right when there are such, with markers at (x, y)
    heatmap,          // a colour for each cell of the grid of values z, x and y are the edges
    contours,         // lines of equal value z over the grid of x and y
    filled_contours,  // the regions between them
    arrows,           // from (x, y) along (right, high)
    surface,          // z over the grid of x and y, in space
    wireframe         // its lines
  } kind = Kind::line;
  std::vector<double> x, y, z;
  std::vector<double> left, right, low, high;
  std::vector<double> values;  // of scatter: what the colours stand for
  double base = 0;
  bool is_histogram = false;                                     // boxes over the bins whose edges are x
  bool x_is_time = false, y_is_time = false, z_is_time = false;  // seconds since 1970
  bool x_is_count = false, y_is_count = false;  // 1, 2, …: between whole numbers stands nothing
  std::optional<Limits> focus;                  // of y: what reaches beyond does not widen the axis
  std::string label;                            // for the legend
  std::string x_name, y_name, z_name;           // titles for axes that have none: "depth (m)"
  std::optional<Color> color;                   // the next of the cycle otherwise
  std::optional<int> cycle;                     // a colour of the cycle by number, from 1
  double width = 1.5;                           // of the line, points
  std::optional<Dash> dash;                     // solid, unless the theme has dashes of its own
  Marker marker = Marker::none;
  double size = 4.5;  // of markers, points
  double opacity = 1;
  std::optional<double> order;  // drawing order; the order of the calls otherwise
  // Of grids of values.
  std::string palette;            // the panel's when empty
  std::optional<Limits> range;    // of the palette; that of the values otherwise
  std::vector<double> levels;     // of contours; round numbers when empty
  bool labelled_contours = true;  // numbers on the lines
  bool mesh = false;              // lines on a surface

  bool is_grid() const {
    return kind == Kind::heatmap || kind == Kind::contours || kind == Kind::filled_contours ||
           kind == Kind::surface || kind == Kind::wireframe;
  }
  bool is_spatial() const {
    return kind == Kind::surface || kind == Kind::wireframe ||
           ((kind == Kind::line || kind == Kind::scatter) && !z.empty());
  }
  // Whether its colours come from a palette.
  bool is_coloured_by_value() const {
    return !values.empty() || (is_grid() && kind != Kind::wireframe && !color && !cycle);
  }
};

// "line", "scatter", …, as a script calls it.
std::string_view name_of(Layer::Kind kind);

struct Axis {
  std::string title;
  std::optional<Limits> limits;
  std::optional<std::vector<double>> ticks;
  std::vector<std::string> tick_labels;
  ScaleKind scale = ScaleKind::linear;
  bool reverse = false;
  bool minor = false;          // small ticks between the others
  std::optional<double> at;    // the axis goes through this value of the other one
  std::optional<double> size;  // of the tick labels, points
  bool label_box = false;      // labels on translucent boxes
  std::string format;          // of the numbers: ".2f"
};

// A text in the plotting area, with an arrow to its point.
struct Note {
  std::string text;
  double x = 0, y = 0;
  double dx = 0, dy = 0;  // from the point to the text, points of the page, upwards
  std::string arrow = "none";
  bool box = false;
  std::optional<double> size;
};

// A straight line across the panel, or part of it.
struct Guide {
  bool is_vertical = false;
  double at = 0;
  std::optional<double> from, to;
  std::optional<Color> color;
  Dash dash = Dash::dashed;
  double width = 0.9;
};

struct ColorBar {
  std::string title;
  std::optional<std::vector<double>> ticks;
};

// A part of the figure below its title, with everything around the data in it: shares of width and height, x
// from the left, y from the bottom.
struct Fractions {
  double x = 0, y = 0, width = 1, height = 1;
  bool operator==(const Fractions&) const = default;
};

struct Panel {
  int row = 1, column = 1, rows = 1, columns = 1;
  std::optional<Fractions> place;  // instead of a place in the grid
  std::vector<Layer> layers;
  Axis x, y, z;
  std::string title;
  std::optional<std::string> legend;  // its place
  std::optional<std::string> grid;    // "x", "y", "x y", "none"; the theme's otherwise
  std::optional<std::string> frame;   // edges: "left bottom", "all", "none"
  std::vector<Note> notes;
  std::vector<Guide> guides;
  std::optional<ColorBar> color_bar;
  std::string palette = "lagoon";
  double turn = 35, tilt = 25;  // of the camera, degrees
  bool is_spatial() const {
    for (const auto& layer : layers)
      if (layer.is_spatial()) return true;
    return false;
  }
};

struct Figure {
  std::string name;
  double width = 160, height = 100;  // millimetres
  double dpi = 200;
  std::vector<std::string> formats = {"png"};
  std::string theme = "quill";
  int rows = 1, columns = 1;
  std::string link_x, link_y;  // "", "rows", "columns", "all"
  std::string title, subtitle;
  std::vector<Panel> panels;
};

// Everything about the look that is not the data's.
struct Theme {
  Color paper, ink, soft, grid;
  std::vector<Color> cycle;
  double title_size = 11, panel_title_size = 9.5, axis_title_size = 8.5, tick_size = 7.5, legend_size = 8;
  double axis_width = 0.8, grid_width = 0.6, tick_length = 3.5;
  std::string default_grid = "y", default_frame = "left bottom";
  double line_factor = 1;      // of the widths of lines and the sizes of markers
  bool varies_dashes = false;  // lines without a dash of their own differ by dashes too
};
const Theme* find_theme(std::string_view name);
std::vector<std::string> theme_names();

// Places a legend can have.
std::vector<std::string> legend_places();

}  // namespace quill
