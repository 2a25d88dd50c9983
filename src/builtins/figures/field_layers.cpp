// Layers of two variables: fields, contours, arrows, surfaces.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/axis_names.h"
#include "array/rearrange.h"
#include "builtins/arguments.h"
#include "builtins/figures/drawing.h"
#include "builtins/figures/layer_arguments.h"
#include "builtins/tables.h"
#include "figure/ticks.h"
#include "numerics/grid.h"
#include "value/runtime.h"

namespace quill {

namespace field_layers_calls {
namespace {

// A function of two numbers on a grid; as a whole when it is surely elementwise.
std::vector<double> function_on_grid(Call& call, const Value& f, const std::vector<double>& x,
                                     const std::vector<double>& y) {
  constexpr Role roles[] = {Role::varying, Role::varying};
  if (call.runtime.is_elementwise(f, roles)) {
    const Array grids[] = {across(Array::vector(x)), down(Array::vector(y))};
    const auto whole = broadcast_together(grids);
    const Value arguments[] = {Value::array(whole[0]), Value::array(whole[1])};
    const auto z = to_array(call.runtime.call(f, arguments)).converted(ElementType::float64);
    if (z.shape() == whole[0].shape()) return z.to_vector<double>();
  }
  std::vector<double> out;
  for (const double b : y)
    for (const double a : x) {
      const Value arguments[] = {Value(a), Value(b)};
      const auto z = call.runtime.call(f, arguments);
      const auto number = single_real(z);
      if (!number)
        fail(fmt::format("{}: the function returned {}; it must return a single number", call.row.name,
                         kind_in_words(z)));
      out.push_back(*number);
    }
  return out;
}

// An image in colours: rows × columns × 3 fractions of red, green and blue, or × 4 with opacity. Returns the
// count of columns.
std::size_t set_pixels(Call& call, Layer& layer) {
  const auto image = call.array(0);
  const auto channels = image.extent(2);
  const bool in_levels = image.type() == ElementType::uint8;
  if ((channels != 3 && channels != 4) || image.size() == 0 || !is_numeric(image.type()) ||
      image.type() == ElementType::complex128)
    call.fail_argument(
        0, fmt::format("must be an image with three values for each pixel, or four with opacity, not {}",
                       type_and_shape(image)));
  const auto values = call.reals(0).to_vector<double>();
  const double full = in_levels ? 255 : 1;
  for (std::size_t k = 0; k < values.size(); k += static_cast<std::size_t>(channels)) {
    for (std::size_t c = 0; c < static_cast<std::size_t>(channels); ++c)
      if (!(values[k + c] >= 0 && values[k + c] <= full))
        call.fail_argument(0,
                           fmt::format("must contain fractions from 0 to 1, not {}", shortest(values[k + c])),
                           "uint8(…) for levels from 0 to 255");
    layer.pixels.push_back({values[k] / full, values[k + 1] / full, values[k + 2] / full,
                            channels == 4 ? values[k + 3] / full : 1});
  }
  layer.z.assign(layer.pixels.size(), 0.0);
  layer.x = counted(image.extent(1));
  layer.y = counted(image.extent(0));
  layer.x_is_count = layer.y_is_count = true;
  return layer.x.size();
}

// A matrix over two axes as a call returned it in a record.
struct RecordGrid {
  const char *x, *y, *z;  // fields
  bool has_rows_of_x;     // z has a row for each x
  bool in_decibels;
  const char *x_name, *y_name, *z_name;
};
constexpr RecordGrid kRecordGrids[] = {
    {"x_edges", "y_edges", "counts", true, false, "", "", "count"},
    {"times", "frequency", "power", true, true, "time", "frequency", "power density (dB)"},
    {"times", "period", "power", false, false, "time", "period", "power"},
};

// Fills a layer from such a record. Returns the count of columns.
std::size_t set_record_grid(const Call& call, Layer& layer) {
  const auto& record = call.value(0).object<RecordObject>();
  const auto numbers = [&](const char* name) -> std::optional<Array> {
    const auto* const field = record.find(name);
    if (!field || !field->is_array_like() || !is_numeric(element_type_of(*field)) ||
        element_type_of(*field) == ElementType::complex128)
      return std::nullopt;
    return to_array(*field).converted(ElementType::float64);
  };
  for (const auto& grid : kRecordGrids) {
    const auto x = numbers(grid.x), y = numbers(grid.y);
    auto z = numbers(grid.z);
    if (!x || !y || !z || x->axes() != 1 || y->axes() != 1 || z->axes() != 2 || z->size() == 0) continue;
    if (grid.has_rows_of_x) z = z->transposed();
    const auto fits = [](Index coordinates, Index cells) {
      return coordinates == cells || coordinates == cells + 1;
    };
    if (!fits(x->size(), z->extent(1)) || !fits(y->size(), z->extent(0))) continue;
    layer.x = x->to_vector<double>();
    layer.y = y->to_vector<double>();
    layer.z = z->to_vector<double>();
    if (grid.in_decibels)
      for (double& v : layer.z) v = v > 0 ? 10 * std::log10(v) : NAN;
    layer.x_name = grid.x_name;
    layer.y_name = grid.y_name;
    layer.z_name = grid.z_name;
    return static_cast<std::size_t>(z->extent(1));
  }
  call.fail_argument(0, "must be a matrix, or a record of joint_histogram, spectrogram or wavelet_power");
}

// Whether the axis names show that the first axis of z is that of x and the second that of y.
bool has_rows_of_x(const Call& call, const Array& z) {
  const auto names = axis_names(z);
  if (names.size() != 2 || names[0] == names[1]) return false;
  for (const std::size_t i : {0, 1}) {
    if (!call.value(i).is(Kind::array)) return false;
    const auto own = axis_names(call.value(i).array());
    if (own.size() != 1 || own[0].empty() || own[0] != names[i]) return false;
  }
  return true;
}

// Fills x, y and z of a grid layer from (z), (x, y, z) or (f, x_range, y_range). Returns the count of
// columns.
std::size_t set_grid(Call& call, Layer& layer, Panel& panel) {
  if (call.value(0).is_callable()) {
    const int points = layer.kind == Layer::Kind::wireframe ? 40 : 80;
    const auto [a, b] = ends_of(call, 1);
    const auto [c, d] = ends_of(call, 2);
    for (int k = 0; k <= points; ++k) {
      layer.x.push_back(a + (b - a) * k / points);
      layer.y.push_back(c + (d - c) * k / points);
    }
    layer.z = function_on_grid(call, call.value(0), layer.x, layer.y);
    return layer.x.size();
  }
  if (layer.kind == Layer::Kind::heatmap && call.row.name != "image_of" && call.value(0).is(Kind::record) &&
      !call.given(1) && !call.given(2))
    return set_record_grid(call, layer);
  const bool alone = call.row.name == "image_of" || (!call.given(1) && !call.given(2));
  if (!alone && (!call.given(1) || !call.given(2)))
    call.fail_argument(0, "must be given alone, or with y and z",
                       fmt::format("{0}(z) or {0}(x, y, z)", call.row.name));
  const std::size_t at = alone ? 0 : 2;
  if (call.row.name == "image_of" && call.array(0).axes() == 3) return set_pixels(call, layer);
  auto z = call.reals(at);
  if (!alone && has_rows_of_x(call, z)) z = z.transposed();
  if (z.axes() != 2 || z.size() == 0)
    call.fail_argument(at,
                       fmt::format("must be a matrix with a row for each y and a column for each x, not {}",
                                   z.axes() == 0 ? "a single number" : "of shape " + text_of(z.shape())));
  layer.z = z.to_vector<double>();
  name_axes(layer, nullptr, nullptr, call.label(at));
  if (alone) {
    layer.x = counted(z.extent(1));
    layer.y = counted(z.extent(0));
    layer.x_is_count = layer.y_is_count = true;
    return layer.x.size();
  }
  const auto coordinates = [&](std::size_t i, Index wanted, const char* axis, Axis Panel::*along,
                               bool& is_named) {
    Array a;
    if (layer.kind == Layer::Kind::heatmap && holds_names(call.value(i))) {
      auto found = positions_of(call, i, panel, along);
      is_named = found.is_named;
      a = Array::vector(found.values);
    } else
      a = call.reals(i);
    if (a.axes() == 2 && (a.extent(0) == 1 || a.extent(1) == 1)) a = flattened(a);
    const bool edges = layer.kind == Layer::Kind::heatmap && a.size() == wanted + 1;
    if (a.axes() != 1 || (a.size() != wanted && !edges))
      call.fail_argument(
          i, fmt::format("has shape {} and the matrix {} {}", text_of(a.shape()), wanted, axis),
          z.extent(0) != z.extent(1) && a.axes() == 1 && a.size() == (i == 0 ? z.extent(0) : z.extent(1))
              ? "z' transposes the matrix"
              : "");
    return a.to_vector<double>();
  };
  layer.x = coordinates(0, z.extent(1), "columns", &Panel::x, layer.x_is_named);
  layer.y = coordinates(1, z.extent(0), "rows", &Panel::y, layer.y_is_named);
  layer.x_is_count = layer.x_is_named;
  layer.y_is_count = layer.y_is_named;
  name_axes(layer, call.label(0), call.label(1), call.label(at));
  for (const auto* v : {&layer.x, &layer.y})
    for (std::size_t k = 1; k < v->size(); ++k)
      if (!(((*v)[k] > (*v)[k - 1]) == ((*v)[1] > (*v)[0])) || (*v)[k] == (*v)[k - 1])
        call.fail_argument(v == &layer.x ? 0 : 1, "must be monotonic", "sort the grid by its coordinates");
  return static_cast<std::size_t>(z.extent(1));
}

// Middles of cells become their edges.
void make_edges(std::vector<double>& v, std::size_t cells) {
  if (v.size() == cells + 1) return;
  std::vector<double> edges;
  if (v.size() == 1) {
    v = {v[0] - 0.5, v[0] + 0.5};
    return;
  }
  edges.push_back(v[0] - (v[1] - v[0]) / 2);
  for (std::size_t k = 1; k < v.size(); ++k) edges.push_back((v[k - 1] + v[k]) / 2);
  edges.push_back(v.back() + (v.back() - v[v.size() - 2]) / 2);
  v = std::move(edges);
}

Value grid_layer(Call& call, Layer::Kind kind) {
  return drawn(call, [&](Panel& panel) {
    Layer layer;
    layer.kind = kind;
    if (kind == Layer::Kind::contours) layer.width = 1.1;
    if (kind == Layer::Kind::wireframe) layer.width = 0.9;
    set_looks(call, layer);
    const auto columns = set_grid(call, layer, panel);
    layer.label = labels_for(call, 1)[0];
    if (kind == Layer::Kind::heatmap) {
      const auto rows = layer.z.size() / columns;
      make_edges(layer.x, columns);
      make_edges(layer.y, rows);
      if (call.row.name == "image_of") panel.y.reverse = true;
    } else if (layer.x.size() < 2 || layer.y.size() < 2)
      call.fail_argument(call.given(2) ? 2 : 0, "must have at least two rows and two columns");
    if (const auto i = location_of(call, "levels")) {
      if (single_real(call.value(*i))) {
        const auto [low, high] = std::minmax_element(layer.z.begin(), layer.z.end());
        if (*low < *high) layer.levels = linear_ticks(*low, *high, positive(call, *i, 8, 200)).positions;
      } else
        layer.levels = call.vector(*i).to_vector<double>();
      std::sort(layer.levels.begin(), layer.levels.end());
      for (const double level : layer.levels)
        if (!std::isfinite(level)) call.fail_argument(*i, "must contain finite numbers");
    }
    if (const auto i = location_of(call, "numbers")) layer.labelled_contours = call.boolean_or(*i, true);
    if (const auto i = location_of(call, "mesh")) layer.mesh = call.boolean_or(*i, false);
    if (layer.z.size() > 40'000'000) call.fail_argument(0, "has more cells than can be drawn");
    panel.layers.push_back(std::move(layer));
  });
}

Value arrows_row(Call& call) {
  return drawn(call, [&](Panel& panel) {
    Layer layer;
    layer.kind = Layer::Kind::arrows;
    set_looks(call, layer);
    const Array given[] = {call.reals(0), call.reals(1), call.reals(2), call.reals(3)};
    // Vectors of coordinates beside matrices of directions span a grid.
    Array x = given[0], y = given[1];
    if (given[2].axes() == 2 && x.axes() == 1 && y.axes() == 1) {
      x = across(x);
      y = down(y);
    }
    const Array together[] = {x, y, given[2], given[3]};
    const auto all = broadcast_together(together);
    layer.x = all[0].to_vector<double>();
    layer.y = all[1].to_vector<double>();
    layer.right = all[2].to_vector<double>();
    layer.high = all[3].to_vector<double>();
    layer.label = labels_for(call, 1)[0];
    name_axes(layer, call.label(0), call.label(1));
    panel.layers.push_back(std::move(layer));
  });
}

using namespace layer_parameters;  // NOLINT

std::vector<Parameter> grid_parameters(std::initializer_list<Parameter> more) {
  std::vector<Parameter> out = {
      {"x", "coordinates of the columns; with x alone, the matrix; or a function of two numbers", ""},
      {"y", "coordinates of the rows; for a function, the range of x", "none"},
      {"z", "matrix with a row for each y and a column for each x; for a function, the range of y", "none"}};
  out.insert(out.end(), more);
  for (const auto& p : {kLabel, kOpacity, kOrder}) out.push_back(p);
  return out;
}

}  // namespace
}  // namespace field_layers_calls

std::vector<Builtin> field_layer_rows() {
  using namespace field_layers_calls;
  return {
      {
          .name = "heatmap",
          .family = kFamily,
          .summary = "Draw each cell of a grid in the colour of its value, without smoothing.",
          .parameters =
              [] {
                auto p = grid_parameters({kPalette, kColorLimits});
                p[0].about =
                    "coordinates of the columns, or of their edges; with x alone, the matrix, or a "
                    "record of joint_histogram, spectrogram (in decibels) or wavelet_power; or a "
                    "function of two numbers";
                return p;
              }(),
          .returns = kNothing,
          .errors = "if the shapes do not match; if coordinates are not monotonic",
          .example =
              "figure(\"field\") {\n    heatmap(0..3, 0..2, random(3, 4))\n    color_bar(\"value\")\n}",
          .run = [](Call& c) { return grid_layer(c, Layer::Kind::heatmap); },
      },
      {
          .name = "image_of",
          .family = kFamily,
          .summary =
              "Draw a matrix with one pixel for each element, or an image, with its first row at the top.",
          .parameters = {{"m",
                          "matrix; or a colour image, rows × columns × 3 (× 4 with opacity): uint8, or "
                          "fractions from 0 to 1",
                          ""},
                         kPalette,
                         kColorLimits,
                         kLabel,
                         kOpacity,
                         kOrder},
          .returns = kNothing,
          .errors = "if the shape is another; if fractions are outside 0 to 1",
          .example =
              "figure(\"matrix\") {\n    image_of(correlation(random(50, 20)), palette: \"ridge\")\n}\n"
              "# figure(\"photo\") { image_of(load(\"shore.png\")) }",
          .run = [](Call& c) { return grid_layer(c, Layer::Kind::heatmap); },
      },
      {
          .name = "contours",
          .family = kFamily,
          .summary = "Draw contour lines on a grid.",
          .parameters = grid_parameters({{"levels", "number of levels, or a vector of values", "about 8"},
                                         {"numbers", "whether to label the lines with their values", "true"},
                                         kColor,
                                         kWidth,
                                         kDash,
                                         kPalette,
                                         kColorLimits}),
          .returns = kNothing,
          .errors = "if the shapes do not match",
          .source = "marching squares: W. E. Lorensen, H. E. Cline, Comput. Graph. 21, 1987",
          .example = "figure(\"depths\") {\n    contours(fn(x, y) = x^2 + 2 * y^2, -2..2, -1..1)\n}",
          .run = [](Call& c) { return grid_layer(c, Layer::Kind::contours); },
      },
      {
          .name = "filled_contours",
          .family = kFamily,
          .summary = "Fill the regions between contour levels.",
          .parameters = grid_parameters(
              {{"levels", "number of levels, or a vector of values", "about 8"}, kPalette, kColorLimits}),
          .returns = kNothing,
          .errors = "if the shapes do not match",
          .source = "marching squares: W. E. Lorensen, H. E. Cline, Comput. Graph. 21, 1987",
          .example = "figure(\"zones\") {\n    filled_contours(fn(x, y) = sin(x) * cos(y), 0..6, 0..6)\n    "
                     "color_bar()\n}",
          .run = [](Call& c) { return grid_layer(c, Layer::Kind::filled_contours); },
      },
      {
          .name = "arrows",
          .family = kFamily,
          .summary = "Draw a vector field as arrows; the longest arrow is about as long as the spacing.",
          .parameters = {{"x", "starting points: a vector, or coordinates of columns", ""},
                         {"y", "starting points: a vector, or coordinates of rows", ""},
                         {"u", "component along x: a vector, or a matrix over the grid", ""},
                         {"v", "component along y", ""},
                         kLabel,
                         kColor,
                         kWidth,
                         kOpacity,
                         kOrder},
          .returns = kNothing,
          .errors = "if the shapes do not match",
          .example =
              "figure(\"wind\") {\n    x = -2..2\n    arrows(x, x, -down(x) + 0 * across(x), across(x) + 0 * "
              "down(x))\n}",
          .run = arrows_row,
      },
      {
          .name = "surface",
          .family = kFamily,
          .summary = "Draw a surface over a grid in space, shaded and coloured by height.",
          .parameters = grid_parameters(
              {kPalette, kColorLimits, kColor, {"mesh", "whether to draw the grid lines", "false"}}),
          .returns = kNothing,
          .errors = "if the shapes do not match",
          .example =
              "fn plume(x, y) = exp(-y^2 / (0.4 + 0.3 * x)) / sqrt(0.4 + 0.3 * x)\n"
              "figure(\"plume\") {\n    surface(plume, 0..6, -3..3)\n    camera(turn: 30, tilt: 35)\n}",
          .run = [](Call& c) { return grid_layer(c, Layer::Kind::surface); },
      },
      {
          .name = "wireframe",
          .family = kFamily,
          .summary = "Draw a wireframe over a grid in space; hidden lines are removed.",
          .parameters = grid_parameters({kColor, kWidth}),
          .returns = kNothing,
          .errors = "if the shapes do not match",
          .example =
              "figure(\"wires\") {\n    wireframe(0..3, 0..2, [0, 1, 1, 0 | 1, 2, 2, 1 | 0, 1, 1, 0])\n}",
          .run = [](Call& c) { return grid_layer(c, Layer::Kind::wireframe); },
      },
  };
}

}  // namespace quill
