// Drawing: they fill the figure whose block is open.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/number.h"
#include "base/text.h"
#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/context.h"
#include "builtins/figures/drawing.h"
#include "builtins/tables.h"

namespace quill {

namespace figures_calls {
namespace {

// A figure's name becomes a file name.
std::string figure_name(const Call& call) {
  const auto name = call.text(0);
  if (trim(name).empty()) call.fail_argument(0, "must be a file name without extension, and is empty");
  if (name.find_first_of("/\\:*?\"<>|\n") != std::string::npos)
    call.fail_argument(
        0, fmt::format("must be a file name, and \"{}\" contains characters that are not allowed in one",
                       printable(name)));
  return name;
}

std::string theme_argument(const Call& call, std::size_t i) {
  const auto name = call.text(i);
  if (!find_theme(name))
    call.fail_argument(i, fmt::format("must be the name of a theme, not \"{}\"", printable(name)),
                       fmt::format("there are {}", list_in_prose(theme_names())));
  return name;
}

// Sizes and formats, at these positions of the call.
void set_sizes(const Call& call, Figure& f, std::size_t width) {
  f.width = positive(call, width, f.width, 2000);
  f.height = positive(call, width + 1, f.height, 2000);
  f.dpi = positive(call, width + 2, f.dpi, 2400);
  if (!call.given(width + 3)) return;
  f.formats = texts_argument(call, width + 3);
  if (f.formats.empty()) call.fail_argument(width + 3, "must contain at least one format");
  const bool is_animated = call.row.name == "figure" && call.given(12);
  const auto known = is_animated ? animated_formats() : figure_formats();
  for (const auto& format : f.formats)
    if (std::find(known.begin(), known.end(), format) == known.end()) {
      std::vector<std::string> quoted;
      for (const auto& name : known) quoted.push_back(fmt::format("\"{}\"", name));
      call.fail_argument(width + 3, fmt::format("{}must be formats from {}, not \"{}\"",
                                                is_animated ? "of an animated figure " : "",
                                                list_in_prose(quoted, "or"), printable(format)));
    }
}

// Width, height and text size by purpose. The height follows a given width.
void set_size(const Call& call, std::size_t i, Figure& f) {
  const auto& size = *find_figure_size(call.one_of(i));
  f.width = size.width;
  f.height = size.height;
  // The theme of slides has their texts already.
  const auto* theme = find_theme(f.theme);
  f.text_scale = std::max(1.0, size.text_scale * find_theme("quill")->tick_size / theme->tick_size);
  if (call.given(1) && !call.given(2)) f.height *= positive(call, 1, f.width, 2000) / f.width;
}

// A count of rows or columns, or the fractions of the figure that they take.
int set_cells(const Call& call, std::size_t i, std::vector<double>& shares) {
  constexpr int most = 40;
  if (!call.given(i) || single_real(call.value(i))) return count_argument(call, i, 1, most);
  shares = call.vector(i).to_vector<double>();
  if (shares.empty() || shares.size() > most)
    call.fail_argument(i, fmt::format("must have 1 to {} fractions, not {}", most, shares.size()));
  for (const double share : shares)
    if (!(share > 0 && std::isfinite(share)))
      call.fail_argument(i, fmt::format("must have fractions above 0, not {}", shortest(share)),
                         fmt::format("{}: [2, 1]", call.row.parameters[i].name));
  return static_cast<int>(shares.size());
}

// The values themselves are those of a loop, which the parser makes of the block.
void set_frames(const Call& call, std::size_t i, Figure& f) {
  if (!call.value(i).is(Kind::boolean))
    call.fail_argument(i, "must be given by name", "figure(\"name\", frames: 1..10) { … frame … }");
  f.is_animated = true;
  f.frame_rate = positive(call, i + 1, f.frame_rate, 60);
  // Formats of the theme may not support animation.
  std::erase_if(f.formats, [](const std::string& format) { return format == "svg" || format == "pdf"; });
  if (f.formats.empty()) f.formats = {"png"};
}

Value figure_row(Call& call) {
  auto& c = call.context;
  Figure f = *c.state.settings.figure_defaults;
  f.name = figure_name(call);
  if (c.state.figure_names.contains(f.name))
    call.warn(fmt::format("the figure \"{}\" was drawn before in this run: its files are replaced", f.name),
              "give every figure of a run its own name to keep all of them");
  if (call.given(5)) f.theme = theme_argument(call, 5);
  if (call.given(11)) set_size(call, 11, f);
  set_sizes(call, f, 1);
  f.rows = set_cells(call, 6, f.row_shares);
  f.columns = set_cells(call, 7, f.column_shares);
  f.link_x = *parse_link(call.one_of(8));
  f.link_y = *parse_link(call.one_of(9));
  f.page_budget = positive(call, 10, f.page_budget, 1000);
  if (call.given(12)) set_frames(call, 12, f);
  c.drawing.open_figure(std::move(f));
  return Value::none();
}

// The fractions of the figure that a panel takes.
Fractions fractions_of(const Call& call) {
  double share[4] = {0, 0, 1, 1};
  for (std::size_t k = 0; k < 4; ++k) {
    const auto i = 4 + k;
    if (!call.given(i))
      call.fail_argument(i, "is missing: a panel placed by fractions needs all four",
                         "panel(x: 0.6, y: 0.5, width: 0.4, height: 0.5)");
    share[k] = call.number(i);
    if (!(share[k] >= 0 && share[k] <= 1) || (k >= 2 && share[k] == 0))
      call.fail_argument(
          i, fmt::format("must be a fraction of the figure from 0 to 1, not {}", shortest(share[k])));
  }
  constexpr double slack = 1e-9;
  for (std::size_t k = 0; k < 2; ++k)
    if (share[k] + share[k + 2] > 1 + slack)
      call.fail_argument(4 + k, fmt::format("and `{}` extend to {}, beyond the figure",
                                            k == 0 ? "width" : "height", shortest(share[k] + share[k + 2])));
  return {share[0], share[1], share[2], share[3]};
}

Value panel_row(Call& call) {
  Panel p;
  const bool has_shares = call.given(4) || call.given(5) || call.given(6) || call.given(7);
  if (has_shares) {
    if (call.given(0) || call.given(1) || call.given(2) || call.given(3))
      call.fail_argument(0,
                         "and `column` place a panel in the grid, `x`, `y`, `width` and `height` by "
                         "fractions of the figure; use one of them");
    p.place = fractions_of(call);
  } else {
    if (!call.given(0) || !call.given(1))
      call.fail_argument(call.given(0) ? 1 : 0, "is missing",
                         "panel(1, 2), or panel(x: 0.6, y: 0.5, width: 0.4, height: 0.5)");
    p.row = count_argument(call, 0, 1, 40);
    p.column = count_argument(call, 1, 1, 40);
    p.rows = count_argument(call, 2, 1, 40);
    p.columns = count_argument(call, 3, 1, 40);
  }
  call.context.drawing.open_panel(std::move(p));
  return Value::none();
}

Value title_row(Call& call) {
  auto& drawing = call.context.drawing;
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

Value description_row(Call& call) {
  auto text = call.text(0);
  if (trim(text).empty()) call.fail_argument(0, "must not be empty");
  call.context.drawing.figure().description = std::move(text);
  return Value::none();
}

Value subtitle_row(Call& call) {
  call.context.drawing.figure().subtitle = call.text(0);
  return Value::none();
}

Value theme_row(Call& call) {
  auto& defaults = call.context.state.settings.figure_defaults;
  auto changed = *defaults;
  changed.theme = theme_argument(call, 0);
  set_sizes(call, changed, 1);
  changed.page_budget = positive(call, 5, changed.page_budget, 1000);
  defaults = std::make_shared<const Figure>(std::move(changed));
  return Value::none();
}

Value extend_row(Call& call) {
  auto& c = call.context;
  const auto name = call.text(0);
  const auto found = c.state.figures.find(name);
  if (found == c.state.figures.end()) {
    std::vector<std::string> known;
    for (const auto& [drawn, figure] : c.state.figures) known.push_back(drawn);
    const auto near = nearest_name(name, known);
    call.fail_argument(0, fmt::format("must be the name of a figure of this run, not \"{}\"", name),
                       !near.empty()   ? fmt::format("did you mean \"{}\"?", near)
                       : known.empty() ? "figure(\"name\") { … } draws one"
                                       : fmt::format("there are {}", list_in_prose(known)));
  }
  if (found->second->is_animated) call.fail_argument(0, "names an animated figure, which cannot be extended");
  c.drawing.open_figure(*found->second, true);
  return Value::none();
}

}  // namespace
}  // namespace figures_calls

std::vector<Builtin> figure_rows() {
  using namespace figures_calls;
  constexpr std::string_view family = "figures";
  return {
      {
          .name = "figure",
          .family = family,
          .summary = "Open a figure; it is drawn and written when its block ends.",
          .parameters =
              {{"name", "file name without extension", ""},
               {"width", "width in millimetres", "160, or as set by theme"},
               {"height", "height in millimetres", "100, or as set by theme"},
               advanced({"dpi", "resolution of PNG files, in dots per inch", "200, or as set by theme"}),
               {"formats", "\"png\", \"svg\", \"pdf\", \"html\" (interactive page), or a vector of them",
                "\"png\", or as set by theme"},
               named(advanced({"theme", "\"quill\", \"field\", \"night\", \"print\" or \"slides\"",
                               "as set by theme"}),
                     [](std::string_view t) { return find_theme(t) != nullptr; }),
               {"rows", "number of rows of panels, or a vector of relative heights", "1"},
               {"columns", "number of columns of panels, or a vector of relative widths", "1"},
               one_of(advanced({"link_x", "share the x limits of panels in \"rows\", \"columns\" or \"all\"",
                                "\"\""}),
                      choices::kLinks),
               one_of(advanced({"link_y", "share the y limits of panels in \"rows\", \"columns\" or \"all\"",
                                "\"\""}),
                      choices::kLinks),
               advanced({"page_budget",
                         "maximum size of the data of an interactive page, in megabytes; larger data are "
                         "reduced, with a note",
                         "5, or as set by theme"}),
               one_of(
                   advanced(
                       {"size",
                        "intended use: \"column\" (85×60 mm), \"page\" (170×105), \"slide\" (254×143) or "
                        "\"poster\" (420×270), with matching text sizes; width and height may be set as well",
                        "none"}),
                   choices::kFigureSizes),
               {"frames",
                "vector of values: the block runs once for each value of `frame`, and the figure is "
                "animated; formats \"png\", \"html\" or \"mp4\"",
                "none"},
               advanced({"frame_rate", "frames per second of an animated figure", "8"})},
          .returns = "nothing; the paths of the files are printed",
          .errors = "if there is no room for the panels",
          .example = "figure(\"sine\") {\n    x = 0..2*pi count 200\n    line(x, sin(x))\n}",
          .run = figure_row,
      },
      {
          .name = "panel",
          .family = family,
          .summary = "Open one panel of a figure with several; it may span cells, or be placed by fractions "
                     "of the figure, also inside another panel.",
          .parameters = {{"row", "row, 1 at the top", "none"},
                         {"column", "column, 1 at the left", "none"},
                         {"rows", "number of rows spanned", "1"},
                         {"columns", "number of columns spanned", "1"},
                         advanced({"x", "left edge, as a fraction of the width of the figure", "none"}),
                         advanced({"y", "lower edge, as a fraction of the height of the figure", "none"}),
                         advanced({"width", "width including labels, as a fraction", "none"}),
                         advanced({"height", "height including labels and title, as a fraction", "none"})},
          .returns = "nothing",
          .errors = "if the panel is outside the figure; if it overlaps another panel or its labels",
          .example = "figure(\"two\", columns: 2) {\n    panel(1, 1) { line([1, 4, 9]) }\n    panel(1, 2) { "
                     "scatter([9, 4, "
                     "1]) }\n}",
          .run = panel_row,
      },
      {
          .name = "extend",
          .family = family,
          .summary = "Add layers to a figure that was drawn before in this run.",
          .parameters = {{"name", "name of a figure of this run", ""}},
          .returns = "nothing; the paths of the files are printed",
          .errors = "if no figure of this run has that name",
          .example = "figure(\"levels\") { line([1, 3, 2]) }\nextend(\"levels\") { line([2, 2, 3]) }",
          .run = extend_row,
      },
      {
          .name = "theme",
          .family = family,
          .summary = "Set the theme and default sizes of the figures that follow.",
          .parameters =
              {named({"name", "\"quill\", \"field\" (for sunlight), \"night\", \"print\" or \"slides\"", ""},
                     [](std::string_view t) { return find_theme(t) != nullptr; }),
               {"width", "width in millimetres", "160"},
               {"height", "height in millimetres", "100"},
               {"dpi", "resolution of PNG files, in dots per inch", "200"},
               {"formats", "\"png\", \"svg\", \"pdf\", \"html\", or a vector of them", "\"png\""},
               {"page_budget", "maximum size of the data of an interactive page, in megabytes", "5"}},
          .returns = "nothing",
          .example = "theme(\"night\", width: 120, height: 80)\nfigure(\"dark\") {\n    line([1, 3, 2])\n}",
          .run = theme_row,
      },
      {
          .name = "title",
          .family = family,
          .summary = "Set the title of the panel, or of the figure when used outside its panels.",
          .parameters = {{"text", "text; formulas are written between dollar signs", ""}},
          .returns = "nothing",
          .example =
              "figure(\"titled\") {\n    title(\"Decay at rate $\\\\lambda$\")\n    line([4, 2, 1])\n}",
          .run = title_row,
      },
      {
          .name = "description",
          .family = family,
          .summary = "Set the alternative text of the figure, for readers who cannot see it.",
          .parameters = {{"text", "a sentence or two; without it one is made from what is drawn", ""}},
          .returns = "nothing; the files of all formats contain the text",
          .errors = "an empty text",
          .example =
              "figure(\"level\") {\n    line([3, 2, 4])\n    description(\"The level falls by a metre and "
              "then rises by two.\")\n}",
          .run = description_row,
      },
      {
          .name = "subtitle",
          .family = family,
          .summary = "Add a line of text under the title of the figure.",
          .parameters = {{"text", "text; formulas are written between dollar signs", ""}},
          .returns = "nothing",
          .example = "figure(\"two-lines\", columns: 2) {\n    title(\"Levels\")\n    subtitle(\"first week "
                     "of June\")\n   "
                     " panel(1, "
                     "1) { line([1, 3, 2]) }\n    panel(1, 2) { line([3, 1, 2]) }\n}",
          .run = subtitle_row,
      },
  };
}

}  // namespace quill
