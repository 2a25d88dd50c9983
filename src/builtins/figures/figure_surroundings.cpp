// Axes, legends, colour bars, guides and notes.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <tuple>

#include "base/text.h"
#include "base/time_text.h"
#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/context.h"
#include "builtins/figures/drawing.h"
#include "builtins/figures/layer_arguments.h"
#include "builtins/tables.h"
#include "figure/ticks.h"

namespace quill {

namespace figure_surroundings_calls {
namespace {

// Numbers, or dates, which make an axis of time.
std::vector<double> tick_positions(const Call& call, Axis& axis) {
  if (!call.value(2).is(Kind::array) || call.value(2).array().type() != ElementType::text)
    return call.vector(2).to_vector<double>();
  std::vector<double> out;
  for (const auto& text : texts_argument(call, 2)) {
    const auto date = parse_time(text);
    if (!date)
      call.fail_argument(2, fmt::format("must be numbers or dates, and \"{}\" is neither", printable(text)),
                         "ticks: [\"2026-06-01\", \"2026-06-08\"]");
    out.push_back(*date);
  }
  axis.scale = ScaleKind::time;
  return out;
}

void set_axis(Call& call, Axis& axis) {
  if (call.given(0)) axis.title = call.text(0);
  if (call.given(1)) {
    const auto& v = call.value(1);
    const auto bad = [&] {
      call.fail_argument(
          1, fmt::format("must be two numbers in parentheses, the lower one first, not {}", kind_in_words(v)),
          "limits: (0, 10)");
    };
    std::vector<double> ends;
    if (v.is(Kind::tuple))
      for (const auto& item : v.object<TupleObject>().items) {
        const auto date = item.is(Kind::text) ? parse_time(item.text()) : std::nullopt;
        const auto number = single_real(item);
        if (!number && !date) bad();
        ends.push_back(date ? *date : *number);
        if (date || is_time(item)) axis.scale = ScaleKind::time;
      }
    else if (v.is_array_like() && is_numeric(element_type_of(v)) && shape_of(v).count() == 1) {
      ends = to_array(v).converted(ElementType::float64).to_vector<double>();
      if (is_time(v)) axis.scale = ScaleKind::time;
    }
    if (ends.size() != 2) bad();
    for (const double end : ends)
      if (!std::isfinite(end))
        call.fail_argument(1, fmt::format("must be two finite numbers, not {}", shortest(end)),
                           "limits: (0, 10)");
    const bool is_time_axis = axis.scale == ScaleKind::time;
    const auto said = [&](double end) { return is_time_axis ? time_text(end) : shortest(end); };
    if (!(ends[0] < ends[1]))
      call.fail_argument(1,
                         fmt::format("must give the lower end first: {} is not {} {}", said(ends[0]),
                                     is_time_axis ? "before" : "below", said(ends[1])),
                         "reverse: true reverses the axis");
    axis.limits = Limits{ends[0], ends[1]};
  }
  if (call.given(2)) {
    std::vector<double> ticks;
    for (const double t : tick_positions(call, axis)) {
      if (!std::isfinite(t)) call.fail_argument(2, fmt::format("contains {}", shortest(t)));
      ticks.push_back(t);
    }
    if (ticks.size() > 500)
      call.fail_argument(2, fmt::format("contains {} values, and at most 500 are drawn", ticks.size()));
    axis.ticks = std::move(ticks);
    axis.ticks_are_names = false;
    axis.tick_labels.clear();
  }
  if (call.given(3)) {
    axis.tick_labels = texts_argument(call, 3);
    if (!axis.ticks)
      call.fail_argument(3, "requires `ticks`, which gives the positions of the labels",
                         "ticks: [0, pi], tick_labels: [\"0\", `$\\pi$`]");
    if (axis.tick_labels.size() != axis.ticks->size())
      call.fail_argument(3, fmt::format("must have one text for each of the {1} ticks, not {0}",
                                        axis.tick_labels.size(), axis.ticks->size()));
  }
}

// The three axes have common parameter names; the vertical one in space has fewer.
void set_axis_looks(Call& call, Axis& axis) {
  if (const auto i = location_of(call, "scale")) {
    const auto scale = call.one_of(*i);
    axis.scale = scale == "log"          ? ScaleKind::log
                 : scale == "signed_log" ? ScaleKind::signed_log
                 : scale == "time"       ? ScaleKind::time
                                         : ScaleKind::linear;
  }
  if (axis.scale == ScaleKind::log && axis.limits && !(axis.limits->low > 0))
    call.fail_argument(1,
                       fmt::format("must be above 0 on a logarithmic axis, not ({}, {})",
                                   shortest(axis.limits->low), shortest(axis.limits->high)),
                       "scale: \"signed_log\" shows 0 and negative numbers");
  if (const auto i = location_of(call, "at")) axis.at = call.number(*i);
  if (const auto i = location_of(call, "reverse")) axis.reverse = call.boolean_or(*i, axis.reverse);
  if (const auto i = location_of(call, "minor")) axis.minor = call.boolean_or(*i, axis.minor);
  if (const auto i = location_of(call, "size")) axis.size = positive(call, *i, 7.5, 100);
  if (const auto i = location_of(call, "label_box")) axis.label_box = call.boolean_or(*i, axis.label_box);
  if (const auto i = location_of(call, "format")) {
    axis.format = call.text(*i);
    if (!formatted_labels({1.5}, axis.format))
      call.fail_argument(*i, fmt::format("must be a number format, not \"{}\"", axis.format),
                         "format: \".2f\"");
  }
}

Value axis_row(Call& call, Axis Panel::*which) {
  auto& axis = call.context.drawing.panel(call.row.name).*which;
  // A call that fails changes nothing.
  auto changed = axis;
  set_axis(call, changed);
  set_axis_looks(call, changed);
  axis = std::move(changed);
  return Value::none();
}

Value frame_row(Call& call) {
  std::string wrong;
  const auto edges = parse_edges(call.text(0), &wrong);
  if (!edges)
    call.fail_argument(0, fmt::format("must name edges, not \"{}\"", wrong),
                       "frame(\"left bottom\"), frame(\"all\")");
  call.context.drawing.panel("frame").frame = *edges;
  return Value::none();
}

Value palette_row(Call& call) {
  call.context.drawing.panel("palette").palette = palette_argument(call, 0);
  return Value::none();
}

Value color_bar_row(Call& call) {
  ColorBar bar;
  if (call.given(0)) bar.title = call.text(0);
  if (call.given(1)) bar.ticks = call.vector(1).to_vector<double>();
  call.context.drawing.panel("color_bar").color_bar = std::move(bar);
  return Value::none();
}

Value camera_row(Call& call) {
  auto& panel = call.context.drawing.panel("camera");
  panel.turn = call.number_or(0, panel.turn);
  panel.tilt = call.number_or(1, panel.tilt);
  if (!(std::fabs(panel.tilt) <= 90)) call.fail_argument(1, "must be an angle from -90 to 90 degrees");
  if (!std::isfinite(panel.turn)) call.fail_argument(0, "must be an angle in degrees");
  return Value::none();
}

Value guide_row(Call& call) {
  Guide guide;
  if (call.given(0) == call.given(1))
    call.fail_argument(0, "or `y` must give the position of the guide", "guide(x: 2.1)");
  guide.is_vertical = call.given(0);
  guide.at = call.number(guide.is_vertical ? 0 : 1);
  if (call.given(2)) guide.from = call.number(2);
  if (call.given(3)) guide.to = call.number(3);
  if (call.given(4)) guide.color = css_color(call, 4);
  if (call.given(5)) guide.dash = dash_argument(call, 5);
  guide.width = positive(call, 6, guide.width, 100);
  call.context.drawing.panel("guide").guides.push_back(guide);
  return Value::none();
}

Value note_row(Call& call) {
  Note note;
  note.text = call.text(0);
  const auto at = number_pair(call.value(1));
  if (!at)
    call.fail_argument(1, fmt::format("must be a point (x, y), not {}", kind_in_words(call.value(1))),
                       "at: (2, 0.5)");
  std::tie(note.x, note.y) = *at;
  if (call.given(2)) {
    const auto offset = number_pair(call.value(2));
    if (!offset)
      call.fail_argument(2, "must be two distances in points, to the right and upwards", "offset: (10, 30)");
    std::tie(note.dx, note.dy) = *offset;
  }
  note.arrow = *parse_arrow(call.one_of(3));
  note.box = call.boolean_or(4, false);
  if (call.given(5)) note.size = positive(call, 5, 8, 100);
  call.context.drawing.panel("note").notes.push_back(std::move(note));
  return Value::none();
}

Value labels_row(Call& call) {
  auto& panel = call.context.drawing.panel("labels");
  const auto x = positions_of(call, 0, panel, &Panel::x);
  const auto y = call.vector(1).to_vector<double>();
  const auto texts = texts_argument(call, 2);
  if (x.values.size() != y.size() || x.values.size() != texts.size())
    call.fail_argument(2,
                       fmt::format("must have a text for each point: there are {} of x, {} of y and {} texts",
                                   x.values.size(), y.size(), texts.size()));
  constexpr std::size_t most = 2000;
  if (texts.size() > most)
    call.fail_argument(2, fmt::format("must have at most {} texts, not {}", most, texts.size()));
  PointLabel label;
  if (call.given(3)) label.color = css_color(call, 3);
  if (call.given(4)) label.size = positive(call, 4, 8, 100);
  for (std::size_t k = 0; k < texts.size(); ++k) {
    label.text = texts[k];
    label.x = x.values[k];
    label.y = y[k];
    if (!label.text.empty() && !std::isnan(label.x) && !std::isnan(label.y)) panel.labels.push_back(label);
  }
  return Value::none();
}

Value legend_row(Call& call) {
  auto& panel = call.context.drawing.panel("legend");
  const auto place = call.text_or(0, "best");
  const auto found = parse_legend_place(place);
  if (!found) {
    const auto places = legend_places();
    const auto near = nearest_name(place, places);
    call.fail_argument(0, fmt::format("must be a position, not \"{}\"", place),
                       near.empty() ? fmt::format("there are {}", list_in_prose(places))
                                    : fmt::format("did you mean \"{}\"?", near));
  }
  panel.legend = *found;
  return Value::none();
}

Value grid_row(Call& call) {
  call.context.drawing.panel("grid").grid = *parse_grid(call.one_of(0));
  return Value::none();
}

std::vector<Parameter> axis_parameters() {
  return {{"title", "title with unit: \"depth (m)\"; formulas are written between dollar signs",
           "from the loaded data"},
          {"limits", "(low, high); dates as texts make a time axis", "the data with a margin"},
          {"ticks", "vector of tick positions, or of dates", "automatic"},
          {"tick_labels", "vector of texts, one for each tick", "the numbers"},
          one_of({"scale",
                  "\"linear\", \"log\", \"signed_log\" (logarithmic for both signs, with 0) or \"time\" "
                  "(seconds since 1970)",
                  "\"linear\"; \"time\" for timestamps"},
                 choices::kScales),
          advanced({"at", "position on the other axis where this one crosses it", "at the edge"}),
          {"reverse", "whether to reverse the direction", "false"},
          advanced({"minor", "whether to draw minor ticks", "false; true on logarithmic axes"}),
          advanced({"size", "size of the tick labels, in points", "from the theme"}),
          advanced({"label_box", "whether to draw the tick labels on translucent boxes", "false"}),
          advanced({"format", "number format of the tick labels, as in texts: \".2f\"",
                    "as short as distinct labels allow"})};
}

}  // namespace
}  // namespace figure_surroundings_calls

std::vector<Builtin> figure_surroundings_rows() {
  using namespace figure_surroundings_calls;
  constexpr std::string_view family = "figures";
  return {
      {
          .name = "x_axis",
          .family = family,
          .summary = "Set title, limits and ticks of the horizontal axis.",
          .parameters = axis_parameters(),
          .returns = "nothing",
          .errors = "if the limits are in the wrong order",
          .example = "figure(\"angles\") {\n    x = 0..2*pi count 100\n    line(x, cos(x))\n    "
                     "x_axis(\"angle\", ticks: "
                     "[0, pi, 2*pi], tick_labels: [\"0\", `$\\pi$`, `$2\\pi$`])\n}",
          .run = [](Call& c) { return axis_row(c, &Panel::x); },
      },
      {
          .name = "y_axis",
          .family = family,
          .summary = "Set title, limits and ticks of the vertical axis.",
          .parameters = axis_parameters(),
          .returns = "nothing",
          .errors = "if the limits are in the wrong order",
          .example = "figure(\"level\") {\n    line([1, 3, 2])\n    y_axis(\"level (m)\", limits: (0, 4))\n}",
          .run = [](Call& c) { return axis_row(c, &Panel::y); },
      },
      {
          .name = "right_axis",
          .family = family,
          .summary =
              "Set title, limits and ticks of a second vertical axis, for the layers with axis: \"right\".",
          .parameters = {{"title", "title with unit", "from the loaded data"},
                         {"limits", "(low, high)", "the data of its layers with a margin"},
                         {"ticks", "vector of tick positions", "automatic"},
                         {"tick_labels", "vector of texts, one for each tick", "the numbers"},
                         one_of({"scale", "\"linear\", \"log\", \"signed_log\" or \"time\"", "\"linear\""},
                                choices::kScales),
                         {"reverse", "whether the axis runs downwards", "false"},
                         {"minor", "whether to draw minor ticks", "false; true on logarithmic axes"},
                         {"size", "size of the tick labels, in points", "from the theme"},
                         {"format", "number format of the tick labels: \".2f\"",
                          "as short as distinct labels allow"}},
          .returns = "nothing",
          .errors = "if the limits are in the wrong order",
          .example =
              "figure(\"two-scales\") {\n    t = 0..24\n    line(t, sin(t / 4), label: \"level\")\n    "
              "line(t, 300 + "
              "t^2, label: \"inflow\", axis: \"right\")\n    y_axis(\"level (m)\")\n    right_axis(\"inflow "
              "(m³/s)\")\n    legend()\n}",
          .run =
              [](Call& c) {
                c.context.drawing.panel("right_axis").has_right = true;
                return axis_row(c, &Panel::right);
              },
      },
      {
          .name = "z_axis",
          .family = family,
          .summary = "Set title, limits and ticks of the vertical axis of a panel in space.",
          .parameters = {{"title", "title with unit", "none"},
                         {"limits", "(low, high)", "the data with a margin"},
                         {"ticks", "vector of tick positions", "automatic"},
                         {"tick_labels", "vector of texts, one for each tick", "the numbers"},
                         one_of({"scale", "\"linear\", \"log\", \"signed_log\" or \"time\"", "\"linear\""},
                                choices::kScales),
                         {"reverse", "whether the axis runs downwards", "false"},
                         {"format", "number format of the tick labels: \".2f\"",
                          "as short as distinct labels allow"}},
          .returns = "nothing",
          .errors = "if the limits are in the wrong order",
          .example = "figure(\"hill\") {\n    surface(fn(x, y) = exp(-x^2 - y^2), -2..2, -2..2)\n    "
                     "z_axis(\"height "
                     "(m)\", limits: "
                     "(0, 1))\n}",
          .run = [](Call& c) { return axis_row(c, &Panel::z); },
      },
      {
          .name = "grid",
          .family = family,
          .summary = "Choose the grid lines.",
          .parameters = {one_of({"lines", "\"x\", \"y\", \"x y\" or \"none\"", "\"x y\""}, choices::kGrids)},
          .returns = "nothing",
          .example = "figure(\"squared\") {\n    line([1, 3, 2])\n    grid(\"x y\")\n}",
          .run = grid_row,
      },
      {
          .name = "frame",
          .family = family,
          .summary = "Choose the edges of the panel that are drawn.",
          .parameters = {{"edges", "words from \"left right top bottom\", \"all\" or \"none\"", ""}},
          .returns = "nothing",
          .errors = "if a word is unknown",
          .example = "figure(\"boxed\") {\n    line([1, 3, 2])\n    frame(\"all\")\n}",
          .run = frame_row,
      },
      {
          .name = "legend",
          .family = family,
          .summary = "Draw a legend of the labelled layers of the panel.",
          .parameters = {{"place",
                          "\"top left\", \"bottom right\", … , \"outside right\", or \"best\": where it "
                          "covers the least data",
                          "\"best\""}},
          .returns = "nothing",
          .example =
              "figure(\"named\") {\n    line([1, 3, 2], label: \"level\")\n    legend(\"top left\")\n}",
          .run = legend_row,
      },
      {
          .name = "labels",
          .family = family,
          .summary = "Write a text beside each point without overlaps; a leader connects texts that are "
                     "farther away.",
          .parameters = {{"x", "abscissae, a vector of numbers or of names", ""},
                         {"y", "values, a vector", ""},
                         {"texts", "a vector of texts, one for each point; \"\" for none", ""},
                         {"color", "a CSS name or \"#rrggbb\"", "that of the axes"},
                         {"size", "size of the texts, in points", "8, or that of the theme"}},
          .returns = "nothing",
          .errors = "different lengths",
          .example =
              "figure(\"stations\") {\n    x = [1, 1.1, 3]\n    y = [2, 2.1, 1]\n    scatter(x, y)\n    "
              "labels(x, y, [\"inflow\", \"harbour\", \"basin\"])\n}",
          .run = labels_row,
      },
      {
          .name = "color_bar",
          .family = family,
          .summary = "Draw a colour bar beside the panel.",
          .parameters = {{"title", "title with unit", "name of the values"},
                         {"ticks", "vector of tick positions", "automatic"}},
          .returns = "nothing",
          .example = "figure(\"scaled\") {\n    heatmap([1, 2 | 3, 4])\n    color_bar(\"depth (m)\")\n}",
          .run = color_bar_row,
      },
      {
          .name = "palette",
          .family = family,
          .summary = "Set the palette of the panel, which maps numbers to colours.",
          .parameters = {named({"name",
                                "\"lagoon\", \"kiln\", \"moss\", \"slate\"; diverging around zero \"ridge\" "
                                "and \"tide\"; cyclic \"compass\"",
                                ""},
                               [](std::string_view t) { return find_palette(t) != nullptr; })},
          .returns = "nothing",
          .example = "figure(\"warm\") {\n    palette(\"kiln\")\n    heatmap(random(4, 6))\n}",
          .run = palette_row,
      },
      {
          .name = "camera",
          .family = family,
          .summary = "Set the viewing direction of a panel in space.",
          .parameters = {{"turn", "rotation around the vertical axis, in degrees", "35"},
                         {"tilt", "elevation above the horizontal plane, in degrees", "25"}},
          .returns = "nothing",
          .errors = "if the tilt is beyond 90 degrees",
          .example = "figure(\"from-above\") {\n    surface(fn(x, y) = x * y, -1..1, -1..1)\n    "
                     "camera(turn: 20, tilt: "
                     "60)\n}",
          .run = camera_row,
      },
      {
          .name = "guide",
          .family = family,
          .summary = "Draw a horizontal or vertical line across the panel.",
          .parameters = {{"x", "x of a vertical line", "none"},
                         {"y", "y of a horizontal line", "none"},
                         {"from", "coordinate at which the line starts", "the edge"},
                         {"to", "coordinate at which the line ends", "the edge"},
                         {"color", "a CSS name or \"#rrggbb\"", "from the theme"},
                         {"dash", "\"solid\", \"dashed\", \"dotted\" or \"dash_dot\"", "\"dashed\""},
                         {"width", "width of the line, in points", "0.9"}},
          .returns = "nothing",
          .example = "figure(\"limit\") {\n    line([1, 3, 2])\n    guide(y: 2.5)\n}",
          .run = guide_row,
      },
      {
          .name = "note",
          .family = family,
          .summary = "Write a text at a point of the panel, optionally with an arrow.",
          .parameters = {{"text", "text; formulas are written between dollar signs", ""},
                         {"at", "point (x, y), in data coordinates", ""},
                         {"offset",
                          "distance of the text from the point, in points, to the right and upwards",
                          "(0, 0)"},
                         one_of({"arrow", "\"none\", \"straight\" or \"curved\"", "\"none\""},
                                choices::kArrows),
                         {"box", "whether to draw a box around the text", "false"},
                         {"size", "size of the text, in points", "from the theme"}},
          .returns = "nothing",
          .example = "figure(\"marked\") {\n    line([1, 3, 2])\n    note(\"the top\", at: (2, 3), offset: "
                     "(40, -20), "
                     "arrow: "
                     "\"curved\")\n}",
          .run = note_row,
      },
  };
}

}  // namespace quill
