// The figures of the examples and of the gallery: what must be true of each. Marks are read back from the SVG
// and compared with the data by way of the numbers at the ticks, as a reader of the figure does.
#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <optional>
#include <set>

#include "base/number.h"
#include "figure/draw.h"
#include "support/paths.h"
#include "support/program.h"
#include "support/svg.h"
#include "support/watched.h"

using namespace quill;
using namespace quill::test;

namespace {

const std::string kRoot = kSourceDir;

std::vector<std::string> scripts_in(const std::string& folder) {
  std::vector<std::string> out;
  for (const auto& entry : std::filesystem::directory_iterator(kRoot + "/" + folder))
    if (entry.path().extension() == ".eq") out.push_back(entry.path().string());
  std::sort(out.begin(), out.end());
  return out;
}

std::optional<double> number_of(std::string label) {
  if (label.starts_with("−")) label.replace(0, std::string("−").size(), "-");
  return parse_number(label);
}

// From data to the page along one axis, by two numbers that stand at ticks.
struct ReadAxis {
  double from = 0, at_from = 0, to = 0, at_to = 0;
  double operator()(double v) const { return at_from + (v - from) / (to - from) * (at_to - at_from); }
};

std::optional<ReadAxis> read_axis(const DisplayList& list, const DisplayList::PanelArea& panel, bool is_x) {
  std::vector<std::pair<double, double>> found;
  for (const auto& item : list.items) {
    const auto* text = std::get_if<DrawnText>(&item);
    if (!text || text->role != (is_x ? "x tick" : "y tick")) continue;
    const auto value = number_of(text->source);
    if (!value) continue;
    const double middle_x = text->at.x + text->line.width / 2,
                 middle_y = text->at.y - text->line.ascent * 0.37;
    const auto& a = panel.area;
    // Ticks of this panel: under it, or at its left.
    if (is_x && middle_x >= a.x - 1 && middle_x <= a.right() + 1 && text->at.y > a.bottom() &&
        text->at.y < a.bottom() + 25)
      found.emplace_back(*value, middle_x);
    if (!is_x && middle_y >= a.y - 1 && middle_y <= a.bottom() + 1 && text->at.x < a.x &&
        text->at.x > a.x - 45)
      found.emplace_back(*value, middle_y);
  }
  if (found.size() < 2) return std::nullopt;
  return ReadAxis{found.front().first, found.front().second, found.back().first, found.back().second};
}

bool has_point(const std::vector<std::vector<Point>>& pieces, Point p) {
  for (const auto& piece : pieces)
    for (const auto& q : piece)
      if (std::fabs(q.x - p.x) < 0.06 && std::fabs(q.y - p.y) < 0.06) return true;
  return false;
}

// Whether a point lies on one of the strokes.
bool on_stroke(const std::vector<std::vector<Point>>& pieces, Point p) {
  for (const auto& piece : pieces)
    for (std::size_t k = 1; k < piece.size(); ++k) {
      const auto &a = piece[k - 1], &b = piece[k];
      const double dx = b.x - a.x, dy = b.y - a.y, length = dx * dx + dy * dy;
      const double t = length > 0 ? std::clamp(((p.x - a.x) * dx + (p.y - a.y) * dy) / length, 0.0, 1.0) : 0;
      if (std::hypot(a.x + t * dx - p.x, a.y + t * dy - p.y) < 0.15) return true;
    }
  return false;
}

std::string opaque_hex(Color c) {
  c.alpha = 1;
  return hex_of(c);
}

// How many layers were compared.
int check_marks(const WatchedFigure& seen) {
  const auto svg = read_svg(seen.svg);
  CHECK(svg.width == Approx(seen.list.width).epsilon(1e-4));
  const auto& theme = *find_theme(seen.figure.theme);
  int compared = 0;
  for (std::size_t p = 0; p < seen.figure.panels.size(); ++p) {
    const auto& panel = seen.figure.panels[p];
    const auto& placed = seen.list.panels[p];
    if (panel.is_spatial() || panel.x.scale != ScaleKind::linear || panel.y.scale != ScaleKind::linear)
      continue;
    if (!panel.x.tick_labels.empty() || !panel.y.tick_labels.empty()) continue;
    const auto x = read_axis(seen.list, placed, true), y = read_axis(seen.list, placed, false);
    if (!x || !y) continue;
    const auto looks = looks_of(panel, theme);
    const auto& a = placed.area;
    const auto is_inside = [&](Point at) {
      return at.x > a.x + 1 && at.x < a.right() - 1 && at.y > a.y + 1 && at.y < a.bottom() - 1;
    };
    for (std::size_t k = 0; k < panel.layers.size(); ++k) {
      const auto& layer = panel.layers[k];
      if (layer.x_is_time || !layer.values.empty()) continue;
      const auto color = opaque_hex(looks[k].color);
      std::vector<std::vector<Point>> strokes, fills, marks;
      for (const auto& path : svg.paths) {
        if (path.stroke == color) strokes.insert(strokes.end(), path.pieces.begin(), path.pieces.end());
        if (path.fill == color) fills.insert(fills.end(), path.pieces.begin(), path.pieces.end());
      }
      for (const auto& group : svg.markers)
        if (group.fill == color || group.stroke == color) marks.push_back(group.points);
      CAPTURE(seen.figure.name, p, k, color, name_of(layer.kind));
      int missing = 0;
      if (layer.kind == Layer::Kind::boxes) {
        for (std::size_t i = 0; i < layer.left.size(); ++i)
          for (const double side : {layer.left[i], layer.right[i]}) {
            const Point corner{(*x)(side), (*y)(layer.high[i])};
            missing += is_inside(corner) && !has_point(fills, corner);
          }
      } else if (layer.kind == Layer::Kind::heatmap) {
        const Point low{(*x)(layer.x.front()), (*y)(layer.y.front())},
            high{(*x)(layer.x.back()), (*y)(layer.y.back())};
        missing += std::none_of(svg.images.begin(), svg.images.end(), [&](const SvgImage& image) {
          return std::fabs(image.at.x - std::min(low.x, high.x)) < 0.1 &&
                 std::fabs(image.at.right() - std::max(low.x, high.x)) < 0.1 &&
                 std::fabs(image.at.y - std::min(low.y, high.y)) < 0.1 &&
                 std::fabs(image.at.bottom() - std::max(low.y, high.y)) < 0.1;
        });
      } else if (layer.kind == Layer::Kind::line || layer.kind == Layer::Kind::scatter ||
                 layer.kind == Layer::Kind::stems) {
        for (std::size_t i = 0; i < layer.x.size(); i += std::max<std::size_t>(1, layer.x.size() / 50)) {
          const Point at{(*x)(layer.x[i]), (*y)(layer.y[i])};
          if (!is_inside(at)) continue;
          const bool joined = i > 0 && i + 1 < layer.y.size() && std::isfinite(layer.y[i - 1]) &&
                              std::isfinite(layer.y[i + 1]);
          if (layer.kind != Layer::Kind::line)
            missing += !has_point(marks, at);
          else if (joined)
            missing += !on_stroke(strokes, at);
        }
      } else
        continue;
      CHECK(missing == 0);
      ++compared;
    }
  }
  return compared;
}

// Texts lie inside of the page; none lies over another.
void check_texts(const WatchedFigure& seen) {
  std::vector<const DrawnText*> texts;
  for (const auto& item : seen.list.items)
    if (const auto* t = std::get_if<DrawnText>(&item)) texts.push_back(t);
  constexpr double slack = 0.3;  // rounding between advance and box
  for (std::size_t i = 0; i < texts.size(); ++i) {
    const auto box = texts[i]->box();
    CAPTURE(seen.figure.name, texts[i]->source, texts[i]->role);
    CHECK((box.x >= -slack && box.y >= -slack && box.right() <= seen.list.width + slack &&
           box.bottom() <= seen.list.height + slack));
    const Rect smaller{box.x + slack, box.y + slack, box.width - 2 * slack, box.height - 2 * slack};
    for (std::size_t k = i + 1; k < texts.size(); ++k) {
      CAPTURE(texts[k]->source, texts[k]->role);
      CHECK_FALSE(smaller.overlaps(texts[k]->box()));
    }
  }
}

// The colour beside a name in the legend is the layer's.
int check_legends(const WatchedFigure& seen) {
  const auto svg = read_svg(seen.svg);
  const auto& theme = *find_theme(seen.figure.theme);
  int compared = 0;
  for (const auto& panel : seen.figure.panels) {
    if (!panel.legend || *panel.legend == LegendPlace::ends) continue;
    const auto looks = looks_of(panel, theme);
    for (std::size_t k = 0; k < panel.layers.size(); ++k) {
      const auto& layer = panel.layers[k];
      if (layer.label.empty() || layer.label.find('$') != std::string::npos ||
          layer.kind != Layer::Kind::line)
        continue;
      const auto text = std::find_if(svg.texts.begin(), svg.texts.end(),
                                     [&](const SvgText& t) { return t.text == layer.label; });
      CAPTURE(seen.figure.name, layer.label);
      REQUIRE(text != svg.texts.end());
      bool found = false;
      for (const auto& path : svg.paths)
        for (const auto& piece : path.pieces)
          if (piece.size() == 2 && piece[0].y == piece[1].y && std::fabs(piece[0].y - text->y) < 8 &&
              piece[1].x < text->x && text->x - piece[1].x < 12)
            found = found || path.stroke == opaque_hex(looks[k].color);
      CHECK(found);
      ++compared;
    }
  }
  return compared;
}

void check_links(const WatchedFigure& seen) {
  const auto& f = seen.figure;
  for (std::size_t j = 0; j < f.panels.size(); ++j)
    for (std::size_t k = j + 1; k < f.panels.size(); ++k) {
      const auto &a = f.panels[j], &b = f.panels[k];
      CAPTURE(f.name, j, k);
      if (f.link_x == Link::all || (f.link_x == Link::columns && a.column == b.column) ||
          (f.link_x == Link::rows && a.row == b.row))
        CHECK(seen.list.panels[j].x == seen.list.panels[k].x);
      if (f.link_y == Link::all || (f.link_y == Link::columns && a.column == b.column) ||
          (f.link_y == Link::rows && a.row == b.row))
        CHECK(seen.list.panels[j].y == seen.list.panels[k].y);
    }
}

}  // namespace

TEST_CASE("figures of the examples: marks at the data, texts apart, legends true, limits linked") {
  int figures = 0, marks = 0, legends = 0;
  for (const auto& script : scripts_in("examples"))
    for (const auto& seen : figures_of(script)) {
      ++figures;
      marks += check_marks(seen);
      legends += check_legends(seen);
      check_texts(seen);
      check_links(seen);
    }
  CHECK(figures >= 15);
  CHECK(marks >= 30);
  CHECK(legends >= 10);
}

TEST_CASE("figures of the gallery: marks at the data, texts apart, legends true, limits linked") {
  int figures = 0, marks = 0;
  std::set<Layer::Kind> kinds;
  for (const auto& script : scripts_in("docs/gallery"))
    for (const auto& seen : figures_of(script)) {
      ++figures;
      marks += check_marks(seen);
      check_legends(seen);
      check_texts(seen);
      check_links(seen);
      for (const auto& panel : seen.figure.panels)
        for (const auto& layer : panel.layers) kinds.insert(layer.kind);
      CHECK(std::filesystem::exists(kRoot + "/docs/gallery/pictures/" + seen.figure.name + ".png"));
    }
  CHECK(figures >= 30);
  CHECK(marks >= 20);
  // Every kind of layer is shown.
  CHECK(kinds.size() == 12);
}

TEST_CASE("the page of the gallery has every script and every picture") {
  const auto page = read_text(kRoot + "/docs/gallery/README.md");
  for (const auto& script : scripts_in("docs/gallery")) {
    auto text = read_text(script);
    text = text.substr(text.find('\n') + 1);
    CAPTURE(script);
    CHECK(page.find(text) != std::string::npos);
  }
  for (const auto& entry : std::filesystem::directory_iterator(kRoot + "/docs/gallery/pictures"))
    CHECK(page.find("pictures/" + entry.path().filename().string()) != std::string::npos);
}
