// Drawing: they fill the figure whose block is open.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "builtins/context.h"
#include "builtins/tables.h"

namespace quill {

namespace {

double positive(const Call& call, std::size_t i, double fallback, double most) {
  if (!call.given(i)) return fallback;
  const double x = call.number(i);
  if (!(x > 0 && x <= most))
    call.fail_argument(i,
                       fmt::format("is a number above 0 and up to {}, not {}", shortest(most), shortest(x)));
  return x;
}

int count_argument(const Call& call, std::size_t i, int fallback, int most) {
  if (!call.given(i)) return fallback;
  const auto n = call.whole(i);
  if (n < 1 || n > most)
    call.fail_argument(i, fmt::format("is a whole number from 1 to {}, not {}", most, n));
  return static_cast<int>(n);
}

std::vector<std::string> texts_argument(const Call& call, std::size_t i) {
  if (call.value(i).is(Kind::text)) return {call.text(i)};
  const auto a = call.array(i);
  if (a.type() != ElementType::text || a.axes() != 1)
    call.fail_argument(i, fmt::format("is a vector of texts, not {}", kind_in_words(call.value(i))));
  return a.to_vector<std::string>();
}

// A figure's name becomes a file name.
std::string figure_name(const Call& call) {
  const auto name = call.text(0);
  if (trim(name).empty()) call.fail_argument(0, "is the name of a file without its ending, and it is empty");
  if (name.find_first_of("/\\:*?\"<>|\n") != std::string::npos)
    call.fail_argument(
        0, fmt::format("is the name of a file, and \"{}\" has characters that cannot stand in one",
                       printable(name)));
  return name;
}

Value figure_row(Call& call) {
  auto& c = context(call);
  Figure f;
  f.name = figure_name(call);
  if (c.figure_names.contains(f.name))
    call.fail_argument(0, fmt::format("names a figure, and \"{}\" has been drawn already", f.name),
                       "every figure of a run has a name of its own");
  f.width = positive(call, 1, f.width, 2000);
  f.height = positive(call, 2, f.height, 2000);
  f.dpi = positive(call, 3, f.dpi, 2400);
  if (call.given(4)) {
    f.formats = texts_argument(call, 4);
    for (const auto& format : f.formats)
      if (format != "png" && format != "svg" && format != "pdf")
        call.fail_argument(
            4, format == "html"
                   ? "\"html\" is not built yet"
                   : fmt::format("lists \"png\", \"svg\" or \"pdf\", and \"{}\" is none of them", format));
    if (f.formats.empty()) call.fail_argument(4, "lists no format");
  }
  if (call.given(5)) {
    f.theme = call.text(5);
    if (!find_theme(f.theme))
      call.fail_argument(5, fmt::format("is a theme, and \"{}\" is not built", f.theme),
                         fmt::format("there is {}", list_in_prose(theme_names())));
  }
  f.rows = count_argument(call, 6, 1, 40);
  f.columns = count_argument(call, 7, 1, 40);
  f.link_x = call.choice(8, {"rows", "columns", "all", ""}, "");
  f.link_y = call.choice(9, {"rows", "columns", "all", ""}, "");
  c.drawing.open_figure(std::move(f));
  return Value::none();
}

Value panel_row(Call& call) {
  Panel p;
  p.row = count_argument(call, 0, 1, 40);
  p.column = count_argument(call, 1, 1, 40);
  p.rows = count_argument(call, 2, 1, 40);
  p.columns = count_argument(call, 3, 1, 40);
  context(call).drawing.open_panel(std::move(p));
  return Value::none();
}

std::string titled(const LabelPtr& label) {
  if (!label || label->name.empty()) return {};
  return label->unit.empty() ? label->name : fmt::format("{} ({})", label->name, label->unit);
}

// The looks that line and scatter share; their parameters stand at these places.
enum LineArgument : std::size_t { kX, kY, kLabel, kColor, kWidth, kDash, kMarker, kSize, kOpacity, kLayer };

void set_color(const Call& call, Layer& layer) {
  if (!call.given(kColor)) return;
  if (call.value(kColor).is_number()) {
    const auto n = call.whole(kColor);
    if (n < 1 || n > 8)
      call.fail_argument(kColor, fmt::format("is a number of the colour cycle from 1 to 8, not {}", n));
    layer.cycle = static_cast<int>(n);
    return;
  }
  const auto name = call.text(kColor);
  layer.color = parse_color(name);
  if (layer.color) return;
  const auto near = nearest_name(name, color_names());
  call.fail_argument(
      kColor,
      fmt::format("is a CSS colour name, \"#rrggbb\" or a number of the cycle, and \"{}\" is none of them",
                  printable(name)),
      near.empty() ? "" : fmt::format("did you mean \"{}\"?", near));
}

void set_looks(const Call& call, Layer& layer) {
  set_color(call, layer);
  layer.width = positive(call, kWidth, layer.width, 100);
  if (call.given(kDash)) {
    const auto dash = parse_dash(call.text(kDash));
    if (!dash)
      call.fail_argument(kDash, fmt::format("is one of {}, not \"{}\"", list_in_prose(dash_names(), "or"),
                                            call.text(kDash)));
    layer.dash = *dash;
  }
  if (call.given(kMarker)) {
    const auto marker = parse_marker(call.text(kMarker));
    if (!marker)
      call.fail_argument(kMarker, fmt::format("is one of {}, not \"{}\"", list_in_prose(marker_names(), "or"),
                                              call.text(kMarker)));
    layer.marker = *marker;
  }
  layer.size = positive(call, kSize, layer.size, 200);
  if (call.given(kOpacity)) {
    layer.opacity = call.number(kOpacity);
    if (!(layer.opacity >= 0 && layer.opacity <= 1))
      call.fail_argument(kOpacity, fmt::format("is a number from 0 to 1, not {}", shortest(layer.opacity)));
  }
  if (call.given(kLayer)) layer.order = call.number(kLayer);
}

// One layer for a vector, one for each column of a matrix.
Value add_layers(Call& call, Layer::Kind kind) {
  auto& panel = context(call).drawing.panel(call.row.name);
  if (call.value(kX).is_callable())
    fail(fmt::format("{}: drawing a function without sampling it is not built yet", call.row.name),
         fmt::format("x = 0..2*pi count 400, then {}(x, f(x))", call.row.name));
  const bool has_x = call.given(kY);
  const auto ys = call.reals(has_x ? kY : kX);
  Array xs;
  if (has_x) xs = call.reals(kX);
  if (ys.axes() != 1 && ys.axes() != 2)
    call.fail_argument(has_x ? kY : kX,
                       fmt::format("is a vector, or a matrix with one line for each column, not {}",
                                   ys.axes() == 0 ? "a single number" : text_of(ys.shape())));
  if (has_x && (xs.axes() != 1 || xs.size() != ys.extent(0))) {
    if (xs.axes() == 0 && ys.axes() == 1 && ys.size() == 1)
      xs = xs.with_shape({1});
    else
      call.fail_argument(
          kX,
          fmt::format("has shape {} and `y` has shape {}: there is one y for each x", text_of(xs.shape()),
                      text_of(ys.shape())),
          ys.axes() == 2 && xs.axes() == 1 && xs.size() == ys.extent(1) ? "y' turns the matrix" : "");
  }
  Layer layer;
  layer.kind = kind;
  set_looks(call, layer);
  layer.x_name = has_x ? titled(xs.label) : "";
  layer.y_name = titled(ys.label);
  if (has_x)
    layer.x = xs.to_vector<double>();
  else
    for (Index k = 1; k <= ys.extent(0); ++k) layer.x.push_back(static_cast<double>(k));
  const auto curves = ys.axes() == 2 ? ys.extent(1) : 1;
  if (curves > 1000)
    call.fail_argument(kY, fmt::format("has {} columns, and at most 1000 lines are drawn", curves));
  std::vector<std::string> labels;
  if (call.given(kLabel)) {
    labels = texts_argument(call, kLabel);
    if (labels.size() != 1 && static_cast<Index>(labels.size()) != curves)
      call.fail_argument(kLabel, fmt::format("holds {} texts for {} lines", labels.size(), curves));
  }
  const auto values = ys.to_vector<double>();
  for (Index k = 0; k < curves; ++k) {
    Layer one = layer;
    for (std::size_t i = static_cast<std::size_t>(k); i < values.size();
         i += static_cast<std::size_t>(curves))
      one.y.push_back(values[i]);
    if (!labels.empty())
      one.label = labels.size() == 1 ? (k == 0 ? labels[0] : "") : labels[static_cast<std::size_t>(k)];
    panel.layers.push_back(std::move(one));
  }
  return Value::none();
}

Value title_row(Call& call) {
  auto& drawing = context(call).drawing;
  const auto text = call.text(0);
  auto& f = drawing.figure();
  // With several panels a title outside of them is the figure's.
  if (f.rows * f.columns > 1) {
    try {
      drawing.panel("title").title = text;
    } catch (const Error&) { f.title = text; }
  } else
    drawing.panel("title").title = text;
  return Value::none();
}

void set_axis(Call& call, Axis& axis) {
  if (call.given(0)) axis.title = call.text(0);
  if (call.given(1)) {
    const auto& v = call.value(1);
    const auto bad = [&] {
      call.fail_argument(
          1, fmt::format("is two numbers in parentheses, the lower one first, not {}", kind_in_words(v)),
          "limits: (0, 10)");
    };
    std::vector<double> ends;
    if (v.is(Kind::tuple))
      for (const auto& item : v.object<TupleObject>().items) {
        if (!item.is_number()) bad();
        ends.push_back(item.number());
      }
    else if (v.is_array_like() && is_numeric(element_type_of(v)) && shape_of(v).count() == 1)
      ends = to_array(v).converted(ElementType::float64).to_vector<double>();
    if (ends.size() != 2 || !std::isfinite(ends[0]) || !std::isfinite(ends[1])) bad();
    if (!(ends[0] < ends[1]))
      call.fail_argument(1, fmt::format("gives the lower end first, and {} is not below {}",
                                        shortest(ends[0]), shortest(ends[1])));
    axis.limits = Limits{ends[0], ends[1]};
  }
  if (call.given(2)) {
    const auto a = call.vector(2);
    std::vector<double> ticks;
    for (const double t : a.to_vector<double>()) {
      if (!std::isfinite(t)) call.fail_argument(2, fmt::format("holds {}", shortest(t)));
      ticks.push_back(t);
    }
    if (ticks.size() > 500)
      call.fail_argument(2, fmt::format("holds {} positions, and at most 500 are drawn", ticks.size()));
    axis.ticks = std::move(ticks);
  }
  if (call.given(3)) {
    axis.tick_labels = texts_argument(call, 3);
    if (!axis.ticks)
      call.fail_argument(3, "goes with `ticks`, which says where the labels stand",
                         "ticks: [0, pi], tick_labels: [\"0\", `$\\pi$`]");
    if (axis.tick_labels.size() != axis.ticks->size())
      call.fail_argument(
          3, fmt::format("holds {} texts for {} ticks", axis.tick_labels.size(), axis.ticks->size()));
  }
}

Value x_axis_row(Call& call) {
  set_axis(call, context(call).drawing.panel("x_axis").x);
  return Value::none();
}

Value y_axis_row(Call& call) {
  set_axis(call, context(call).drawing.panel("y_axis").y);
  return Value::none();
}

Value legend_row(Call& call) {
  auto& panel = context(call).drawing.panel("legend");
  const auto place = call.text_or(0, "best");
  const auto places = legend_places();
  if (std::find(places.begin(), places.end(), place) == places.end()) {
    const auto near = nearest_name(place, places);
    call.fail_argument(0, fmt::format("is a place, and \"{}\" is none", place),
                       near.empty() ? fmt::format("there are {}", list_in_prose(places))
                                    : fmt::format("did you mean \"{}\"?", near));
  }
  panel.legend = place;
  return Value::none();
}

Value grid_row(Call& call) {
  context(call).drawing.panel("grid").grid = call.choice(0, {"x", "y", "x y", "none"}, "x y");
  return Value::none();
}

std::vector<Parameter> layer_parameters() {
  return {
      {"x", "abscissae, a vector; alone, the values over 1, 2, …", ""},
      {"y", "values: a vector, or a matrix with one line for each column", "none"},
      {"label", "for the legend; a vector of texts for several lines", "none"},
      {"color", "a CSS name, \"#rrggbb\", or a number of the cycle", "the next of the cycle"},
      {"width", "of the line, in points", "1.5"},
      {"dash", "\"solid\", \"dashed\", \"dotted\" or \"dash_dot\"", "\"solid\""},
      {"marker", "\"disc\", \"ring\", \"square\", \"diamond\", \"triangle\", \"cross\", \"plus\" or \"none\"",
       "\"none\""},
      {"size", "of the markers, in points", "4.5"},
      {"opacity", "from 0 to 1", "1"},
      {"layer", "drawing order: smaller numbers lie below", "the order of the calls"}};
}

std::vector<Parameter> axis_parameters() {
  return {
      {"title", "with its unit: \"depth (m)\"; mathematics stands in dollar signs", "from the data's file"},
      {"limits", "(low, high)", "a little wider than the data"},
      {"ticks", "a vector of positions", "round numbers"},
      {"tick_labels", "a text for each tick", "the numbers"}};
}

}  // namespace

std::vector<Builtin> figure_rows() {
  auto scatter = layer_parameters();
  scatter[6].fallback = "\"disc\"";
  constexpr std::string_view family = "figures";
  constexpr std::string_view nothing = "nothing; the layer goes to the open panel";
  return {
      {"figure",
       family,
       "Opens a figure; when its block closes it is laid out and written.",
       {{"name", "the file's name without its ending", ""},
        {"width", "in millimetres", "160"},
        {"height", "in millimetres", "100"},
        {"dpi", "dots per inch of the PNG", "200"},
        {"formats", "\"png\", \"svg\", \"pdf\", or a vector of them", "\"png\""},
        {"theme", "the look", "\"quill\""},
        {"rows", "of panels", "1"},
        {"columns", "of panels", "1"},
        {"link_x", "panels with the same x limits: \"rows\", \"columns\" or \"all\"", "\"\""},
        {"link_y", "panels with the same y limits: \"rows\", \"columns\" or \"all\"", "\"\""}},
       "nothing; the paths of the files are told",
       "a name used twice, a page without room for its panels",
       "",
       "figure(\"sine\") {\n    x = 0..2*pi count 200\n    line(x, sin(x))\n}",
       "",
       figure_row},
      {"panel",
       family,
       "Opens one panel of a figure with several; it may span cells.",
       {{"row", "from 1 at the top", ""},
        {"column", "from 1 at the left", ""},
        {"rows", "how many rows it spans", "1"},
        {"columns", "how many columns it spans", "1"}},
       "nothing",
       "a panel outside of the figure or over another one",
       "",
       "figure(\"two\", columns: 2) {\n    panel(1, 1) { line([1, 4, 9]) }\n    panel(1, 2) { scatter([9, 4, "
       "1]) }\n}",
       "",
       panel_row},
      {"line", family, "Draws a line through points; nan breaks it.", layer_parameters(), nothing,
       "shapes that differ", "",
       "figure(\"squares\") {\n    line(0..5, (0..5)^2, label: \"$x^2$\")\n    legend()\n}", "",
       [](Call& c) { return add_layers(c, Layer::Kind::line); }},
      {"scatter", family, "Draws points as markers.", scatter, nothing, "shapes that differ", "",
       "figure(\"points\") {\n    scatter([1, 2, 3], [2, 1, 4], marker: \"ring\", size: 6)\n}", "",
       [](Call& c) { return add_layers(c, Layer::Kind::scatter); }},
      {"title",
       family,
       "The title of the panel; outside of the panels of a figure with several, of the figure.",
       {{"text", "mathematics stands in dollar signs", ""}},
       "nothing",
       "",
       "",
       "figure(\"titled\") {\n    title(\"Decay at rate $\\\\lambda$\")\n    line([4, 2, 1])\n}",
       "",
       title_row},
      {"x_axis", family, "Title, limits and ticks of the horizontal axis.", axis_parameters(), "nothing",
       "limits in the wrong order", "",
       "figure(\"angles\") {\n    x = 0..2*pi count 100\n    line(x, cos(x))\n    x_axis(\"angle\", ticks: "
       "[0, pi, 2*pi], tick_labels: [\"0\", `$\\pi$`, `$2\\pi$`])\n}",
       "", x_axis_row},
      {"y_axis", family, "Title, limits and ticks of the vertical axis.", axis_parameters(), "nothing",
       "limits in the wrong order", "",
       "figure(\"level\") {\n    line([1, 3, 2])\n    y_axis(\"level (m)\", limits: (0, 4))\n}", "",
       y_axis_row},
      {"legend",
       family,
       "Lists the labelled layers of the panel.",
       {{"place", "\"top left\" and the like, \"outside right\", or \"best\": where it covers least",
         "\"best\""}},
       "nothing",
       "",
       "",
       "figure(\"named\") {\n    line([1, 3, 2], label: \"level\")\n    legend(\"top left\")\n}",
       "",
       legend_row},
      {"grid",
       family,
       "Which grid lines are drawn.",
       {{"lines", "\"x\", \"y\", \"x y\" or \"none\"", "\"x y\""}},
       "nothing",
       "",
       "",
       "figure(\"squared\") {\n    line([1, 3, 2])\n    grid(\"x y\")\n}",
       "",
       grid_row},
  };
}

}  // namespace quill
