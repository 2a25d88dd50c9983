// The model of a figure: what was requested, before layout.
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
// Of areas: lines at an angle, horizontal or vertical, or dots.
enum class Pattern : unsigned char { none, rising, falling, crossed, level, upright, dotted };
std::optional<Pattern> parse_pattern(std::string_view name);
std::vector<std::string> pattern_names();
std::optional<Dash> parse_dash(std::string_view name);
std::optional<Marker> parse_marker(std::string_view name);
std::vector<std::string> dash_names();
std::vector<std::string> marker_names();

enum class LegendPlace : unsigned char {
  best,  // where it covers least of the data
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

// Panels with common limits.
enum class Link : unsigned char { none, rows, columns, all };
std::optional<Link> parse_link(std::string_view name);  // "" for none

enum class Arrow : unsigned char { none, straight, curved };
std::optional<Arrow> parse_arrow(std::string_view name);

// Grid lines across the x and y axes.
struct GridLines {
  bool x = false, y = false;
};
std::optional<GridLines> parse_grid(std::string_view name);  // "x", "y", "x y", "none"

// Edges of a panel that are drawn, with their ticks.
struct Edges {
  bool left = false, bottom = false, right = false, top = false;
};
// "left bottom", "all", "none"; nothing for unknown words, the first of which is stored in `wrong`.
std::optional<Edges> parse_edges(std::string_view names, std::string* wrong = nullptr);

// Where the value of a step line holds: around its x, before it or after it.
enum class Hold : unsigned char { none, around, before, after };

// The call that drew bars; arrange_bars groups calls with common positions.
struct BarCall {
  int number = 0;      // number of the call in its panel
  double share = 0.8;  // fraction of the distance between positions taken by a bar or group
  bool is_stacked = false, is_overlaid = false;
};

// A layer of a panel. Which vectors are used depends on the kind; nan interrupts a line and omits a point or
// box.
struct Layer {
  enum class Kind : unsigned char {
    line,             // through (x, y), or (x, y, z) in space
    scatter,          // markers at (x, y)
    stems,            // markers with a line from `base`
    boxes,            // left … right, low … high: bars and histograms
    region,           // between low and high over x: bands and areas
    error_bars,       // from low to high, and from left to right if given, with markers at (x, y)
    heatmap,          // coloured cells of the grid z; x and y are edges
    contours,         // isolines of z over the grid of x and y
    filled_contours,  // regions between them
    arrows,           // from (x, y) along (right, high)
    surface,          // z over the grid of x and y, in space
    wireframe         // lines of the grid
  } kind = Kind::line;
  std::vector<double> x, y, z;
  std::vector<double> left, right, low, high;
  std::vector<double> values;  // for scatter: values shown by colour
  double base = 0;
  bool is_histogram = false;                                     // boxes over the bins whose edges are x
  bool on_right = false;                                         // y refers to the right axis
  bool is_lying = false;                                         // horizontal boxes, from `base` along x
  std::optional<BarCall> bars;                                   // boxes of bars: x positions, y their values
  bool x_is_time = false, y_is_time = false, z_is_time = false;  // seconds since 1970
  bool x_is_count = false, y_is_count = false;                   // 1, 2, …: no values between integers
  bool x_is_named = false, y_is_named = false;                   // positions refer to names of the axis
  std::optional<Limits> focus;         // of y: data beyond it does not extend the axis
  std::string label;                   // for the legend
  std::string x_name, y_name, z_name;  // default titles of axes: "depth (m)"
  std::optional<Color> color;          // default: the next of the cycle
  std::optional<int> cycle;            // a colour of the cycle by number, from 1
  double width = 1.5;                  // of the line, points
  std::optional<Dash> dash;            // default: solid, unless the theme varies dashes
  Hold hold = Hold::none;              // for lines: values hold until the next one
  Marker marker = Marker::none;
  std::optional<Pattern> pattern;  // for areas; default: none, unless the theme varies patterns
  double size = 4.5;               // of markers, points
  double opacity = 1;
  std::optional<double> order;  // drawing order; default: order of calls
  // For grids of values.
  std::string palette;            // "": the panel's
  std::optional<Limits> range;    // of the palette; default: range of the values
  std::vector<Color> pixels;      // for an image in colours, instead of z
  std::vector<double> levels;     // of contours; empty: round numbers
  bool labelled_contours = true;  // numbers on the lines
  bool mesh = false;              // lines on a surface

  bool is_grid() const;
  bool is_spatial() const;
  // Whether its colours come from a palette.
  bool is_coloured_by_value() const;
};

// "line", "scatter", …: the name of the drawing call.
std::string_view name_of(Layer::Kind kind);

struct Axis {
  std::string title;
  std::optional<Limits> limits;
  std::optional<std::vector<double>> ticks;
  std::vector<std::string> tick_labels;
  std::vector<std::string> names;  // at positions 1, 2, …, in order of first appearance
  bool ticks_are_names = false;
  ScaleKind scale = ScaleKind::linear;
  bool reverse = false;
  bool minor = false;          // small ticks between the others
  std::optional<double> at;    // crosses the other axis at this value
  std::optional<double> size;  // of the tick labels, points
  bool label_box = false;      // labels on translucent boxes
  std::string format;          // of the numbers: ".2f"
};

// A text in the plotting area with an arrow to a point.
struct Note {
  std::string text;
  double x = 0, y = 0;
  double dx = 0, dy = 0;  // offset of the text from the point, in points, upwards
  Arrow arrow = Arrow::none;
  bool box = false;
  std::optional<double> size;
};

// A text beside a point, positioned automatically.
struct PointLabel {
  std::string text;
  double x = 0, y = 0;
  std::optional<Color> color;
  std::optional<double> size;
};

// A straight line across a panel, or part of it.
struct Guide {
  bool is_vertical = false;
  double at = 0;
  std::optional<double> from, to;
  std::optional<Color> color;
  Dash dash = Dash::dashed;
  double width = 0.9;
};

struct ColorBar {
  std::optional<std::string> title;  // default: the name of the values
  std::optional<std::vector<double>> ticks;
};

// A part of the figure below its title, including axis labels: fractions of width and height, x from the
// left, y from the bottom.
struct Fractions {
  double x = 0, y = 0, width = 1, height = 1;
  bool operator==(const Fractions&) const = default;
};

struct Panel {
  int row = 1, column = 1, rows = 1, columns = 1;
  std::optional<Fractions> place;  // instead of a cell of the grid
  std::vector<Layer> layers;
  Axis x, y, z;
  Axis right;              // for layers that refer to it
  bool has_right = false;  // even without such layers
  std::string title;
  std::optional<LegendPlace> legend;
  std::optional<GridLines> grid;  // default: the theme's
  std::optional<Edges> frame;     // default: the theme's
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

// One frame of an animated figure.
struct FigureFrame {
  std::string label;  // value shown by the frame
  std::vector<Panel> panels;
  std::string title, subtitle;
};

// File formats of figures, by extension.
std::vector<std::string> figure_formats();
// File formats of animated figures; for others "png" and "html" only.
std::vector<std::string> animated_formats();

struct Figure {
  std::string name;
  double width = 160, height = 100;  // millimetres
  double dpi = 200;
  std::vector<std::string> formats = {"png"};
  std::string theme = "quill";
  int rows = 1, columns = 1;
  std::vector<double> row_shares, column_shares;  // relative heights and widths; empty: equal
  double text_scale = 1;                          // scale of texts and lines
  Link link_x = Link::none, link_y = Link::none;
  std::string title, subtitle;
  std::string description;    // alternative text; "": generated
  double page_budget = 5;     // limit for data of an interactive page, in megabytes
  std::vector<Panel> panels;  // for an animated figure: the current frame
  bool is_animated = false;
  std::vector<FigureFrame> frames;
  double frame_rate = 8;  // frames per second
};

// Appearance of figures.
struct Theme {
  Color paper, ink, soft, grid;
  std::vector<Color> cycle;
  double title_size = 11, panel_title_size = 9.5, axis_title_size = 8.5, tick_size = 7.5, legend_size = 8;
  double axis_width = 0.8, grid_width = 0.6, tick_length = 3.5;
  GridLines default_grid{false, true};
  Edges default_frame{true, true, false, false};
  double line_factor = 1;      // scale of line widths and marker sizes
  bool varies_dashes = false;  // lines and areas also differ by dashes and patterns
};
const Theme* find_theme(std::string_view name);
std::vector<std::string> theme_names();
// The figure's theme with its scale of texts and lines.
Theme theme_of(const Figure& figure);

// Standard sizes of figures.
struct FigureSize {
  std::string_view name;
  double width, height;  // millimetres
  double text_scale;
};
const FigureSize* find_figure_size(std::string_view name);  // "column", "page", "slide", "poster"

}  // namespace quill
