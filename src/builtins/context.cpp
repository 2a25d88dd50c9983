#include "builtins/context.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/error.h"

namespace quill {

namespace {

// A title outside of panels belongs to the figure if its panels are placed by fractions.
void take_title_of_bare_panel(Figure& figure) {
  auto& panels = figure.panels;
  const auto bare = std::find_if(panels.begin(), panels.end(), [](const Panel& p) {
    return !p.place && p.layers.empty() && p.notes.empty() && p.labels.empty() && p.guides.empty();
  });
  const bool has_placed = std::any_of(panels.begin(), panels.end(), [](const Panel& p) { return p.place; });
  if (!has_placed || bare == panels.end() || figure.rows * figure.columns != 1) return;
  if (figure.title.empty()) figure.title = bare->title;
  panels.erase(bare);
}

}  // namespace

void Drawing::open_figure(Figure figure, bool extends) {
  if (figure_)
    fail("a figure cannot be opened inside another one", "panel(row, column) { … } divides a figure");
  figure_ = std::move(figure);
  in_panel_ = false;
  extends_ = extends;
}

Figure& Drawing::figure() {
  if (!figure_) fail("no figure is open here");
  return *figure_;
}

void Drawing::open_panel(Panel panel) {
  if (!figure_) fail("a panel must be inside a figure", "figure(\"name\", rows: 2) { panel(1, 1) { … } }");
  if (in_panel_) fail("a panel cannot be opened inside another one");
  auto& panels = figure_->panels;
  if (!panel.place) check_cells(panel);
  for (std::size_t k = 0; k < panels.size(); ++k) {
    const auto& other = panels[k];
    const bool same = panel.place ? other.place == panel.place
                                  : !other.place && other.row == panel.row && other.column == panel.column;
    if (extends_ && same) {
      open_panel_ = k;
      in_panel_ = true;
      return;
    }
    // Panels placed by fractions are checked once all labels are known.
    if (panel.place || other.place) continue;
    const bool apart = panel.row >= other.row + other.rows || other.row >= panel.row + panel.rows ||
                       panel.column >= other.column + other.columns ||
                       other.column >= panel.column + panel.columns;
    if (!apart)
      fail(fmt::format("panel({}, {}) overlaps panel({}, {})", panel.row, panel.column, other.row,
                       other.column));
  }
  open_panel_ = panels.size();
  inherit(panel);
  panels.push_back(std::move(panel));
  in_panel_ = true;
}

void Drawing::check_cells(const Panel& panel) const {
  const auto& f = *figure_;
  if (panel.row < 1 || panel.column < 1 || panel.rows < 1 || panel.columns < 1 ||
      panel.row + panel.rows - 1 > f.rows || panel.column + panel.columns - 1 > f.columns)
    fail(fmt::format("panel({}, {}) is outside the {}×{} panels of this figure", panel.row, panel.column,
                     f.rows, f.columns),
         fmt::format("figure(\"{}\", rows: {}, columns: {})", f.name,
                     std::max(f.rows, panel.row + panel.rows - 1),
                     std::max(f.columns, panel.column + panel.columns - 1)));
}

std::optional<Figure> Drawing::close_block() {
  if (in_panel_) {
    in_panel_ = false;
    return std::nullopt;
  }
  if (figure_ && !figure_->is_animated) take_title_of_bare_panel(*figure_);
  auto out = std::move(figure_);
  figure_.reset();
  if (out && out->is_animated && out->frames.empty())
    fail(fmt::format("the figure \"{}\" has no frames: the vector of frame values is empty", out->name));
  return out;
}

void Drawing::close_frame(std::string label) {
  auto& f = figure();
  take_title_of_bare_panel(f);
  constexpr std::size_t most = 1000;
  if (f.frames.size() >= most) fail(fmt::format("an animated figure can have at most {} frames", most));
  f.frames.push_back({std::move(label), std::move(f.panels), std::move(f.title), std::move(f.subtitle)});
  f.panels.clear();
  f.title.clear();
  f.subtitle.clear();
}

void Drawing::inherit(Panel& panel) const {
  if (figure_->frames.empty()) return;
  for (const auto& other : figure_->frames.back().panels) {
    if (other.row != panel.row || other.column != panel.column || other.place != panel.place) continue;
    for (const auto axis : {&Panel::x, &Panel::y}) {
      const auto& from = other.*axis;
      if (!from.ticks_are_names) continue;
      auto& to = panel.*axis;
      to.names = from.names;
      to.ticks = from.ticks;
      to.tick_labels = from.tick_labels;
      to.ticks_are_names = true;
    }
  }
}

void Drawing::abandon() {
  figure_.reset();
  in_panel_ = false;
}

Panel& Drawing::panel(std::string_view what) {
  if (!figure_)
    fail(fmt::format("`{}` draws into a figure, and no figure is open here", what),
         fmt::format("figure(\"name\") {{ {}(…) }}", what));
  auto& f = *figure_;
  if (in_panel_) return f.panels[open_panel_];
  if (f.rows * f.columns > 1)
    fail(fmt::format("`{}` must be inside a panel: this figure has {}×{} of them", what, f.rows, f.columns),
         fmt::format("panel(1, 1) {{ {}(…) }}", what));
  for (auto& panel : f.panels)
    if (!panel.place) return panel;
  f.panels.insert(f.panels.begin(), Panel{});
  inherit(f.panels[0]);
  return f.panels[0];
}

void Context::close_drawing() {
  auto figure = drawing.close_block();
  if (!figure) return;
  write_figure(*figure);
  auto& kept = state.figures[figure->name];
  kept = std::make_shared<const Figure>(std::move(*figure));
}

}  // namespace quill
