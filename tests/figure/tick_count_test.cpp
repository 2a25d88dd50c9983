// Every axis has few labels, all different and apart, whatever its scale, range and size.
#include <random>
#include <set>

#include "base/number.h"
#include "figure/axes.h"
#include "laid_out.h"

using namespace quill;
using namespace quill::test;

namespace {

class Ranges {
 public:
  double uniform(double low, double high) {
    return low + (high - low) * static_cast<double>(random_() >> 11) * 0x1p-53;
  }
  double of_size(double least, double most) { return std::pow(10, uniform(least, most)); }
  double sign() { return random_() % 2 == 0 ? 1 : -1; }
  std::size_t below(std::size_t n) { return random_() % n; }

  Limits of(ScaleKind kind) {
    Limits l;
    if (kind == ScaleKind::log) {
      l.low = of_size(-12, 10);
      l.high = l.low * of_size(0.01, 14);
    } else if (kind == ScaleKind::time) {
      l.low = std::floor(uniform(-5e9, 5e9)) + (below(3) == 0 ? uniform(0, 1) : 0);
      l.high = l.low + of_size(-6.3, 10.5);
    } else if (below(3) == 0) {
      l.low = sign() * of_size(-9, 9);
      l.high = l.low + std::fabs(l.low) * of_size(-4, 1);
    } else {
      l = {sign() * of_size(-9, 9), sign() * of_size(-9, 9)};
    }
    if (l.low > l.high) std::swap(l.low, l.high);
    return l;
  }

 private:
  std::mt19937_64 random_{28};
};

}  // namespace

TEST_CASE("axes of every scale have 2 to 12 labels, 3 where there is room, all different and apart") {
  Ranges ranges;
  BlockFont font;
  const auto& theme = *find_theme("quill");
  int checked = 0;
  for (int round = 0; round < 10000; ++round) {
    constexpr ScaleKind kinds[] = {ScaleKind::linear, ScaleKind::log, ScaleKind::signed_log, ScaleKind::time};
    const auto kind = kinds[round % 4];
    const auto limits = ranges.of(kind);
    if (!(limits.low < limits.high)) continue;
    const bool is_x = ranges.below(2) == 0;
    const double length = ranges.uniform(30, 600);
    std::vector<std::string> warnings;
    TextLayer text(font, warnings);
    AxisPlan plan;
    plan.scale = {limits, kind};
    make_ticks(plan, Axis{}, length, is_x, theme, text);
    CAPTURE(static_cast<int>(kind), shortest(limits.low), shortest(limits.high), length, is_x,
            plan.ticks.labels);
    const auto n = plan.labels.size();
    CHECK(n <= 12);
    // Two labels and the gap between them; wide ones may have room for one alone.
    double widest = 0;
    for (const auto& label : plan.labels) widest = std::max(widest, is_x ? label.width : label.height());
    if (length > 4 * (widest + 8)) CHECK(n >= 2);
    // Between the ends lie other numbers.
    const double apart = 8 * 0x1p-52 * std::max(std::fabs(limits.low), std::fabs(limits.high));
    // Multiples of powers between them are wider than the powers.
    const double wide = kind == ScaleKind::linear || kind == ScaleKind::time ? widest : 2 * widest;
    if (length > 8 * (wide + 8) && limits.high - limits.low > apart) CHECK(n >= 3);
    std::set<std::string> different;
    double end = -1e9;
    for (std::size_t k = 0; k < n; ++k) {
      const double at = plan.scale.share(plan.ticks.positions[k]);
      CHECK((at > -1e-9 && at < 1 + 1e-9));
      const double half = (is_x ? plan.labels[k].width : plan.labels[k].height()) / 2;
      CHECK(at * length - half > end - 1e-9);
      end = at * length + half;
      different.insert(plan.ticks.labels[k]);
      const auto& label = plan.ticks.labels[k];
      if (label.starts_with("−"))
        CHECK(label.find_first_not_of("0.", std::string("−").size()) != std::string::npos);
    }
    // Days and months come again after a year.
    if (kind != ScaleKind::time || limits.high - limits.low < 80000) CHECK(different.size() == n);
    ++checked;
  }
  CHECK(checked > 9900);
}

TEST_CASE("times finer than a millisecond are seconds from a whole one, exactly") {
  std::mt19937_64 random(4);
  for (int round = 0; round < 400; ++round) {
    const double whole = std::floor(1.7e9 + static_cast<double>(random() % 1000000000));
    const double from = whole + static_cast<double>(random() % 1000) / 1000;
    const double range = std::pow(10.0, -6.0 + 2.9 * static_cast<double>(random() % 1000) / 1000);
    std::string context;
    const auto ticks = ticks_of({{from, from + range}, ScaleKind::time}, 6, context);
    CAPTURE(from, range);
    REQUIRE(ticks.positions.size() >= 2);
    if (ticks.labels[0].find(':') != std::string::npos) continue;  // of a millisecond or more
    CHECK(context.starts_with("seconds from "));
    // A label times its power of ten, plus what is added, is the place to within a step between numbers.
    double power = 1, added = 0;
    if (const auto at = ticks.common.find("10^{"); at != std::string::npos && ticks.common.find('$') == 0)
      power = std::pow(10.0, std::stod(ticks.common.substr(at + 4)));
    if (const auto at = ticks.common.find("+ "); at != std::string::npos) {
      added = std::stod(ticks.common.substr(at + 2));
      if (const auto exponent = ticks.common.find("10^{", at); exponent != std::string::npos)
        added *= std::pow(10.0, std::stod(ticks.common.substr(exponent + 4)));
    }
    const double base = std::floor(ticks.positions[0]);
    for (std::size_t k = 0; k < ticks.labels.size(); ++k) {
      auto label = ticks.labels[k];
      const bool is_negative = label.starts_with("−");
      if (is_negative) label = label.substr(std::string("−").size());
      const double said = (is_negative ? -1 : 1) * std::stod(label) * power + added;
      CHECK(std::fabs(base + said - ticks.positions[k]) <= 2.5e-7);
    }
  }
}

TEST_CASE("axis titles in space stand apart from each other and from labels, on the page") {
  Ranges ranges;
  std::mt19937 random(5);
  constexpr const char* words[] = {
      "depth (m)", "distance along the shore (km)",
      "t",         "temperature of the water (°C)",
      "",          "a very long title of an axis that says all there is to say about it (kg/m³)"};
  for (int round = 0; round < 300; ++round) {
    Panel p;
    Layer l;
    l.kind = Layer::Kind::surface;
    const double size = ranges.of_size(-6, 6);
    l.x = {0, size, 2 * size};
    l.y = {0, ranges.of_size(-6, 6)};
    l.z = {1, 2, 3, 2, 4 * size, 6};
    p.layers = {l};
    p.turn = ranges.uniform(-180, 180);
    p.tilt = ranges.uniform(-85, 85);
    p.x.title = words[random() % std::size(words)];
    p.y.title = words[random() % std::size(words)];
    p.z.title = words[random() % std::size(words)];
    Figure f;
    f.name = "f";
    f.width = ranges.uniform(70, 200);
    f.height = ranges.uniform(60, 140);
    f.panels = {p};
    CAPTURE(p.turn, p.tilt, f.width, f.height, p.x.title, p.y.title, p.z.title);
    check_texts(laid(f));
  }
}
