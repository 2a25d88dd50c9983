// What stands along axes whose numbers are long, whose names have little room, or that are shared.
#include <algorithm>
#include <cmath>
#include <set>

#include "figure/draw.h"
#include "figure/layers/layer_kind.h"
#include "figure/ticks.h"
#include "laid_out.h"

using namespace quill;
using namespace quill::test;

namespace {

std::vector<const DrawnText*> with_role(const DisplayList& list, const std::string& role) {
  std::vector<const DrawnText*> out;
  for (const auto* t : all_of<DrawnText>(list))
    if (t->role == role) out.push_back(t);
  return out;
}

Panel named_bars(const std::vector<std::string>& names) {
  Layer bars;
  bars.kind = Layer::Kind::boxes;
  Panel p;
  p.x.ticks.emplace();
  for (std::size_t k = 1; k <= names.size(); ++k) {
    const auto at = static_cast<double>(k);
    bars.left.push_back(at - 0.4);
    bars.right.push_back(at + 0.4);
    bars.low.push_back(0);
    bars.high.push_back(at);
    p.x.ticks->push_back(at);
  }
  p.x.tick_labels = names;
  p.layers = {bars};
  return p;
}

}  // namespace

TEST_CASE("what all labels of an axis have in common is said once") {
  struct Row {
    std::vector<double> positions;
    std::vector<std::string> labels;
    std::string common;
  };
  const std::vector<Row> rows = {
      {{0, 0.5, 1}, {"0.0", "0.5", "1.0"}, ""},
      {{0, 2e6, 4e6}, {"0", "2", "4"}, "$\\times10^{6}$"},
      {{1.5e-7, 2.0e-7}, {"1.5", "2.0"}, "$\\times10^{-7}$"},
      {{1200300000, 1200300100, 1200300200}, {"0", "100", "200"}, "+ 1.2003$\\times10^{9}$"},
      {{-1000001, -1000000}, {"−1", "0"}, "− 1$\\times10^{6}$"},
      {{1.000001, 1.000002}, {"1", "2"}, "$\\times10^{-6}$ + 1"},
      {{2001.25, 2001.5}, {"2001.25", "2001.50"}, ""},
      {{1e-300, 2e-300}, {"1", "2"}, "$\\times10^{-300}$"},
      {{3}, {"3"}, ""},
      {{}, {}, ""},
  };
  for (const auto& row : rows) {
    const auto texts = tick_texts(row.positions);
    CAPTURE(row.common);
    CHECK(texts.labels == row.labels);
    CHECK(texts.common == row.common);
  }
}

TEST_CASE("a label with what is left out gives the number again") {
  // "1.2003$\times10^{9}$"
  const auto number = [](std::string text) {
    const auto power = text.find("$\\times10^{");
    const double exponent = power == std::string::npos ? 0 : std::stod(text.substr(power + 11));
    text = text.substr(0, power);
    for (auto at = text.find("−"); at != std::string::npos; at = text.find("−")) text.replace(at, 3, "-");
    std::erase(text, ' ');
    return (text.empty() ? 1 : std::stod(text)) * std::pow(10.0, exponent);
  };
  for (double start : {0.0, 1.0, -3.0, 101325.0, 1.2003e9, -5e-8, 7e20, 273.15})
    for (double step : {1e-9, 1e-3, 0.25, 1.0, 40.0, 1e5, 2e8}) {
      if (step < 1e-7 * std::fabs(start)) continue;
      std::vector<double> positions;
      for (int k = 0; k < 6; ++k) positions.push_back(start + k * step);
      const auto [labels, common] = tick_texts(positions);
      const auto sign = std::min(common.find("+ "), common.find("− "));
      const double part = sign == std::string::npos ? 0 : number(common.substr(sign));
      const double power = sign == 0 || common.empty() ? 1 : number(common.substr(0, sign));
      CAPTURE(start, step, labels, common);
      for (std::size_t k = 0; k < labels.size(); ++k)
        CHECK(number(labels[k]) * power + part == Approx(positions[k]).margin(2e-3 * step).epsilon(1e-12));
    }
}

TEST_CASE("limits near smallest integer numbers have round ticks") {
  for (const double unit : {1e-300, 1e-306}) {
    const auto ticks = linear_ticks(0, 4.1 * unit, 5);
    REQUIRE(ticks.positions.size() >= 4);
    for (const double p : ticks.positions)
      CHECK(p / unit == Approx(std::round(2 * p / unit) / 2).margin(1e-6));
  }
  const auto smallest = linear_ticks(5e-324, 2e-323, 5);
  CHECK_FALSE(smallest.positions.empty());
}

TEST_CASE("long names beside lying bars are broken, so that the data keep their room") {
  const std::vector<std::string> names = {"Upper inflow below the old mill and its weir",
                                          "Reeds along the north shore between both bays",
                                          "Deep basin at the thermistor chain and around it", "Harbour"};
  auto p = named_bars(names);
  auto& bars = p.layers[0];
  std::swap(bars.left, bars.low);
  std::swap(bars.right, bars.high);
  bars.is_lying = true;
  std::swap(p.x, p.y);
  Figure f;
  f.name = "f";
  f.width = 120;
  f.panels = {p};
  const auto list = laid(f);
  check_texts(list);
  CHECK(list.panels[0].area.width > 0.6 * list.width);
  std::string all;
  const auto& area = list.panels[0].area;
  for (const auto* t : with_role(list, "y tick")) {
    CHECK(t->box().right() < area.x);
    CHECK(t->box().x > 0);
    all += t->source + " ";
  }
  for (const auto& name : names) CHECK(all.find(name) != std::string::npos);
}

TEST_CASE("ticks do not depend on the unit, however small or large") {
  std::mt19937 engine(11);
  std::uniform_real_distribution<double> uniform(-1, 1);
  for (int round = 0; round < 60; ++round) {
    double low = uniform(engine), high = uniform(engine);
    if (low > high) std::swap(low, high);
    if (high - low < 0.01) continue;
    const auto plain = linear_ticks(low, high, 6);
    for (const int exponent : {-300, -270, -200, -141, -139, -80, 80, 139, 141, 200, 300}) {
      const double unit = std::pow(10, exponent);
      const auto ticks = linear_ticks(low * unit, high * unit, 6);
      CAPTURE(low, high, exponent);
      REQUIRE(ticks.positions.size() == plain.positions.size());
      for (std::size_t k = 0; k < ticks.positions.size(); ++k)
        CHECK(ticks.positions[k] / unit == Approx(plain.positions[k]).margin(1e-9));
    }
  }
}

TEST_CASE("the power of an axis stands at its end, apart from all other texts") {
  auto p = Panel();
  p.layers = {line_of({1.2003e9, 1.2003e9 + 500}, {2e6, 9e6})};
  p.title = "Heat";
  p.x.title = "time since the survey began (s)";
  p.y.title = "heat (J)";
  for (const bool has_titles : {true, false}) {
    if (!has_titles) p.title = p.x.title = p.y.title = "";
    const auto list = laid(p);
    check_texts(list);
    const auto x = with_role(list, "x common"), y = with_role(list, "y common");
    REQUIRE(x.size() == 1);
    REQUIRE(y.size() == 1);
    CHECK(x[0]->source == "+ 1.2003×109");
    CHECK(y[0]->source == "×106");
    const auto& area = list.panels[0].area;
    CHECK(x[0]->box().right() == Approx(area.right()).margin(1));
    CHECK(x[0]->box().y > area.bottom());
    CHECK(y[0]->box().bottom() < area.y);
    for (const auto* t : with_role(list, "y tick")) CHECK(t->source.size() == 1);
  }
}

TEST_CASE("the power of an axis through the panel stands above it, on the page") {
  auto p = Panel();
  p.layers = {line_of({-5, 5}, {-3e6, 4e6})};
  p.x.at = p.y.at = 0;
  const auto list = laid(p);
  check_texts(list);
  const auto y = with_role(list, "y common");
  REQUIRE(y.size() == 1);
  const auto& area = list.panels[0].area;
  CHECK(y[0]->box().x > area.x + 0.3 * area.width);
  CHECK(y[0]->box().right() < area.x + 0.6 * area.width);
}

TEST_CASE(
    "an axis through a value without a place on the other one stands at the edge, its labels on the page") {
  auto p = Panel();
  p.layers = {line_of({1, 5}, {3, 40})};
  p.x.at = 0;
  p.y.scale = ScaleKind::log;
  const auto list = laid(p);
  check_texts(list);
  const auto labels = with_role(list, "x tick");
  CHECK(labels.size() >= 3);
  for (const auto* t : labels) CHECK(t->box().bottom() < list.height);
}

TEST_CASE("names that have no room beside each other are broken, then slanted, and all stand") {
  const std::vector<std::string> words = {"Upper inflow", "Harbour", "North shore reeds", "Deep basin",
                                          "Old mill bay"};
  Figure f;
  f.name = "f";
  f.width = 90;
  f.panels = {named_bars(words)};
  auto list = laid(f);
  check_texts(list);
  CHECK(list.warnings.empty());
  std::string all;
  for (const auto* t : with_role(list, "x tick")) {
    CHECK(t->angle == 0);
    all += t->source + " ";
  }
  for (const auto& name : words) CHECK(all.find(name) != std::string::npos);

  std::vector<std::string> long_words;
  for (int k = 0; k < 14; ++k) long_words.push_back("Boathouse" + std::to_string(k));
  f.panels = {named_bars(long_words)};
  list = laid(f);
  check_texts(list);
  CHECK(list.warnings.empty());
  const auto slanted = with_role(list, "x tick");
  REQUIRE(slanted.size() == long_words.size());
  for (const auto* t : slanted) {
    CHECK(t->angle > 0.3);
    CHECK(t->box().y > list.panels[0].area.bottom());
  }

  // So many that no slant helps.
  for (int k = 0; k < 120; ++k) long_words.push_back("Boathouse" + std::to_string(k + 14));
  f.panels = {named_bars(long_words)};
  list = laid(f);
  CHECK_FALSE(list.warnings.empty());
  check_texts(list);
}

TEST_CASE("bars lie, from their base on, which ends the axis") {
  Layer bars;
  bars.kind = Layer::Kind::boxes;
  bars.is_lying = true;
  bars.left = {0, 0, -2};
  bars.right = {3, 5, 0};
  bars.low = {0.6, 1.6, 2.6};
  bars.high = {1.4, 2.4, 3.4};
  auto list = laid(bars);
  CHECK(list.panels[0].x.low < -2);
  bars.left[2] = 1;
  bars.right[2] = 0;
  list = laid(bars);
  CHECK(list.panels[0].x.low == 0);
  const auto fills = all_of<FillPath>(list);
  REQUIRE(fills.size() == 1);
  const auto& area = list.panels[0].area;
  for (const auto& piece : fills[0]->pieces) {
    const auto [left, right] =
        std::minmax_element(piece.begin(), piece.end(), [](Point a, Point b) { return a.x < b.x; });
    CHECK(left->x == Approx(area.x));
    CHECK(right->x > area.x + 5);
  }
}

TEST_CASE("when the colours of the cycle come again, dashes and markers differ") {
  for (const auto& name : theme_names()) {
    const auto& theme = *find_theme(name);
    for (const auto kind : {Layer::Kind::line, Layer::Kind::scatter}) {
      Panel p;
      for (int k = 0; k < 24; ++k) p.layers.push_back(line_of({0, 1}, {0, 1}));
      for (auto& layer : p.layers) layer.kind = kind;
      std::set<std::string> seen;
      for (const auto& look : looks_of(p, theme))
        seen.insert(std::to_string(look.color.red) + " " + std::to_string(look.color.green) + " " +
                    std::to_string(look.color.blue) + " " + std::to_string(static_cast<int>(look.dash)) +
                    " " + std::to_string(static_cast<int>(look.marker)));
      CAPTURE(name);
      CHECK(seen.size() == 24);
    }
  }
  // What was asked for stays.
  Panel p;
  for (int k = 0; k < 10; ++k) p.layers.push_back(line_of({0, 1}, {0, 1}));
  p.layers[9].dash = Dash::solid;
  CHECK(looks_of(p, *find_theme("quill"))[9].dash == Dash::solid);
}

TEST_CASE("the best place of a legend is beside the panel when none in it is free") {
  Panel p;
  for (int k = 0; k < 14; ++k) {
    auto layer = line_of({}, {}, "thermistor " + std::to_string(k));
    for (int i = 0; i <= 100; ++i) {
      layer.x.push_back(i);
      layer.y.push_back(std::sin(i * 0.1 * (1 + k * 0.07)));
    }
    p.layers.push_back(layer);
  }
  p.legend = LegendPlace::best;
  auto list = laid(p);
  check_texts(list);
  for (const auto* t : with_role(list, "legend")) CHECK(t->box().x > list.panels[0].area.right());
  p.layers.resize(1);
  list = laid(p);
  for (const auto* t : with_role(list, "legend")) CHECK(t->box().right() < list.panels[0].area.right());
}

TEST_CASE("linked axes say a title that they share once, in the middle") {
  Figure f;
  f.name = "f";
  f.rows = 3;
  f.columns = 4;
  f.width = 240;
  f.height = 150;
  for (int r = 1; r <= 3; ++r)
    for (int c = 1; c <= 4; ++c) {
      Panel p;
      p.row = r;
      p.column = c;
      p.layers = {line_of({0, 5}, {0, 12e6})};
      p.x.title = "time (h)";
      p.y.title = "pressure (Pa)";
      f.panels.push_back(p);
    }
  CHECK(with_role(laid(f), "x title").size() == 12);
  f.link_x = f.link_y = Link::all;
  const auto list = laid(f);
  check_texts(list);
  REQUIRE(with_role(list, "x title").size() == 1);
  REQUIRE(with_role(list, "y title").size() == 1);
  const auto& first = list.panels[0].area;
  const auto& last = list.panels[11].area;
  const auto box = with_role(list, "x title")[0]->box();
  CHECK(box.x + box.width / 2 == Approx((first.x + last.right()) / 2).margin(1));
  double share = 0;
  for (const auto& panel : list.panels) share += panel.area.width * panel.area.height;
  CHECK(share > 0.4 * list.width * list.height);
}
