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
  if (trim(name).empty()) call.fail_argument(0, "is the name of a file without its ending, and it is empty");
  if (name.find_first_of("/\\:*?\"<>|\n") != std::string::npos)
    call.fail_argument(
        0, fmt::format("is the name of a file, and \"{}\" has characters that cannot stand in one",
                       printable(name)));
  return name;
}

std::string theme_argument(const Call& call, std::size_t i) {
  const auto name = call.text(i);
  if (!find_theme(name))
    call.fail_argument(i, fmt::format("is a theme, and \"{}\" is none", printable(name)),
                       fmt::format("there are {}", list_in_prose(theme_names())));
  return name;
}

// Sizes and formats, which stand at these places of the call.
void set_sizes(const Call& call, Figure& f, std::size_t width) {
  f.width = positive(call, width, f.width, 2000);
  f.height = positive(call, width + 1, f.height, 2000);
  f.dpi = positive(call, width + 2, f.dpi, 2400);
  if (!call.given(width + 3)) return;
  f.formats = texts_argument(call, width + 3);
  if (f.formats.empty()) call.fail_argument(width + 3, "lists no format");
  const bool is_animated = call.row.name == "figure" && call.given(12);
  const auto known = is_animated ? animated_formats() : figure_formats();
  for (const auto& format : f.formats)
    if (std::find(known.begin(), known.end(), format) == known.end()) {
      std::vector<std::string> quoted;
      for (const auto& name : known) quoted.push_back(fmt::format("\"{}\"", name));
      call.fail_argument(width + 3, fmt::format("{}lists {}, and \"{}\" is none of them",
                                                is_animated ? "of an animated figure " : "",
                                                list_in_prose(quoted, "or"), printable(format)));
    }
}

// Width, height and the size of texts by what the figure is for. With another width the height follows.
void set_size(const Call& call, std::size_t i, Figure& f) {
  const auto& size = *find_figure_size(call.one_of(i));
  f.width = size.width;
  f.height = size.height;
  // The theme of slides has their texts already.
  const auto* theme = find_theme(f.theme);
  f.text_scale = std::max(1.0, size.text_scale * find_theme("quill")->tick_size / theme->tick_size);
  if (call.given(1) && !call.given(2)) f.height *= positive(call, 1, f.width, 2000) / f.width;
}

// A count of rows or columns, or the shares of the figure that they take.
int set_cells(const Call& call, std::size_t i, std::vector<double>& shares) {
  constexpr int most = 40;
  if (!call.given(i) || single_real(call.value(i))) return count_argument(call, i, 1, most);
  shares = call.vector(i).to_vector<double>();
  if (shares.empty() || shares.size() > most)
    call.fail_argument(i, fmt::format("must have 1 to {} shares, not {}", most, shares.size()));
  for (const double share : shares)
    if (!(share > 0 && std::isfinite(share)))
      call.fail_argument(i, fmt::format("must have shares above 0, not {}", shortest(share)),
                         fmt::format("{}: [2, 1]", call.row.parameters[i].name));
  return static_cast<int>(shares.size());
}

// The values themselves are those of a loop, which the parser makes of the block.
void set_frames(const Call& call, std::size_t i, Figure& f) {
  if (!call.value(i).is(Kind::truth))
    call.fail_argument(i, "must be given by name", "figure(\"name\", frames: 1..10) { … frame … }");
  f.is_animated = true;
  f.frame_rate = positive(call, i + 1, f.frame_rate, 60);
  // Those of the theme may be for figures that stand still.
  std::erase_if(f.formats, [](const std::string& format) { return format == "svg" || format == "pdf"; });
  if (f.formats.empty()) f.formats = {"png"};
}

Value figure_row(Call& call) {
  auto& c = call.context;
  Figure f = *c.state.settings.figure_defaults;
  f.name = figure_name(call);
  if (c.state.figure_names.contains(f.name))
    call.warn(fmt::format("the figure \"{}\" has been drawn already: this one takes the place of its files",
                          f.name),
              "give every figure of a run a name of its own to have all of them");
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

// The shares of the figure that a panel takes.
Fractions fractions_of(const Call& call) {
  double share[4] = {0, 0, 1, 1};
  for (std::size_t k = 0; k < 4; ++k) {
    const auto i = 4 + k;
    if (!call.given(i))
      call.fail_argument(i, "is missing: a panel is placed by all four shares of the figure",
                         "panel(x: 0.6, y: 0.5, width: 0.4, height: 0.5)");
    share[k] = call.number(i);
    if (!(share[k] >= 0 && share[k] <= 1) || (k >= 2 && share[k] == 0))
      call.fail_argument(i, fmt::format("is a share of the figure from 0 to 1, not {}", shortest(share[k])));
  }
  constexpr double slack = 1e-9;
  for (std::size_t k = 0; k < 2; ++k)
    if (share[k] + share[k + 2] > 1 + slack)
      call.fail_argument(4 + k, fmt::format("and `{}` reach {}, beyond the figure",
                                            k == 0 ? "width" : "height", shortest(share[k] + share[k + 2])));
  return {share[0], share[1], share[2], share[3]};
}

Value panel_row(Call& call) {
  Panel p;
  const bool has_shares = call.given(4) || call.given(5) || call.given(6) || call.given(7);
  if (has_shares) {
    if (call.given(0) || call.given(1) || call.given(2) || call.given(3))
      call.fail_argument(
          0, "and the like place a panel in the grid, `x` and the like by shares of the figure; not both");
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
    call.fail_argument(0, fmt::format("names a figure of this run, and \"{}\" is none", name),
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
          .summary = "Opens a figure; when its block closes it is laid out and written.",
          .parameters =
              {{"name", "the file's name without its ending", ""},
               {"width", "in millimetres", "160, or that of theme"},
               {"height", "in millimetres", "100, or that of theme"},
               {"dpi", "dots per inch of the PNG", "200, or that of theme"},
               {"formats",
                "\"png\", \"svg\", \"pdf\", \"html\" (a page to zoom and read in), or a vector of them",
                "\"png\", or those of theme"},
               named({"theme", "the look", "that of theme"},
                     [](std::string_view t) { return find_theme(t) != nullptr; }),
               {"rows", "of panels; or a vector of the shares of the height that they take", "1"},
               {"columns", "of panels; or a vector of the shares of the width that they take", "1"},
               one_of({"link_x", "panels with the same x limits: \"rows\", \"columns\" or \"all\"", "\"\""},
                      choices::kLinks),
               one_of({"link_y", "panels with the same y limits: \"rows\", \"columns\" or \"all\"", "\"\""},
                      choices::kLinks),
               {"page_budget", "megabytes that the data of a page may take; more are reduced, and it says so",
                "5, or that of theme"},
               one_of({"size",
                       "what the figure is for: \"column\" (85×60 mm), \"page\" (170×105), \"slide\" "
                       "(254×143) or "
                       "\"poster\" (420×270), with texts to match; width and height may differ",
                       "none"},
                      choices::kFigureSizes),
               {"frames",
                "a vector of values: the block runs for each value of `frame`, and the figure is animated, "
                "as "
                "\"png\", \"html\" or \"mp4\"",
                "none"},
               {"frame_rate", "of an animated figure, in frames per second", "8"}},
          .returns = "nothing; the paths of the files are told",
          .errors = "a name used twice, a page without room for its panels",
          .example = "figure(\"sine\") {\n    x = 0..2*pi count 200\n    line(x, sin(x))\n}",
          .run = figure_row,
      },
      {
          .name = "panel",
          .family = family,
          .summary = "Opens one panel of a figure with several; it may span cells, or be placed by shares of "
                     "the figure, "
                     "also within "
                     "another panel.",
          .parameters = {{"row", "from 1 at the top", "none"},
                         {"column", "from 1 at the left", "none"},
                         {"rows", "how many rows it spans", "1"},
                         {"columns", "how many columns it spans", "1"},
                         {"x", "instead, its left edge as a share of the figure from 0 to 1", "none"},
                         {"y", "its lower edge, from 0 at the bottom", "none"},
                         {"width", "with its labels, as a share", "none"},
                         {"height", "with its labels and title, as a share", "none"}},
          .returns = "nothing",
          .errors = "a panel outside of the figure, over another one or its labels",
          .example = "figure(\"two\", columns: 2) {\n    panel(1, 1) { line([1, 4, 9]) }\n    panel(1, 2) { "
                     "scatter([9, 4, "
                     "1]) }\n}",
          .run = panel_row,
      },
      {
          .name = "extend",
          .family = family,
          .summary = "Opens a figure of this run again; what the block adds is drawn with it.",
          .parameters = {{"name", "of a figure that is written", ""}},
          .returns = "nothing; the paths of the files are told",
          .errors = "a name that no figure of this run has",
          .example = "figure(\"levels\") { line([1, 3, 2]) }\nextend(\"levels\") { line([2, 2, 3]) }",
          .run = extend_row,
      },
      {
          .name = "theme",
          .family = family,
          .summary = "The look of the figures that follow, and their sizes where they do not say them.",
          .parameters = {named({"name",
                                "\"quill\", \"field\" (for the sun), \"night\", \"print\" or \"slides\"", ""},
                               [](std::string_view t) { return find_theme(t) != nullptr; }),
                         {"width", "in millimetres", "160"},
                         {"height", "in millimetres", "100"},
                         {"dpi", "dots per inch of PNG", "200"},
                         {"formats", "\"png\", \"svg\", \"pdf\", \"html\", or a vector of them", "\"png\""},
                         {"page_budget", "megabytes that the data of a page may take", "5"}},
          .returns = "nothing",
          .example = "theme(\"night\", width: 120, height: 80)\nfigure(\"dark\") {\n    line([1, 3, 2])\n}",
          .run = theme_row,
      },
      {
          .name = "title",
          .family = family,
          .summary = "The title of the panel; outside of the panels of a figure with several, of the figure.",
          .parameters = {{"text", "mathematics stands in dollar signs", ""}},
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
          .summary = "A line of text under the title of the figure.",
          .parameters = {{"text", "mathematics stands in dollar signs", ""}},
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
