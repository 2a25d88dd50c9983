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
// Of areas: lines at an angle, level or upright, or dots.
enum class Pattern : unsigned char { none, rising, falling, crossed, level, upright, dotted };
std::optional<Pattern> parse_pattern(std::string_view name);
std::vector<std::string> pattern_names();
std::optional<Dash> parse_dash(std::string_view name);
std::optional<Marker> parse_marker(std::string_view name);
std::vector<std::string> dash_names();
std::vector<std::string> marker_names();

enum class LegendPlace : unsigned char {
  best,  // where it covers the least of the data
  top_left,
  top_right,
  bottom_left,
  bottom_right,
  top,
  bottom,
  left,
  right,
  outside_right,
  ends  // labels at the ends of lines
};
std::optional<LegendPlace> parse_legend_place(std::string_view name);
std::vector<std::string> legend_places();

// Panels whose limits are those of all of them.
enum class Link : unsigned char { none, rows, columns, all };
std::optional<Link> parse_link(std::string_view name);  // "" for none

enum class Arrow : unsigned char { none, straight, curved };
std::optional<Arrow> parse_arrow(std::string_view name);

// Lines of the grid across the x and the y axis.
struct GridLines {
  bool x = false, y = false;
};
std::optional<GridLines> parse_grid(std::string_view name);  // "x", "y", "x y", "none"

// Edges of a panel that are drawn, with the ticks on them.
struct Edges {
  bool left = false, bottom = false, right = false, top = false;
};
// "left bottom", "all", "none"; nothing when a word names no edge, which goes into `wrong`.
std::optional<Edges> parse_edges(std::string_view names, std::string* wrong = nullptr);

// Where the value of a line of steps holds: around its x, before it or after it.
enum class Hold : unsigned char { none, around, before, after };

// The call that bars belong to; arrange_bars groups calls with common positions.
struct BarCall {
  int number = 0;      // of the call in its panel
  double share = 0.8;  // of the distance between positions that a bar or a group takes
  bool is_stacked = false, is_overlaid = false;
};

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
  bool on_right = false;                                         // its y belongs to the right axis
  bool is_lying = false;                                         // boxes that reach from `base` along x
  std::optional<BarCall> bars;                                   // boxes of bars: x positions, y their values
  bool x_is_time = false, y_is_time = false, z_is_time = false;  // seconds since 1970
  bool x_is_count = false, y_is_count = false;                   // 1, 2, …: between integers stands nothing
  bool x_is_named = false, y_is_named = false;                   // positions stand for the names of the axis
  std::optional<Limits> focus;         // of y: what reaches beyond does not widen the axis
  std::string label;                   // for the legend
  std::string x_name, y_name, z_name;  // titles for axes that have none: "depth (m)"
  std::optional<Color> color;          // the next of the cycle otherwise
  std::optional<int> cycle;            // a colour of the cycle by number, from 1
  double width = 1.5;                  // of the line, points
  std::optional<Dash> dash;            // solid, unless the theme has dashes of its own
  Hold hold = Hold::none;              // of a line: values hold until the next one
  Marker marker = Marker::none;
  std::optional<Pattern> pattern;  // of areas; none, unless the theme has patterns of its own
  double size = 4.5;               // of markers, points
  double opacity = 1;
  std::optional<double> order;  // drawing order; the order of the calls otherwise
  // Of grids of values.
  std::string palette;            // the panel's when empty
  std::optional<Limits> range;    // of the palette; that of the values otherwise
  std::vector<Color> pixels;      // of an image in colours, in place of z
  std::vector<double> levels;     // of contours; round numbers when empty
  bool labelled_contours = true;  // numbers on the lines
  bool mesh = false;              // lines on a surface

  bool is_grid() const;
  bool is_spatial() const;
  // Whether its colours come from a palette.
  bool is_coloured_by_value() const;
};

// "line", "scatter", …, as a script calls it.
std::string_view name_of(Layer::Kind kind);

struct Axis {
  std::string title;
  std::optional<Limits> limits;
  std::optional<std::vector<double>> ticks;
  std::vector<std::string> tick_labels;
  std::vector<std::string> names;  // of the positions 1, 2, …, in order of first appearance
  bool ticks_are_names = false;
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
  Arrow arrow = Arrow::none;
  bool box = false;
  std::optional<double> size;
};

// A text beside a point, which finds its place.
struct PointLabel {
  std::string text;
  double x = 0, y = 0;
  std::optional<Color> color;
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
  std::optional<std::string> title;  // the name of the values otherwise
  std::optional<std::vector<double>> ticks;
};

// A part of the figure below its title, with everything around the data in it: fractions of width and height,
// x from the left, y from the bottom.
struct Fractions {
  double x = 0, y = 0, width = 1, height = 1;
  bool operator==(const Fractions&) const = default;
};

struct Panel {
  int row = 1, column = 1, rows = 1, columns = 1;
  std::optional<Fractions> place;  // instead of a place in the grid
  std::vector<Layer> layers;
  Axis x, y, z;
  Axis right;              // of the layers that belong to it
  bool has_right = false;  // also without such layers
  std::string title;
  std::optional<LegendPlace> legend;
  std::optional<GridLines> grid;  // the theme's otherwise
  std::optional<Edges> frame;     // the theme's otherwise
  std::vector<Note> notes;
  std::vector<PointLabel> labels;
  std::vector<Guide> guides;
  std::optional<ColorBar> color_bar;
  std::string palette = "lagoon";
  double turn = 35, tilt = 25;  // of the camera, degrees
  bool is_spatial() const {
    for (const auto& layer : layers)
      if (layer.is_spatial()) return true;
    return false;
  }
  bool shows_right() const {
    if (is_spatial()) return false;
    for (const auto& layer : layers)
      if (layer.on_right) return true;
    return has_right;
  }
};

// One picture of an animated figure.
struct FigureFrame {
  std::string label;  // the value that it is drawn for
  std::vector<Panel> panels;
  std::string title, subtitle;
};

// Formats that figures can be written in; the names are the endings of the files.
std::vector<std::string> figure_formats();
// Those of animated figures; of others "png" and "html" alone.
std::vector<std::string> animated_formats();

struct Figure {
  std::string name;
  double width = 160, height = 100;  // millimetres
  double dpi = 200;
  std::vector<std::string> formats = {"png"};
  std::string theme = "quill";
  int rows = 1, columns = 1;
  std::vector<double> row_shares, column_shares;  // of the height and width; equal when empty
  double text_scale = 1;                          // of texts and lines, for what is seen from far away
  Link link_x = Link::none, link_y = Link::none;
  std::string title, subtitle;
  std::string description;    // for those who cannot see it; made from what is drawn when empty
  double page_budget = 5;     // megabytes that the data of an interactive page may take
  std::vector<Panel> panels;  // of an animated figure those of the frame that is drawn
  bool is_animated = false;
  std::vector<FigureFrame> frames;
  double frame_rate = 8;  // frames for each second
};

// Everything about the look that is not the data's.
struct Theme {
  Color paper, ink, soft, grid;
  std::vector<Color> cycle;
  double title_size = 11, panel_title_size = 9.5, axis_title_size = 8.5, tick_size = 7.5, legend_size = 8;
  double axis_width = 0.8, grid_width = 0.6, tick_length = 3.5;
  GridLines default_grid{false, true};
  Edges default_frame{true, true, false, false};
  double line_factor = 1;      // of the widths of lines and the sizes of markers
  bool varies_dashes = false;  // lines without a dash of their own differ by dashes too, areas by patterns
};
const Theme* find_theme(std::string_view name);
std::vector<std::string> theme_names();
// The theme of a figure, with texts and lines in its scale.
Theme theme_of(const Figure& figure);

// What a figure is for.
struct FigureSize {
  std::string_view name;
  double width, height;  // millimetres
  double text_scale;
};
const FigureSize* find_figure_size(std::string_view name);  // "column", "page", "slide", "poster"

}  // namespace quill
