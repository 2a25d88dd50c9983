#include "laid_out.h"

#include <cmath>
#include <random>

#include "base/error.h"
#include "figure/color.h"
#include "figure/curve.h"
#include "figure/layout.h"
#include "figure/ticks.h"
#include "support/effort.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("ticks are round, inside and about as many as wanted") {
  std::mt19937_64 random(6);
  std::uniform_real_distribution<double> mantissa(-1, 1), exponent(-8, 8), count(2, 9);
  for (int round = 0; round < 2000; ++round) {
    const double a = mantissa(random) * std::pow(10, exponent(random)),
                 b = a + (0.01 + std::fabs(mantissa(random))) * std::pow(10, exponent(random));
    const double wanted = count(random);
    const auto ticks = linear_ticks(a, b, wanted);
    CAPTURE(a, b, wanted, ticks.positions);
    if (b - a < 1e-11 * std::max(std::fabs(a), std::fabs(b))) continue;
    const double slack = 1e-6 * (b - a);
    CHECK(ticks.positions.size() >= 1);
    CHECK(ticks.positions.size() <= 24);
    CHECK(ticks.labels.size() == ticks.positions.size());
    for (std::size_t k = 0; k < ticks.positions.size(); ++k) {
      CHECK(ticks.positions[k] >= a - slack);
      CHECK(ticks.positions[k] <= b + slack);
      for (std::size_t j = 0; j < k; ++j) CHECK(ticks.labels[j] != ticks.labels[k]);
    }
  }
  CHECK(linear_ticks(0, 10, 6).positions == std::vector<double>{0, 2, 4, 6, 8, 10});
  CHECK(linear_ticks(0, 1, 6).labels == std::vector<std::string>{"0.0", "0.2", "0.4", "0.6", "0.8", "1.0"});
  CHECK(linear_ticks(-1, 1, 5).labels == std::vector<std::string>{"−1.0", "−0.5", "0.0", "0.5", "1.0"});
}

TEST_CASE("an axis that begins or ends at 0 has a tick there") {
  std::mt19937 random(9);
  std::uniform_real_distribution<double> exponent(-3, 5), wanted(3, 11);
  for (int round = 0; round < 2000; ++round) {
    const double end = std::pow(10.0, exponent(random)), count = wanted(random);
    CAPTURE(end, count);
    CHECK(linear_ticks(0, end, count).positions.front() == 0);
    CHECK(linear_ticks(-end, 0, count).positions.back() == 0);
  }
}

TEST_CASE("tick labels have one format along an axis") {
  struct Row {
    std::vector<double> positions;
    std::vector<std::string> labels;
  };
  const std::vector<Row> rows = {
      {{0, 0.5, 1}, {"0.0", "0.5", "1.0"}},
      {{-2, 0, 2}, {"−2", "0", "2"}},
      {{0, 250, 500}, {"0", "250", "500"}},
      {{0.001, 0.002}, {"0.001", "0.002"}},
      {{0, 2e6, 4e6}, {"0", "2$\\times10^{6}$", "4$\\times10^{6}$"}},
      {{1.5e-7, 2.0e-7}, {"1.5$\\times10^{-7}$", "2.0$\\times10^{-7}$"}},
      {{1000000, 1000001}, {"1.000000$\\times10^{6}$", "1.000001$\\times10^{6}$"}},
      {{3}, {"3"}},
      {{}, {}},
  };
  for (const auto& row : rows) CHECK(tick_labels(row.positions) == row.labels);
}

TEST_CASE("legends keep inside of their panel, and best covers the least") {
  BlockFont font;
  for (const auto& place : legend_places()) {
    if (place == "ends") continue;  // beside the panel
    Figure f;
    f.name = "f";
    Panel p;
    // All data in the upper left corner.
    p.layers = {line_of({0, 1, 2, 3}, {9, 10, 9.5, 9}, "curve")};
    p.x.limits = Limits{0, 10};
    p.y.limits = Limits{0, 10};
    p.legend = parse_legend_place(place);
    f.panels = {p};
    const auto list = lay_out(f, font);
    const auto area = list.panels[0].area;
    for (const auto* t : all_of<DrawnText>(list)) {
      if (t->role != "legend") continue;
      const auto box = t->box();
      CAPTURE(place);
      CHECK(box.right() <= list.width);
      if (place == "outside right")
        CHECK(box.x >= area.right());
      else {
        CHECK(box.x >= area.x);
        CHECK(box.right() <= area.right());
        CHECK(box.y >= area.y);
        CHECK(box.bottom() <= area.bottom());
      }
      if (place == "top left") CHECK(box.x < area.x + area.width / 2);
      if (place == "bottom right" || place == "best")
        CHECK((box.x > area.x + area.width / 2 || box.y > area.y + area.height / 2));
    }
  }
}

TEST_CASE("limits are sensible for all data") {
  CHECK(padded_limits(0, 100).low == Approx(-3));
  CHECK(padded_limits(6, 100).low == 0);
  CHECK(padded_limits(40, 100).low > 30);
  CHECK(padded_limits(-100, -6).high == 0);
  CHECK(padded_limits(5, 5).low < 5);
  CHECK(padded_limits(5, 5).high > 5);
  CHECK(padded_limits(0, 0).low < 0);
  CHECK(padded_limits(INFINITY, -INFINITY) == Limits{0, 1});
  CHECK(padded_limits(-1e308, 1e308).high >= 1e308);
}

TEST_CASE("colours are read, and converted there and back") {
  CHECK(hex_of(parse_color("navy").value()) == "#000080");
  CHECK(hex_of(parse_color("#fa3").value()) == "#ffaa33");
  CHECK(parse_color("#11223344")->alpha == Approx(0x44 / 255.0));
  for (const char* bad : {"", "nvy", "#12", "#gggggg", "12345"}) CHECK_FALSE(parse_color(bad).has_value());
  for (const auto& name : color_names()) {
    const auto lab = to_oklab(parse_color(name).value());
    const auto back =
        from_oklch(lab.lightness, std::hypot(lab.a, lab.b), std::atan2(lab.b, lab.a) * 180 / M_PI);
    CHECK(hex_of(back) == hex_of(parse_color(name).value()));
  }
}

TEST_CASE("the colours of the cycle can be distinguished in every vision") {
  const auto* theme = find_theme("quill");
  REQUIRE(theme != nullptr);
  REQUIRE(theme->cycle.size() == 8);
  // Bounds on the distance in OKLab; greyscale leaves lightness alone.
  const auto least = [&](Vision vision) {
    double d = 1;
    for (std::size_t i = 0; i < 8; ++i)
      for (std::size_t k = 0; k < i; ++k)
        d = std::min(d, distance(simulated(theme->cycle[i], vision), simulated(theme->cycle[k], vision)));
    return d;
  };
  CHECK(least(Vision::full) > 0.12);
  CHECK(least(Vision::protanopia) > 0.06);
  CHECK(least(Vision::deuteranopia) > 0.06);
  CHECK(least(Vision::greyscale) > 0.04);
  for (const auto& c : theme->cycle) CHECK(distance(c, theme->paper) > 0.2);
  // The first two, which most figures make do with, have nearly the greatest contrast of all.
  const double first_two = distance(theme->cycle[0], theme->cycle[1]);
  for (std::size_t k = 2; k < 6; ++k) CHECK(distance(theme->cycle[0], theme->cycle[k]) < first_two);
}

TEST_CASE("lines are cut at the edges and broken at nan") {
  const Mapping map{{0, 10}, {0, 10}, {100, 100, 200, 200}};
  CHECK(map(0, 0).x == 100);
  CHECK(map(0, 0).y == 300);
  CHECK(map(10, 10).x == 300);
  CHECK(map(10, 10).y == 100);
  CHECK(line_pieces({0, 5, NAN, 7, 8}, {0, 5, 1, 1, 2}, map).size() == 2);
  const auto far = line_pieces({0, 5, 10}, {5, 1e300, 5}, map);
  for (const auto& piece : far)
    for (const auto& p : piece) {
      CHECK(p.y >= 50);
      CHECK(p.y <= 350);
    }
  CHECK(line_pieces({-100, -50}, {5, 5}, map).empty());
  CHECK(line_pieces({5}, {5}, map).empty());
  CHECK(places_inside({5, 50, NAN, 10}, {5, 5, 5, 10}, map) == std::vector<std::size_t>{0, 3});
}

TEST_CASE("texts lie inside of the page and do not overlap, for many figures") {
  BlockFont font;
  std::mt19937_64 random(12);
  std::uniform_real_distribution<double> real(-1, 1), exponent(-7, 7);
  for (int round = 0; round < repeats(300); ++round) {
    Figure f;
    f.name = "f";
    f.rows = 1 + round % 3;
    f.columns = 1 + round / 3 % 3;
    f.width = 90.0 * f.columns + 60 * std::fabs(real(random));
    f.height = 70.0 * f.rows + 60 * std::fabs(real(random));
    if (round % 2) f.title = "A title that is long enough to be broken into lines when the page is small";
    if (round % 5 == 0) f.link_x = Link::columns;
    for (int r = 1; r <= f.rows; ++r)
      for (int c = 1; c <= f.columns; ++c) {
        Panel p;
        p.row = r;
        p.column = c;
        const double size = std::pow(10, exponent(random)),
                     shift = real(random) * std::pow(10, exponent(random));
        Layer l;
        for (int k = 0; k < 20; ++k) {
          l.x.push_back(shift + size * real(random));
          l.y.push_back(size * real(random));
        }
        l.label = "label";
        l.kind = round % 2 ? Layer::Kind::line : Layer::Kind::scatter;
        p.layers.push_back(l);
        p.x.title = round % 3 ? "time $t$ (d)" : "";
        p.y.title = "a quantity with a unit (kg/m³)";
        if (round % 4 == 0) p.title = "panel";
        if (round % 2)
          p.legend =
              parse_legend_place(legend_places()[static_cast<std::size_t>(round) % legend_places().size()]);
        f.panels.push_back(std::move(p));
      }
    const auto list = lay_out(f, font);
    CAPTURE(round, f.rows, f.columns);
    check_texts(list);
    REQUIRE(list.panels.size() == f.panels.size());
    for (std::size_t i = 0; i < list.panels.size(); ++i)
      for (std::size_t k = 0; k < i; ++k) CHECK_FALSE(list.panels[i].area.overlaps(list.panels[k].area));
  }
}

TEST_CASE("marks stand where the data is, in the colour of the legend") {
  BlockFont font;
  Figure f;
  f.name = "f";
  Panel p;
  auto curve = line_of({0, 1, 2, 4}, {10, 20, 15, 40}, "curve");
  auto points = curve;
  points.kind = Layer::Kind::scatter;
  points.marker = Marker::ring;
  points.label = "points";
  p.layers = {curve, points};
  p.x.limits = Limits{0, 5};
  p.y.limits = Limits{0, 50};
  p.legend = LegendPlace::top_left;
  f.panels = {p};
  const auto list = lay_out(f, font);
  const auto area = list.panels.at(0).area;
  std::vector<const Markers*> markers;
  std::vector<const StrokePath*> strokes;
  for (const auto& item : list.items) {
    if (const auto* m = std::get_if<Markers>(&item)) markers.push_back(m);
    if (const auto* s = std::get_if<StrokePath>(&item)) strokes.push_back(s);
  }
  REQUIRE(markers.size() == 2);  // the layer and its sample
  REQUIRE(markers[0]->points.size() == 4);
  for (std::size_t k = 0; k < 4; ++k) {
    CHECK(markers[0]->points[k].x == Approx(area.x + curve.x[k] / 5 * area.width));
    CHECK(markers[0]->points[k].y == Approx(area.bottom() - curve.y[k] / 50 * area.height));
  }
  CHECK(markers[0]->color == markers[1]->color);
  const auto theme = *find_theme("quill");
  int of_curve = 0;
  for (const auto* s : strokes) of_curve += s->color == theme.cycle[0];
  CHECK(of_curve == 2);
  CHECK(markers[0]->color == theme.cycle[1]);
}

TEST_CASE("linked panels have the same limits and drop inner labels") {
  BlockFont font;
  Figure f;
  f.name = "f";
  f.rows = 2;
  f.link_x = Link::columns;
  Panel a, b;
  a.layers = {line_of({0, 1}, {0, 1})};
  b.row = 2;
  b.layers = {line_of({5, 9}, {3, 4})};
  f.panels = {a, b};
  const auto linked = lay_out(f, font);
  CHECK(linked.panels[0].x == linked.panels[1].x);
  CHECK_FALSE(linked.panels[0].y == linked.panels[1].y);
  CHECK(linked.panels[0].area.x == linked.panels[1].area.x);
  int x_ticks_above = 0;
  for (const auto* t : all_of<DrawnText>(linked))
    x_ticks_above += t->role == "x tick" && t->at.y < linked.panels[1].area.y;
  CHECK(x_ticks_above == 0);
  f.link_x = Link::none;
  const auto free = lay_out(f, font);
  CHECK_FALSE(free.panels[0].x == free.panels[1].x);
}

TEST_CASE("hostile data still makes a figure") {
  BlockFont font;
  const std::vector<std::pair<std::vector<double>, std::vector<double>>> cases = {
      {{}, {}},
      {{1}, {1}},
      {{1, 2}, {5, 5}},
      {{1, 2}, {NAN, NAN}},
      {{1, 2, 3}, {1, INFINITY, 2}},
      {{0, 1e-300}, {0, 1e300}},
      {{-1e308, 1e308}, {-1e308, 1e308}},
      {{1e15, 1e15 + 1}, {1, 2}},
      {{0, 0}, {0, 0}}};
  for (const auto& [x, y] : cases)
    for (const auto kind : {Layer::Kind::line, Layer::Kind::scatter}) {
      Figure f;
      f.name = "f";
      Panel p;
      auto l = line_of(x, y, "data");
      l.kind = kind;
      p.layers = {l};
      p.legend = LegendPlace::best;
      f.panels = {p};
      const auto list = lay_out(f, font);
      CHECK(list.panels.size() == 1);
      check_texts(list);
    }
  Figure tiny;
  tiny.name = "tiny";
  tiny.width = tiny.height = 5;
  tiny.panels = {Panel{}};
  CHECK_THROWS_AS(lay_out(tiny, font), Error);
}

TEST_CASE("ticks that are asked for stand, with their labels") {
  BlockFont font;
  Figure f;
  f.name = "f";
  Panel p;
  p.layers = {line_of({0, 7}, {0, 1})};
  p.x.ticks = std::vector<double>{0, M_PI, 2 * M_PI, 99};
  p.x.tick_labels = {"0", "$\\pi$", "$2\\pi$", "far"};
  f.panels = {p};
  std::vector<std::string> shown;
  const auto list = lay_out(f, font);
  for (const auto* t : all_of<DrawnText>(list))
    if (t->role == "x tick") shown.push_back(t->source);
  CHECK(shown == std::vector<std::string>{"0", "π", "2π"});
}

TEST_CASE("panels placed by fractions of the page keep to them, also within another panel") {
  Figure f;
  f.title = "above";
  Panel left, right;
  left.layers = {line_of({0, 1}, {0, 1})};
  left.place = Fractions{0, 0, 0.5, 1};
  right.layers = {line_of({0, 1}, {0, 100})};
  right.title = "right";
  right.place = Fractions{0.5, 0.5, 0.5, 0.5};
  f.panels = {left, right};
  const auto list = laid(f);
  check_texts(list);
  REQUIRE(list.panels.size() == 2);
  CHECK(list.panels[0].area.right() <= list.width / 2);
  CHECK(list.panels[1].area.x >= list.width / 2);
  CHECK(list.panels[1].area.bottom() < list.panels[0].area.bottom());

  // Within the axes of another panel, over what is drawn there, even when it was placed a little beside.
  Panel whole, inset;
  whole.layers = {line_of({0, 1, 2}, {0, 5, 1})};
  inset.layers = {line_of({0, 1}, {0, 1})};
  inset.place = Fractions{0.7, 0.02, 0.3, 0.4};
  f.panels = {whole, inset};
  const auto within = laid(f);
  check_texts(within);
  const auto &a = within.panels[0].area, &b = within.panels[1].area;
  CHECK((b.x > a.x && b.right() < a.right() && b.y > a.y && b.bottom() < a.bottom()));
  // Its paper covers what lies under its labels.
  bool has_paper = false;
  for (const auto* rect : all_of<FillRect>(within))
    has_paper = has_paper || (rect->color == within.paper && rect->rect.x < b.x &&
                              rect->rect.right() >= b.right() && rect->rect.bottom() > b.bottom());
  CHECK(has_paper);

  // Over the labels of another one, or too small for its own: an error that says which.
  inset.place = Fractions{0, 0, 0.3, 0.3};
  inset.place->x = 0;
  whole.place = Fractions{0.2, 0, 0.8, 1};
  f.panels = {whole, inset};
  CHECK_THROWS_WITH(laid(f), Catch::Contains("overlaps panel(x: 0.2, y: 0, width: 0.8, height: 1)"));
  inset.place = Fractions{0, 0, 0.05, 0.05};
  f.panels = {inset};
  CHECK_THROWS_WITH(laid(f), Catch::Contains("too small for its data"));
}

TEST_CASE("axes of time say the day or the year beside their title") {
  Panel p;
  auto layer = line_of({1780272000, 1780300000, 1780350000}, {1, 2, 3});
  layer.x_is_time = true;
  layer.x_name = "time";
  p.layers = {layer};
  const auto list = laid(p);
  check_texts(list);
  bool found = false;
  for (const auto* text : all_of<DrawnText>(list))
    found = found || (text->role == "x title" && text->source == "time, 2026");
  CHECK(found);
}

TEST_CASE("panels of one quantity that are not linked get a hint, others none") {
  const auto figure_of = [](const std::string& first, const std::string& second, const std::string& link) {
    Figure f;
    f.columns = 2;
    f.link_y = *parse_link(link);
    Panel one, two;
    one.layers = {line_of({0, 1}, {0, 1})};
    one.y.title = first;
    two.column = 2;
    two.layers = {line_of({0, 1}, {0, 7})};
    two.y.title = second;
    f.panels = {one, two};
    return f;
  };
  CHECK(laid(figure_of("depth (m)", "speed (m/s)", "")).hints.empty());
  CHECK(laid(figure_of("depth (m)", "depth (m)", "rows")).hints.empty());
  CHECK(laid(figure_of("", "", "")).hints.empty());
  auto f = figure_of("depth (m)", "depth (m)", "");
  const auto hints = laid(f).hints;
  REQUIRE(hints.size() == 1);
  CHECK(hints[0] ==
        "panel(1, 1) and panel(1, 2) show \"depth (m)\" between different limits; link_y: \"rows\" makes "
        "them comparable");
  // Limits that were chosen are meant.
  f.panels[0].y.limits = Limits{0, 7};
  CHECK(laid(f).hints.empty());
}

TEST_CASE("texts that are too long are broken or cut, and labels without room are reported") {
  std::string label(400, 'm'), wide(300, 'w');
  label += " end";
  wide += " and more words after it";
  Panel p;
  p.layers = {line_of({0, 1}, {0, 1}, label)};
  p.legend = LegendPlace::top_left;
  p.title = wide;
  p.x.title = std::string(300, 'x');
  const auto list = laid(p);
  check_texts(list);
  std::string title;
  for (const auto* text : all_of<DrawnText>(list)) {
    if (text->role == "panel title") title += text->source;
    if (text->role == "legend") CHECK(text->source.ends_with("…"));
  }
  CHECK(title.find("wordsafterit") == std::string::npos);
  CHECK(title.starts_with(std::string(300, 'w')));
  // Characters of several bytes stay whole.
  p.title.clear();
  for (int k = 0; k < 300; ++k) p.title += "水";
  const auto wet = laid(p);
  for (const auto* text : all_of<DrawnText>(wet)) CHECK(find_malformed(text->source) == std::string::npos);

  Panel many;
  for (int k = 0; k < 250; ++k) many.layers.push_back(line_of({0, 1}, {0, 1.0 * k}, "line"));
  for (const char* place : {"top left", "outside right", "best"}) {
    many.legend = parse_legend_place(place);
    const auto crowded = laid(many);
    check_texts(crowded);
    REQUIRE(crowded.warnings.size() == 1);
    CHECK(crowded.warnings[0].find("the legend has no room for ") == 0);
  }
}
