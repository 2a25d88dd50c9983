// Layers, scales and what stands around the data: marks where the data is, texts where there is room.
#include "laid_out.h"

#include <cmath>
#include <random>
#include <set>

#include "base/error.h"
#include "figure/contour.h"
#include "figure/curve.h"
#include "figure/layers/layer_kind.h"
#include "figure/layout.h"
#include "figure/palette.h"
#include "figure/sampling.h"
#include "figure/ticks.h"

using namespace quill;
using namespace quill::test;

namespace {

Layer of_kind(Layer::Kind kind) {
  Layer l;
  l.kind = kind;
  return l;
}

// x and y at crossings, z = f(x, y).
template <class F>
Layer grid_of(Layer::Kind kind, std::vector<double> x, std::vector<double> y, F f) {
  auto l = of_kind(kind);
  for (const double b : y)
    for (const double a : x) l.z.push_back(f(a, b));
  l.x = std::move(x);
  l.y = std::move(y);
  return l;
}

std::vector<double> spaced(double from, double to, int count) {
  std::vector<double> out;
  for (int k = 0; k < count; ++k) out.push_back(from + (to - from) * k / (count - 1));
  return out;
}

}  // namespace

TEST_CASE("bars stand on their base, which ends the axis, and cover what they count") {
  auto bars = of_kind(Layer::Kind::boxes);
  bars.left = {0.6, 1.6, 2.6};
  bars.right = {1.4, 2.4, 3.4};
  bars.low = {0, 0, 0};
  bars.high = {3, NAN, 5};
  const auto list = laid(bars);
  const auto& panel = list.panels.at(0);
  CHECK(panel.y.low == 0);
  CHECK(panel.y.high > 5);
  const auto fills = all_of<FillPath>(list);
  REQUIRE(fills.size() == 1);
  REQUIRE(fills[0]->pieces.size() == 2);  // nan has no bar
  const auto area = panel.area;
  const auto share = [&](double v) { return (v - panel.x.low) / (panel.x.high - panel.x.low); };
  const auto& last = fills[0]->pieces[1];
  CHECK(last[0].x == Approx(area.x + share(2.6) * area.width));
  CHECK(last[1].x == Approx(area.x + share(3.4) * area.width));
  CHECK(last[0].y == Approx(area.bottom()));
  CHECK(last[2].y == Approx(area.bottom() - 5 / panel.y.high * area.height));
}

TEST_CASE("what cannot be drawn is reported") {
  const auto warning_of = [](const Panel& p) {
    const auto list = laid(p);
    return list.warnings.empty() ? "" : list.warnings[0];
  };
  Panel p;
  p.layers = {of_kind(Layer::Kind::line)};
  p.layers[0].x = {1, 2};
  p.layers[0].y = {3, 4};
  CHECK(warning_of(p).empty());
  p.color_bar = ColorBar{};
  CHECK(warning_of(p).starts_with("the colour bar is omitted"));
  p.color_bar.reset();
  p.layers.push_back(p.layers[0]);
  p.layers[1].z = {5, 6};
  CHECK(warning_of(p) == "a line has no third coordinate in a panel in space, and is omitted");
  p.layers = {of_kind(Layer::Kind::contours)};
  p.layers[0].x = p.layers[0].y = {0, 1};
  p.layers[0].z = {2, 2, 2, 2};
  CHECK(warning_of(p) == "a layer of contours has nothing that can be drawn, and is omitted");
  p.layers = {of_kind(Layer::Kind::arrows)};
  p.layers[0].x = p.layers[0].y = {0, 1};
  p.layers[0].right = {NAN, 0};
  p.layers[0].high = {1, 0};
  CHECK(warning_of(p) == "a layer of arrows has nothing that can be drawn, and is omitted");
}

TEST_CASE("bands, error bars and stems reach from end to end") {
  auto band = of_kind(Layer::Kind::region);
  band.x = {0, 1, NAN, 3, 4};
  band.low = {0, 1, 1, 2, 2};
  band.high = {2, 3, 3, 5, 7};
  const auto list = laid(band);
  CHECK(all_of<FillPath>(list).at(0)->pieces.size() == 2);  // nan cuts it
  CHECK(list.panels[0].y.low < 0);
  CHECK(list.panels[0].y.high > 7);
  auto bars = of_kind(Layer::Kind::error_bars);
  bars.x = {1, 2};
  bars.y = {5, 6};
  bars.low = {4, 4.5};
  bars.high = {6, 9};
  const auto with_errors = laid(bars);
  CHECK(with_errors.panels[0].y.low < 4);
  CHECK(with_errors.panels[0].y.high > 9);
  auto stems = of_kind(Layer::Kind::stems);
  stems.x = {0, 1, 2};
  stems.y = {3, -1, 2};
  const auto stemmed = laid(stems);
  CHECK(all_of<Markers>(stemmed).at(0)->points.size() == 3);
  const auto zero = stemmed.panels[0].area.bottom() -
                    (0 - stemmed.panels[0].y.low) / (stemmed.panels[0].y.high - stemmed.panels[0].y.low) *
                        stemmed.panels[0].area.height;
  int strokes = 0;
  for (const auto* s : all_of<StrokePath>(stemmed))
    for (const auto& piece : s->pieces)
      strokes += piece.size() == 2 && std::fabs(piece[0].y - zero) < 1e-6 && piece[0].x == piece[1].x;
  CHECK(strokes == 3);
}

TEST_CASE("a heatmap fills its panel with the colours of its cells, upright") {
  auto map = of_kind(Layer::Kind::heatmap);
  map.x = {0, 1, 2, 3};
  map.y = {0, 1, 2};
  map.z = {1, 2, 3, 4, 5, NAN};
  const auto list = laid(map);
  const auto& panel = list.panels.at(0);
  CHECK(panel.x == Limits{0, 3});
  CHECK(panel.y == Limits{0, 2});
  const auto pictures = all_of<Picture>(list);
  REQUIRE(pictures.size() == 1);
  const auto& p = *pictures[0];
  CHECK((p.columns == 3 && p.rows == 2));
  CHECK(p.rect.x == Approx(panel.area.x));
  CHECK(p.rect.height == Approx(panel.area.height));
  // The first row of the data is the lowest one of the page.
  const auto* palette = find_palette("lagoon");
  CHECK(p.cells[3] == palette->at(0));
  CHECK(p.cells[1] == palette->at(1));
  CHECK(p.cells[2].alpha == 0);
  // Unequal cells are drawn one by one.
  map.x = {0, 1, 2, 10};
  const auto unequal = laid(map);
  CHECK(all_of<Quads>(unequal).at(0)->corners.size() == 5);
}

TEST_CASE("contours lie where the value is, closed ones are closed") {
  const auto v = spaced(-2, 2, 61);
  const auto circle = grid_of(Layer::Kind::contours, v, v, [](double x, double y) { return x * x + y * y; });
  const GridValues grid{circle.x, circle.y, circle.z};
  const auto lines = contour_lines(grid, 1.0);
  REQUIRE(lines.size() == 1);
  CHECK(lines[0].front().x == Approx(lines[0].back().x));
  CHECK(lines[0].front().y == Approx(lines[0].back().y));
  double length = 0, area = 0;
  for (std::size_t k = 0; k < lines[0].size(); ++k) {
    const auto& p = lines[0][k];
    CHECK(std::hypot(p.x, p.y) == Approx(1).epsilon(1e-3));
    if (k == 0) continue;
    const auto& q = lines[0][k - 1];
    length += std::hypot(p.x - q.x, p.y - q.y);
    area += (q.x * p.y - p.x * q.y) / 2;
  }
  const double pi = std::acos(-1.0);
  CHECK(length == Approx(2 * pi).epsilon(2e-3));
  CHECK(std::fabs(area) == Approx(pi).epsilon(2e-3));
  // What lies above is the rest of the square.
  double above = 0;
  for (const auto& piece : region_above(grid, 1.0))
    for (std::size_t k = 0; k < piece.size(); ++k) {
      const auto &p = piece[k], &q = piece[(k + 1) % piece.size()];
      above += (p.x * q.y - q.x * p.y) / 2;
    }
  CHECK(std::fabs(above) == Approx(16 - pi).epsilon(1e-3));
  // A line through the grid is open; nan leaves a gap; a saddle has two branches.
  const auto plane = grid_of(Layer::Kind::contours, v, v, [](double x, double y) { return x + 0 * y; });
  CHECK(contour_lines({plane.x, plane.y, plane.z}, 0.017).size() == 1);
  auto holed = plane;
  holed.z[30 * 61 + 30] = NAN;
  CHECK(contour_lines({holed.x, holed.y, holed.z}, 0.017).size() == 2);
  const auto saddle = grid_of(Layer::Kind::contours, v, v, [](double x, double y) { return x * y; });
  CHECK(contour_lines({saddle.x, saddle.y, saddle.z}, 0.11).size() == 2);
  CHECK(contour_lines(grid, 100).empty());
  check_texts(laid(circle));
}

TEST_CASE("functions are followed where they bend, and interrupted at poles") {
  const auto smooth = sample_curve([](double x) { return std::sin(1 / (0.05 + x * x)); }, -2, 2);
  // Lines between the points stay near the function.
  double worst = 0;
  for (std::size_t k = 1; k < smooth.x.size(); ++k) {
    const double x = (smooth.x[k] + smooth.x[k - 1]) / 2;
    // Across the line, in a picture of 2 by 2.
    const double slope = (smooth.y[k] - smooth.y[k - 1]) / (smooth.x[k] - smooth.x[k - 1]) * 2;
    const double off = std::fabs((smooth.y[k] + smooth.y[k - 1]) / 2 - std::sin(1 / (0.05 + x * x)));
    worst = std::max(worst, off / std::hypot(1, slope));
  }
  CHECK(worst < 0.01);
  CHECK(smooth.x.size() < 3000);
  CHECK(sample_curve([](double x) { return 2 * x; }, 0, 1).x.size() < 250);
  const auto poles = sample_curve([](double x) { return std::tan(x); }, 0, 10);
  int breaks = 0;
  for (std::size_t k = 1; k < poles.x.size(); ++k) {
    breaks += std::isnan(poles.y[k]);
    // No line leads from one side of a pole to the other.
    if (std::isfinite(poles.y[k]) && std::isfinite(poles.y[k - 1]))
      CHECK_FALSE((poles.y[k - 1] > 10 && poles.y[k] < -10));
  }
  CHECK(breaks == 3);
  REQUIRE(poles.focus);
  CHECK((poles.focus->low < -3 && poles.focus->low > -60));
  CHECK_FALSE(sample_curve([](double x) { return std::exp(x); }, 0, 10).focus);
  const auto half = sample_curve([](double x) { return std::sqrt(x); }, -1, 1);
  double first = 9;
  for (std::size_t k = 0; k < half.x.size(); ++k)
    if (std::isfinite(half.y[k])) first = std::min(first, half.x[k]);
  CHECK(std::fabs(first) < 1e-3);
}

TEST_CASE("lines of very many points keep the ends and the extremes of every column") {
  std::mt19937_64 random(8);
  std::normal_distribution<double> noise;
  auto l = of_kind(Layer::Kind::line);
  for (int k = 0; k < 200000; ++k) {
    l.x.push_back(k);
    l.y.push_back(noise(random));
  }
  l.y[77777] = 30;
  l.y[123456] = -40;
  const auto list = laid(l);
  std::size_t count = 0;
  double low = 1e9, high = -1e9;
  for (const auto* s : all_of<StrokePath>(list))
    if (s->width == 1.5)
      for (const auto& piece : s->pieces)
        for (const auto& p : piece) {
          ++count;
          low = std::min(low, p.y);
          high = std::max(high, p.y);
        }
  CHECK(count < 12000);
  const auto& panel = list.panels[0];
  const auto down = [&](double v) {
    return panel.area.bottom() - (v - panel.y.low) / (panel.y.high - panel.y.low) * panel.area.height;
  };
  CHECK(low == Approx(down(30)));
  CHECK(high == Approx(down(-40)));
}

TEST_CASE("scales go there and back, and ticks are inside of them") {
  for (const auto kind : {ScaleKind::linear, ScaleKind::log, ScaleKind::signed_log})
    for (const bool reverse : {false, true}) {
      const Scale s{{kind == ScaleKind::log ? 0.01 : -500.0, 3000}, kind, reverse};
      CHECK(s.share(s.limits.low) == Approx(reverse ? 1 : 0).margin(1e-12));
      CHECK(s.share(s.limits.high) == Approx(reverse ? 0 : 1).margin(1e-12));
      for (double share = 0; share <= 1; share += 0.1)
        CHECK(s.share(s.at(share)) == Approx(share).margin(1e-9));
    }
  CHECK(std::isnan(Scale{{1, 10}, ScaleKind::log}.share(0)));
  const auto decades = log_ticks(1e-8, 1e8, 6);
  CHECK(decades.positions.size() >= 4);
  CHECK(decades.labels[0].starts_with("$10^{"));
  const auto few = log_ticks(0.5, 60, 6);
  CHECK(few.labels.front() == "0.5");
  for (const double t : few.minor) CHECK((t > 0.49 && t < 61));
  CHECK(log_ticks(2, 3, 5).positions.size() >= 3);
  CHECK(formatted_labels({-1, 0.5}, ".2f") == std::vector<std::string>{"−1.00", "0.50"});
  CHECK_FALSE(formatted_labels({1}, "z"));
  // What has no place on a log axis does not count.
  Panel p;
  p.layers = {of_kind(Layer::Kind::line)};
  p.layers[0].x = {1, 2, 3};
  p.layers[0].y = {-5, 10, 1000};
  p.y.scale = ScaleKind::log;
  CHECK(laid(p).panels[0].y.low > 5);
}

TEST_CASE("palettes: lightness is monotonic, peaks in the middle, or comes back") {
  for (const auto& name : palette_names()) {
    const auto* palette = find_palette(name);
    CAPTURE(name);
    double before = to_oklab(palette->at(0)).lightness;
    for (int k = 1; k <= 200; ++k) {
      const double t = k / 200.0, here = to_oklab(palette->at(t)).lightness;
      if (palette->family == PaletteFamily::sequential) CHECK(here < before + 1e-4);
      if (palette->family == PaletteFamily::diverging)
        CHECK((t <= 0.5 ? here > before - 1e-4 : here < before + 1e-4));
      // Steps are even: no jump that would look like an edge in the data.
      CHECK(distance(palette->at(t), palette->at((k - 1) / 200.0)) < 0.02);
      before = here;
    }
    if (palette->family == PaletteFamily::cyclic) CHECK(distance(palette->at(0), palette->at(1)) < 0.01);
    // Without colour vision the order of a sequential palette stays.
    if (palette->family == PaletteFamily::sequential)
      for (const auto vision : {Vision::protanopia, Vision::deuteranopia, Vision::greyscale})
        CHECK(to_oklab(simulated(palette->at(0), vision)).lightness >
              to_oklab(simulated(palette->at(1), vision)).lightness + 0.6);
  }
  CHECK(find_palette("nosuch") == nullptr);
}

namespace {

// Lightness, chroma and hue at equal steps.
using Way = std::vector<std::array<double, 3>>;

// How far a palette is on the whole from a way through the colours, at equal lightness, hue and chroma alone.
double deviation(const Palette& palette, const Way& way) {
  double sum = 0;
  int count = 0;
  for (int k = 0; k <= 200; ++k) {
    const auto p = to_oklab(palette.at(k / 200.0));
    OkLab nearest;
    double least = 1;
    for (int n = 0; n <= 400; ++n) {
      const double place = n / 400.0 * static_cast<double>(way.size() - 1);
      const auto at = std::min(static_cast<std::size_t>(place), way.size() - 2);
      const double b = place - static_cast<double>(at), a = 1 - b;
      const auto& from = way[at];
      const auto& to = way[at + 1];
      const auto q =
          to_oklab(from_oklch(a * from[0] + b * to[0], a * from[1] + b * to[1], a * from[2] + b * to[2]));
      if (std::fabs(q.lightness - p.lightness) < least) {
        least = std::fabs(q.lightness - p.lightness);
        nearest = q;
      }
    }
    if (least > 0.02) continue;
    sum += std::hypot(p.a - nearest.a, p.b - nearest.b);
    ++count;
  }
  return sum / count;
}

}  // namespace

TEST_CASE("sequential palettes begin at the paper, step evenly and go their own way") {
  const Way violet_to_yellow = {{0.24, 0.11, 305}, {0.33, 0.125, 285}, {0.43, 0.115, 262}, {0.53, 0.10, 225},
                                {0.62, 0.11, 185}, {0.72, 0.15, 155},  {0.82, 0.18, 130},  {0.91, 0.19, 108}};
  const Way black_to_cream = {{0.05, 0.02, -60}, {0.22, 0.10, -30}, {0.36, 0.15, 5},  {0.48, 0.18, 22},
                              {0.60, 0.19, 38},  {0.72, 0.16, 58},  {0.84, 0.14, 80}, {0.96, 0.06, 100}};
  for (const auto& name : palette_names()) {
    const auto& palette = *find_palette(name);
    if (palette.family != PaletteFamily::sequential) continue;
    CAPTURE(name);
    CHECK(distance(palette.at(0), find_theme("quill")->paper) < 0.01);
    double least = 1, most = 0;
    for (int k = 1; k <= 100; ++k) {
      const double step = distance(palette.at(k / 100.0), palette.at((k - 1) / 100.0));
      least = std::min(least, step);
      most = std::max(most, step);
    }
    CHECK(most < 1.4 * least);
    CHECK(deviation(palette, violet_to_yellow) > 0.08);
    CHECK(deviation(palette, black_to_cream) > 0.08);
  }
}

TEST_CASE("on dark paper sequential palettes are turned round") {
  Panel panel;
  Layer layer;
  layer.kind = Layer::Kind::heatmap;
  layer.z = {0, 1};
  panel.layers = {layer};
  const auto light = color_scale(panel, *find_theme("quill")),
             dark = color_scale(panel, *find_theme("night"));
  REQUIRE((light && dark));
  CHECK(to_oklab(light->at(0)).lightness > to_oklab(light->at(1)).lightness + 0.6);
  CHECK(to_oklab(dark->at(1)).lightness > to_oklab(dark->at(0)).lightness + 0.6);
  CHECK(dark->at(0) == light->at(1));
}

TEST_CASE("every theme reports its colours from the paper and from each other") {
  for (const auto& name : theme_names()) {
    const auto* theme = find_theme(name);
    CAPTURE(name);
    const auto contrast = [&](const Color& c) {
      return std::fabs(to_oklab(c).lightness - to_oklab(theme->paper).lightness);
    };
    CHECK(contrast(theme->ink) > 0.6);
    CHECK(contrast(theme->soft) > 0.4);
    for (std::size_t i = 0; i < theme->cycle.size(); ++i) {
      CHECK(contrast(theme->cycle[i]) > 0.07);
      for (std::size_t k = 0; k < i; ++k)
        for (const auto vision : {Vision::full, Vision::protanopia, Vision::deuteranopia, Vision::greyscale})
          CHECK(distance(simulated(theme->cycle[i], vision), simulated(theme->cycle[k], vision)) > 0.02);
    }
  }
}

TEST_CASE("an image in colours shows its own, and has no bar of colours") {
  Panel p;
  auto image = of_kind(Layer::Kind::heatmap);
  image.x = {0.5, 1.5, 2.5};
  image.y = {0.5, 1.5};
  image.z = {0, 0};
  image.pixels = {{1, 0, 0, 1}, {0, 0.5, 0, 0.5}};
  p.layers = {image};
  auto list = laid(p);
  const auto pictures = all_of<Picture>(list);
  REQUIRE(pictures.size() == 1);
  CHECK(pictures[0]->cells == image.pixels);
  p.color_bar = ColorBar{"value", {}};
  list = laid(p);
  CHECK(all_of<Picture>(list).size() == 1);
  REQUIRE(list.warnings.size() == 1);
  CHECK(list.warnings[0].find("no layer of the panel is coloured by value") != std::string::npos);
}

TEST_CASE("a colour bar, end labels and notes have their room") {
  Panel p;
  p.layers = {grid_of(Layer::Kind::filled_contours, spaced(0, 6, 30), spaced(0, 4, 20),
                      [](double x, double y) { return std::sin(x) * y; })};
  p.color_bar = ColorBar{"value (m)", {}};
  const auto list = laid(p);
  check_texts(list);
  // A band in the colour of each region, from one end of the range to the other, with ticks between them.
  std::vector<const FillRect*> bands;
  std::vector<Color> regions;
  for (const auto& item : list.items) {
    if (item.owner.part == Part::color_bar)
      if (const auto* band = std::get_if<FillRect>(&item)) bands.push_back(band);
    if (item.owner.part == Part::data)
      if (const auto* region = std::get_if<FillPath>(&item)) regions.push_back(region->color);
  }
  REQUIRE(bands.size() == regions.size());
  const auto area = list.panels[0].area;
  CHECK(bands[0]->rect.bottom() == Approx(area.bottom()));
  CHECK(bands.back()->rect.y == Approx(area.y));
  for (std::size_t k = 0; k < bands.size(); ++k) {
    CHECK(bands[k]->color == regions[k]);
    CHECK(bands[k]->rect.x > area.right());
    if (k > 0) CHECK(bands[k]->rect.bottom() == Approx(bands[k - 1]->rect.y));
  }
  std::size_t ticks = 0;
  for (const auto* t : all_of<DrawnText>(list)) ticks += t->role == "color tick";
  CHECK(ticks == bands.size() - 1);
  // A field has a gradient.
  p.layers[0].kind = Layer::Kind::heatmap;
  p.layers[0].z.resize(29 * 19);
  const auto field = laid(p);
  const auto pictures = all_of<Picture>(field);
  REQUIRE(pictures.size() == 2);
  CHECK(pictures[1]->rect.x > field.panels[0].area.right());

  Panel lines;
  for (int k = 0; k < 4; ++k) {
    auto l = of_kind(Layer::Kind::line);
    l.x = {0, 1, 2};
    l.y = {0, 1, 2 + 0.01 * k};  // the ends nearly coincide
    l.label = "curve " + std::to_string(k);
    lines.layers.push_back(l);
  }
  lines.legend = LegendPlace::ends;
  check_texts(laid(lines));

  Panel noted;
  noted.layers = {lines.layers[0]};
  for (const auto arrow : {Arrow::none, Arrow::straight, Arrow::curved})
    for (const double dx : {-400.0, 30.0})
      for (const double dy : {-400.0, 30.0}) {
        Note note{"a note that is rather long and says a lot", 2, 2, dx, dy, arrow, true, {}};
        noted.notes = {note};
        const auto out = laid(noted);
        for (const auto* t : all_of<DrawnText>(out)) {
          const auto box = t->box();
          CHECK((box.x >= 0 && box.right() <= out.width && box.y >= 0 && box.bottom() <= out.height));
        }
      }
}

TEST_CASE("guides, frames and axes stand where they are asked for") {
  Panel p;
  auto line = of_kind(Layer::Kind::line);
  line.x = {-1, 1};
  line.y = {-2, 2};
  p.layers = {line};
  p.x.limits = Limits{-1, 1};
  p.y.limits = Limits{-2, 2};
  p.x.at = 0;
  p.y.at = 0;
  p.frame = Edges{};
  p.guides = {{true, 0.5, {}, 1.0, {}, Dash::dashed, 0.9}};
  const auto list = laid(p);
  const auto area = list.panels[0].area;
  bool level = false, upright = false, guide = false;
  for (const auto* s : all_of<StrokePath>(list))
    for (const auto& piece : s->pieces) {
      if (piece.size() != 2) continue;
      level = level || (piece[0].y == Approx(area.y + area.height / 2) && piece[1].y == piece[0].y &&
                        piece[1].x - piece[0].x == Approx(area.width));
      upright = upright || (piece[0].x == Approx(area.x + area.width / 2) && piece[1].x == piece[0].x &&
                            piece[1].y - piece[0].y == Approx(area.height));
      guide =
          guide || (piece[0].x == Approx(area.x + 0.75 * area.width) && piece[0].y == Approx(area.bottom()) &&
                    piece[1].y == Approx(area.bottom() - 0.75 * area.height));
    }
  CHECK(level);
  CHECK(upright);
  CHECK(guide);
  // A reversed axis runs the other way.
  p = {};
  p.layers = {line};
  p.layers[0].kind = Layer::Kind::scatter;
  p.y.reverse = true;
  const auto reversed = laid(p);
  const auto points = all_of<Markers>(reversed).at(0)->points;
  CHECK(points[0].y < points[1].y);
}

TEST_CASE("panels in space lie inside of their area, far pieces first") {
  const auto v = spaced(-2, 2, 21);
  for (const double turn : {0.0, 30.0, 120.0, 200.0, 300.0})
    for (const double tilt : {0.0, 25.0, 60.0, 90.0}) {
      Panel p;
      p.layers = {
          grid_of(Layer::Kind::surface, v, v, [](double x, double y) { return std::exp(-x * x - y * y); })};
      p.x.title = "east (m)";
      p.y.title = "north (m)";
      p.z.title = "height (m)";
      p.turn = turn;
      p.tilt = tilt;
      const auto list = laid(p);
      CAPTURE(turn, tilt);
      const auto quads = all_of<Quads>(list);
      REQUIRE(quads.size() == 1);
      CHECK(quads[0]->corners.size() == 400);
      const auto area = list.panels[0].area;
      for (const auto& corners : quads[0]->corners)
        for (const auto& c : corners)
          CHECK((c.x > area.x - 1 && c.x < area.right() + 1 && c.y > area.y - 1 && c.y < area.bottom() + 1));
      for (const auto* t : all_of<DrawnText>(list)) {
        const auto box = t->box();
        CAPTURE(t->source);
        CHECK((box.x >= 0 && box.right() <= list.width && box.y >= 0 && box.bottom() <= list.height));
      }
    }
  // A tower in front hides the ground behind: it is drawn later.
  Panel p;
  auto points = of_kind(Layer::Kind::scatter);
  points.x = {0, 0};
  points.y = {-1, 1};
  points.z = {0, 0};
  p.layers = {points};
  p.turn = 0;
  const auto in_space = laid(p);
  const auto markers = all_of<Markers>(in_space);
  REQUIRE(markers.size() == 2);
  CHECK(markers[0]->size < markers[1]->size);
}

TEST_CASE("dates in space are reported as dates, on all three axes") {
  // Ten days from 2026-06-01.
  const auto days = spaced(1780272000, 1780272000 + 9 * 86400, 10);
  const auto numbers = spaced(0, 1, 10);
  for (const char axis : {'x', 'y', 'z'}) {
    auto curve = of_kind(Layer::Kind::line);
    curve.x = axis == 'x' ? days : numbers;
    curve.y = axis == 'y' ? days : numbers;
    curve.z = axis == 'z' ? days : numbers;
    (axis == 'x' ? curve.x_is_time : axis == 'y' ? curve.y_is_time : curve.z_is_time) = true;
    for (const bool asked : {false, true}) {
      Panel p;
      p.layers = {curve};
      if (asked) (axis == 'x' ? p.x : axis == 'y' ? p.y : p.z).ticks = std::vector<double>{days[2], days[6]};
      const auto list = laid(p);
      int dates = 0;
      bool year = false;
      for (const auto* t : all_of<DrawnText>(list)) {
        CAPTURE(axis, asked, t->source, t->role);
        year = year || t->source.find("2026") != std::string::npos;
        if (t->role == std::string(1, axis) + " tick") {
          CHECK(t->source.find("Jun") != std::string::npos);
          ++dates;
        } else if (t->role.ends_with("tick"))
          CHECK(t->source.find("Jun") == std::string::npos);
      }
      CHECK(dates >= 2);
      CHECK(year);
    }
  }
}

TEST_CASE("every item of a page knows its panel and its layer") {
  Figure f;
  f.name = "f";
  f.columns = 2;
  Panel flat, space;
  for (int k = 0; k < 2; ++k) {
    auto points = of_kind(k == 0 ? Layer::Kind::line : Layer::Kind::scatter);
    points.x = {0, 1, 2};
    points.y = {0, 1.0 + k, 4};
    flat.layers.push_back(points);
    points.z = {1, 2, 3};
    space.layers.push_back(points);
  }
  space.column = 2;
  f.panels = {flat, space};
  const auto list = laid(f);
  std::set<std::pair<int, int>> seen;
  for (const auto& item : list.items) {
    const auto& area = list.panels[static_cast<std::size_t>(std::max(0, item.owner.panel))].area;
    seen.insert({item.owner.panel, item.owner.layer});
    if (const auto* m = std::get_if<Markers>(&item)) {
      CHECK(item.owner.layer == 1);
      for (const auto& p : m->points) CHECK((p.x >= area.x - 1 && p.x <= area.right() + 1));
    }
    if (std::get_if<DrawnText>(&item)) CHECK(item.owner.layer == -1);
  }
  for (const int panel : {0, 1})
    for (const int layer : {-1, 0, 1}) CHECK(seen.contains({panel, layer}));
  // Every kind is drawn somewhere, and says what it is.
  for (int k = 0; k <= static_cast<int>(Layer::Kind::wireframe); ++k) {
    const auto& row = row_of(static_cast<Layer::Kind>(k));
    CHECK_FALSE(row.name.empty());
    CHECK((row.draw != nullptr || row.draw_in_space != nullptr));
  }
}

TEST_CASE("hostile data of every kind still makes a figure") {
  std::mt19937_64 random(5);
  const double hostile[] = {NAN, INFINITY, -INFINITY, 0, -0.0, 1e308, -1e308, 1e-308, 1, -3, 7e-12};
  const auto any = [&] { return hostile[random() % std::size(hostile)]; };
  using enum Layer::Kind;
  for (int round = 0; round < 120; ++round)
    for (const auto kind : {line, scatter, stems, boxes, region, error_bars, heatmap, contours,
                            filled_contours, arrows, surface, wireframe}) {
      auto l = of_kind(kind);
      const std::size_t n = random() % 5 + (l.is_grid() ? 2 : 0), m = 2 + random() % 3;
      if (l.is_grid()) {
        for (std::size_t k = 0; k < n; ++k)
          l.x.push_back(static_cast<double>(k) * std::pow(10.0, round % 7 - 3));
        for (std::size_t k = 0; k < m; ++k) l.y.push_back(static_cast<double>(k));
        const bool cells = kind == heatmap;
        for (std::size_t k = 0; k < (cells ? (n - 1) * (m - 1) : n * m); ++k) l.z.push_back(any());
      } else
        for (std::size_t k = 0; k < n; ++k) {
          for (auto* v : {&l.x, &l.y, &l.left, &l.right, &l.low, &l.high}) v->push_back(any());
          if (round % 3 == 0 && (kind == line || kind == scatter)) l.z.push_back(any());
        }
      Panel p;
      p.layers = {l};
      p.x.scale = p.y.scale = static_cast<ScaleKind>(round % 3);
      p.color_bar = ColorBar{};
      try {
        const auto list = laid(p);
        for (const auto* t : all_of<DrawnText>(list)) {
          const auto box = t->box();
          CAPTURE(name_of(kind), round, t->role, t->source);
          CHECK((std::isfinite(box.x) && std::isfinite(box.y)));
        }
      } catch (const Error& error) { CHECK_FALSE(error.message.empty()); }
    }
}

TEST_CASE("flat layers beside a surface are left out with a warning, whatever their sizes") {
  Panel p;
  p.layers = {grid_of(Layer::Kind::surface, {0, 1, 2}, {0, 1}, [](double x, double y) { return x + y; }),
              grid_of(Layer::Kind::contours, {0, 1, 2}, {0, 1}, [](double x, double y) { return x * y; })};
  auto cells = grid_of(Layer::Kind::heatmap, {0, 1, 2}, {0, 1}, [](double x, double y) { return x + y; });
  cells.x.push_back(3);
  cells.y.push_back(2);
  p.layers.push_back(cells);
  const auto list = laid(p);
  CHECK(list.warnings.size() == 2);
}

TEST_CASE("linked panels of different scales keep limits that their scales have a place for") {
  Figure f;
  f.columns = 2;
  f.link_y = Link::all;
  Panel one, two;
  Layer line;
  line.x = {0, 1, 2};
  line.y = {-5, 3, 100};
  one.layers = two.layers = {line};
  one.y.limits = Limits{-5, 100};
  two.column = 2;
  two.y.scale = ScaleKind::log;
  f.panels = {one, two};
  const auto list = laid(f);
  CHECK(list.panels[1].y.low > 0);
  CHECK(list.panels[1].y.high >= 100);
  for (const double v : {1e308, -1e308, 1.7e308, 5e-324})
    for (const auto kind : {ScaleKind::linear, ScaleKind::log, ScaleKind::signed_log, ScaleKind::time}) {
      const auto limits = padded_limits(v, v, kind);
      CAPTURE(v, limits.low, limits.high);
      CHECK((std::isfinite(limits.low) && std::isfinite(limits.high)));
      if (kind == ScaleKind::log) CHECK(limits.low > 0);
    }
}

TEST_CASE("points in space have the colours of their values, and none where there is no value") {
  Layer points = of_kind(Layer::Kind::scatter);
  points.x = points.y = points.z = {0, 1, 2, 3};
  points.values = {10, NAN, 30, NAN};
  const auto list = laid(points);
  const auto drawn = all_of<Markers>(list);
  REQUIRE(drawn.size() == 2);
  const auto& palette = *find_palette("lagoon");
  std::vector<Color> expected = {palette.at(0), palette.at(1)};
  for (const auto* marker : drawn) {
    auto opaque = marker->color;
    opaque.alpha = 1;
    CHECK((opaque == expected[0] || opaque == expected[1]));
  }
}

TEST_CASE("regions of very many points keep how far they reach") {
  auto region = of_kind(Layer::Kind::region);
  for (int k = 0; k < 100000; ++k) {
    region.x.push_back(k);
    region.low.push_back(-1 - (k == 31234));
    region.high.push_back(1 + (k == 70001));
  }
  const auto list = laid(region);
  const auto fills = all_of<FillPath>(list);
  REQUIRE(fills.size() == 1);
  REQUIRE(fills[0]->pieces.size() == 1);
  const auto& outline = fills[0]->pieces[0];
  CHECK(outline.size() < 10000);
  const auto& area = list.panels[0].area;
  const Mapping map{{list.panels[0].x}, {list.panels[0].y}, area};
  double highest = 1e9, lowest = -1e9;
  for (const auto& p : outline) {
    highest = std::min(highest, p.y);
    lowest = std::max(lowest, p.y);
  }
  CHECK(highest == Approx(map(0, 2).y));
  CHECK(lowest == Approx(map(0, -2).y));
}
