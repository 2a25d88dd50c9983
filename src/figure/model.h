// A figure as data: what was asked for, before any layout.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "figure/color.h"
#include "figure/ticks.h"

namespace quill {

enum class Dash : unsigned char { solid, dashed, dotted, dash_dot };
enum class Marker : unsigned char { none, disc, ring, square, diamond, triangle, cross, plus };
std::optional<Dash> parse_dash(std::string_view name);
std::optional<Marker> parse_marker(std::string_view name);
std::vector<std::string> dash_names();
std::vector<std::string> marker_names();

// A curve or a cloud of points. NaN breaks a line and drops a point.
struct Layer {
  enum class Kind : unsigned char { line, scatter } kind = Kind::line;
  std::vector<double> x, y;
  std::string label;           // for the legend
  std::string x_name, y_name;  // titles for axes that have none: "depth (m)"
  std::optional<Color> color;  // the next of the cycle otherwise
  std::optional<int> cycle;    // a colour of the cycle by number, from 1
  double width = 1.5;          // of the line, points
  Dash dash = Dash::solid;
  Marker marker = Marker::none;
  double size = 4.5;  // of markers, points
  double opacity = 1;
  std::optional<double> order;  // drawing order; the order of the calls otherwise
};

struct Axis {
  std::string title;
  std::optional<Limits> limits;
  std::optional<std::vector<double>> ticks;
  std::vector<std::string> tick_labels;
};

struct Panel {
  int row = 1, column = 1, rows = 1, columns = 1;
  std::vector<Layer> layers;
  Axis x, y;
  std::string title;
  std::optional<std::string> legend;  // its place
  std::optional<std::string> grid;    // "x", "y", "x y", "none"; the theme's otherwise
};

struct Figure {
  std::string name;
  double width = 160, height = 100;  // millimetres
  double dpi = 200;
  std::vector<std::string> formats = {"png"};
  std::string theme = "quill";
  int rows = 1, columns = 1;
  std::string link_x, link_y;  // "", "rows", "columns", "all"
  std::string title;
  std::vector<Panel> panels;
};

// Everything about the look that is not the data's.
struct Theme {
  Color paper, ink, soft, grid;
  std::vector<Color> cycle;
  double title_size = 11, panel_title_size = 9.5, axis_title_size = 8.5, tick_size = 7.5, legend_size = 8;
  double axis_width = 0.8, grid_width = 0.6, tick_length = 3.5;
  std::string default_grid = "y";
};
const Theme* find_theme(std::string_view name);
std::vector<std::string> theme_names();

// Places a legend can have.
std::vector<std::string> legend_places();

}  // namespace quill
